"""What mends promise to leave as it is, compared before and after: where everything stands at rest, in every clip, and to each other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from ..limits import plural
from ..scene.model import Array, Clip, Scene
from ..scene.motion import worlds_at
from ..scene.sampled import fewer_vertices
from ..scene.skinning import posed
from ..scene.transforms import world_matrices
from ..words.calls import Params
from ..words.figures import about

#: Vertices and moments that are looked at, over all clips together.
_VERTICES, MOMENTS = 2_000, 200
#: What a move through 32-bit numbers leaves, as a share of the model's size and of its farthest coordinate.
_SHARE, _FAR = 2e-5, 1e-6


class Clock(NamedTuple):
    """Which moments of a clip stand for each other. begin, end: seconds of the clip before. factor and offset: t' = (t - offset) · factor."""

    begin: float = -np.inf
    end: float = np.inf
    offset: float = 0.0
    factor: float = 1.0


@dataclass(frozen=True)
class Promise:
    """What a mend keeps. rest, poses: where every vertex stands in the world, at rest and in each clip. form: how everything stands to
    each other at rest, whatever the size, the place and the direction of the whole.

    within: (scene, params) to how far a vertex may be off, in file units. clock: (scene before, number of the clip, params) to the moments that stand for each other.
    unless: params under which nothing is promised.
    """

    rest: bool = False
    poses: bool = False
    form: bool = False
    within: Callable[[Scene, Params], float] = lambda _scene, _params: 0.0
    clock: Callable[[Scene, int, Params], Clock] = lambda _scene, _clip, _params: Clock()
    unless: Callable[[Params], bool] = lambda _params: False


PLACES = Promise(rest=True)
POSES = Promise(rest=True, poses=True)
FORM = Promise(form=True)


class Kept(NamedTuple):
    """what: what was compared, in words. off: how far at most, in file units. allowed: how far is rounding, or was asked for."""

    what: str
    off: float
    allowed: float

    @property
    def held(self) -> bool:
        return self.off <= self.allowed

    def said(self, unit: float) -> str:
        """In a sentence. unit: metres for a unit of the file."""
        far = about(self.off * unit) if self.off > 0 else "0 mm"
        return f"{self.what}: off by {far} at most" if self.off > 1e-9 else f"{self.what}: as before"


def promises_kept(before: Scene, after: Scene, promise: Promise, params: Params) -> list[Kept]:
    """What a promise is worth in one play. before, after: the scene without the mend and with it; params: as the mend was given them."""
    if promise.unless(params):
        return []
    few = fewer_vertices(before, _VERTICES), fewer_vertices(after, _VERTICES)
    parts = _paired(*few)
    # A mend that removes or adds parts says so by itself; what is compared here are those that are on both sides.
    if not parts:
        return []
    still = [_standing(s, [p[k] for p in parts], world_matrices(s)) for k, s in enumerate(few)]
    if any(len(a) != len(b) for a, b in zip(*still, strict=True)):
        return []
    a, b = (np.concatenate(x) for x in still)
    sound = a[np.isfinite(a).all(axis=1)]
    if not len(sound):
        return []
    allowed = promise.within(before, params) + _SHARE * float(np.ptp(sound, axis=0).max()) + _FAR * float(np.abs(sound).max())
    out = []
    if promise.rest:
        out.append(Kept("where everything stands at rest", _apart(a, b), allowed))
    if promise.form:
        out.append(Kept("how everything stands to each other", _apart(*_alike(a, b)), allowed))
    if promise.poses and before.clips:
        out += _poses(few, parts, promise, params, allowed)
    return out


