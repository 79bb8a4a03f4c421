"""Textures: references and where they lead, kinds of pictures, and the mends of both."""

import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow

from handlens.core import formats
from handlens.core.formats import read, write
from handlens.core.judge import judge
from handlens.core.limits import InputError, MendError
from handlens.core.measures import collect
from handlens.core.measures.normal_maps import normal_map
from handlens.core.measures.pictures import picture, twins
from handlens.core.packages import FolderPackage, spelling
from handlens.core.pipeline.beside import with_neighbours
from handlens.core.pipeline.opening import open_scene, open_to_mend
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Image, Neighbour, TextureInput
from handlens.core.stations.textures.relink import candidates
from handlens.core.surface.decoded import shown
from kit.pictures import png, textured
from kit.scenes import read_files

OBJ = "mtllib board.mtl\no board\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nusemtl board\nf 1/1 2/2 3/3\n"


def package(folder: Path, reference: str, files: dict[str, bytes], statement="map_Kd") -> Path:
    (folder / "board.obj").write_text(OBJ)
    (folder / "board.mtl").write_text(f"newmtl board\n{statement} {reference}\n")
    for name, data in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)
    return folder


def told(s, sheet="realtime-engine"):
    found = judge(collect(s), load_sheet(sheet), Intent()).findings
    return {f.check: f for f in found if f.station == "Textures"}


@pytest.mark.parametrize(
    ("reference", "files", "check"),
    [
        ("paint.png", ["paint.png"], None),
        ("paint.png", ["Paint.PNG"], "textures.other-case"),
        ("paint.png", [], "textures.missing"),
        ("../paint.png", [], "textures.missing"),
        ("C:\\quay\\paint.png", ["paint.png"], "textures.absolute"),
        ("/home/quay/paint.png", [], "textures.absolute"),
        ("maps\\paint.png", ["maps/paint.png"], "textures.spelling"),
        ("old%20paint.png", ["old paint.png"], "textures.spelling"),
    ],
)
def test_where_references_lead(tmp_path, reference, files, check):
    """RFC 3986 §4.2, §5.2.4 and §2.1; the drive letter is common practice, no published source."""
    s = open_scene(package(tmp_path, reference, {f: png() for f in files}))[2]
    found = told(s)
    assert set(found) == ({check} if check else set())
    if check == "textures.absolute":
        assert found[check].result == ("caution" if files else "stop")
    if reference.startswith(".."):
        assert "leads out of the package" in found[check].title
    if check and files:
        after = apply_mend(s, "textures.find", {}).scene
        assert set(told(after)) == set()
        assert after.images[0].reference == files[0]
        assert after.images[0].bytes() == png()


def test_a_way_of_writing_is_told_from_another():
    assert spelling("a/b.png") == spelling("a/./b.png")
    assert (spelling("a\\b.png").backslash, spelling("a%20b.png").percent, spelling("100%.png").percent) == (True, True, False)
    assert [spelling(x).outside for x in ("../a", "a/../b", "a/../../b")] == [True, False, True]


def test_candidates_are_ranked_with_their_reason():
    files = [
        Neighbour(p, "image", "package", 1, lambda: b"")
        for p in ("deep/paint.png", "Paint.PNG", "paint.jpg", "paint_2.png", "rope.png")
    ]
    ranked = candidates("maps/paint.png", files)
    assert [(c.path, c.reason.split(",")[0], c.sure) for c in ranked] == [
        ("deep/paint.png", "same name", True),
        ("Paint.PNG", "same name in other letter case", False),
        ("paint.jpg", "same name with another ending", False),
        ("paint_2.png", "near name", False),
    ]
    twice = [Neighbour(p, "image", "package", 1, lambda: b"") for p in ("a/paint.png", "b/paint.png")]
    assert [c.sure for c in candidates("paint.png", twice)] == [False, False]
    assert candidates("b/paint.png", twice)[0] == ("b/paint.png", "same name", True)
    assert candidates("net.png", twice) == []


def test_near_names_are_told_and_never_taken(tmp_path):
    s = open_scene(package(tmp_path, "rope_coil.png", {"rope_coil_old.png": png()}))[2]
    with pytest.raises(MendError, match="may be rope_coil_old"):
        apply_mend(s, "textures.find", {})
    after = apply_mend(s, "textures.find", {"images": "rope_coil.png", "file": "rope_coil_old.png"}).scene
    assert told(after) == {}
    with pytest.raises(MendError, match="The package has no image net"):
        apply_mend(s, "textures.find", {"images": "rope_coil.png", "file": "net.png"})


