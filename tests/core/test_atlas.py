"""Slots laid into one atlas: what a sampler shows of every place stays, whatever wraps, shifts, tints and sizes there were."""

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image as Pillow

from handlens.core.limits import MendError
from handlens.core.measures.draw_cost import draw_cost
from handlens.core.packages import FolderPackage
from handlens.core.pipeline.writing import write_as
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Image, Layer, Material, TextureInput
from handlens.core.surface.atlas import packed_cells
from handlens.core.surface.colour import to_linear
from handlens.core.surface.uv_transform import placed
from kit.scenes import mesh, scene

PATHS = {
    "base-colour": ("pbrMetallicRoughness", "baseColorTexture"),
    "metallic-roughness": ("pbrMetallicRoughness", "metallicRoughnessTexture"),
    "normal": ("normalTexture",),
    "occlusion": ("occlusionTexture",),
    "emissive": ("emissiveTexture",),
}
REPEAT, CLAMP, MIRROR = 10497, 33071, 33648


def picture(seed, width, height, directions=False):
    random = np.random.default_rng(seed)
    pixels = random.integers(0, 256, (height, width, 3)).astype(np.uint8)
    if directions:
        n = random.normal(size=(height, width, 3)) * (0.3, 0.3, 1) + (0, 0, 2)
        pixels = np.rint((n / np.linalg.norm(n, axis=2, keepdims=True) + 1) * 127.5).astype(np.uint8)
    out = io.BytesIO()
    Pillow.fromarray(pixels).save(out, "PNG")
    data = out.getvalue()
    return Image(f"image:{seed}", f"p{seed}.png", f"p{seed}.png", "found", load=lambda: data)


def material(name, roles=(), wrap=REPEAT, transform=None, **more):
    """roles: (role, image) of each input."""
    sampler = {"wrapS": wrap, "wrapT": wrap}
    inputs = tuple(TextureInput(r, PATHS[r], k, sampler=sampler, transform=transform) for r, k in roles)
    settings = {"metallic": 1.0, "roughness": 1.0, "alpha_mode": "opaque", "double_sided": False} | more
    return Material(f"material:{name}", name, inputs=inputs, **settings)


def wall(corners, bare=False):
    """One quad a material in a row, each with UVs between two corners (u0, v0, u1, v1)."""
    points, faces, uv = [], [], []
    for k, (a, b, c, d) in enumerate(corners):
        points += [[k, 0, 0], [k + 0.9, 0, 0], [k + 0.9, 1, 0], [k, 1, 0]]
        uv += [[a, d], [c, d], [c, b], [a, b]]
        faces.append([4 * k + n for n in range(4)])
    layer = Layer(np.array(uv, np.float32), np.arange(len(uv), dtype=np.int32))
    made = mesh(points, faces, "quay_wall", uvs=() if bare else (layer,))
    return replace(made, slots=np.arange(len(faces), dtype=np.int32), slot_materials=tuple(range(len(faces))))


def sampled(s, m, role, uv, linear):
    """(n, 3) what a material shows of a role at UVs (n, 2) downwards: blended between four pixels, as glTF 2.0 §3.8.4 has samplers do."""
    t = next((t for t in m.inputs if t.role == role), None)
    if t is None:
        return np.tile([0.5, 0.5, 1.0] if role == "normal" else [1.0] * 3, (len(uv), 1))
    uv = placed(uv, t.transform, True)
    pixels = np.asarray(Pillow.open(io.BytesIO(s.images[t.image].bytes())).convert("RGB")) / 255
    pixels = to_linear(pixels) if linear else pixels
    height, width = pixels.shape[:2]
    x, y = uv[:, 0] * width - 0.5, uv[:, 1] * height - 0.5
    a, b = np.floor(x).astype(int), np.floor(y).astype(int)
    p, q = (x - a)[:, None], (y - b)[:, None]

    def at(i, n, wrap):
        if wrap == CLAMP:
            return np.clip(i, 0, n - 1)
        i = np.mod(i, 2 * n if wrap == MIRROR else n)
        return np.where(i >= n, 2 * n - 1 - i, i)

    get = lambda i, j: pixels[at(j, height, t.sampler.get("wrapT", REPEAT)), at(i, width, t.sampler.get("wrapS", REPEAT))]
    return (get(a, b) * (1 - p) + get(a + 1, b) * p) * (1 - q) + (get(a, b + 1) * (1 - p) + get(a + 1, b + 1) * p) * q