def _poses(
    few: tuple[Scene, Scene], parts: list[tuple[int, int]], promise: Promise, params: Params, allowed: float
) -> list[Kept]:
    """Every clip that is on both sides, at moments spread evenly over what its promise covers."""
    pairs = _clips(*few)
    off = 0.0
    each = max(MOMENTS // max(len(pairs), 1), 2)
    for k, a, b in pairs:
        clock = promise.clock(few[0], k, params)
        stamps = [float(t) for c in a.channels if len(c.times) for t in (c.times[0], c.times[-1])]
        if not stamps or not np.isfinite(stamps).all():
            continue
        low, high = max(min(stamps), clock.begin), min(max(stamps), clock.end)
        at = np.linspace(low, max(high, low), each)
        then = (at - clock.offset) * clock.factor
        nodes = [{p[side] for p in parts} | {j for x in few[side].skins for j in x.joints} for side in (0, 1)]
        worlds = [worlds_at(s, c, t, n) for s, c, t, n in zip(few, (a, b), (at, then), nodes, strict=True)]
        for moment in zip(*worlds, strict=True):
            x, y = (np.concatenate(_standing(few[side], [p[side] for p in parts], moment[side])) for side in (0, 1))
            off = max(off, _apart(x, y))
    count = f"{plural(len(pairs), 'clip')} at {plural(each * len(pairs), 'moment')}"
    return [Kept(f"every pose of {count}", off, allowed)] if pairs else []


def _paired(a: Scene, b: Scene) -> list[tuple[int, int]]:
    """Drawn nodes that are on both sides: by their number where the trees are as long, by their own name where it is the only one."""
    mine, theirs = _drawn(a), _drawn(b)
    if len(a.nodes) == len(b.nodes) and mine == theirs:
        return [(i, i) for i in mine]
    named = [_alone(s, nodes) for s, nodes in ((a, mine), (b, theirs))]
    return [(named[0][n], named[1][n]) for n in named[0] if n in named[1]]


def _drawn(scene: Scene) -> list[int]:
    return [i for i, n in enumerate(scene.nodes) if n.mesh is not None]


def _alone(scene: Scene, nodes: Sequence[int]) -> dict[str, int]:
    names: dict[str, int] = {}
    twice: set[str] = set()
    for i in nodes:
        name = scene.nodes[i].name
        twice |= {name} & names.keys()
        names[name] = i
    return {n: i for n, i in names.items() if n and n not in twice}


def _clips(a: Scene, b: Scene) -> list[tuple[int, Clip, Clip]]:
    """Clips that are on both sides, with the number before: by number where there are as many, by name else."""
    if len(a.clips) == len(b.clips):
        return [(k, x, y) for k, (x, y) in enumerate(zip(a.clips, b.clips, strict=True))]
    named = {c.name: c for c in b.clips}
    return [(k, c, named[c.name]) for k, c in enumerate(a.clips) if c.name in named]


def _standing(scene: Scene, nodes: Sequence[int], world: Array) -> list[Array]:
    """(V, 3) world positions of each node's mesh."""
    return [posed(scene, i, world) for i in nodes]


def _apart(a: Array, b: Array) -> float:
    """How far two lists of points (n, 3) are apart at most; what is no number on both sides is the same."""
    with np.errstate(all="ignore"):
        off = np.abs(a - b)
        off[(a == b) | ~(np.isfinite(a) & np.isfinite(b))] = 0.0
        return float(np.sqrt((off**2).sum(axis=1)).max(initial=0.0))


def _alike(a: Array, b: Array) -> tuple[Array, Array]:
    """Two lists of points with the similarity between them taken out, which is fitted (Umeyama 1991, IEEE PAMI 13(4), eq. 40 to 42)."""
    use = np.isfinite(a).all(axis=1) & np.isfinite(b).all(axis=1)
    a, b = a[use], b[use]
    if len(a) < 2:
        return a, a
    p, q = a - a.mean(axis=0), b - b.mean(axis=0)
    sizes = [float(np.abs(x).max()) for x in (p, q)]
    if not all(0 < x < np.inf for x in sizes):
        return p, q
    # Of size one first: squares of what a file may hold are no numbers any more.
    p, q = p / sizes[0], q / sizes[1]
    u, d, v = np.linalg.svd(q.T @ p)
    signs = np.array([1.0, 1.0, np.sign(np.linalg.det(u) * np.linalg.det(v)) or 1.0])
    turn = u * signs @ v
    scale = float((d * signs).sum()) / float((p**2).sum())
    # Both as large as before, so that what is off counts as it did there.
    return p * sizes[0], (q @ turn) / (scale or 1.0) * sizes[0]
