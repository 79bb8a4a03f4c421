"""Facing and the walk-round test of a whole scene, as records."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence

import numpy as np

from ..geometry.holes import Holes
from ..geometry.patches import Patches
from ..scene import Scene
from ..scene.axes import AXIS_INDEX
from ..scene.generated import ROLE, property_text
from ..scene.matrices import apply
from ..scene.skinning import joint_matrices
from ..scene.transforms import walk, world_matrices
from ..words.arrays import Array, Bool
from .facing import (
    PARTS_UP_TO,
    TRIANGLES_UP_TO,
    Facing,
    Placed,
    Side,
    facing,
    part_frame,
    placed_parts,
    plainly_outward,
    ray_scene,
)
from .records import FacingFigures, SideFigures, WalkFigures
from .walk_round import DIRECTIONS, walk_round


def too_many(scene: Scene) -> bool:
    """Whether a scene has more triangles, over all instances, than rays are cast against, or more parts than are judged."""
    counts = [scene.meshes[n.mesh].triangle_count for i in walk(scene) if (n := scene.nodes[i]).mesh is not None]
    return sum(counts) > TRIANGLES_UP_TO or len(counts) > PARTS_UP_TO


def facing_key(scene: Scene, contents: Sequence[str]) -> str:
    """Digest of everything that facing depends on: what each mesh holds, where it stands, and which faces are drawn twice."""
    digest = hashlib.sha256(repr(list(contents)).encode())
    world = world_matrices(scene)
    for i in walk(scene):
        n = scene.nodes[i]
        if n.mesh is not None:
            digest.update(f"{i} {n.mesh} {_slots_both(scene, n.mesh)} {property_text(n, ROLE)}".encode())
            digest.update(np.ascontiguousarray(world[i]).tobytes())
            if n.skin is not None:
                digest.update(np.ascontiguousarray(joint_matrices(scene.skins[n.skin], world)).tobytes())
    return digest.hexdigest()


def look(
    scene: Scene, patches: dict[int, Patches], holes: dict[int, Holes], arrays: dict[str, Array]
) -> tuple[list[FacingFigures], WalkFigures | None]:
    """Judge the facing of every part and walk round the model. Element arrays go into `arrays` under "part:<node>:…".

    arrays: element lists by key, to which its own are added, (n,) int32 each.
    """
    parts = placed_parts(scene, patches)
    if not parts:
        return [], None
    area = plainly_outward(parts)
    rays = ray_scene(parts) if area is None else None
    both = [drawn_both(scene, part) for part in parts]
    upright = AXIS_INDEX[scene.up_axis or "Y"]
    figures = [_record(part, f, b, arrays) for part, f, b in zip(parts, facing(parts, rays, area, upright), both, strict=True)]
    if rays is None:
        return figures, WalkFigures(0, 0, 0, None, 0.0, 0, [], {})
    world = world_matrices(scene)
    middles = [apply(part_frame(scene, part.node, world), holes[_mesh_number(scene, part)].middles) for part in parts]
    owner = np.repeat([part.node for part in parts], [len(middle) for middle in middles])
    seen = walk_round(parts, rays, both, np.concatenate(middles))
    worst = None if seen.worst is None else seen.worst.tolist()
    through = sorted({int(n) for n in owner[seen.open_holes]})
    return figures, WalkFigures(
        DIRECTIONS,
        seen.rays,
        seen.backs,
        worst,
        seen.worst_share,
        len(owner),
        through,
        {parts[k].node: n for k, n in seen.backs_of.items()},
    )


def drawn_both(scene: Scene, placed: Placed) -> Bool:
    """(F,) bool: faces whose material is drawn from both sides."""
    mesh = placed.mesh
    if not len(mesh.slots):
        return np.zeros(mesh.face_count, bool)
    slot = np.array(_slots_both(scene, _mesh_number(scene, placed)) or [False])
    return slot[mesh.slots]


def _mesh_number(scene: Scene, placed: Placed) -> int:
    number = scene.nodes[placed.node].mesh
    assert number is not None
    return number


def _slots_both(scene: Scene, mesh: int) -> list[bool]:
    return [
        slot_material >= 0 and bool(scene.materials[slot_material].double_sided)
        for slot_material in scene.meshes[mesh].slot_materials
    ]


def _record(placed: Placed, facing: Facing, both: Bool, arrays: dict[str, Array]) -> FacingFigures:
    for name, found in (
        ("out", facing.outside.turned),
        ("in", facing.inside.turned),
        ("floor", facing.outside.floors),
        ("both", facing.both[~both[facing.both]]),
        ("unseen", facing.hidden),
    ):
        if len(found):
            arrays[f"part:{placed.node}:{name}"] = found
    hidden = np.zeros(placed.mesh.face_count, bool)
    hidden[facing.hidden] = True
    return FacingFigures(
        placed.node,
        _side(facing.outside, both),
        _side(facing.inside, both),
        int((~both[facing.both]).sum()),
        len(facing.hidden),
        int(hidden[placed.face].sum()),
        facing.sampled,
    )


def _side(side: Side, both: Bool) -> SideFigures:
    return SideFigures(
        len(side.turned),
        int(both[side.turned].sum()),
        side.wrong,
        side.judged,
        side.undecided,
        side.hidden,
        side.confidence,
        side.met,
        len(side.floors),
    )
