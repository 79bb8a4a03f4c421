"""What mends promise to leave as it is, compared before and after: where everything stands at rest, in every clip, and to each other."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from ..geometry.fit import fit_similarity
from ..limits import plural
from ..measures.slots import material_says
from ..scene.model import Clip, Image, Mesh, Scene
from ..scene.motion import worlds_at
from ..scene.sampled import fewer_vertices
from ..scene.skinning import posed
from ..scene.transforms import world_matrices
from ..surface.decoded import opened
from ..words.arrays import F64, I64
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
    each other at rest, whatever the size, the place and the direction of the whole. looks: how every face is painted: what its material
    says, and what its images show.

    within: (scene, params) to how far a vertex may be off, in file units. clock: (scene before, number of the clip, params) to the moments that stand for each other.
    unless: params under which nothing is promised.
    """

    rest: bool = False
    poses: bool = False
    form: bool = False
    looks: bool = False
    within: Callable[[Scene, Params], float] = lambda _scene, _params: 0.0
    clock: Callable[[Scene, int, Params], Clock] = lambda _scene, _clip, _params: Clock()
    unless: Callable[[Params], bool] = lambda _params: False


PLACES = Promise(rest=True)
POSES = Promise(rest=True, poses=True)
FORM = Promise(form=True)
LOOKS = Promise(looks=True)


class PromiseResult(NamedTuple):
    """what: what was compared, in words. off: how far at most, in file units. allowed: how far is rounding, or was asked for. counted:
    whether `off` is a count of faces and no length."""

    what: str
    off: float
    allowed: float
    counted: bool = False

    @property
    def holds(self) -> bool:
        return self.off <= self.allowed

    def sentence(self, unit: float) -> str:
        """In a sentence. unit: metres for a unit of the file."""
        return f"{self.what}: off by {self.far(unit)} at most" if self.off > 1e-9 else f"{self.what}: as before"

    def far(self, unit: float) -> str:
        """How far it is off, in words. unit: as above."""
        return plural(int(self.off), "face") if self.counted else about(self.off * unit)


def measured_promise(before: Scene, after: Scene, promise: Promise, params: Params) -> list[PromiseResult]:
    """What a promise is worth in one play. before, after: the scene without the mend and with it; params: as the mend was given them."""
    if promise.unless(params):
        return []
    if promise.looks:
        return _looks(before, after)
    few = fewer_vertices(before, _VERTICES), fewer_vertices(after, _VERTICES)
    parts = paired_parts(*few)
    # A mend that removes or adds parts says so by itself; what is compared here are those that are on both sides.
    if not parts:
        return []
    still = [_world_positions(s, [part[k] for part in parts], world_matrices(s)) for k, s in enumerate(few)]
    if any(len(a) != len(b) for a, b in zip(*still, strict=True)):
        return []
    a, b = (np.concatenate(x) for x in still)
    sound = a[np.isfinite(a).all(axis=1)]
    if not len(sound):
        return []
    allowed = promise.within(before, params) + _SHARE * float(np.ptp(sound, axis=0).max()) + _FAR * float(np.abs(sound).max())
    out = []
    if promise.rest:
        out.append(PromiseResult("where everything stands at rest", _greatest_distance(a, b), allowed))
    if promise.form:
        out.append(PromiseResult("how everything stands to each other", _greatest_distance(*_alike(a, b)), allowed))
    if promise.poses and before.clips:
        out += _poses(few, parts, promise, params, allowed)
    return out


def _looks(before: Scene, after: Scene) -> list[PromiseResult]:
    """How faces of parts that are on both sides, with as many faces, are painted."""
    alike: dict[tuple[int, int], bool] = {}
    wrong = seen = 0
    for i, j in paired_parts(before, after):
        a, b = before.nodes[i].mesh, after.nodes[j].mesh
        if a is None or b is None or before.meshes[a].face_count != after.meshes[b].face_count:
            continue
        width = len(after.materials) + 1
        both = (_painted(before.meshes[a]) + 1) * width + _painted(after.meshes[b]) + 1
        pairs, count = np.unique(both, return_counts=True)
        for pair, faces in zip(pairs.tolist(), count.tolist(), strict=True):
            was, now = pair // width - 1, pair % width - 1
            if (was, now) not in alike:
                alike[was, now] = was == now == -1 or (was >= 0 and now >= 0 and same_paint(before, was, after, now))
            wrong += 0 if alike[was, now] else faces
        seen += 1
    return [PromiseResult("how every face is painted", wrong, 0, counted=True)] if seen else []


def _painted(mesh: Mesh) -> I64:
    """(F,) the material of each face, -1 for none."""
    of = np.array([*mesh.slot_materials, -1], np.int64)
    return np.asarray(of[np.where((mesh.slots >= 0) & (mesh.slots < len(of) - 1), mesh.slots, len(of) - 1)])


#: Numbers of materials that differ by less look the same.
_SEEN = 1e-3