def shown(s, role, part=0):
    """(faces, n, 3) what a place on each face shows of a role, with the values of its material."""
    made, random = s.meshes[part], np.random.default_rng(5)
    out = []
    for f in range(made.face_count):
        m = s.materials[made.slot_materials[made.slots[f]]]
        # Near the corners and rims too, where a wrong padding would shine in.
        w = random.dirichlet(np.full(4, 0.3), 400)
        uv = w @ made.uvs[0].at_corners()[4 * f : 4 * f + 4].astype(float)
        value = sampled(s, m, role, uv, role in ("base-colour", "emissive"))
        if role == "base-colour":
            value = value * m.base_colour[:3]
        elif role == "emissive":
            value = value * m.emissive
        elif role == "metallic-roughness":
            value = value * [1.0, m.roughness, m.metallic]
            value[:, 0] = 0
        elif role == "occlusion":
            strength = next((t.scale for t in m.inputs if t.role == role and t.scale is not None), 1.0)
            value = 1 + strength * (value[:, :1] - 1)
        elif role == "normal":
            n = value * 2 - 1
            n[:, :2] *= next((t.scale for t in m.inputs if t.role == role and t.scale is not None), 1.0)
            value = n / np.linalg.norm(n, axis=1, keepdims=True)
        out.append(value)
    return np.array(out)


def quay():
    """Six materials: as it is, repeated from a tile far off, mirrored, clamped past its rim, shifted and scaled, and a plain colour."""
    images = [picture(1, 64, 64), picture(2, 32, 64), picture(3, 64, 32), picture(4, 64, 64), picture(5, 128, 64)]
    images += [picture(6, 32, 32, directions=True), picture(7, 64, 64), picture(8, 64, 32)]
    materials = (
        material("brick", [("base-colour", 0), ("normal", 5), ("metallic-roughness", 6)], roughness=0.5),
        material("rope", [("base-colour", 1)], base_colour=(0.5, 0.8, 1.0, 1.0)),
        material("slate", [("base-colour", 2), ("occlusion", 7)], MIRROR),
        material("sign", [("base-colour", 3), ("emissive", 3)], CLAMP, emissive=(1.0, 0.5, 0.25)),
        material("tide_mark", [("base-colour", 4)], transform={"offset": [0.25, 0.5], "scale": [0.5, 0.5]}, metallic=0.0),
        material("tar", base_colour=(0.02, 0.03, 0.02, 1.0), metallic=0.0, roughness=0.9),
    )
    strong = replace(materials[2].inputs[1], scale=0.5)
    materials = (*materials[:2], replace(materials[2], inputs=(materials[2].inputs[0], strong)), *materials[3:])
    where = [(0, 0, 1, 1), (7.25, -3, 8.5, -2.25), (-0.5, 0.25, 1.25, 1.5), (-0.2, 0.1, 1.1, 1.2), (0, 0, 1, 1), (0, 0, 1, 1)]
    return scene(wall(where), materials=materials, images=tuple(images))


@pytest.mark.parametrize("role", PATHS)
def test_every_place_shows_what_it_did(role):
    before = quay()
    after = apply_mend(before, "budget.atlas", {}).scene
    assert len(after.materials) == 1
    assert after.meshes[0].slot_materials == (0,)
    # A colour is rounded once more where it is multiplied by a value, to half of 1/255 as it is shown.
    rounded = {"base-colour": 0.009, "emissive": 0.009, "normal": 0.012}.get(role, 0.003)
    assert np.abs(shown(before, role) - shown(after, role)).max() < rounded


