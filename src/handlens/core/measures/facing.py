"""Which way faces look, and which way they ought to: decided by what can be seen, patch by patch, never by taking a mesh for closed.

After Takayama et al., "A simple method for correcting facet orientations in polygon meshes based on ray casting" (JCGT 2014):
rays leave area-weighted samples of each patch on both sides; the side from which more of them get out of the model is its
outside. A closed patch is told by its signed volume instead. Where both sides are seen alike, stored normals decide, and
where there are none, the winding of the greater part of the patch.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache

import numpy as np

from ..geometry.patches import Patches, volumes_and_area
from ..geometry.rays import OFFSET, RayScene, hemisphere_directions, sequence, sphere_directions
from ..geometry.sums import sums_by
from ..geometry.topology import squared
from ..geometry.triangles import cross, triangulate
from ..machine.blocks import each_block
from ..machine.forked import by_two
from ..scene import Mesh, Scene
from ..scene.generated import BESIDE, ROLE, property_text
from ..scene.skinning import joint_matrices, rest_world_positions
from ..scene.transforms import walk, world_matrices
from ..words.arrays import F64, I32, I64, Array, Bool

#: Samples over the whole model, and the fewest and most that one patch gets.
SAMPLES, FEWEST, MOST = 12_000, 8, 2_000
#: The fewest of all: three times four rays that all get out of one side are more than chance.
LEAST = 3
#: Rays from each side of a sample, and viewpoints inside the model that each sample is tried against.
RAYS, VIEWS = 4, 6
#: Triangles over all instances up to which rays are cast.
TRIANGLES_UP_TO = 6_000_000
#: Parts that are judged one by one.
PARTS_UP_TO = 20_000
#: A side wins where it is seen this many times more often than the other, and by more than chance (standard deviations).
_RATIO, _CHANCE = 1.5, 3.0
#: Share of the rays from a side that must get out for that side to count as seen at all.
_SEEN = 0.004
#: A ray goes down where it falls by more than this share of its way: who looks along it backwards stands below.
_DOWN = -0.02
#: Faces turned away that are looked from, and looks from each.
_TURNED, _LOOKS = 400, 32
#: Parts from which on half of them are judged in a copy of this process.
_MANY = 64


@dataclass(frozen=True, eq=False)
class Placed:
    """One mesh instance, flattened. points: (V, 3) world. triangles: (T, 3) vertices; face: (T,) polygon of each."""

    node: int
    mesh: Mesh
    patches: Patches
    mirrored: bool
    points: F64
    triangles: I32
    face: I32


@dataclass
class Side:
    """What one way of looking says of a part: faces to be turned, and how sure that is.

    turned: (n,) int32 faces whose front looks away. judged, undecided, hidden: areas in the world. wrong: area of `turned`.
    confidence: area-weighted, of those judged, 0.5 (a guess) to 1. met: share of the part that is of faces to be
    turned and can be seen. floors: (n,) int32 of them, those that only look wrong from below, where nobody stands below a floor.
    """

    turned: I32 = field(default_factory=lambda: np.zeros(0, np.int32))
    judged: float = 0.0
    undecided: float = 0.0
    hidden: float = 0.0
    wrong: float = 0.0
    confidence: float = 1.0
    met: float = 0.0
    floors: I32 = field(default_factory=lambda: np.zeros(0, np.int32))


@dataclass
class Facing:
    """One part. outside: looked at from all round; inside: looked at from within. both: (n,) int32 faces seen from both sides.

    hidden: (n,) int32 faces that nobody can see from outside. rays: how many were cast; sampled: share of the area whose
    patches got samples.
    """

    node: int
    outside: Side
    inside: Side
    both: I32
    hidden: I32
    rays: int = 0
    sampled: float = 1.0


def placed_parts(scene: Scene, patches: dict[int, Patches]) -> list[Placed]:
    """Every mesh instance of the default scene with its world positions; `patches` by mesh number. What stands beside a part for a
    purpose, a stand-in or a coarser level, hides nothing of it and is left out."""
    world = world_matrices(scene)
    cut: dict[int, tuple[Array, Array]] = {}
    out = []
    for i in walk(scene):
        k = scene.nodes[i].mesh
        if k is None or not scene.meshes[k].face_count or property_text(scene.nodes[i], ROLE) in BESIDE:
            continue
        mesh = scene.meshes[k]
        if k not in cut:
            corners, face = triangulate(mesh)
            cut[k] = mesh.corners[corners], face
        with np.errstate(all="ignore"):
            mirrored = bool(np.linalg.det(part_frame(scene, i, world)[:3, :3]) < 0)
        out.append(Placed(i, mesh, patches[k], mirrored, rest_world_positions(scene, i, world), *cut[k]))
    return out


def part_frame(scene: Scene, node: int, world: F64) -> F64:
    """(4, 4) matrix by which a part's surface comes into the world: its node's, or of a skinned one its first joint's."""
    n = scene.nodes[node]
    stands: F64 = world[node]
    if n.skin is None or not scene.skins[n.skin].joints:
        return stands
    carried: F64 = joint_matrices(scene.skins[n.skin], world)[0]
    return carried


