"""Detail kept as pictures: a normal and an occlusion map of what a reduced part was."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import NamedTuple

from ...declare.mend import Figure
from ...geometry.uv_laying import unwrapped
from ...reduction.detail import PADDING, Baked, bake, lies_free
from ...scene import Image, Mesh, Scene, TextureInput
from ...surface.names import as_file
from ...words.arrays import U8
from ...words.figures import percent, plain, turn

#: Pictures are at most so many texels a side.
MOST = 4096


class BakedPictures(NamedTuple):
    """scene: with the pictures on the part. told: figures; remark: what had to be done for them, or why there are none."""

    scene: Scene
    told: tuple[Figure, ...]
    remark: str


def with_pictures(scene: Scene, number: int, fine: Mesh, reach: float, size: int) -> BakedPictures:
    """Lay pictures of a fine mesh onto the mesh of a number, which is what became of it. reach: how far they lie apart, in their unit."""
    mesh = scene.meshes[number]
    v_down = bool(scene.v_down)
    chosen = next((k for k in range(min(len(mesh.uvs), 2)) if lies_free(mesh, k, v_down)), None)
    name = mesh.name or "a part"
    remark = ""
    if chosen is None:
        chosen, laid = len(mesh.uvs), unwrapped(mesh, None, PADDING, size)
        if laid is None:
            return BakedPictures(scene, (), f"{name} has no area that a picture could lie on.")
        mesh = replace(mesh, uvs=(*mesh.uvs, laid))
        remark = f"{name} has no UVs that lie once within the first tile: its pictures have a set of their own, set {chosen + 1}."
    made, tangents = bake(fine, mesh, chosen, v_down, size, reach)
    own = [i for i, n in enumerate(scene.nodes) if n.mesh == number]
    stem = as_file(scene.part_name(own[0]) if own else name)
    images = (_image(f"{stem}_normal", made.normal), _image(f"{stem}_occlusion", made.occlusion))
    first = len(scene.images)
    materials = list(scene.materials)
    slots = list(mesh.slot_materials) or [-1]
    shared = {slot_material for k, other in enumerate(scene.meshes) if k != number for slot_material in other.slot_materials}
    for at, slot in enumerate(slots):
        if slot < 0:
            continue
        kept = tuple(x for x in materials[slot].inputs if x.role not in ("normal", "occlusion"))
        drawn = replace(
            materials[slot],
            inputs=(
                *kept,
                TextureInput("normal", ("normalTexture",), first, chosen, scale=1.0),
                TextureInput("occlusion", ("occlusionTexture",), first + 1, chosen, scale=1.0),
            ),
        )
        if slot in shared:
            slots[at] = len(materials)
            materials.append(replace(drawn, id=f"{drawn.id}/{number}", name=f"{drawn.name} {stem}"))
        else:
            materials[slot] = drawn
    meshes = list(scene.meshes)
    meshes[number] = replace(mesh, tangents=tangents, slot_materials=tuple(slots))
    after = scene.with_(meshes=tuple(meshes), materials=tuple(materials), images=(*scene.images, *images))
    return BakedPictures(
        after, _figures(made, stem), remark if any(slot >= 0 for slot in slots) else f"{name} has no material for its pictures."
    )


def _image(name: str, pixels: U8) -> Image:
    from PIL import Image as Pillow

    out = io.BytesIO()
    Pillow.fromarray(pixels).save(out, "PNG")
    data = out.getvalue()
    return Image(f"baked:{name}", name, f"{name}.png", "embedded", media_type="image/png", load=lambda: data)


def _figures(baked: Baked, stem: str) -> tuple[Figure, ...]:
    size = len(baked.normal)
    return (
        Figure(f"{stem}_normal, {stem}_occlusion", "–", f"{size:,} × {size:,} px, {percent(baked.covered)} of it used"),
        Figure("their normals are off by, on average", "0°", turn(baked.off)),
        *((Figure("of them no detail was met on", "0 %", f"{plain(100 * baked.missed)} %"),) if baked.missed > 0.001 else ()),
    )
