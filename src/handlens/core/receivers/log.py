"""Simulated destinations: what each does with the model it is given, line by line, as it would write into its log."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..limits import plural
from ..measures import Measures
from ..rules.sheet import Receiver


@dataclass(frozen=True)
class Entry:
    """One line of a receiver's log. result: clear (taken as it is), note (left out, harmless) or caution (looks otherwise)."""

    what: str
    says: str
    result: str


def log(measures: Measures, receiver: Receiver, influences: int | None = None) -> list[Entry]:
    """What a receiver takes, leaves out and draws otherwise than it was built. influences: joints that it lets carry one vertex."""
    return [*_entries(measures, receiver), *_skinned(measures, receiver, influences)]


def _entries(measures: Measures, receiver: Receiver) -> Iterator[Entry]:
    drawn = [measures.meshes[part.mesh] for part in measures.parts]
    yield Entry("Parts", f"{plural(len(measures.parts), 'part')} taken", "clear")
    yield _sides(measures, receiver)
    lines = sum(x.loose_edges for x in drawn)
    if lines:
        yield Entry(
            "Loose edges",
            f"{lines:,} drawn" if receiver.lines else f"{lines:,} left out",
            "clear" if receiver.lines else "caution",
        )
    bare = sum(x.unassigned_faces for x in drawn)
    if bare:
        yield Entry("Faces without material", f"{bare:,} drawn in its own material, {receiver.default_material}", "caution")
    lost = [i.reference for i in measures.images if i.status in ("missing", "absolute") and i.used_by and i.found_at is None]
    if lost:
        more = f" and {len(lost) - 1} more" if len(lost) > 1 else ""
        yield Entry("Pictures not found", f"{lost[0]}{more}: a paper tile stands in", "caution")
    yield from _transparency(measures, receiver)
    mirrored = _mirrored_parts(measures)
    if mirrored:
        turned = receiver.mirrored == "turned"
        words = "turned back as they are drawn" if turned else "drawn inside out"
        yield Entry("Mirrored parts", f"{mirrored:,} {words}", "clear" if turned else "caution")
    extra = [plural(n, w) for n, w in ((measures.cameras, "camera"), (measures.lights, "light")) if n]
    if extra:
        yield Entry("Also in the file", f"{' and '.join(extra)} not used", "note")


def _sides(measures: Measures, receiver: Receiver) -> Entry:
    both = [x.name for x in measures.materials if x.double_sided and x.used_by_faces]
    if receiver.back_faces == "shown":
        return Entry("Back faces", "drawn", "clear")
    if receiver.back_faces == "hidden":
        words = "not drawn" + (f", although {both[0] or 'a material'} asks for both sides" if both else "")
        return Entry("Back faces", words, "caution" if both else "clear")
    return Entry("Back faces", f"drawn on {plural(len(both), 'double-sided material')} alone" if both else "not drawn", "clear")


def _transparency(measures: Measures, receiver: Receiver) -> Iterator[Entry]:
    used = [x for x in measures.materials if x.used_by_faces and x.drawn in ("mask", "blend")]
    blended = sum(x.drawn == "blend" for x in used)
    if not used:
        return
    if receiver.alpha == "none":
        yield Entry("See-through materials", f"{len(used):,} drawn opaque", "caution")
    elif receiver.alpha == "mask-only" and blended:
        yield Entry("Blended materials", f"{blended:,} cut out at one half instead", "caution")
    elif blended and receiver.draw_order == "by-part":
        yield Entry("Draw order", f"{plural(blended, 'blended material')} sorted part by part", "note")


def _skinned(measures: Measures, receiver: Receiver, most: int | None) -> Iterator[Entry]:
    parts = [part for part in measures.parts if part.skinned]
    if not parts:
        return
    words = (
        "their own nodes move them beside their joints" if receiver.skinned_node == "counts" else "carried by their joints alone"
    )
    yield Entry("Skinned parts", f"{len(parts):,}: {words}", "caution" if receiver.skinned_node == "counts" else "clear")
    worst = max(measures.meshes[part.mesh].influences_max for part in parts)
    if most is not None and worst > most:
        yield Entry("Influences", f"up to {worst} on a vertex, of which the heaviest {most} are taken", "caution")


def _mirrored_parts(measures: Measures) -> int:
    """Parts that an odd number of mirrored nodes stands above."""
    sign: dict[int, int] = {}
    for n in measures.nodes:  # parents come first
        sign[n.index] = sign.get(n.parent, 1) * (-1 if n.mirrored else 1)
    return sum(sign.get(part.node, 1) < 0 for part in measures.parts)
