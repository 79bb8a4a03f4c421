"""All figures of one mesh's surface, with the elements behind them."""

from __future__ import annotations

import numpy as np

from ..geometry.adjacency import face_of_corner
from ..geometry.doubles import SHARES, close_seams
from ..geometry.finite import finite_points
from ..geometry.holes import Holes, holes, pinched, welded_positions
from ..geometry.normals import bends, normals
from ..geometry.patches import Patches
from ..geometry.polygons import doubled, needles, polygons
from ..geometry.topology import Topology
from ..reduction.flat import most_that_lies_flat
from ..reduction.subdivision import most_that_was_cut
from ..scene import Mesh
from ..words.arrays import F64, Array
from .records import SurfaceFigures

#: Openings under this share of the mesh's size are small.
SMALL = 0.1
#: Sizes of holes that are kept one by one.
_HOLES_KEPT = 200
#: All points of a flat mesh lie within this share of its size of one plane.
_FLAT = 1e-4


#: What stands where a surface was not measured.
NO_SURFACE = SurfaceFigures(
    by_corners={},
    concave=0,
    crossing=0,
    bent=0,
    most_bent=0.0,
    bent_share=0.0,
    fan_out=0,
    diagonals=0.0,
    needles=0,
    alike=0,
    opposed=0,
    two_faced=0,
    crowded=0,
    pinched=0,
    open_edges=0,
    hole_count=0,
    holes=[],
    doubles=[0] * len(SHARES),
    apart=0.0,
    patches=0,
    non_orientable=0,
    disagreeing=0,
    normals_missing=False,
    normals_broken=0,
    normals_uneven=0,
    normals_opposed=0,
    smeared=0,
    soft=0,
    faceted=0.0,
    size=0.0,
    feature=0.0,
    flat=False,
    could_merge=0,
    could_take_back=0,
)


def surface_figures(mesh: Mesh, top: Topology, patches: Patches, put: dict[str, Array]) -> tuple[SurfaceFigures, Holes]:
    """Measure a mesh's surface. top: its topology with corners. put: where element arrays go, int32, by name.

    Vertices among the elements are stored vertices: the first of those that lie at the same place.
    """
    shapes, twice = polygons(mesh), doubled(mesh, top.ids, top.flat)
    two_faced = twice.opposed[mesh.slots[twice.opposed] != mesh.slots[twice.behind]] if len(mesh.slots) else twice.opposed[:0]
    bent = bends(mesh, top.edges)
    lit = normals(mesh, top.edges, bent)
    rims = holes(mesh, top.edges, top.ids)
    welded = welded_positions(mesh, top.ids)
    size = _size(mesh.positions)
    near, distance = close_seams(welded, rims.pairs, size, top.ids[mesh.corners], face_of_corner(mesh))
    crowded = top.edges.pairs(np.flatnonzero(top.edges.uses > 2))
    thin, pinch = needles(mesh, top), pinched(mesh, top.edges, patches, top.ids)
    first = np.zeros(len(welded), np.int32)
    first[top.ids[::-1]] = np.arange(len(top.ids) - 1, -1, -1, dtype=np.int32)
    stored = lambda at: first[np.asarray(at, np.int64).reshape(-1)]
    for name, found in {
        "many": np.flatnonzero(mesh.corner_counts > 4) if shapes.by_corners else (),
        "concave": shapes.concave,
        "crossing": shapes.crossing,
        "bent": shapes.bent,
        "needles": thin,
        "alike": twice.alike,
        "opposed": twice.opposed,
        "two-faced": two_faced,
        "zero-area": np.flatnonzero(top.flat),
        "crowded": stored(crowded),
        "pinched": stored(pinch),
        "open": stored(rims.pairs),
        "open-small": stored(rims.pairs[rims.across[rims.hole] < SMALL * size]) if len(rims.pairs) else (),
        "doubles": stored(near),
        "disagreeing": stored(patches.disagreeing),
        "normals-broken": lit.broken,
        "normals-uneven": lit.uneven,
        "normals-opposed": lit.opposed,
        "smeared": stored(lit.smeared),
    }.items():
        if len(found):
            put[name] = np.ascontiguousarray(found, np.int32)
    return SurfaceFigures(
        by_corners=shapes.by_corners,
        concave=len(shapes.concave),
        crossing=len(shapes.crossing),
        bent=len(shapes.bent),
        most_bent=shapes.most_bent,
        bent_share=shapes.bent_share,
        fan_out=shapes.fan_out,
        diagonals=shapes.diagonals,
        needles=len(thin),
        alike=len(twice.alike),
        opposed=len(twice.opposed),
        two_faced=len(two_faced),
        crowded=len(crowded),
        pinched=len(pinch),
        open_edges=len(rims.pairs),
        hole_count=len(rims.across),
        holes=rims.across[:_HOLES_KEPT].tolist(),
        doubles=[int((distance <= share * size).sum()) for share in SHARES],
        apart=float(distance.max(initial=0.0)),
        patches=patches.number,
        non_orientable=int((~patches.orientable).sum()),
        disagreeing=len(patches.disagreeing),
        normals_missing=lit.missing,
        normals_broken=len(lit.broken),
        normals_uneven=len(lit.uneven),
        normals_opposed=len(lit.opposed),
        smeared=len(lit.smeared) // 2,
        soft=lit.soft,
        faceted=lit.faceted,
        size=size,
        feature=_feature(mesh, top),
        flat=_is_flat(mesh, size),
        could_merge=most_that_lies_flat(mesh, top.edges, bent),
        could_take_back=most_that_was_cut(mesh, patches.label) if mesh.face_count else 0,
    ), rims


def _size(points: F64) -> float:
    finite = finite_points(points)
    with np.errstate(all="ignore"):
        size = float(np.linalg.norm(finite.max(axis=0) - finite.min(axis=0))) if len(finite) else 0.0
    return size if np.isfinite(size) else 0.0


def _feature(mesh: Mesh, top: Topology) -> float:
    """Length of the edge that a hundredth of all edges are shorter than; of many edges every so-manieth is looked at."""
    count = len(top.edges.uses)
    if not count:
        return 0.0
    pairs = top.edges.pairs(np.arange(0, count, max(count // 50_000, 1)))
    points = welded_positions(mesh, top.ids)
    with np.errstate(all="ignore"):
        length = np.linalg.norm(points[pairs[:, 0]] - points[pairs[:, 1]], axis=1)
    length = length[np.isfinite(length) & (length > 0)]
    return float(np.quantile(length, 0.01)) if len(length) else 0.0


def _is_flat(mesh: Mesh, size: float) -> bool:
    if not mesh.face_count or not size > 0:
        return False
    points = mesh.positions[mesh.corners[: 3 * 65_536]]
    points = finite_points(points)
    if len(points) < 3:
        return False
    centred = (points - points.mean(axis=0)) / size
    least = np.linalg.eigvalsh(centred.T @ centred / len(centred))[0]
    if least > _FLAT**2:
        return False
    whole = finite_points(mesh.positions)
    axis = np.linalg.eigh(centred.T @ centred)[1][:, 0]
    off = (whole - points.mean(axis=0)) @ axis
    return float(np.abs(off).max()) <= 10 * _FLAT * size