def same_paint(a: Scene, k: int, b: Scene, n: int) -> bool:
    """Whether two materials say the same but for their names, and their images show the same."""
    one, other = a.materials[k], b.materials[n]
    if one is other and a.images is b.images:
        return True
    # All else first: opening pictures takes longest.
    if not _near(*(material_says(x, w, lambda image: image is not None) for x, w in ((a, one), (b, other)))):
        return False
    mine, theirs = (
        [scene.images[texture.image] for texture in w.inputs if texture.image is not None] for scene, w in ((a, one), (b, other))
    )
    return all(same_picture(x, y) for x, y in zip(mine, theirs, strict=True))


def _near(a: Any, b: Any) -> bool:
    """Whether two values are the same, numbers by a thousandth, which nobody sees."""
    if isinstance(a, Mapping) and isinstance(b, Mapping):
        return a.keys() == b.keys() and all(_near(a[k], b[k]) for k in a)
    if isinstance(a, list | tuple) and isinstance(b, list | tuple):
        return len(a) == len(b) and all(map(_near, a, b))
    if isinstance(a, int | float) and isinstance(b, int | float) and not isinstance(a, bool):
        return abs(a - b) <= _SEEN or a == b
    return bool(a == b)


def same_picture(a: Image, b: Image) -> bool:
    """Whether two images hold the same bytes, or show the same pixels."""
    if a is b:
        return True
    first, second = a.bytes(), b.bytes()
    if first is None or second is None or first == second:
        return first == second
    one, other = (opened(x, pixels=True) for x in (a, b))
    if one is None or other is None or one.size != other.size:
        return False
    return bool(one.convert("RGBA").tobytes() == other.convert("RGBA").tobytes())


def _poses(
    few: tuple[Scene, Scene], parts: list[tuple[int, int]], promise: Promise, params: Params, allowed: float
) -> list[PromiseResult]:
    """Every clip that is on both sides, at moments spread evenly over what its promise covers."""
    pairs = _clips(*few)
    off, seen = 0.0, 0
    each = max(MOMENTS // max(len(pairs), 1), 2)
    for k, a, b in pairs:
        clock = promise.clock(few[0], k, params)
        stamps = [float(t) for channel in a.channels if len(channel.times) for t in (channel.times[0], channel.times[-1])]
        if not stamps or not np.isfinite(stamps).all():
            continue
        seen += 1
        low, high = max(min(stamps), clock.begin), min(max(stamps), clock.end)
        at = np.linspace(low, max(high, low), each)
        then = (at - clock.offset) * clock.factor
        nodes = [{part[side] for part in parts} | {j for x in few[side].skins for j in x.joints} for side in (0, 1)]
        worlds = [worlds_at(s, c, t, n) for s, c, t, n in zip(few, (a, b), (at, then), nodes, strict=True)]
        for moment in zip(*worlds, strict=True):
            x, y = (np.concatenate(_world_positions(few[side], [part[side] for part in parts], moment[side])) for side in (0, 1))
            off = max(off, _greatest_distance(x, y))
    # A clip whose times are no numbers plays nowhere, and nothing is said of it.
    count = f"{plural(seen, 'clip')} at {plural(each * seen, 'moment')}"
    return [PromiseResult(f"every pose of {count}", off, allowed)] if seen else []


def paired_parts(a: Scene, b: Scene) -> list[tuple[int, int]]:
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
    named = {clip.name: clip for clip in b.clips}
    return [(k, clip, named[clip.name]) for k, clip in enumerate(a.clips) if clip.name in named]


def _world_positions(scene: Scene, nodes: Sequence[int], world: F64) -> list[F64]:
    """(V, 3) world positions of each node's mesh."""
    return [posed(scene, i, world) for i in nodes]


def _greatest_distance(a: F64, b: F64) -> float:
    """How far two lists of points (n, 3) are apart at most; what is no number on both sides is the same, on one alone endlessly far."""
    with np.errstate(all="ignore"):
        off = np.abs(a - b)
        off[(a == b) | ~(np.isfinite(a) | np.isfinite(b))] = 0.0
        return float(np.nan_to_num(np.sqrt((off**2).sum(axis=1)), nan=np.inf, posinf=np.inf).max(initial=0.0))


def _alike(a: F64, b: F64) -> tuple[F64, F64]:
    """Two lists of points with the similarity between them taken out; as they are where none can be fitted."""
    use = np.isfinite(a).all(axis=1)
    if not np.array_equal(use, np.isfinite(b).all(axis=1)):
        return a, b
    a, b = a[use], b[use]
    if len(a) < 2:
        return a, a
    fit = fit_similarity(a, b)
    from_middle, from_other = a - a.mean(axis=0), b - b.mean(axis=0)
    # Both as large as before, so that what is off counts as it did there.
    return (from_middle, from_other) if fit is None else (from_middle, from_other @ fit.turn / fit.scale)