def ray_scene(parts: list[Placed]) -> RayScene:
    """All triangles of all parts, part after part."""
    base = np.cumsum([0, *(len(part.points) for part in parts)])
    points = np.concatenate([part.points for part in parts]) if parts else np.zeros((0, 3))
    triangles = [part.triangles + b if b else part.triangles for part, b in zip(parts, base, strict=False)]
    return RayScene(points, np.concatenate(triangles) if triangles else np.zeros((0, 3), np.int32))


def plainly_outward(parts: list[Placed]) -> float | None:
    """The area of a model that is one closed piece wound outwards all over, of which no ray can say anything that its volume does
    not; None of any other.
    """
    if len(parts) != 1:
        return None
    part = parts[0]
    if (
        part.patches.number != 1
        or not part.patches.closed.all()
        or not part.patches.orientable.all()
        or part.patches.turned.any()
    ):
        return None
    volumes, area = volumes_and_area(part.mesh, part.points, part.patches)
    return area if (float(volumes[0]) > 0) != part.mirrored else None


def facing(parts: list[Placed], rays: RayScene | None, area: float | None = None, upright: int = 1) -> list[Facing]:
    """Judge every part. rays: all triangles of the model; None where `plainly_outward` gave the area. upright: axis that is up."""
    if rays is None:
        assert area is not None
        return [_plain(part, area) for part in parts]
    samples = _samples(parts, rays)
    votes = _votes(samples, rays, upright)
    one = lambda k: _part(parts[k], k, samples, votes)
    numbers = range(len(parts))
    found = by_two(one, numbers) if len(parts) >= _MANY else [one(k) for k in numbers]
    for part, sides in zip(parts, found, strict=True):
        sides.outside.met = _met(part, sides.outside, rays)
        # Within, what can be seen at all is what was judged.
        sides.inside.met = sides.inside.wrong / max(sides.inside.judged + sides.inside.undecided + sides.inside.hidden, 1e-300)
    return found


def _plain(placed: Placed, area: float) -> Facing:
    none = np.zeros(0, np.int32)
    every = np.arange(placed.mesh.face_count, dtype=np.int32)
    # From within every face is met, and looks away.
    return Facing(placed.node, Side(none, area), Side(every, area, wrong=area, met=1.0), none, none)


# --- samples ----------------------------------------------------------------------------------------


@dataclass
class _Samples:
    """patch: (n,) number over all parts' patches. places, normals: (n, 3) in the unit frame, normals of the patch's winding."""

    offsets: list[int]
    patch: I32
    places: F64
    normals: F64
    areas: list[F64]
    sampled: Bool


