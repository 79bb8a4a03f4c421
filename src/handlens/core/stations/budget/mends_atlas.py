"""Budget: slots laid into one atlas, so that what took a draw each takes one together."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...geometry.distinct import distinct_rows
from ...kit.choice import PARTS, chosen_meshes
from ...kit.slots import one_slot_each, without_images, without_materials
from ...limits import MendError, plural
from ...measures.draw_cost import draw_cost
from ...scene import Layer, Mesh, Scene
from ...scene.model import frozen
from ...surface.atlas import GRID, packed_cells
from ...surface.names import as_file
from ...words.arrays import F64, I64, Array
from ...words.figures import percent
from .going_together import Group, Piece, corners_of, groups, picture_uvs
from .messages import say
from .painting import Cells, painted

#: Tries by which the scale is found at which everything fits, each halving what is left open.
_TRIES = 7
#: Two directions square to each other along which no common surface stands edge on: what shows no picture is laid into its cell by them.
_ASLANT = np.array([[0.8255, 0.3571, -0.4372], [-0.2113, 0.9132, 0.3481]])


@mend(
    "budget.atlas",
    title="Combine slots into one atlas",
    menu=("station", "Combine slots into an atlas …"),
    keeps="how everything looks, every face and point, and pixels one for one where they fit",
    costs="names of materials and pictures, UVs of what shows no picture, bits of a colour past eight, alpha that is drawn solid; tangents stay as they are",
    safe=False,
    parameters=[
        Parameter("materials", "names", "which materials, by name with semicolons between; all where none is named", default=()),
        Parameter("padding", "number", f"pixels about each picture, rounded up to {GRID}", default=8.0),
        Parameter("pixels", "number", "longest side of the atlas that is allowed", default=4096.0, zero=False),
        PARTS,
    ],
    after=("slots.merge-equal", "textures.find", "textures.resize"),
    touches="images",
)
def atlas(
    scene: Scene, materials: Sequence[str] = (), padding: float = 8.0, pixels: float = 4096.0, parts: Sequence[str] = ()
) -> Outcome:
    """Lay the pictures of materials side by side in one, plain colours too, and move UVs along, so that their faces share a slot.

    Materials go together that are drawn alike; what repeats its pictures has them laid as often as its faces show them. Where not
    all fits, everything is scaled down alike.
    """
    most = min(int(abs(pixels)), 1 << 14)
    border = int(-(-max(padding, 0.0) // GRID) * GRID)
    meshes = chosen_meshes(scene, parts)
    found, out = groups(scene, meshes, set(materials))
    kept_out = [_reason(reason, names) for reason, names in out.items()]
    if not found:
        more = f" {' '.join(kept_out)}" if kept_out else ""
        raise MendError(say("budget.atlas.nothing-to-share", more=more))
    after, told, worst = scene, list[Figure](), 1.0
    for group in found:
        fit = _fitted(group, most, border)
        if fit is None:
            raise MendError(say("budget.atlas.too-small", materials=len(group.pieces), most=most))
        cells, share = fit
        name = _name(after, group)
        shown = painted(scene, group, cells, as_file(name))
        number = len(after.materials)
        first = len(after.images)
        material = replace(
            shown.material,
            inputs=tuple(replace(texture, image=first + (texture.image or 0)) for texture in shown.material.inputs),
        )
        after = after.with_(materials=(*after.materials, material), images=(*after.images, *shown.images))
        after = _moved(scene, after, meshes, group, cells, number)
        worst = min(worst, share)
        width, height = cells.atlas.size
        used = float(cells.sizes.prod(axis=1).sum()) / (width * height)
        told.append(Figure(name, plural(len(group.pieces), "material"), f"{width:,} × {height:,} px, {percent(used)} of it used"))
    after = _thinned(scene, after)
    before, now = draw_cost(scene), draw_cost(after)
    memory = lambda n: f"{n / 2**20:,.1f} MiB"
    figures = (
        Figure("draw calls", f"{before.draw_calls:,}", f"{now.draw_calls:,}"),
        Figure("texture memory", memory(before.texture_bytes), memory(now.texture_bytes)),
        Figure("pixels along a side of a picture", "100 %", percent(worst)),
        *told,
    )
    return Outcome(after, figures, (*kept_out, *_joining(after)))


def _reason(reason: str, names: Sequence[str]) -> str:
    more = f" and {len(names) - 3:,} more" if len(names) > 3 else ""
    return f"{', '.join(names[:3])}{more} {'stays' if len(names) == 1 else 'stay'} out: {reason}."


def _joining(scene: Scene) -> list[str]:
    """What joining parts would spare beside, now that they have one material alone."""
    alone = Counter(
        m.slot_materials[0]
        for n in scene.nodes
        if n.mesh is not None and n.skin is None
        for m in [scene.meshes[n.mesh]]
        if len(m.slot_materials) == 1 and m.slot_materials[0] >= 0 and not m.morphs
    )
    made = {k: n for k, n in alone.items() if n > 1 and scene.materials[k].id.endswith("/atlas")}
    saved = sum(made.values()) - len(made)
    return (
        [f"{plural(sum(made.values()), 'part')} show it alone: joining them would spare {plural(saved, 'draw call')} more."]
        if saved
        else []
    )


def _name(scene: Scene, group: Group) -> str:
    """A name that no material has: of the first of the group."""
    taken = {material.name for material in scene.materials}
    stem = f"{scene.materials[group.pieces[0].material].name or 'material'}_atlas"
    name, n = stem, 1
    while name in taken:
        n += 1
        name = f"{stem}_{n}"
    return name


def _fitted(group: Group, most: int, border: int) -> tuple[Cells, float] | None:
    """Where the pieces of a group lie, and by what their sides are multiplied, 1 where all fits as it is."""

    def at(share: float) -> Cells | None:
        sizes = np.array([_scaled(piece, share) for piece in group.pieces])
        found = packed_cells([(int(w), int(h)) for w, h in (sizes + 2 * border).tolist()], most)
        return None if found is None else Cells(found, sizes, border)

    whole = at(1.0)
    if whole is not None:
        return whole, 1.0
    low, high, best = 0.0, 1.0, at(0.0)
    if best is None:
        return None
    for _ in range(_TRIES):
        middle = (low + high) / 2
        one = at(middle)
        low, high, best = (middle, high, one) if one is not None else (low, middle, best)
    return best, low


def _scaled(piece: Piece, share: float) -> list[int]:
    """Sides of a piece, rounded to the grid."""
    if piece.flat:
        return [GRID, GRID]
    return [max(round(n * share / GRID), 1) * GRID for n in (piece.window[1] - piece.window[0]).tolist()]


def _moved(before: Scene, after: Scene, meshes: Sequence[int], group: Group, cells: Cells, material: int) -> Scene:
    """The scene with faces of a group's materials showing the atlas. before: with the materials as they were."""
    number = {piece.material: k for k, piece in enumerate(group.pieces)}
    made = list(after.meshes)
    for k in meshes:
        mesh = after.meshes[k]
        corners = corners_of(mesh, number)
        if not corners:
            continue
        layer = mesh.uvs[group.uv_set] if group.uv_set < len(mesh.uvs) else None
        at = np.concatenate(list(corners.values()))
        uv = np.concatenate(
            [_in_atlas(before, mesh, layer, group.pieces[number[m]], corner, cells, number[m]) for m, corner in corners.items()]
        )
        layers = list(mesh.uvs)
        layers[group.uv_set : group.uv_set + 1] = [_with(mesh, layer, at, uv)]
        slots = tuple(material if slot_material in number else slot_material for slot_material in mesh.slot_materials)
        made[k] = one_slot_each(replace(mesh, uvs=tuple(layers), slot_materials=slots))
    return after.with_(meshes=tuple(made))


