"""Pictures and their channels: what cannot be decided is not decided, and what a channel holds is not guessed at."""

import io

import numpy as np
import pytest
from PIL import Image as Pillow

from conftest import ROOT
from handlens.cli import main
from handlens.core.measures.alpha import alpha_figures
from handlens.core.measures.normal_maps import normal_map
from handlens.core.scene import Image, Layer, Material, TextureInput
from kit.scenes import findings, mesh, read_files, scene


def bumps(size: int, seed: int = 1, noise: float = 0.0) -> np.ndarray:
    """A normal map with green up (glTF 2.0 §3.9.3) of a smooth height field, slopes worked out in closed form."""
    dice = np.random.default_rng(seed)
    y, x = np.mgrid[0:size, 0:size] / size * 2 * np.pi
    across, down = np.zeros((size, size)), np.zeros((size, size))
    for _ in range(8):
        a, b, phase = dice.integers(2, 9), dice.integers(2, 9), dice.uniform(0, 6)
        across += 0.02 * a * np.cos(a * x + b * y + phase)
        down += 0.02 * b * np.cos(a * x + b * y + phase)
    # The normal of a height field leans against its slope; up the picture is against the rows.
    n = np.dstack([-across, down, np.ones_like(across)])
    n += dice.normal(0, noise, n.shape)
    n /= np.linalg.norm(n, axis=2, keepdims=True)
    rgb = np.rint((n + 1) * 127.5).clip(0, 255)
    return np.dstack([rgb, np.full(across.shape, 255)]).astype(np.uint8)


def turned(pixels: np.ndarray) -> np.ndarray:
    out = pixels.copy()
    out[:, :, 1] = 255 - out[:, :, 1]
    return out


@pytest.mark.parametrize("size", [64, 300, 2048])
def test_green_is_told_from_relief_wherever_it_lies(size):
    up = bumps(size)
    if size == 2048:
        # All of the relief lies in one corner, far from the middle.
        flat = np.full_like(up, 255)
        flat[:, :, :2] = 128
        flat[:300, :300] = bumps(300)
        up = flat
    assert normal_map(up).green == "up"
    assert normal_map(turned(up)).green == "down"


@pytest.mark.parametrize("seed", range(6))
def test_noise_says_nothing_of_green(seed):
    dice = np.random.default_rng(seed)
    grey = dice.integers(90, 166, (256, 256, 1)).astype(np.uint8)
    same = np.dstack([grey, grey, np.full((256, 256, 1), 240), np.full((256, 256, 1), 255)]).astype(np.uint8)
    apart = same.copy()
    apart[:, :, 1] = dice.integers(90, 166, (256, 256))
    assert normal_map(same).green == normal_map(apart).green == "undecided"
    assert normal_map(bumps(256, seed, noise=0.02)).green != "down"


def test_a_rim_of_resizing_is_not_see_through_and_leaves_are():
    solid = np.full((64, 64, 4), 255, np.uint8)
    rim = solid.copy()
    rim[0, :, 3] = rim[-1, :, 3] = rim[:, 0, 3] = rim[:, -1, 3] = 0
    assert alpha_figures(rim).mode == "opaque"
    leaf = solid.copy()
    leaf[10:40, 10:40, 3] = 0
    assert alpha_figures(leaf).mode == "mask"


def png(picture: Pillow.Image) -> bytes:
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def painted(alpha: np.ndarray) -> dict:
    pixels = np.full((*alpha.shape, 4), 200, np.uint8)
    pixels[:, :, 3] = alpha
    data = png(Pillow.fromarray(pixels))
    image = Image("i", "coat", "coat.png", "embedded", load=lambda: data)
    uvs = (Layer(np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32), np.arange(4, dtype=np.int32)),)
    bare = Material("m", "coat", alpha_mode="opaque", inputs=(TextureInput("base-colour", ("x",), 0),))
    quad = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]], uvs=uvs)
    return findings(scene(quad).with_(materials=(bare,), images=(image,)))


def test_a_packed_channel_is_not_taken_for_see_through():
    dice = np.random.default_rng(2)
    assert "see-through.ignored" not in painted(dice.integers(120, 220, (64, 64)))
    cut = np.where(np.arange(64)[:, None] < 32, 0, 255) * np.ones((1, 64), int)
    assert "see-through.ignored" in painted(cut)