def test_searched_folders_are_offered_to_the_mend(tmp_path):
    model, other = tmp_path / "model", tmp_path / "pictures"
    model.mkdir(), other.mkdir()
    package(model, "paint.png", {})
    (other / "sub").mkdir()
    (other / "sub" / "paint.png").write_bytes(png())
    s = open_to_mend(model, [str(other)])[2]
    assert set(told(s)) == {"textures.missing"}
    outcome = apply_mend(s, "textures.find", {})
    assert "from the searched folder" in outcome.remarks[0]
    assert outcome.scene.images[0].bytes() == png()
    with pytest.raises(InputError, match="no folder"):
        open_to_mend(model, [str(tmp_path / "nowhere")])


def test_a_lone_file_owns_only_what_lies_beside_it(tmp_path):
    package(tmp_path, "paint.png", {"paint.png": png(), "deep/net.png": png(), "notes.txt": b"board"})
    lone = open_scene(tmp_path / "board.obj")[2]
    assert [n.path for n in lone.beside] == ["notes.txt"]
    assert lone.beside[0].load() == b"board"
    assert {n.path for n in open_scene(tmp_path)[2].beside} == {"deep/net.png", "notes.txt"}


def test_kinds_of_pictures_against_the_sheet():
    assert told(textured(png())) == {}
    assert set(told(textured(png((48, 64))))) == {"textures.power-of-two"}
    assert set(told(textured(png(kind="JPEG")))) == {"textures.ending"}
    assert set(told(textured(png(kind="BMP"), name="paint.bmp"))) == {"textures.format"}
    assert set(told(textured(b"not a picture"))) == {"textures.unreadable"}
    assert set(told(textured(png(noise=3)[:-200]))) == {"textures.unreadable"}
    assert set(
        told(
            textured(
                png((2048, 512)),
            ),
            "creator-platform-strict",
        )
    ) == {"textures.size"}
    assert told(textured(png((48, 64))), "creator-platform-strict")["textures.power-of-two"].result == "caution"


def test_sixteen_bits_are_read_and_told():
    ramp = np.linspace(0, 65535, 64 * 64).reshape(64, 64).astype(np.uint16)
    out = io.BytesIO()
    Pillow.fromarray(ramp).save(out, "PNG")
    s = textured(out.getvalue())
    assert set(told(s)) == {"textures.depth"}
    after = apply_mend(s, "textures.convert", {"to": "png"}).scene
    assert told(after) == {}
    made = np.asarray(Pillow.open(io.BytesIO(after.images[0].bytes())).convert("L"))
    assert np.abs(made.astype(int) - (ramp >> 8)).max() <= 1


def test_images_that_show_the_same():
    one, other = png((64, 64), noise=4), png((64, 64), noise=5)
    exact = textured(one, more=[(one, "emissive", "again.png")])
    assert "is the same as" in told(exact)["textures.equal"].title
    after = apply_mend(exact, "textures.merge-equal", {}).scene
    assert len(after.images) == 1
    assert [t.image for t in after.materials[0].inputs] == [0, 0]
    assert "textures.equal" not in told(textured(one, more=[(other, "emissive", "other.png")]))
    # The same picture, smaller and in another file format.
    drawn = Pillow.fromarray(np.random.default_rng(1).integers(40, 215, (8, 8, 3)).astype(np.uint8)).resize(
        (256, 256), Pillow.Resampling.BICUBIC
    )
    files = []
    for side, kind in ((256, "PNG"), (128, "JPEG")):
        out = io.BytesIO()
        drawn.resize((side, side), Pillow.Resampling.BOX).save(out, kind, quality=95)
        files.append(picture(Image("i", "i", "i", "found", load=out.getvalue)).figures.look)
    assert twins(list(enumerate(files))) == [(1, 0)]
    with pytest.raises(MendError):
        apply_mend(textured(one), "textures.merge-equal", {})


def bumps(size=256, seed=0):
    """A height field of smooth bumps and its normal map by central differences, +Y up (glTF 2.0 §3.9.3)."""
    y, x = np.mgrid[0:size, 0:size] / size
    dice = np.random.default_rng(seed)
    h = sum(
        a * np.sin(2 * np.pi * (u * x + v * y) + w)
        for a, u, v, w in zip(
            dice.uniform(0.002, 0.006, 6), dice.integers(1, 9, 6), dice.integers(1, 9, 6), dice.uniform(0, 6, 6), strict=True
        )
    )
    down, across = np.gradient(h, 1 / size)
    n = np.stack([-across, down, np.ones_like(h)], axis=2)
    n /= np.linalg.norm(n, axis=2, keepdims=True)
    return np.dstack([np.rint((n + 1) * 127.5), np.full(h.shape, 255)]).astype(np.uint8)


