"""Take every measure of a scene, mesh by mesh, telling how far it is."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from ..geometry.holes import Holes
from ..geometry.patches import Patches
from ..machine.forked import by_two
from ..scene import Scene
from ..scene.axes import AXIS_INDEX
from ..scene.model import readable
from ..scene.transforms import parents, walk, world_matrices
from ..words.arrays import F64, Array
from .alpha_pictures import alpha_pictures
from .known import Known, content_key
from .of_images import image_figures
from .of_meshes import Seen, mesh_figures, possible_twins
from .of_nodes import node_figures
from .of_parts import part_figures
from .precision import links
from .records import ClipFigures, Measures, MeshFigures, PartFigures, ProblemRecord, SkinFigures
from .slots import material_figures
from .texel_density import densities

Progress = Callable[[str, float], None]
#: Triangles up to which a mesh is small, and how many of those are measured by two processes: each takes more calls than work.
_SMALL, _MANY = 5_000, 64


class _Measured(NamedTuple):
    """What measuring one mesh gives. arrays: elements by key. areas: of its UV sets, by their number."""

    figures: MeshFigures
    arrays: dict[str, Array]
    patches: Patches | None
    holes: Holes | None
    areas: dict[int, Array]


def silent(phase: str, share: float) -> None:
    """A progress that nobody wants to hear."""
    return


def collect(scene: Scene, progress: Progress = silent, known: Known | None = None) -> Measures:
    """Measure a scene. `progress` is called with a phase in words and the share done, 0 to 1.

    known: earlier measures; a mesh whose content they hold is taken over from there instead of being measured again, and
    `known.fresh` then says how many were not. The result is the same either way but for the digests that it holds.
    """
    # A file may hold any number, of which the checks tell: nothing is to be said while measuring.
    with np.errstate(all="ignore"):
        return _collect(scene, progress, known, True)


def count(scene: Scene) -> Measures:
    """Measure what the facts of a report say and no more: nothing is looked at, no surface judged, as a proof wants it."""
    with np.errstate(all="ignore"):
        return _collect(scene, silent, None, False)


def _collect(scene: Scene, progress: Progress, known: Known | None, all_figures: bool) -> Measures:
    order, world = walk(scene), world_matrices(scene)
    placed = [i for i in order if scene.nodes[i].mesh is not None]
    arrays: dict[str, Array] = {}
    seen = Seen(scene)
    meshes = _meshes(scene, progress, known, arrays, seen, all_figures)
    progress("looking at it from all round", 0.7)
    facing, walked, key = seen.look(meshes, known, arrays) if all_figures else ([], None, None)
    progress("placing parts", 0.9)
    parts = _parts(scene, order, placed, world, [mesh.surface.flat for mesh in meshes])
    areas = seen.areas if all_figures else None
    pictures, shown = image_figures(scene, progress, areas, known.images() if known is not None else ())
    sizes = {k: (i.width, i.height) for k, i in enumerate(pictures) if i.width and i.height}
    low = [part.bounds_min for part in parts if part.bounds_min is not None]
    high = [part.bounds_max for part in parts if part.bounds_max is not None]
    made = Measures(
        format=scene.format,
        unit_metres=scene.unit_metres,
        up_axis=scene.up_axis,
        nodes=node_figures(scene, order, world),
        parts=parts,
        meshes=meshes,
        materials=material_figures(scene, shown, alpha_pictures(scene, areas)),
        images=pictures,
        skins=[
            SkinFigures(
                skin.name and readable(skin.name), list(skin.joints), [readable(scene.nodes[j].name) for j in skin.joints]
            )
            for skin in scene.skins
        ],
        clips=[ClipFigures(clip.name and readable(clip.name), clip.seconds, len(clip.channels)) for clip in scene.clips],
        cameras=len(scene.cameras),
        lights=len(scene.lights),
        camera_nodes=[i for i in order if scene.nodes[i].camera is not None],
        light_nodes=[i for i in order if scene.nodes[i].light is not None],
        problems=[ProblemRecord(problem.kind, str(problem.text), problem.where) for problem in scene.problems],
        bounds_min=np.min(low, axis=0).tolist() if low else None,
        bounds_max=np.max(high, axis=0).tolist() if high else None,
        arrays=arrays,
        facing=facing,
        walk=walked,
        facing_key=key,
    )
    if all_figures:
        made = replace(made, densities=densities(scene, world, placed, sizes, seen.areas))
    progress("measured", 1.0)
    return made


def _meshes(
    scene: Scene, progress: Progress, known: Known | None, arrays: dict[str, Array], seen: Seen, all_figures: bool
) -> list[MeshFigures]:
    """Figures of every mesh, those of equal ones taken over from `known`; their elements are put among `arrays`."""
    twins, alone = possible_twins(scene), len(scene.meshes) == 1
    here = os.getpid()
    digests = [content_key(mesh) if known is not None else None for mesh in scene.meshes]
    taken = [
        known.take(digest, mesh, k, arrays, k in twins, alone) if known is not None and digest else None
        for k, (mesh, digest) in enumerate(zip(scene.meshes, digests, strict=True))
    ]

    def one(k: int) -> _Measured:
        def step(share: float) -> None:
            if os.getpid() == here:  # of a copy of this process nobody wants to hear
                progress("measuring meshes", 0.7 * (k + share) / len(scene.meshes))

        step(0.0)
        put: dict[str, Array] = {}
        made = mesh_figures(scene.meshes[k], k, put, k in twins, alone, seen if all_figures else None, step)
        return _Measured(made, put, seen.patches.get(k), seen.holes.get(k), seen.areas.of(scene.meshes[k]))

    fresh = [k for k, found in enumerate(taken) if found is None]
    small = [k for k in fresh if scene.meshes[k].triangle_count <= _SMALL]
    many = all_figures and len(small) >= _MANY
    measured = {k: one(k) for k in fresh if not many or scene.meshes[k].triangle_count > _SMALL}
    measured |= dict(zip(small, by_two(one, small), strict=True)) if many else {}
    for k in fresh:
        seen.keep(k, measured[k].patches, measured[k].holes, measured[k].areas)
        arrays.update(measured[k].arrays)
    stored: dict[int, int] = {}
    out = []
    for k, (mesh, found) in enumerate(zip(scene.meshes, taken, strict=True)):
        made = found or replace(measured[k].figures, content=digests[k])
        out.append(replace(made, stored_as=stored.setdefault(id(mesh.positions), k)))
    return out


def _parts(scene: Scene, order: list[int], placed: list[int], world: F64, flat: list[bool]) -> list[PartFigures]:
    upright = AXIS_INDEX[scene.up_axis or "Y"]
    coarse = links(scene, order, parents(scene), world)
    one = lambda i: part_figures(scene, i, world, upright, flat, coarse[i])
    small = len(placed) >= _MANY and all(len(mesh.positions) <= 3 * _SMALL for mesh in scene.meshes)
    return by_two(one, placed) if small else [one(i) for i in placed]