def _areas(placed: Placed) -> tuple[F64, F64]:
    """(T, 3) normals times twice the area of triangles as they are wound in the world, and (T,) areas; 0 where not finite."""
    product, area = np.empty((len(placed.triangles), 3)), np.empty(len(placed.triangles))

    def work(some: slice) -> None:
        a, b, c = (placed.points[placed.triangles[some, k]] for k in range(3))
        with np.errstate(all="ignore"):
            product[some] = cross(c - a, b - a) if placed.mirrored else cross(b - a, c - a)
            area[some] = np.sqrt(squared(product[some])) / 2

    each_block(len(area), work)
    # An area whose sum could overflow tells nothing either.
    bad = ~(area < 1e100)
    if bad.any():
        area[bad], product[bad] = 0.0, 0.0
    return product, area


def _samples(parts: list[Placed], rays: RayScene) -> _Samples:
    offsets = np.cumsum([0, *(part.patches.number for part in parts)]).tolist()
    total = offsets[-1]
    products, areas, patch_of_sample = [], [], []
    for part, base in zip(parts, offsets, strict=False):
        product, area = _areas(part)
        products.append(product)
        areas.append(area)
        patch_of_sample.append(part.patches.label[part.face] + base)
    patch_area = sums_by(np.concatenate(patch_of_sample), np.concatenate(areas), total)
    wanted = _shares(patch_area)
    patch, places, normals = [], [], []
    number = 0
    for part, product, area, owner in zip(parts, products, areas, patch_of_sample, strict=True):
        chosen, many = _chosen(owner, area, wanted)
        triangle = np.repeat(chosen, many)
        u, v = _barycentric(number, len(triangle))
        number += len(triangle)
        a, b, c = (part.points[part.triangles[triangle, k]] for k in range(3))
        places.append(rays.to_unit(a + u[:, None] * (b - a) + v[:, None] * (c - a)))
        n = product[triangle] / (2 * area[triangle])[:, None]
        normals.append(np.where(part.patches.turned[part.face[triangle]][:, None], -n, n))
        patch.append(owner[triangle])
    face_areas = [sums_by(part.face, a, part.mesh.face_count) for part, a in zip(parts, areas, strict=True)]
    return _Samples(offsets, np.concatenate(patch), np.concatenate(places), np.concatenate(normals), face_areas, wanted > 0)


def _shares(area: F64) -> I64:
    """(P,) samples of each patch: by the root of its area, so that small ones get some; the largest first where all cannot."""
    many = np.zeros(len(area), np.int64)
    alive = np.flatnonzero(area > 0)
    # Of many patches each gets as few as can still tell one side from the other, and all together twice what others get.
    fewest = FEWEST if len(alive) <= 2 * SAMPLES // FEWEST else LEAST
    room = 2 * SAMPLES // fewest
    if len(alive) > room:
        alive = alive[np.argsort(-area[alive], kind="stable")[:room]]
    root = np.sqrt(area[alive])
    many[alive] = np.clip(np.rint(SAMPLES * root / max(root.sum(), 1e-300)), fewest, MOST)
    return many


def _chosen(owner: I32, area: F64, wanted: I64) -> tuple[I64, I64]:
    """Triangles that samples fall on and how many on each: evenly spaced along each patch's running area."""
    order = np.argsort(owner, kind="stable")
    own, running = owner[order], np.cumsum(area[order])
    first = np.flatnonzero(np.concatenate([[True], own[1:] != own[:-1]])) if len(own) else np.zeros(0, np.int64)
    label = own[first]
    before = np.concatenate([[0.0], running])[first]
    after = np.concatenate([running[first[1:] - 1], running[-1:]])
    many = wanted[label]
    step = np.repeat((after - before) / np.maximum(many, 1), many)
    within = np.arange(int(many.sum())) - np.repeat(np.cumsum(many) - many, many)
    at = np.searchsorted(running, np.repeat(before, many) + (within + 0.5) * step, side="right")
    last = np.repeat(np.concatenate([first[1:], [len(own)]]) - 1, many)
    at = np.clip(at, np.repeat(first, many), last)
    return np.unique(order[at[area[order[at]] > 0]], return_counts=True)


