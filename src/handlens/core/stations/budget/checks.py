"""Budget: what it costs to draw, once and as often as planned."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from ...declare.check import BY_ITSELF, OFTEN, Finding, Skipped, check, node_key, nodes, value
from ...measures import Measures
from ...measures.drawing import draw_calls, texture_bytes, texture_memory, triangles
from ...measures.records import PartFigures
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from .measures import OWN
from .messages import say

Found = Iterator[Finding | Skipped]


@check(
    "budget.triangles-mesh",
    title="Too many triangles in a mesh",
    result="caution",
    held_to=("limits.triangles_mesh",),
    explains={"slow": BY_ITSELF, "refused": BY_ITSELF},
)
def triangles_mesh(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Meshes with more triangles than the destination takes.

    Why: an upload gate refuses the mesh; elsewhere it eats the frame.
    Measured: triangles after triangulation, a polygon of n corners counting n - 2.
    Source: common practice, no published source.
    """
    limit = sheet.limits.triangles_mesh
    if limit is None:
        yield Skipped(say("budget.no-limit", sheet=sheet.name))
        return
    for part in _first_parts(measures):
        count = measures.meshes[part.mesh].triangles
        if count > limit:
            yield Finding(
                say("budget.triangles-mesh", part=part.name, triangles=count),
                value(count, "triangles"),
                value(limit, "triangles"),
                count,
                part.name,
                part.node,
                nodes([part.node]),
                _fewer(measures, part, count, limit),
                key=node_key(measures, part.node),
            )


def _fewer(measures: Measures, part: PartFigures, count: int, limit: int) -> tuple[Call, ...]:
    """What brings a part below a limit: first what costs nothing, where that is enough."""
    key = node_key(measures, part.node)
    own = OWN.of(measures)
    freed = next((mesh.freed for mesh in own.meshes if mesh.mesh == part.mesh), 0) if own else 0
    free = (Call("budget.merge-flat", {"parts": [key]}),) if count - freed <= limit else ()
    return (*free, Call("budget.reduce", {"triangles": limit, "parts": [key]}))