def _in_atlas(scene: Scene, mesh: Mesh, layer: Layer | None, piece: Piece, corners: I64, cells: Cells, k: int) -> F64:
    """(n, 2) UVs of corners in the atlas."""
    place, size = cells.atlas.places[k] + cells.padding, cells.sizes[k]
    if piece.flat:
        used = mesh.positions[mesh.corners]
        low, extent = used.min(axis=0), float(np.ptp(used, axis=0).max()) or 1.0
        across = ((mesh.positions[mesh.corners[corners]] - low) / extent) @ _ASLANT.T
        pixels = place + size / 2 + (np.nan_to_num(across) / 2).clip(-1, 1) * (size / 2 - 1)
    else:
        assert layer is not None
        uv = picture_uvs(scene, mesh, layer, scene.materials[piece.material], corners)
        assert uv is not None
        pixels = place + (uv * piece.size - piece.window[0]) * (size / (piece.window[1] - piece.window[0]))
    out: Array = pixels / cells.atlas.size
    if not scene.v_down:
        out[:, 1] = 1 - out[:, 1]
    return out


def _with(mesh: Mesh, layer: Layer | None, corners: I64, uv: F64) -> Layer:
    """A UV set in which some corners have other values; where there was none, the other corners have none."""
    count = len(mesh.corners)
    kind = np.float32 if layer is None else layer.values.dtype
    index = np.full(count, -1, np.int64) if layer is None else layer.index.astype(np.int64)
    rest = np.ones(count, bool)
    rest[corners] = False
    kept = np.unique(index[rest & (index >= 0)])
    values = np.zeros((0, 2), kind) if layer is None else layer.values[kept]
    made = np.full(count, -1, np.int64)
    there = rest & (index >= 0)
    made[there] = np.searchsorted(kept, index[there])
    own, total = distinct_rows([uv.astype(kind)])
    new = np.zeros((total, 2), kind)
    new[own] = uv
    made[corners] = len(kept) + own
    return Layer(frozen(np.concatenate([values, new])), frozen(made.astype(np.int32)))


def _thinned(before: Scene, after: Scene) -> Scene:
    """The scene without the materials, and the images, that only what went into an atlas used."""
    used = lambda s: {slot_material for mesh in s.meshes for slot_material in mesh.slot_materials}
    gone = used(before) - used(after) - {-1}
    after = without_materials(after, gone)
    shown = lambda s: {texture.image for material in s.materials for texture in material.inputs if texture.image is not None}
    left = shown(after)
    images = {k for k in shown(before) if k not in left}
    return without_images(after, images) if images else after