def _barycentric(number: int, count: int) -> tuple[F64, F64]:
    u, v = sequence(np.arange(number, number + count), 2).T
    over = u + v > 1
    return np.where(over, 1 - u, u), np.where(over, 1 - v, v)


# --- votes ------------------------------------------------------------------------------------------


@dataclass
class _Votes:
    """By patch: rays that got out from the front and from the back of its winding, those among them that do not go down, and
    viewpoints within seen by each.
    """

    cast: I64
    front: I64
    back: I64
    front_level: I64
    back_level: I64
    front_within: I64
    back_within: I64
    rays: int


def _votes(samples: _Samples, rays: RayScene, upright: int) -> _Votes:
    total, n = len(samples.sampled), len(samples.patch)
    number = np.repeat(np.arange(n) * RAYS, RAYS) + np.tile(np.arange(RAYS), n)
    owner = np.repeat(samples.patch, RAYS)
    places, normals = (np.repeat(x, RAYS, axis=0) for x in (samples.places, samples.normals))
    counts, level = [], []
    for side in (1.0, -1.0):
        towards = hemisphere_directions(normals * side, number)
        out = ~rays.blocked(places + normals * (side * OFFSET), towards)
        counts.append(np.bincount(owner[out], minlength=total))
        level.append(np.bincount(owner[out & (towards[:, upright] > _DOWN)], minlength=total))
    views = viewpoints(rays)
    front, back, cast = _within(samples, rays, views, total)
    return _Votes(
        np.bincount(owner, minlength=total), counts[0], counts[1], level[0], level[1], front, back, 2 * len(owner) + cast
    )


def viewpoints(rays: RayScene) -> F64:
    """(n, 3) places within the model, in the unit frame, from which most directions meet it: where someone inside would stand."""
    if rays.empty:
        return np.zeros((0, 3))
    low, high = rays.unit_box
    steps = np.linspace(0.1, 0.9, 5)
    grid = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    places = low + grid * (high - low)
    directions = sphere_directions(32)
    hit = rays.first(np.repeat(places, 32, axis=0), np.tile(directions, (len(places), 1)))
    met = (hit.triangle >= 0).reshape(-1, 32)
    enclosed = met.mean(axis=1)
    # Free space round a viewpoint: the middle of the way to what is met.
    room = np.where(met, hit.distance.reshape(-1, 32), 1.0).min(axis=1)
    good = np.flatnonzero((enclosed >= 0.6) & (room > 0.01))
    best = good[np.argsort(-room[good], kind="stable")[:24]]
    return places[best]


