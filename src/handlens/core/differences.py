"""Two revisions of a model side by side: each part that came, went or changed, and whatever else differs, once and in plain words."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from .lengths import metres
from .measures import Measures
from .proof import Comparison, aligned, corner_shift, faces_turned, pair
from .scene import Scene
from .scene.model import Array


@dataclass(frozen=True)
class Difference:
    """One thing that differs. group: Parts or one of the proof's groups. part: node in the later scene, None where it is gone."""

    group: str
    what: str
    earlier: str
    later: str
    change: str
    part: int | None = None


def differences(earlier: Scene, later: Scene, measures: tuple[Measures, Measures] | None = None) -> list[Difference]:
    """What differs from one scene to a later one, parts first. Lengths are in metres, Y up, an unstated unit read as metres."""
    both = Comparison(earlier, later, *(measures or (None, None)))
    return [*_parts(both), *_rest(both)]


def to_json(found: list[Difference]) -> list[dict[str, Any]]:
    return [asdict(d) for d in found]


def _parts(both: Comparison) -> Iterator[Difference]:
    pairs = pair(both.a, both.b, both.parts_a, both.parts_b)
    tolerance = both.tolerance
    met_a, met_b = {i for i, _ in pairs}, {j for _, j in pairs}
    for i, surface in both.parts_a.items():
        if i not in met_a:
            yield Difference("Parts", both.a.part_name(i), _triangles(surface.corners), "", "gone")
    for j, surface in both.parts_b.items():
        if j not in met_b:
            yield Difference("Parts", both.b.part_name(j), "", _triangles(surface.corners), "new", j)
    for i, j in sorted(pairs, key=lambda p: p[1]):
        a, b = both.parts_a[i].corners, both.parts_b[j].corners
        name_a, name_b = both.a.part_name(i), both.b.part_name(j)
        if name_a != name_b:
            yield Difference("Parts", name_b, name_a, name_b, "renamed", j)
        if a.shape != b.shape:
            yield Difference("Parts", name_b, _triangles(a), _triangles(b), f"{len(b) - len(a):+,} triangles", j)
            continue
        yield from _moved(name_b, j, both, i, tolerance)


def _moved(name: str, j: int, both: Comparison, i: int, tolerance: float) -> Iterator[Difference]:
    """A part with as many triangles as before: moved as a whole, grown, reshaped or turned."""
    first, second = both.parts_a[i], both.parts_b[j]
    if not len(first.corners):
        return
    low_a, high_a = _box(first.corners)
    low_b, high_b = _box(second.corners)
    if not np.isfinite([low_a, high_a, low_b, high_b]).all():
        return
    middle_a, middle_b = (low_a + high_a) / 2, (low_b + high_b) / 2
    size_a, size_b = high_a - low_a, high_b - low_b
    step = float(np.linalg.norm(middle_b - middle_a))
    if step > tolerance:
        yield Difference("Parts", name, _triple(middle_a), _triple(middle_b), f"middle moved {metres(step)}", j)
    if float(np.abs(size_b - size_a).max()) > 2 * tolerance:
        yield Difference("Parts", name, _by(size_a), _by(size_b), _grown(size_a, size_b), j)
        return
    centred = first.moved(middle_b - middle_a)
    one, other = aligned(centred, second, tolerance * 2)
    off = corner_shift(one.corners, other.corners)[0]
    if off > 2 * tolerance:
        yield Difference(
            "Parts", name, _triangles(first.corners), _triangles(second.corners), f"corners moved up to {metres(off)}", j
        )
    turned = faces_turned(one.corners, other.corners)
    if turned:
        yield Difference("Parts", name, "0", f"{turned:,}", f"{turned:,} faces turned", j)


def _rest(both: Comparison) -> Iterator[Difference]:
    """What the proof compares of the whole, but for what the parts have said already."""
    said = {"Greatest shift of a corner", "Faces turned", "Parts with other triangles", "Part names", "Place of the middle"}
    for row in both.rows():
        if row.result != "clear" and row.what not in said:
            yield Difference(row.group, row.what, row.sent, row.read_back, row.difference)


def _box(corners: Array) -> tuple[Array, Array]:
    flat = corners.reshape(-1, 3)
    return flat.min(axis=0), flat.max(axis=0)


def _triangles(corners: Array) -> str:
    return f"{len(corners):,} triangles"


def _triple(place: Array) -> str:
    """A place in metres, each number to the fourth digit of the largest, so that rounding noise does not read as a place."""
    largest = float(np.abs(place).max())
    digits = max(0, 3 - int(np.floor(np.log10(largest)))) if largest > 0 else 0
    return ", ".join(f"{round(float(v), digits) + 0.0:.{min(digits, 9)}f}".replace("-", "−") for v in place) + " m"


def _by(size: Array) -> str:
    return " × ".join(metres(float(v)) for v in size)


def _grown(before: Array, after: Array) -> str:
    """Even growth as one factor, else the factor of each axis; an axis without extent is left out."""
    solid = before > 1e-9 * before.max() if before.max() > 0 else np.zeros(3, bool)
    factors = after[solid] / before[solid]
    if not len(factors):
        return "another size"
    if np.ptp(factors) <= 1e-4 * abs(factors[0]):
        return f"× {factors[0]:.4g}"
    return "× " + ", ".join(f"{f:.4g}" for f in factors)
