"""Two revisions of a model side by side: each part that came, went or changed, and whatever else differs, once and in plain words."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass

import numpy as np

from ..formats.conform import alike_frame
from ..formats.table import BY_NAME
from ..scene import Scene
from ..scene.axes import to_y_up
from ..scene.skinning import world_positions
from ..scene.transforms import world_matrices
from ..words.arrays import F64, I64
from ..words.json_tree import Json
from ..words.lengths import metres
from . import Compared, aspects
from .compared import Part

#: Rows of the proof that the parts have said already.
_SAID = {
    "Places of corners",
    "Winding",
    "Names",
    "Height",
    "Width",
    "Depth",
    "Place of the middle",
    "Faces",
    "Nodes",
    "Parts",
    "Something to draw",
}


@dataclass(frozen=True)
class Difference:
    """One thing that differs. group: Parts or one of the proof's groups. part: node in the later scene, None where it is gone.

    faces: which of the later part's, none for the whole; at most as many as a page can mark.
    """

    group: str
    what: str
    earlier: str
    later: str
    change: str
    part: int | None = None
    faces: tuple[int, ...] = ()


#: Faces of one difference that are named one by one.
_MOST_FACES = 20_000


def differences(earlier: Scene, later: Scene) -> list[Difference]:
    """What differs from one scene to a later one, parts first. Lengths are in metres, Y up, an unstated unit read as metres."""
    single = BY_NAME[earlier.format].single or BY_NAME[later.format].single
    found = _Differences(Compared(alike_frame(earlier, later), later, single))
    with np.errstate(all="ignore"):
        return [*_stated(earlier, later), *found.parts(), *found.rest()]


def to_json(found: list[Difference]) -> list[Json]:
    """Differences as the web and the command line send them."""
    return [asdict(d) for d in found]


def _stated(earlier: Scene, later: Scene) -> Iterator[Difference]:
    """Unit and axis as each file states them; what they do to lengths is taken off before anything else is compared."""
    for what, of in (
        ("Unit", lambda s: "not stated" if s.unit_metres is None else f"{s.unit_metres:g} m"),
        ("Up axis", lambda s: s.up_axis or "not stated"),
    ):
        if of(earlier) != of(later):
            yield Difference("Size", what, of(earlier), of(later), "converted")


class _Differences:
    def __init__(self, both: Compared) -> None:
        self.both = both
        unit = both.b.unit_metres or both.a.unit_metres or 1.0
        root = np.eye(4)
        root[:3, :3] = to_y_up(both.b.up_axis) * unit
        self.world_a, self.world_b = root @ world_matrices(both.a), root @ world_matrices(both.b)
        self.unit = unit

    def parts(self) -> Iterator[Difference]:
        a, b, nodes = self.both.a, self.both.b, self.both.nodes
        drawn = lambda s, i: (m := s.nodes[i].mesh) is not None and bool(s.meshes[m].face_count)
        met = {j: i for i, j in nodes.items() if drawn(a, i) and drawn(b, j)}
        for i in range(len(a.nodes)):
            if drawn(a, i) and i not in met.values():
                yield Difference("Parts", a.part_name(i), _triangles(a, i), "", "gone")
        for j in range(len(b.nodes)):
            if drawn(b, j) and j not in met:
                yield Difference("Parts", b.part_name(j), "", _triangles(b, j), "new", j)
        by_node = {pair: part for part in self.both.parts for pair in part.nodes}
        for j in sorted(met):
            i = met[j]
            if a.part_name(i) != b.part_name(j):
                yield Difference("Parts", b.part_name(j), a.part_name(i), b.part_name(j), "renamed", j)
            yield from self.part(i, j, by_node[i, j])

    def part(self, i: int, j: int, part: Part) -> Iterator[Difference]:
        """A part that has others faces than before, was moved as a whole, grown, reshaped or turned."""
        both = self.both
        name = both.b.part_name(j)
        a, b = both.a.meshes[part.sent], both.b.meshes[part.read_back]
        faces = both.faces[part.sent, part.read_back]
        if len(faces.gone) or len(faces.new):
            change = b.triangle_count - a.triangle_count
            words = f"{change:+,} triangles" if change else f"{len(faces.gone):,} faces gone, {len(faces.new):,} new"
            yield Difference("Parts", name, _triangles(both.a, i), _triangles(both.b, j), words, j, _few(faces.new))
            return
        pa, pb = world_positions(both.a, i, self.world_a), world_positions(both.b, j, self.world_b)
        box_a, box_b = _box(pa[a.corners]), _box(pb[b.corners])
        if not len(a.corners) or not np.isfinite([box_a, box_b]).all():
            return
        middle_a, middle_b, size_a, size_b = box_a.mean(axis=0), box_b.mean(axis=0), np.ptp(box_a, axis=0), np.ptp(box_b, axis=0)
        tolerance = 16 * both.step * max(float(np.abs([box_a, box_b]).max()), 1e-12)
        step = float(np.linalg.norm(middle_b - middle_a))
        if step > tolerance:
            yield Difference("Parts", name, _triple(middle_a), _triple(middle_b), f"middle moved {metres(step)}", j)
        if float(np.abs(size_b - size_a).max()) > tolerance:
            yield Difference("Parts", name, _by(size_a), _by(size_b), _grown(size_a, size_b), j)
            return
        met = faces.corner >= 0
        off = np.linalg.norm((pb[b.corners[faces.corner[met]]] - middle_b) - (pa[a.corners[met]] - middle_a), axis=1)
        if float(off.max(initial=0)) > 2 * tolerance:
            far = np.unique(np.searchsorted(a.starts, np.flatnonzero(met)[off > 2 * tolerance], side="right") - 1)
            yield Difference(
                "Parts",
                name,
                _triangles(both.a, i),
                _triangles(both.b, j),
                f"corners moved up to {metres(float(off.max()))}",
                j,
                _few(faces.face[far]),
            )
        if len(faces.turned):
            turned = faces.face[faces.turned]
            yield Difference("Parts", name, "0", f"{len(turned):,}", f"{len(turned):,} faces turned", j, _few(turned))

    def rest(self) -> Iterator[Difference]:
        """What the proof compares of the whole, but for what the parts have said already."""
        for row in aspects(self.both):
            if row.result == "stop" and row.what not in _SAID:
                place = row.places[0] if row.places else None
                change = f"{row.difference}; {row.where}" if row.where else row.difference
                marked = _few(place.faces) if place is not None and not place.gone else ()
                yield Difference(row.group, row.what, row.sent, row.read_back, change, place.read_back if place else None, marked)


def _few(faces: I64) -> tuple[int, ...]:
    return tuple(faces[:_MOST_FACES].tolist())


def _box(corners: F64) -> F64:
    """(2, 3) lowest and highest corner."""
    return np.stack([corners.min(axis=0), corners.max(axis=0)]) if len(corners) else np.full((2, 3), np.nan)


def _triangles(scene: Scene, node: int) -> str:
    return f"{scene.meshes[scene.nodes[node].mesh or 0].triangle_count:,} triangles"


def _triple(place: F64) -> str:
    """A place in metres, each number to the third digit of the largest, so that rounding noise does not read as a place."""
    largest = float(np.abs(place).max())
    digits = max(0, 2 - int(np.floor(np.log10(largest)))) if largest > 0 else 0
    return ", ".join(f"{round(float(v), digits) + 0.0:.{min(digits, 9)}f}".replace("-", "−") for v in place) + " m"


def _by(size: F64) -> str:
    return " × ".join(metres(float(v)) for v in size)


def _grown(before: F64, after: F64) -> str:
    """Even growth as one factor, else the factor of each axis; an axis without extent is left out."""
    solid = before > 1e-9 * before.max() if before.max() > 0 else np.zeros(3, bool)
    factors = after[solid] / before[solid]
    if not len(factors):
        return "another size"
    if np.ptp(factors) <= 1e-4 * abs(factors[0]):
        return f"× {factors[0]:.3g}"
    return "× " + ", ".join(f"{factor:.3g}" for factor in factors)
