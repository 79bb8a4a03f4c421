"""Single faces and points of a mesh, changed as a person points at them: cut, merged, joined, raised. What hangs on corners comes along."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..scene.model import Layer, Mesh, Morph, Weights, frozen
from ..words.arrays import F64, I32, I64, Array, Bool
from .adjacency import face_of_corner, next_corner
from .components import components
from .distinct import distinct_rows
from .recut import more_vertices, only_used_values, only_vertices, recut, turned_corners, used_vertices
from .triangles import newell_normals
from .welding import merged_points

#: Degrees by which a face may be turned against the plane of the faces that it becomes one with, and its distance off that plane as a share of
#: their size: what is flatter nobody sees (common practice, no published source).
_BENT, _OFF = 1.0, 1e-3
_SAME = 1e-6


class CannotEdit(Exception):
    """Why faces cannot be changed as was asked, in a word that a message is kept under."""


def cut_polygon(mesh: Mesh, face: int, one: float, two: float) -> Mesh:
    """The mesh with a polygon cut in two, the second part behind the first. Raises CannotEdit.

    one, two: where the cut runs from and to: a number of a corner, and a share of the way to the next behind the point, so that 2.5 is the
    middle of the side from corner 2 to corner 3. A point on a side is put into the faces beyond that side as well.
    """
    count = int(mesh.corner_counts[face])
    if not (0 <= one < count and 0 <= two < count):
        raise CannotEdit("no-such-corner")
    # The later one first, so that the earlier one keeps its number.
    low, high = sorted((one, two))
    mesh = _with_point(mesh, face, high)
    last = int(np.ceil(high))
    mesh = _with_point(mesh, face, low)
    first, last = int(np.ceil(low)), last + (1 if low % 1 else 0)
    start, count = int(mesh.starts[face]), int(mesh.corner_counts[face])
    if last - first < 2 or count - (last - first) < 2:
        raise CannotEdit("along-a-side")
    corner: I64 = np.arange(len(mesh.corners))
    inner, outer = (
        corner[start + first : start + last + 1],
        np.r_[corner[start + last : start + count], corner[start : start + first + 1]],
    )
    made = recut(
        mesh,
        np.concatenate([corner[:start], outer, inner, corner[start + count :]]),
        np.concatenate([mesh.starts[: face + 1], [start + len(outer)], mesh.starts[face + 1 :] + 2]),
        np.insert(np.arange(mesh.face_count), face + 1, face),
    )
    before, after = newell_normals(mesh)[face], newell_normals(made)[face : face + 2]
    # Both parts face as the whole did, and no side is crossed: then the cut lies inside.
    if (after @ before <= 0).any() or _crossed(mesh, face, first, last):
        raise CannotEdit("outside")
    return made


def _crossed(mesh: Mesh, face: int, first: int, last: int) -> bool:
    """Whether the way between two corners of a polygon crosses a side or meets another corner, seen along its normal."""
    start, end = mesh.starts[face], mesh.starts[face + 1]
    points = mesh.positions[mesh.corners[start:end]]
    normal = np.abs(newell_normals(mesh)[face])
    flat = np.delete(points, int(normal.argmax()), axis=1)
    a, b = flat[first], flat[last]
    side = lambda p, q, r: (q[..., 0] - p[..., 0]) * (r[..., 1] - p[..., 1]) - (q[..., 1] - p[..., 1]) * (r[..., 0] - p[..., 0])
    one, two = flat, np.roll(flat, -1, axis=0)
    apart = np.ones(len(flat), bool)
    for k in (first, last):
        apart[[k, k - 1]] = False
    along = (one - a) @ (b - a) / max(float((b - a) @ (b - a)), 1e-300)
    met = (np.abs(side(a, b, one)) < _SAME * max(float((b - a) @ (b - a)), 1e-300)) & (along > 0) & (along < 1)
    met[[first, last]] = False
    return bool(
        met.any() or (apart & (side(a, b, one) * side(a, b, two) < 0) & (side(one, two, a) * side(one, two, b) < 0)).any()
    )


def _with_point(mesh: Mesh, face: int, place: float) -> Mesh:
    """The mesh with a point on a side of a face, and of every face that shares that side; as it is where the place is a corner."""
    share = place % 1
    if not share:
        return mesh
    ids = distinct_rows([mesh.positions])[0]
    start, count = int(mesh.starts[face]), int(mesh.corner_counts[face])
    at = start + int(place)
    a, b = mesh.corners[at], mesh.corners[start + (int(place) + 1) % count]
    following = next_corner(mesh)
    here, there = ids[mesh.corners], ids[mesh.corners[following]]
    along = np.flatnonzero((here == ids[a]) & (there == ids[b]))
    against = np.flatnonzero((here == ids[b]) & (there == ids[a]))
    sides = np.concatenate([along, against])
    shares = np.concatenate([np.full(len(along), share), np.full(len(against), 1 - share)])
    pairs = {}
    source: list[tuple[int, int, float]] = []
    number = []
    for k, part in zip(sides.tolist(), shares.tolist(), strict=True):
        u, v = int(mesh.corners[k]), int(mesh.corners[following[k]])
        key = (u, v, part) if u < v else (v, u, 1 - part)
        if key[:2] not in pairs:
            pairs[key[:2]] = len(mesh.positions) + len(source)
            source.append(key)
        number.append(pairs[key[:2]])
    # All points of one side lie in one place to the last bit, whichever way they were reckoned.
    place_of = mesh.positions[a] * (1 - share) + mesh.positions[b] * share
    made = _between(mesh, source, place_of)
    return _with_corners(made, sides, following[sides], shares, np.array(number, np.int32))


def _between(mesh: Mesh, source: list[tuple[int, int, float]], place: F64) -> Mesh:
    """The mesh with a vertex between two others each, at one place; weights and morph offsets lie between theirs too."""
    u, v, shares = (np.array(column) for column in zip(*source, strict=True))
    made = more_vertices(mesh, u.astype(np.int32), np.tile(place, (len(u), 1)))
    total = len(mesh.positions)
    morphs = []
    for morph in made.morphs:
        offsets = morph.positions.copy()
        offsets[total:] = morph.positions[u] * (1 - shares)[:, None] + morph.positions[v] * shares[:, None]
        morphs.append(Morph(morph.name, frozen(offsets), morph.normals))
    return replace(made, morphs=tuple(morphs), weights=None if mesh.weights is None else _weights_between(mesh.weights, source))


def _weights_between(weights: Weights, source: list[tuple[int, int, float]]) -> Weights:
    joints, shares, starts = [weights.joints], [weights.weights], [weights.starts]
    end = int(weights.starts[-1])
    for u, v, share in source:
        row: dict[int, float] = {}
        for k, part in ((u, 1 - share), (v, share)):
            own = slice(weights.starts[k], weights.starts[k + 1])
            for joint, weight in zip(weights.joints[own].tolist(), weights.weights[own].tolist(), strict=True):
                row[joint] = row.get(joint, 0.0) + part * weight
        joints.append(np.array(list(row), np.int32))
        shares.append(np.array(list(row.values()), np.float32))
        end += len(row)
        starts.append(np.array([end], np.int64))
    return Weights(frozen(np.concatenate(starts)), frozen(np.concatenate(joints)), frozen(np.concatenate(shares)))


def _with_corners(mesh: Mesh, sides: I64, following: I64, shares: F64, vertex: I32) -> Mesh:
    """The mesh with a corner behind each of some, its layers' values between those at either end. vertex: (n,) of each."""

    def layer(old: Layer | None, unit: bool = False) -> Layer | None:
        if old is None:
            return None
        one, two = old.index[sides], old.index[following]
        there = (one >= 0) & (two >= 0)
        values = np.zeros((len(sides), old.values.shape[1]))
        values[there] = old.values[one[there]] * (1 - shares[there])[:, None] + old.values[two[there]] * shares[there][:, None]
        if unit:
            values[:, :3] /= np.maximum(np.linalg.norm(values[:, :3], axis=1, keepdims=True), 1e-30)
            values[:, 3:] = np.sign(values[:, 3:])
        own = np.where(there, len(old.values) + np.arange(len(sides)), -1).astype(np.int32)
        index = np.insert(old.index, sides + 1, own)
        return Layer(frozen(np.concatenate([old.values, values.astype(old.values.dtype)])), frozen(index.astype(np.int32)))

    more = np.bincount(face_of_corner(mesh)[sides], minlength=mesh.face_count)
    morphs = mesh.morphs
    if mesh.normals is not None and any(morph.normals is not None for morph in morphs):
        one, two = mesh.normals.index[sides], mesh.normals.index[following]
        morphs = tuple(
            morph
            if morph.normals is None
            else Morph(
                morph.name,
                morph.positions,
                frozen(
                    np.concatenate(
                        [morph.normals, morph.normals[one] * (1 - shares)[:, None] + morph.normals[two] * shares[:, None]]
                    ).astype(morph.normals.dtype)
                ),
            )
            for morph in morphs
        )
    return replace(
        mesh,
        corners=frozen(np.insert(mesh.corners, sides + 1, vertex).astype(np.int32)),
        starts=frozen(mesh.starts + np.concatenate([[0], np.cumsum(more)])),
        uvs=tuple(x for u in mesh.uvs if (x := layer(u)) is not None),
        colours=tuple(x for colour in mesh.colours if (x := layer(colour)) is not None),
        normals=layer(mesh.normals, unit=True),
        tangents=layer(mesh.tangents, unit=True),
        morphs=morphs,
    )