@pytest.mark.parametrize("seed", range(5))
def test_green_is_told_by_integrability(seed):
    up = bumps(seed=seed)
    down = up.copy()
    down[:, :, 1] = 255 - down[:, :, 1]
    assert (normal_map(up).green, normal_map(down).green) == ("up", "down")
    assert normal_map(up).unit > 0.99
    assert normal_map(np.full((64, 64, 4), (128, 128, 255, 255), np.uint8)).flat


def test_normal_maps_and_what_is_none():
    encode = lambda p: (lambda out: (Pillow.fromarray(p[:, :, :3]).save(out, "PNG"), out.getvalue())[1])(io.BytesIO())
    up = bumps()
    down = up.copy()
    down[:, :, 1] = 255 - down[:, :, 1]
    assert told(textured(encode(up), "normal")) == {}
    assert set(told(textured(encode(down), "normal"))) == {"textures.green"}
    assert set(told(textured(encode(up), "normal"), "realtime-engine-centimetres")) == {"textures.green"}
    assert told(apply_mend(textured(encode(down), "normal"), "textures.turn-green", {}).scene) == {}
    grey = np.dstack([np.random.default_rng(1).integers(0, 255, (64, 64))] * 3 + [np.full((64, 64), 255)]).astype(np.uint8)
    assert "height map" in told(textured(encode(grey), "normal"))["textures.not-normal"].title
    assert (
        told(textured(encode(np.full((64, 64, 4), (128, 128, 255, 255), np.uint8)), "normal"))["textures.not-normal"].result
        == "note"
    )


BOARD = "mtllib board.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl oak\nf 1/1 2/2 3/3 4/4\n"


def encoded(pixels):
    out = io.BytesIO()
    Pillow.fromarray(np.ascontiguousarray(pixels[:, :, :3])).save(out, "PNG")
    return out.getvalue()


def test_a_normal_map_that_is_named_where_heights_belong(tmp_path):
    """map_Bump with directions in it, as many writers have it; the heights of a true one are left alone."""
    heights = np.dstack([np.random.default_rng(1).integers(0, 255, (64, 64))] * 3).astype(np.uint8)
    library = "newmtl oak\nKd 1 1 1\nmap_Bump {}.png\n"
    for name, pixels, wanted in (("oak_n", bumps(), True), ("oak_h", heights, False), ("oak_c", noise(), False)):
        folder = tmp_path / name
        folder.mkdir()
        s = read_files(
            folder, {"board.obj": BOARD, "board.mtl": library.format(name), f"{name}.png": encoded(pixels)}, "board.obj"
        )
        found = told(s)
        assert ("textures.bump-is-normal" in found) == wanted, name
        assert "textures.not-normal" not in found, "heights are no normal map and need not be one"
    s = read_files(tmp_path / "oak_n", {}, "board.obj")
    mended = apply_mend(s, *told(s)["textures.bump-is-normal"].mends[0])
    assert "textures.bump-is-normal" not in told(mended.scene)
    assert b"norm oak_n.png" in formats.write(mended.scene, "obj", "board")["board.mtl"]
    assert not [x for x in formats.what_is_lost(mended.scene, "glb") if "bump" in x]
    assert b"normalTexture" in formats.write(mended.scene, "gltf", "board")["board.gltf"]
    with pytest.raises(MendError, match="read as heights"):
        apply_mend(mended.scene, "textures.as-normal", {})


def noise():
    return np.random.default_rng(2).integers(0, 255, (64, 64, 3)).astype(np.uint8)


def test_one_image_for_colour_and_data():
    s = textured(png())
    inputs = (*s.materials[0].inputs, TextureInput("occlusion", ("occlusionTexture",), 0))
    both = s.with_(materials=(replace(s.materials[0], inputs=inputs),))
    assert "textures.two-uses" in told(both)


def test_resizing_keeps_shape_and_directions():
    s = textured(png((300, 200), noise=2))
    after = apply_mend(s, "textures.resize", {"pixels": 100}).scene
    assert Pillow.open(io.BytesIO(after.images[0].bytes())).size == (100, 67)
    powers = apply_mend(s, "textures.resize", {"power_of_two": True}).scene
    assert Pillow.open(io.BytesIO(powers.images[0].bytes())).size == (256, 256)
    assert s.images[0].bytes() == png((300, 200), noise=2)
    out = io.BytesIO()
    Pillow.fromarray(bumps()[:, :, :3]).save(out, "PNG")
    small = apply_mend(textured(out.getvalue(), "normal"), "textures.resize", {"pixels": 64}).scene
    n = np.asarray(Pillow.open(io.BytesIO(small.images[0].bytes()))).astype(float) / 127.5 - 1
    assert np.abs(np.linalg.norm(n, axis=2) - 1).max() < 0.02
    with pytest.raises(MendError):
        apply_mend(textured(png()), "textures.resize", {"pixels": 64})