def test_pictures_that_are_not_multiplied_are_the_same_pixel_for_pixel_and_draws_are_spared():
    before = scene(
        wall([(0, 0, 1, 1), (0, 0.5, 1, 1)]),
        materials=(material("brick", [("base-colour", 0)]), material("rope", [("base-colour", 1)])),
        images=(picture(1, 64, 64), picture(2, 32, 64)),
    )
    made = apply_mend(before, "budget.atlas", {})
    assert np.abs(shown(before, "base-colour") - shown(made.scene, "base-colour")).max() < 1e-6
    assert (draw_cost(before).draw_calls, draw_cost(made.scene).draw_calls) == (2, 1)
    told = {f.what: (f.before, f.after) for f in made.figures}
    assert told["draw calls"] == ("2", "1")
    assert told["pixels along a side of a picture"] == ("100 %", "100 %")
    # Half of the second is never shown: 64 × 64 and 32 × 32 pixels with 8 all round lie in 128 × 128.
    assert told["brick_atlas"][1].startswith("128 × 128 px")
    assert len(made.scene.images) == 1


@pytest.mark.parametrize("name", ["glb", "obj", "usda", "dae"])
def test_what_is_written_is_proved(name, tmp_path):
    made = apply_mend(quay(), "budget.atlas", {}).scene
    written = write_as(made, name, "quay")
    for path, data in written.files.items():
        (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / path).write_bytes(data)
    assert written.proof(FolderPackage(tmp_path), f"quay.{name}").proved


def test_what_does_not_fit_is_scaled_down_and_said():
    before = scene(
        wall([(0, 0, 1, 1), (0, 0, 1, 1)]),
        materials=(material("brick", [("metallic-roughness", 0)]), material("rope", [("metallic-roughness", 1)])),
        images=(picture(1, 128, 128), picture(2, 128, 128)),
    )
    made = apply_mend(before, "budget.atlas", {"pixels": 128.0})
    told = {f.what: f.after for f in made.figures}
    # Two squares with 8 pixels all round in sides of 128 are 48 pixels wide at most.
    assert Pillow.open(io.BytesIO(made.scene.images[0].bytes())).size in ((128, 64), (64, 128))
    assert 37 <= float(told["pixels along a side of a picture"].split()[0]) < 44
    # The mean of what is shown stays although pixels go.
    means = [shown(s, "metallic-roughness").mean(axis=1) for s in (before, made.scene)]
    assert np.abs(means[0] - means[1]).max() < 0.05


@pytest.mark.parametrize(
    ("changed", "because"),
    [
        ({"alpha_mode": "blend"}, "order of parts"),
        ({"base_colour": (1.5, 1.0, 1.0, 1.0)}, "out of 0 to 1"),
        ({"inputs": (TextureInput("specular", ("specularTexture",), 1),)}, "no atlas is made for"),
        ({"inputs": (TextureInput("base-colour", PATHS["base-colour"], None),)}, "no image that can be opened"),
        ({"inputs": (TextureInput("base-colour", PATHS["base-colour"], 1, transform={"rotation": 1.0}),)}, "turned or mirrored"),
        ({"inputs": (TextureInput("base-colour", PATHS["base-colour"], 1, uv_set=1),)}, "no UVs"),
        ({"inputs": (TextureInput("base-colour", PATHS["base-colour"], 1, channel="r"),)}, "single channels"),
        ({"defined": False}, "defined nowhere"),
        *(
            ({"inputs": (TextureInput("base-colour", PATHS["base-colour"], 1, transform=t),)}, "no number, or far out")
            for t in ({"scale": "x"}, {"scale": [1]}, {"offset": [1e300, 0]}, {"scale": [float("nan"), 1]}, {"rotation": "a"})
        ),
    ],
)
def test_what_cannot_share_an_atlas_stays_out_and_is_said(changed, because):
    materials = [material(n, [("base-colour", k)]) for k, n in enumerate(("brick", "rope", "slate"))]
    materials[1] = replace(materials[1], **changed)
    before = scene(wall([(0, 0, 1, 1)] * 3), materials=tuple(materials), images=tuple(picture(k, 64, 64) for k in range(3)))
    made = apply_mend(before, "budget.atlas", {})
    assert any(r.startswith("rope stays out") and because in r for r in made.remarks), made.remarks
    assert [m.name for m in made.scene.materials] == ["rope", "brick_atlas"]