def joined_points(mesh: Mesh, one: int, two: int, share: float = 1.0) -> Mesh:
    """The mesh with two points made one, with all that lie where they lie. Raises CannotEdit.

    share: how far from the first to the second the place lies where they meet, 1 for the second's own.
    """
    ids = distinct_rows([mesh.positions])[0]
    if ids[one] == ids[two]:
        raise CannotEdit("one-place")
    a, b = np.flatnonzero(ids == ids[one]), np.flatnonzero(ids == ids[two])
    owner = face_of_corner(mesh)
    both = np.intersect1d(owner[np.isin(mesh.corners, a)], owner[np.isin(mesh.corners, b)])
    for face in both.tolist():
        at = ids[mesh.corners[mesh.starts[face] : mesh.starts[face + 1]]]
        if not any({int(x), int(y)} == {int(ids[one]), int(ids[two])} for x, y in zip(at, np.roll(at, -1), strict=True)):
            raise CannotEdit("across-a-face")
    positions = mesh.positions.copy()
    positions[np.concatenate([a, b])] = positions[one] * (1 - share) + positions[two] * share
    first: I64 = np.arange(len(positions))
    first[a] = two
    return merged_points(replace(mesh, positions=frozen(positions)), first)


def merged_faces(mesh: Mesh, mask: Bool) -> tuple[Mesh, int, list[str]]:
    """The mesh with the faces of a mask that hang together and lie flat made one polygon each; how many of them; why others were not.

    mask: (F,) bool.
    """
    ids = distinct_rows([mesh.positions])[0]
    owner = face_of_corner(mesh)
    following = next_corner(mesh)
    mine = np.flatnonzero(mask[owner])
    here, there = ids[mesh.corners[mine]], ids[mesh.corners[following[mine]]]
    sides = dict(zip(zip(here.tolist(), there.tolist(), strict=True), mine.tolist(), strict=True))
    inner = [(k, sides[v, u]) for (u, v), k in sides.items() if (v, u) in sides and u != v]
    number = np.cumsum(mask) - 1
    ends: Array = np.array(inner, np.int64).reshape(-1, 2)
    label = components(int(mask.sum()), number[owner[ends[:, 0]]], number[owner[ends[:, 1]]])
    faces = np.flatnonzero(mask)
    group_of = dict(zip(faces.tolist(), label.tolist(), strict=True))
    crossed: dict[int, list[tuple[int, int]]] = {}
    for k, n in inner:
        crossed.setdefault(group_of[int(owner[k])], []).append((k, n))
    others = np.zeros(int(ids.max(initial=-1)) + 1, bool)
    others[ids[mesh.corners[~mask[owner]]]] = True
    others[ids[mesh.lines.reshape(-1)]] = True
    replaced: dict[int, list[int]] = {}
    reasons: list[str] = []
    by_group: dict[int, list[int]] = {}
    for face, group in group_of.items():
        by_group.setdefault(group, []).append(face)
    gone: set[int] = set()
    for group, own in by_group.items():
        if len(own) < 2:
            reasons.append("alone")
            continue
        try:
            replaced[own[0]] = _outline(mesh, ids, own, crossed.get(group, []), following, sides, others)
            gone |= set(own[1:])
        except CannotEdit as error:
            reasons.append(str(error))
    if not replaced:
        return mesh, 0, reasons
    counts, stays = mesh.corner_counts.copy(), np.ones(mesh.face_count, bool)
    first = np.array(sorted(replaced))
    as_is = stays.copy()
    as_is[first] = as_is[list(gone)] = False
    stays[list(gone)] = False
    counts[first] = [len(replaced[face]) for face in first.tolist()]
    kept = np.flatnonzero(as_is[owner])
    order = np.insert(
        kept,
        np.repeat(np.searchsorted(kept, mesh.starts[first]), counts[first]),
        np.concatenate([replaced[face] for face in first.tolist()]),
    )
    made = recut(mesh, order, np.concatenate([[0], np.cumsum(counts[stays])]), np.flatnonzero(stays))
    before = used_vertices(mesh)
    made = only_vertices(made, used_vertices(made) | ~before)
    return only_used_values(made), len(replaced), reasons


