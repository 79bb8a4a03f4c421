"""Budget: simple shapes beside parts, for what runs into them or stands on them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...geometry.distinct import used_indices
from ...geometry.topology import surface
from ...kit.choice import PARTS
from ...limits import MendError
from ...reduction.collapse import Reducer
from ...reduction.stand_ins import HULLS, SHAPES, WORDS, Fit, Shape, fit_of, hull_of, shape_of, stands, volume_of
from ...scene import Layer, Mesh, Scene
from ...scene.axes import AXIS_INDEX
from ...scene.generated import name_suffix, with_generated
from ...scene.matrices import UP_NORMAL, apply, unit_vectors
from ...scene.model import frozen
from ...scene.transforms import world_matrices
from ...words.arrays import F64, I64
from ...words.figures import about, percent, plain
from .beside import cleared
from .messages import say

#: Parts from the largest on for which several hulls are looked for where a shape is to be found by itself: seconds for each.
_SEARCHED = 4
#: Triangles of a box: what costs less than that has one all the same.
_BOX = 12
#: How far a shape may lie off, as a share of the part's size, and how large it may be beside it, to be called close.
_CLOSE, _ROOMY, _SMALL = 0.05, 1.35, 0.8


@mend(
    "budget.stand-in",
    title="Add a stand-in for collisions",
    menu=("station", "Add stand-ins for collisions …"),
    keeps="everything that is there",
    costs="a simple part beside each, which is never drawn",
    safe=False,
    parameters=[
        Parameter("shape", "choice", "its shape; suited is the cheapest that lies close", ("suited", *SHAPES), "suited"),
        Parameter(
            "moves", "flag", "whether the thing moves: its stand-in must then be closed, simple, and stand upright", default=False
        ),
        PARTS,
    ],
)
def stand_in(scene: Scene, shape: str = "suited", moves: bool = False, parts: Sequence[str] = ()) -> Outcome:
    """Put a simple closed shape below each part, in its place, for what runs into it or stands on it; how well it fits is measured."""
    scene, nodes = cleared(scene, parts, "stand-in")
    if not nodes:
        raise MendError(say("budget.stand-in.skinned"))
    world, up = world_matrices(scene), AXIS_INDEX[scene.up_axis or "Y"]
    unit = 1.0 if scene.unit_metres is None else scene.unit_metres
    size = {i: scene.meshes[scene.nodes[i].mesh or 0].triangle_count for i in nodes}
    searched = set(sorted(nodes, key=lambda i: -size[i])[:_SEARCHED])
    figures, remarks, after, shapes = list[Figure](), list[str](), scene, _Shapes()
    for i in nodes:
        if not np.isfinite(world[i]).all() or not abs(np.linalg.det(world[i][:3, :3])) > 0:
            remarks.append(say("budget.stand-in.collapsed", part=scene.part_name(i)))
            continue
        part = _Solid(scene, i, world[i], up)
        found = part.suited(moves, i in searched) if shape == "suited" else part.tried(shape, moves)
        if found is None:
            remarks.append(say("budget.stand-in.no-volume", part=scene.part_name(i)))
            continue
        made, fit, because = found
        after = shapes.beside(after, i, scene.nodes[i].mesh, _named(scene, i, made, np.linalg.inv(world[i])))
        figures.append(
            Figure(f"{scene.part_name(i)}: {WORDS[made.kind]}", f"{size[i]:,} triangles", f"{made.triangles:,} triangles")
        )
        figures += _fit_figures(fit, part, unit)
        remarks += [f"{scene.part_name(i)}: {because}."] if because else []
    if after is scene:
        raise MendError(say("budget.stand-in.flat"))
    return Outcome(after, tuple(figures), tuple(remarks))


def _named(scene: Scene, node: int, shape: Shape, back: F64) -> list[tuple[str, Mesh]]:
    """A mesh for each piece of a shape, in the frame of its part."""
    base = scene.part_name(node)
    out = []
    for k, (points, triangles) in enumerate(shape.pieces):
        name = base + name_suffix("stand-in") + (f"_{k + 1}" if len(shape.pieces) > 1 else "")
        turned = triangles[:, ::-1] if np.linalg.det(back[:3, :3]) < 0 else triangles
        out.append((name, _mesh(name, apply(back, points), np.ascontiguousarray(turned))))
    return out


class _Shapes:
    """Stand-ins that were made, so that parts of one mesh that get the same share it too."""

    def __init__(self) -> None:
        self.of: dict[int | None, list[tuple[list[tuple[str, Mesh]], int]]] = {}

    def beside(self, scene: Scene, node: int, mesh: int | None, parts: list[tuple[str, Mesh]]) -> Scene:
        """The scene with a stand-in for a part that shows a mesh."""
        known = next((first for other, first in self.of.get(mesh, []) if _alike(other, parts)), None)
        if known is not None:
            return with_generated(scene, node, "stand-in", [(name, known + k) for k, (name, _) in enumerate(parts)])
        self.of.setdefault(mesh, []).append((parts, len(scene.meshes)))
        return with_generated(scene, node, "stand-in", parts)


def _alike(one: list[tuple[str, Mesh]], other: list[tuple[str, Mesh]]) -> bool:
    """Whether shapes are the same but for rounding."""
    if len(one) != len(other):
        return False
    for (_, a), (_, b) in zip(one, other, strict=True):
        if a.positions.shape != b.positions.shape or not np.array_equal(a.corners, b.corners):
            return False
        if np.abs(a.positions - b.positions).max(initial=0) > 1e-9 * (np.abs(a.positions).max(initial=0) + 1e-300):
            return False
    return True


def _mesh(name: str, points: F64, triangles: I64) -> Mesh:
    point = points[triangles]
    area = np.cross(point[:, 1] - point[:, 0], point[:, 2] - point[:, 0])
    normals = unit_vectors(area, UP_NORMAL)
    return Mesh(
        f"made:{name}",
        name,
        frozen(np.ascontiguousarray(points, np.float64)),
        frozen(triangles.reshape(-1).astype(np.int32)),
        frozen(np.arange(len(triangles) + 1, dtype=np.int64) * 3),
        frozen(np.zeros(len(triangles), np.int32)),
        (-1,),
        normals=Layer(frozen(normals.astype(np.float32)), frozen(np.repeat(np.arange(len(triangles)), 3).astype(np.int32))),
    )


def _fit_figures(fit: Fit, part: _Solid, unit: float) -> list[Figure]:
    length = lambda x: "0" if x * unit < 1e-6 else about(x * unit)
    return [
        Figure("its volume, of the part's", "1", plain(fit.volume)),
        Figure("they lie apart by at most", "0", f"{length(fit.gap)} ({percent(fit.gap / part.diagonal)} of its size)"),
        Figure("what stands on it floats by, or sinks by", "0", f"{length(fit.float_by)}, {length(fit.sink_by)}"),
    ]


class _Solid:
    """A part in the world, whose stand-in is looked for."""

    def __init__(self, scene: Scene, node: int, world: F64, up: int) -> None:
        number = scene.nodes[node].mesh
        assert number is not None
        mesh = scene.meshes[number]
        self.mesh, self.up = replace(mesh, positions=frozen(apply(world, mesh.positions)), weights=None, morphs=()), up
        self.reducer = Reducer(self.mesh)
        self.positions, self.triangles = self.reducer.wedges.positions, self.reducer.wedges.triangles
        points = self.positions[used_indices(self.triangles, len(self.positions))]
        self.diagonal = float(np.linalg.norm(np.ptp(points, axis=0))) or 1.0
        self.hull = hull_of(points)
        hull = abs(volume_of(*self.hull)) if self.hull else 0.0
        own = abs(volume_of(self.positions, self.triangles)) if surface(mesh).closed else hull
        # What is closed and yet holds nothing to speak of, such as a sheet with two sides, is measured by its hull.
        self.volume = own if own > 1e-6 * hull else hull

    def tried(self, kind: str, moves: bool) -> tuple[Shape, Fit, str] | None:
        if self.hull is None:
            return None
        made = shape_of(kind, self.positions, self.triangles, self.up, lambda: self.reducer)
        if made is None:
            return None
        falls = (
            "it would fall over by itself: the middle of its mass lies outside of its footprint"
            if moves and not stands(made, self.up)
            else ""
        )
        return made, fit_of(made, self.positions, self.triangles, self.volume, self.up), falls

    def suited(self, moves: bool, thorough: bool) -> tuple[Shape, Fit, str] | None:
        """The cheapest shape that lies close, and why. moves: it must be simple, and stand where its hull does."""
        upright = self.hull is not None and stands(Shape("hull", (self.hull,)), self.up)
        # Looking for several hulls takes seconds, and even boxes would cost more than so small a thing.
        several = thorough and len(self.triangles) >= HULLS * _BOX
        kinds = [k for k in SHAPES if (k != "mesh" or not moves) and (k != "hulls" or several)]
        best: tuple[float, Shape, Fit] | None = None
        for kind in kinds:
            found = self.tried(kind, moves)
            if found is None:
                continue
            made, fit, falls = found
            # What costs more than the thing itself stands in for nothing.
            if (moves and upright and falls) or made.triangles > max(len(self.triangles), _BOX):
                continue
            if fit.gap <= _CLOSE * self.diagonal and _SMALL <= fit.volume <= _ROOMY:
                why = f"{WORDS[kind]} is the cheapest that lies within {percent(_CLOSE)} of its size"
                return made, fit, why + (", and it stands upright" if moves and upright else "")
            off = fit.gap / self.diagonal + abs(np.log(max(fit.volume, 1e-3)))
            if best is None or off < best[0]:
                best = off, made, fit
        return (
            None
            if best is None
            else (
                best[1],
                best[2],
                f"no simple shape lies within {percent(_CLOSE)} of its size; {WORDS[best[1].kind]} comes nearest",
            )
        )