def test_sixteen_bits_of_grey_stay_so():
    """Where Pillow's own conversion to eight bits would cut everything above 255 off."""
    depth = np.tile(np.linspace(0, 65535, 64).astype(np.uint16), (64, 1))
    out = io.BytesIO()
    Pillow.fromarray(depth).save(out, "PNG")
    s = textured(out.getvalue(), "occlusion")
    assert np.asarray(shown(Pillow.open(io.BytesIO(out.getvalue())))).mean() == pytest.approx(127, abs=1)
    small = Pillow.open(io.BytesIO(apply_mend(s, "textures.resize", {"pixels": 32}).scene.images[0].bytes()))
    assert small.mode.startswith("I")
    assert np.asarray(small).mean() == pytest.approx(depth.mean(), rel=0.01)


def test_alpha_does_not_bleed_when_shrunk():
    """Colours under what is see-through must not come out: averaged with their alpha (Porter and Duff 1984)."""
    pixels = np.zeros((64, 64, 4), np.uint8)
    pixels[:, :31] = (200, 40, 40, 255)
    pixels[:, 31:] = (0, 255, 0, 0)
    out = io.BytesIO()
    Pillow.fromarray(pixels).save(out, "PNG")
    after = apply_mend(textured(out.getvalue()), "textures.resize", {"pixels": 16}).scene
    made = np.asarray(Pillow.open(io.BytesIO(after.images[0].bytes())))
    assert made[made[:, :, 3] > 30][:, 1].max() < 60


def test_embedded_and_gathered_as_wished(tmp_path):
    s = textured(png())
    s = s.with_(images=tuple(replace(i, status="found") for i in s.images))
    inside = write(apply_mend(s, "textures.embed", {}).scene.with_(format="gltf"), "gltf", "board")
    assert set(inside) == {"board.gltf", "board.bin"}
    beside = write(apply_mend(s, "textures.gather", {}).scene, "glb", "board")
    assert set(beside) == {"board.glb", "paint.png"}
    for name, data in beside.items():
        (tmp_path / name).write_bytes(data)
    again = read(FolderPackage(tmp_path), "board.glb")
    assert (again.images[0].status, again.images[0].bytes()) == ("found", png())
    with pytest.raises(MendError, match="cannot hold them"):
        apply_mend(s.with_(format="obj"), "textures.embed", {})


def test_unused_images_are_told_and_taken_out():
    s = textured(png())
    spare = s.with_(images=(*s.images, Image("image:1", "old.png", "old.png", "found", "old.png", load=png)))
    assert told(spare)["textures.unused"].count == 1
    assert told(apply_mend(spare, "arrival.remove", {"what": "unused"}).scene) == {}


def test_neighbours_are_bounded_and_lazy(tmp_path):
    package(tmp_path, "paint.png", {"paint.png": png(), "big.json": b" " * (5 << 20), "small.json": b"{}"})
    s = with_neighbours(open_scene(tmp_path)[2], FolderPackage(tmp_path), "board.obj")
    assert [n.path for n in s.beside] == ["small.json"]


def test_alpha_that_says_nothing_and_images_like_ribbons():
    out = io.BytesIO()
    Pillow.new("RGBA", (64, 64), (90, 80, 70, 255)).save(out, "PNG")
    s = textured(out.getvalue())
    assert set(told(s)) == {"textures.idle-alpha"}
    after = apply_mend(s, "textures.convert", {}).scene
    assert told(after) == {}
    assert Pillow.open(io.BytesIO(after.images[0].bytes())).mode == "RGB"
    assert set(told(textured(png((1024, 64))))) == {"textures.aspect"}
    assert told(textured(png((512, 64)))) == {}


def test_a_damaged_image_does_not_keep_the_others_from_being_mended():
    s = textured(png((128, 128)), more=[(b"broken", "emissive", "broken.png")])
    after = apply_mend(s, "textures.resize", {"pixels": 64}).scene
    assert Pillow.open(io.BytesIO(after.images[0].bytes())).size == (64, 64)
    assert after.images[1].bytes() == b"broken"
    with pytest.raises(MendError, match="cannot be opened"):
        apply_mend(s, "textures.resize", {"pixels": 64, "images": "broken.png"})