def test_materials_over_one_picture_by_two_textures_say_the_same():
    data = png(Pillow.new("RGB", (4, 4)))
    pictures = tuple(Image(f"i{k}", f"coat{k}", "", "embedded", load=lambda: data) for k in (0, 1))
    bare = [
        Material("m0", "one", inputs=(TextureInput("base-colour", ("x",), 0),)),
        Material("m1", "other", inputs=(TextureInput("base-colour", ("x",), 1, sampler={"wrapS": 10497, "wrapT": 10497}),)),
    ]
    made = scene(mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2]])).with_(materials=tuple(bare), images=pictures)
    assert "slots.equal" in findings(made)
    clamped = Material("m1", "other", inputs=(TextureInput("base-colour", ("x",), 1, sampler={"wrapS": 33071}),))
    assert "slots.equal" not in findings(made.with_(materials=(bare[0], clamped)))


@pytest.mark.parametrize(("form", "down"), [("obj", False), ("glb", True)])
def test_mirrored_faces_are_those_that_run_the_other_way_round_on_the_picture(form, down):
    points = [[x, y, 0] for y in (0, 1) for x in range(4)]
    faces = [[k, k + 1, k + 5, k + 4] for k in range(3)]
    corner = np.array([c for f in faces for c in f])
    # The last face runs right to left on the picture.
    values = np.concatenate([np.array([[0, 0], [1, 0], [1, 1], [0, 1]])] * 2 + [np.array([[1, 0], [0, 0], [0, 1], [1, 1]])])
    if down:
        values[:, 1] = 1 - values[:, 1]
    layer = Layer(values.astype(np.float32), np.arange(len(corner), dtype=np.int32))
    image = Image("i", "bumps", "bumps.png", "missing")
    bare = Material("m", "coat", inputs=(TextureInput("normal", ("x",), 0),))
    made = scene(mesh(points, faces, uvs=(layer,)), format=form, v_down=down).with_(materials=(bare,), images=(image,))
    told = findings(made)["textures.uv-mirrored"][0]
    assert told.elements.indices.tolist() == [2]


OBJ = "mtllib models/crate.mtl\no crate\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl wood\nf 1/1 2/2 3/3\n"


def test_a_way_that_goes_up_is_found_in_the_whole_folder(tmp_path):
    library = "newmtl wood\nKd 1 1 1\nmap_Kd ../tex/wood.png\nmap_Ks file://../tex/wood.png\nmap_Ka gone.png\n"
    data = png(Pillow.new("RGB", (4, 4)))
    files = {"models/crate.mtl": library, "crate.obj": OBJ, "tex/wood.png": data}
    made = read_files(tmp_path, files, "crate.obj")
    status = {i.reference: (i.status, i.found_at) for i in made.images}
    assert status["../tex/wood.png"] == ("found", "tex/wood.png")
    # A way that is relative is no place on one machine, whatever somebody wrote before it.
    assert status["file://../tex/wood.png"] == ("found", "tex/wood.png")
    # Light of a room that is not there: nobody sees that its picture is missing.
    told = findings(made)["textures.missing"]
    assert [(f.result, f.key) for f in told] == [("note", "gone.png")]


def test_one_file_that_is_missing_is_one_finding():
    lost = tuple(Image(f"i{k}", "default.png", "default.png", "missing") for k in range(5))
    bare = Material("m", "coat", inputs=(TextureInput("base-colour", ("x",), 2),))
    made = scene(mesh([[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[0, 1, 2]])).with_(materials=(bare,), images=lost)
    found = findings(made)
    assert [(f.result, f.count) for f in found["textures.missing"]] == [("stop", 5)]
    assert "textures.unused" not in found
    idle = findings(made.with_(materials=(Material("m", "coat"),)))["textures.missing"][0]
    assert (idle.result, idle.title) == ("note", "default.png did not come along; no material uses it")


def test_pictures_that_lay_beside_a_glb_go_on_lying_beside_it(tmp_path, capsys):
    source = next(p for p in sorted((ROOT / "demo" / "models").glob("*/*.obj")) if list(p.parent.glob("*.png")))
    run = lambda *args: main([str(a) for a in args])
    assert run("export", source, "--format", "glb", "--out", tmp_path / "a" / "a.glb", "--images", "beside") == 0
    beside = {p.name for p in (tmp_path / "a").glob("*.png")}
    assert beside
    assert run("mend", tmp_path / "a" / "a.glb", "--mend", "size.scale:factor=2", "--out", tmp_path / "b" / "b.glb") == 0
    assert {p.name for p in (tmp_path / "b").glob("*.png")} == beside
    # A model whose library is left out brings its pictures where they are wanted.
    assert run("export", source, "--no-library", "--images", "beside", "--format", "obj", "--out", tmp_path / "c" / "c.obj") == 0
    assert {p.name for p in (tmp_path / "c").iterdir()} == {"c.obj", *beside}
    assert run("export", source, "--no-library", "--format", "obj", "--out", tmp_path / "d" / "d.obj") == 0
    assert {p.name for p in (tmp_path / "d").iterdir()} == {"d.obj"}