def _within(samples: _Samples, rays: RayScene, views: F64, total: int) -> tuple[Array, Array, int]:
    if not len(views):
        return np.zeros(total, np.int64), np.zeros(total, np.int64), 0
    n = len(samples.patch)
    per = min(VIEWS, len(views))
    which = (np.arange(n)[:, None] * 7 + np.arange(per) * max(len(views) // per, 1)) % len(views)
    away = views[which.reshape(-1)] - np.repeat(samples.places, per, axis=0)
    length = np.linalg.norm(away, axis=1)
    normals, owner = np.repeat(samples.normals, per, axis=0), np.repeat(samples.patch, per)
    towards = away / np.maximum(length, 1e-12)[:, None]
    lean = np.einsum("ij,ij->i", towards, normals)
    side = np.where(lean >= 0, 1.0, -1.0)
    start = np.repeat(samples.places, per, axis=0) + normals * (side * OFFSET)[:, None]
    seen = ~rays.blocked(start, towards, length - 2 * OFFSET) & (np.abs(lean) > 0.02)
    front = np.bincount(owner[seen & (side > 0)], minlength=total)
    back = np.bincount(owner[seen & (side < 0)], minlength=total)
    return front, back, len(away)


# --- verdicts ---------------------------------------------------------------------------------------


def _part(placed: Placed, k: int, samples: _Samples, votes: _Votes) -> Facing:
    here = slice(samples.offsets[k], samples.offsets[k + 1])
    cast, front, back = votes.cast[here], votes.front[here], votes.back[here]
    area = samples.areas[k]
    patch_area = sums_by(placed.patches.label, area, placed.patches.number)
    whole = float(patch_area.sum()) or 1.0
    volume = _closed_sign(placed)
    normals = cache(lambda: _normals_say(placed, area))
    stored = _greater_part(placed, area, patch_area)
    seen = (front + back) > np.maximum(_SEEN * 2 * cast, 0.5)
    outside = _decide(front, back, seen, volume, normals, stored, placed)
    within = votes.front_within[here] + votes.back_within[here] > 0
    level = _decide(votes.front_level[here], votes.back_level[here], seen, volume, normals, stored, placed)
    # What looks away only to someone far below it, and has its front towards somebody all the same: the floor of a hall that is
    # open at the sides is right, that of a closed room may be.
    below = (outside != 0) & (volume == 0) & (np.sign(level) != np.sign(outside))
    other = np.where(outside > 0, back, front)
    outside = np.where(below & (other > np.maximum(_SEEN * cast, 0.5)), 0.0, outside)
    floor = below & within & (outside != 0)
    within_seen = (votes.front_within[here] + votes.back_within[here]) > 0
    no_volume = np.zeros(placed.patches.number)
    inside = _decide(votes.front_within[here], votes.back_within[here], within_seen, no_volume, normals, stored, placed)
    sampled = samples.sampled[here]
    both = sampled & (np.minimum(front, back) > 0.15 * np.maximum(cast, 1))
    hidden = sampled & (front + back == 0) & (cast >= FEWEST * RAYS)
    label = placed.patches.label
    return Facing(
        placed.node,
        _side(placed, outside, seen, area, patch_area, floor),
        _side(placed, inside, within_seen, area, patch_area, np.zeros_like(floor)),
        np.flatnonzero(both[label]).astype(np.int32),
        np.flatnonzero(hidden[label]).astype(np.int32),
        votes.rays,
        float(patch_area[sampled].sum()) / whole,
    )


def _closed_sign(placed: Placed) -> F64:
    """(P,) 1 where a closed patch's winding encloses its volume, -1 where it is inside out, 0 where that says nothing."""
    if not placed.patches.closed.any():
        return np.zeros(placed.patches.number)
    volume, _ = volumes_and_area(placed.mesh, placed.points, placed.patches)
    sign = np.sign(volume) * (-1 if placed.mirrored else 1)
    return np.where(placed.patches.closed & placed.patches.orientable, sign, 0.0)


def _normals_say(placed: Placed, area: F64) -> F64:
    """(P,) -1 to 1: how far stored normals agree with the winding of each patch, by area; 0 where there are none.

    In mesh space, where both the winding and the normals are: a mirror turns the two alike.
    """
    layer = placed.mesh.normals
    if layer is None or not len(layer.values):
        return np.zeros(placed.patches.number)
    triangles = placed.triangles
    a, b, c = (placed.mesh.positions[triangles[:, k]] for k in range(3))
    first = placed.mesh.starts[:-1][placed.face]
    usable = layer.index[first] >= 0
    with np.errstate(all="ignore"):
        lean = np.einsum("ij,ij->i", np.cross(b - a, c - a), layer.values[layer.index[first]])
    say = np.where(usable & np.isfinite(lean), np.sign(np.nan_to_num(lean)), 0.0)
    per_face = sums_by(placed.face, say, placed.mesh.face_count) / np.maximum(
        np.bincount(placed.face, minlength=placed.mesh.face_count), 1
    )
    per_face = np.where(placed.patches.turned, -per_face, per_face)
    total = sums_by(placed.patches.label, area, placed.patches.number)
    return sums_by(placed.patches.label, per_face * area, placed.patches.number) / np.maximum(total, 1e-300)


def _greater_part(placed: Placed, area: F64, patch_area: F64) -> F64:
    """(P,) -1 to 1: how much more of each patch is wound as its winding says than against it, by area."""
    against = sums_by(placed.patches.label, np.where(placed.patches.turned, area, 0.0), placed.patches.number)
    return 1 - 2 * against / np.maximum(patch_area, 1e-300)


def _decide(front: I64, back: I64, seen: Bool, volume: F64, normals: Callable[[], Array], stored: F64, placed: Placed) -> F64:
    """(P,) confidence that a patch's winding faces the viewer (positive, 0.5 to 1), or away from them (negative); 0: undecided.

    normals: what the stored ones say, asked only where neither sight nor volume decides.
    """
    outside, inside = front.astype(float), back.astype(float)
    apart = np.abs(outside - inside) / np.sqrt(outside + inside + 1)
    clear = (apart > _CHANCE) & (np.maximum(outside, inside) > _RATIO * np.minimum(outside, inside))
    by_sight = np.sign(outside - inside) * (0.5 + 0.5 * np.abs(outside - inside) / np.maximum(outside + inside, 1))
    open_ = ~clear & (volume == 0) & seen & placed.patches.orientable
    said_by = normals() if open_.any() else np.zeros(len(outside))
    by_normals = np.where(np.abs(said_by) > 0.5, np.sign(said_by) * 0.9, 0.0)
    # Only where some faces stand against the rest does the greater part say anything.
    mixed = (np.abs(stored) < 1) & (np.abs(stored) > 0.3)
    by_most = np.where(mixed, np.sign(stored) * 0.6, 0.0)
    out = np.where(clear, by_sight, np.where(by_normals != 0, by_normals, by_most))
    out = np.where(volume != 0, volume, out)
    return np.where(seen & placed.patches.orientable, out, 0.0)


def _side(placed: Placed, says: F64, seen: Bool, area: F64, patch_area: F64, floor: Bool) -> Side:
    """floor: (P,) patches that only look wrong from below."""
    right = np.where(placed.patches.turned, -1.0, 1.0) * np.sign(says)[placed.patches.label]
    turned = np.flatnonzero(right < 0).astype(np.int32)
    judged = says != 0
    weight = float(patch_area[judged].sum())
    return Side(
        turned,
        weight,
        float(patch_area[seen & ~judged].sum()),
        float(patch_area[~seen].sum()),
        float(area[turned].sum()),
        float((np.abs(says) * patch_area)[judged].sum() / weight) if weight > 0 else 1.0,
        floors=turned[floor[placed.patches.label[turned]]],
    )


def _met(placed: Placed, side: Side, rays: RayScene) -> float:
    """Share of a part that is of turned faces and can be seen: their area, as far as looks from where their front ought to be get
    out of the model. Up to `_TURNED` of them are looked from, evenly spread.
    """
    whole = side.judged + side.undecided + side.hidden
    if not len(side.turned) or not whole > 0:
        return 0.0
    product, area = _areas(placed)
    turned = np.zeros(placed.mesh.face_count, bool)
    turned[side.turned] = True
    mine = np.flatnonzero(turned[placed.face] & (area > 0))
    if not len(mine):
        return 0.0
    some = mine[np.linspace(0, len(mine) - 1, min(len(mine), _TURNED)).astype(np.int64)]
    middle = rays.to_unit(placed.points[placed.triangles[some]].mean(axis=1))
    ought = -product[some] / (2 * area[some])[:, None]
    number = np.arange(len(some) * _LOOKS)
    normals = np.repeat(ought, _LOOKS, axis=0)
    free = ~rays.blocked(np.repeat(middle, _LOOKS, axis=0) + normals * OFFSET, hemisphere_directions(normals, number))
    out = free.reshape(-1, _LOOKS).mean(axis=1)
    return side.wrong / whole * float((out * area[some]).sum() / area[some].sum())