def _outline(
    mesh: Mesh,
    ids: Array,
    faces: list[int],
    crossed: list[tuple[int, int]],
    following: I64,
    sides: dict[tuple[int, int], int],
    others: Bool,
) -> list[int]:
    """Corners of the one polygon that faces become. Raises CannotEdit where they have more than one outline, bend, or differ."""
    own: Array = np.array(faces)
    for values in (mesh.slots, mesh.smooth, mesh.groups):
        if values is not None and len(values) and (values[own] != values[own[0]]).any():
            raise CannotEdit("two-slots")
    normals = newell_normals(mesh)[own]
    middle = normals.sum(axis=0)
    length = np.linalg.norm(middle)
    if not length:
        raise CannotEdit("bent")
    middle = middle / length
    areas = np.linalg.norm(normals, axis=1)
    within = {k for face in faces for k in range(int(mesh.starts[face]), int(mesh.starts[face + 1]))}
    points = mesh.positions[mesh.corners[sorted(within)]]
    size = float(np.ptp(points, axis=0).max(initial=0.0))
    if (normals @ middle < np.cos(np.radians(_BENT)) * areas).any() or np.ptp(points @ middle) > _OFF * size:
        raise CannotEdit("bent")
    one, two = np.array(crossed, np.int64).reshape(-1, 2).T
    for layer in (*mesh.uvs, *mesh.colours):
        for a, b in ((one, following[two]), (following[one], two)):
            u, v = layer.index[a], layer.index[b]
            there = u >= 0
            if (there != (v >= 0)).any() or not np.allclose(layer.values[u[there]], layer.values[v[there]], rtol=0, atol=1e-6):
                raise CannotEdit("seam")
    shut = {k for pair in crossed for k in pair}
    rim = {int(ids[mesh.corners[k]]): k for k in sorted(within) if k not in shut}
    if len(rim) != sum(k not in shut for k in within) or len(rim) < 3:
        raise CannotEdit("several-outlines")
    start = min(rim, key=lambda place: rim[place])
    loop, at = [], start
    while True:
        loop.append(rim[at])
        at = int(ids[mesh.corners[following[rim[at]]]])
        if at == start:
            break
        if at not in rim or len(loop) > len(rim):
            raise CannotEdit("several-outlines")
    if len(loop) != len(rim):
        raise CannotEdit("several-outlines")
    straight = _straight(mesh, loop, size)
    out = [k for k, flat in zip(loop, straight, strict=True) if not flat or others[ids[mesh.corners[k]]]]
    return out if len(out) > 2 else loop