def test_what_repeats_too_often_stays_out():
    materials = tuple(material(n, [("base-colour", k)]) for k, n in enumerate(("brick", "rope")))
    before = scene(wall([(0, 0, 40, 40), (0, 0, 1, 1)]), materials=materials, images=(picture(1, 64, 64), picture(2, 64, 64)))
    with pytest.raises(MendError, match="brick stays out: its pictures are repeated too often"):
        apply_mend(before, "budget.atlas", {})


@pytest.mark.parametrize("field", ["alpha_cutoff", "double_sided", "source", "sampler", "options"])
def test_what_is_drawn_otherwise_does_not_share(field):
    other = material("rope", [("base-colour", 1)])
    if field in ("sampler", "options"):
        more = {"sampler": {**other.inputs[0].sampler, "magFilter": 9728}, "options": {"extras": {"made": "by hand"}}}
        other = replace(other, inputs=(replace(other.inputs[0], **{field: more[field]}),))
    else:
        other = replace(other, **{field: {"alpha_cutoff": 0.2, "double_sided": True, "source": {"extensions": {"a": 1}}}[field]})
    before = scene(
        wall([(0, 0, 1, 1)] * 2),
        materials=(material("brick", [("base-colour", 0)]), other),
        images=(picture(1, 64, 64), picture(2, 64, 64)),
    )
    with pytest.raises(MendError, match="brick, rope stay out: no other is drawn as it is"):
        apply_mend(before, "budget.atlas", {})


def test_parts_that_are_not_meant_keep_their_materials_and_a_part_without_uvs_gets_some():
    s = quay()
    first, bare = wall([(0, 0, 1, 1)] * 2), wall([(0, 0, 1, 1)], bare=True)
    bare = replace(bare, name="bollard", slot_materials=(5,))
    other = replace(wall([(0, 0, 1, 1)]), name="steps", slot_materials=(0,))
    before = scene(first, bare, other, materials=s.materials, images=s.images)
    after = apply_mend(before, "budget.atlas", {"parts": ["quay_wall", "bollard"]}).scene
    names = lambda k: [after.materials[m].name for m in after.meshes[k].slot_materials]
    assert (names(0), names(1), names(2)) == (["brick_atlas"], ["brick_atlas"], ["brick"])
    assert after.meshes[2].uvs[0] is other.uvs[0]
    # What shows no picture has an area in its cell, so that tangents can be made of it.
    uv = after.meshes[1].uvs[0].at_corners()
    assert np.linalg.matrix_rank(uv[1:] - uv[0]) == 2


def test_cells_never_lie_over_each_other_and_many_are_laid_soon():
    random = np.random.default_rng(3)
    sizes = [(8 * int(a), 8 * int(b)) for a, b in random.integers(1, 30, (400, 2))]
    atlas = packed_cells(sizes, 1 << 14)
    taken = np.zeros(atlas.size[::-1], bool)
    for (w, h), (x, y) in zip(sizes, atlas.places.tolist(), strict=True):
        assert not taken[y : y + h, x : x + w].any()
        taken[y : y + h, x : x + w] = True
    assert taken.sum() == sum(w * h for w, h in sizes)