@check(
    "budget.triangles-total",
    title="Too many triangles in all",
    result="caution",
    held_to=("limits.triangles_total",),
    explains={"slow": BY_ITSELF, "refused": BY_ITSELF},
)
def triangles_total(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The whole model, every instance counted, has more triangles than the destination takes.

    Why: the frame rate falls with each one that is in view.
    Measured: triangles over all instances.
    Source: common practice, no published source.
    """
    limit = sheet.limits.triangles_total
    if limit is None:
        yield Skipped(say("budget.no-limit", sheet=sheet.name))
    elif (count := triangles(measures)) > limit:
        yield Finding(
            say("budget.triangles-total", triangles=count),
            value(count, "triangles"),
            value(limit, "triangles"),
            count,
            mends=(Call("budget.reduce", {"triangles": limit}),),
        )


@check(
    "budget.vertices-mesh",
    title="Too many GPU vertices",
    result="caution",
    held_to=("limits.vertices_mesh",),
    explains={"slow": BY_ITSELF, "refused": OFTEN},
)
def vertices_mesh(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Meshes with more vertices than the destination takes, counted as the graphics card gets them.

    Why: seams and hard edges split vertices, so the card gets more than the modelling package shows; past 65,535 a 16-bit index no longer reaches.
    Measured: distinct combinations of position, normal, UVs, colour and weights.
    Source: 16-bit indices reach 65,535 (glTF 2.0 §3.7.2.1 names the largest value of each index type); other limits common practice, no published source.
    """
    limit = sheet.limits.vertices_mesh
    if limit is None:
        yield Skipped(say("budget.no-limit", sheet=sheet.name))
        return
    for part in _first_parts(measures):
        count = measures.meshes[part.mesh].gpu_vertices
        if count > limit:
            yield Finding(
                say("budget.vertices-mesh", part=part.name, vertices=count),
                value(count, "vertices"),
                value(limit, "vertices"),
                count,
                part.name,
                part.node,
                nodes([part.node]),
                key=node_key(measures, part.node),
            )


@check(
    "budget.draw-calls",
    title="Too many draw calls",
    result="caution",
    held_to=("limits.draw_calls",),
    explains={"slow": BY_ITSELF, "refused": OFTEN},
)
def draw_call_count(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts times the slots each of them uses.

    Why: each is a separate order to the graphics card; many small ones cost more than many triangles.
    Measured: slots with faces, summed over all instances.
    Source: common practice, no published source.
    """
    limit = sheet.limits.draw_calls
    if limit is None:
        yield Skipped(say("budget.no-limit", sheet=sheet.name))
    elif (count := draw_calls(measures)) > limit:
        slots = by_slot(measures)
        mends = tuple(
            Call("surface.join", {"parts": [node_key(measures, p.node) for p in slot.alone]}) for slot in slots[:2] if slot.saved
        )
        if sum(slot.material >= 0 for slot in slots) > 1:
            mends = (*mends, Call("budget.atlas", {"pixels": sheet.limits.texture_pixels} if sheet.limits.texture_pixels else {}))
        yield Finding(say("budget.draw-calls", calls=count), value(count, "count"), value(limit, "count"), count, mends=mends)


class SlotDraws(NamedTuple):
    """A material as it is drawn. calls: draws of it over all parts; faces: that have it; alone: parts that hold still and have no other
    material, which joining would make one; saved: draws that this spares."""

    material: int
    name: str
    calls: int
    faces: int
    alone: list[PartFigures]

    @property
    def saved(self) -> int:
        return max(len(self.alone) - 1, 0)


def by_slot(measures: Measures) -> list[SlotDraws]:
    """Every material that is drawn, the one first of which joining would spare most."""
    calls, faces = Counter[int](), Counter[int]()
    alone: dict[int, list[PartFigures]] = {}
    for part in measures.parts:
        mesh = measures.meshes[part.mesh]
        used = [(k, n) for k, n in zip(mesh.slot_materials, mesh.slot_faces, strict=False) if n]
        for k, n in used:
            calls[k] += 1
            faces[k] += n
        if len(used) == 1 and not part.skinned and not mesh.morphs:
            alone.setdefault(used[0][0], []).append(part)
    name = lambda k: measures.materials[k].name if 0 <= k < len(measures.materials) else "no material"
    found = [SlotDraws(k, name(k), n, faces[k], alone.get(k, [])) for k, n in calls.items()]
    return sorted(found, key=lambda s: (-s.saved, -s.calls, s.material))


@check(
    "budget.texture-memory",
    title="Textures take too much memory",
    result="caution",
    held_to=("limits.texture_memory_bytes",),
    explains={"slow": BY_ITSELF, "refused": OFTEN},
)
def texture_memory_used(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Memory of all images that materials use, unpacked, with mips.

    Why: a small file unpacks to its pixels; past the limit the destination shrinks or drops textures.
    Measured: width × height × 4 bytes × 4/3 for each image, from its header.
    Source: a full mip chain adds a third (geometric series of quarters); four bytes a pixel is common practice, no published source.
    """
    limit = sheet.limits.texture_memory_bytes
    if limit is None:
        yield Skipped(say("budget.no-limit", sheet=sheet.name))
    elif (count := texture_memory(measures)) > limit:
        big = max(measures.images, key=texture_bytes)
        yield Finding(
            say("budget.texture-memory", mebibytes=count / 2**20, image=big.reference, largest=texture_bytes(big) / 2**20),
            value(count, "bytes"),
            value(limit, "bytes"),
            len([i for i in measures.images if texture_bytes(i)]),
        )


def triangles_of_copies(measures: Measures, intent: Intent) -> int:
    """Triangles of the planned scene: of each part as often as the intent says of it, else of the whole."""
    return sum(
        measures.meshes[part.mesh].triangles * (intent.of_part(part.name).copies or intent.copies) for part in measures.parts
    )


@check(
    "budget.copies",
    title="Too much for the planned copies",
    result="caution",
    held_to=("limits.scene_triangles",),
    explains={"slow": BY_ITSELF},
)
def copies(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Triangles times the copies that the scene is planned to hold.

    Why: what is cheap once is expensive two hundred times.
    Measured: triangles over all instances × copies from the intent.
    Source: common practice, no published source.
    """
    limit = sheet.limits.scene_triangles
    several = intent.copies > 1 or any(part.copies is not None for part in intent.parts.values())
    if limit is None or not several:
        yield Skipped(say("budget.copies.none-planned") if limit is not None else say("budget.no-limit", sheet=sheet.name))
    elif (count := triangles_of_copies(measures, intent)) > limit:
        words = f"{intent.copies:,} copies" if intent.copies > 1 else "The planned copies"
        # Where parts have copies of their own, one count for all of them would not say which is to give way.
        same = all(part.copies is None for part in intent.parts.values())
        mends = (Call("budget.reduce", {"triangles": limit // intent.copies}),) if same and limit >= 8 * intent.copies else ()
        yield Finding(
            say("budget.copies", copies=words, triangles=count),
            value(count, "triangles"),
            value(limit, "triangles"),
            count,
            mends=mends,
        )


def _first_parts(measures: Measures) -> Iterator[PartFigures]:
    """One part for each mesh: a mesh that stands ten times is reported once."""
    seen: set[int] = set()
    for part in measures.parts:
        if part.mesh not in seen:
            seen.add(part.mesh)
            yield part