def _straight(mesh: Mesh, loop: list[int], size: float) -> list[bool]:
    """Of each corner of an outline whether it and all that hangs on it lie on the straight way between its neighbours."""

    def between(values: F64) -> Bool:
        before, after = np.roll(values, 1, axis=0), np.roll(values, -1, axis=0)
        way = after - before
        share = np.einsum("ij,ij->i", values - before, way) / np.maximum(np.einsum("ij,ij->i", way, way), 1e-300)
        off: Bool = np.linalg.norm(before + share[:, None] * way - values, axis=1) < _SAME * max(float(np.ptp(values)), 1e-30)
        inside: Bool = off & (share > 0) & (share < 1)
        return inside

    flat = between(mesh.positions[mesh.corners[loop]])
    for layer in (*mesh.uvs, *mesh.colours):
        rows = layer.index[loop]
        flat &= (rows < 0) | between(np.where((rows >= 0)[:, None], layer.values[rows], 0.0).astype(np.float64))
    return [bool(x) for x in flat & (size > 0)]


def raised(mesh: Mesh, mask: Bool, height: float) -> Mesh:
    """The mesh with faces moved along their normals, sunk where the height is negative, and walls along their rim.

    Faces that end on all sides get a back where they were, so that what was a sheet is a body.

    mask: (F,) bool. height: in the mesh's own units.
    """
    ids = distinct_rows([mesh.positions])[0]
    owner = face_of_corner(mesh)
    following = next_corner(mesh)
    mine = np.flatnonzero(mask[owner])
    here, there = ids[mesh.corners].astype(np.int64), ids[mesh.corners[following]].astype(np.int64)
    places = int(ids.max(initial=-1)) + 1
    along, against = here * places + there, there * places + here
    rim = mine[~np.isin(against[mine], along[mine])]
    others = along[~mask[owner]]
    sheet = not (np.isin(against[rim], others).any() or np.isin(along[rim], others).any())
    # Each place moves along the normals of all of its faces that are raised, weighed by their area.
    normals = newell_normals(mesh)
    way = np.zeros((places, 3))
    np.add.at(way, here[mine], normals[owner[mine]])
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-300)
    moved, number = np.unique(mesh.corners[mine], return_inverse=True)
    total = len(mesh.positions)
    grown = more_vertices(mesh, moved.astype(np.int32), mesh.positions[moved] + height * way[ids[moved]])
    corners = grown.corners.copy()
    corners[mine] = total + number.reshape(-1)
    back = np.flatnonzero(mask) if sheet else np.zeros(0, np.int64)
    behind = np.concatenate([turned_corners(mesh)[mesh.starts[f] : mesh.starts[f + 1]] for f in back]) if len(back) else back
    walls = np.stack([rim, following[rim], following[rim], rim], axis=1).reshape(-1)
    flip = height < 0 and sheet
    order = np.concatenate([np.arange(len(mesh.corners)), behind, walls])
    counts = np.concatenate([mesh.corner_counts, mesh.corner_counts[back], np.full(len(rim), 4)])
    face = np.concatenate([np.arange(mesh.face_count), back, owner[rim]])
    made = recut(replace(grown, corners=frozen(corners)), order, np.concatenate([[0], np.cumsum(counts)]), face)
    new = made.corners.copy()
    first = len(mesh.corners)
    new[first : first + len(behind)] = mesh.corners[behind]
    ends = mesh.corners[np.stack([rim, following[rim]], axis=1)]
    up = (total + np.searchsorted(moved, ends)).astype(np.int32)
    quads = np.concatenate([ends, up[:, ::-1]], axis=1)
    new[first + len(behind) :] = quads.reshape(-1)
    made = replace(made, corners=frozen(new.astype(np.int32)))
    if flip:
        # A sheet that sinks is a body whose outside is where it was: what was made is turned.
        turn = np.concatenate([mask, np.ones(len(back) + len(rim), bool)])
        corners_turned = np.where(turn[face_of_corner(made)], turned_corners(made), np.arange(len(made.corners)))
        made = recut(made, corners_turned, made.starts, np.arange(made.face_count))
    fresh = np.concatenate([mask if flip else np.zeros_like(mask), np.ones(len(back) + len(rim), bool)])
    made = with_flat_normals(replace(made, tangents=None), fresh)
    return only_used_values(only_vertices(made, used_vertices(made) | np.r_[~used_vertices(mesh), np.zeros(len(moved), bool)]))


def with_flat_normals(mesh: Mesh, mask: Bool) -> Mesh:
    """The mesh with the normals of some faces along those faces, where it has normals. mask: (F,) bool."""
    if mesh.normals is None or not mask.any() or any(morph.normals is not None for morph in mesh.morphs):
        return mesh
    normals = newell_normals(mesh)[mask]
    unit = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)
    number = np.full(mesh.face_count, -1)
    number[mask] = len(mesh.normals.values) + np.arange(len(unit))
    index = mesh.normals.index.copy()
    owner = face_of_corner(mesh)
    index[mask[owner]] = number[owner[mask[owner]]]
    values = np.concatenate([mesh.normals.values, unit.astype(mesh.normals.values.dtype)])
    return replace(mesh, normals=Layer(frozen(values), frozen(index.astype(np.int32))))
