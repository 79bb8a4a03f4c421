"""Where joints were when a skin was bound, against where they rest now."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..words.arrays import F64, I64, Array, Bool
from .model import Scene, Skin

#: Joints that are tried for the frame of the mesh, and how near another must be to agree with it.
_TRIED = 64
_AGREES = 1e-4
#: A matrix whose determinant is under this share of what its columns could make is flat.
_FLAT = 1e-9


def bound_at(skin: Skin) -> F64:
    """(J, 4, 4) the joints as they were bound, in the frame of the mesh: the inverses of the bind matrices."""
    if skin.inverse_bind is None:
        return np.tile(np.eye(4), (len(skin.joints), 1, 1))
    with np.errstate(all="ignore"):
        sound = np.asarray(np.isfinite(skin.inverse_bind).all(axis=(1, 2)))
        return np.asarray(np.linalg.pinv(np.where(sound[:, None, None], skin.inverse_bind, np.eye(4))))


def placings(scene: Scene, world: F64) -> list[F64]:
    """(4, 4) for each skin the matrix that its mesh was placed by when it was bound, as its joints say.

    At the pose of binding World · InverseBind is the same for all joints, namely the way from the mesh's frame to the world. Where
    joints were posed since, it is taken from those that were not: where a node that shows the skin stands, if a joint agrees with it;
    else where the topmost joint says, if another agrees; else as most say.
    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    shown: dict[int, list[int]] = {}
    for i, n in enumerate(scene.nodes):
        if n.skin is not None:
            shown.setdefault(n.skin, []).append(i)
    out = []
    for k, skin in enumerate(scene.skins):
        joints = world[np.array(skin.joints, np.int64)].reshape(-1, 4, 4)
        matrices = joints if skin.inverse_bind is None else joints @ skin.inverse_bind
        out.append(placed_by(matrices, [world[i] for i in shown.get(k, [])[:_TRIED]]))
    return out


def placed_by(matrices: F64, hints: Sequence[F64] = ()) -> F64:
    """(4, 4) the one of (J, 4, 4) matrices that the others were before some were moved: one that a hint agrees with, else the first
    if another agrees with it, else that with which most agree. The identity where none is sound.

    matrices: (J, 4, 4) float64.
    hints: (4, 4) float64 each, the likeliest first.
    """
    good = np.flatnonzero(np.isfinite(matrices).all(axis=(1, 2)) & (np.abs(np.linalg.det(matrices[:, :3, :3])) > 0))
    if not len(good):
        return np.eye(4)
    sound = matrices[good]
    size = np.abs(sound).max(axis=(1, 2))
    agreeing = lambda m: np.abs(sound - m).max(axis=(1, 2)) <= _AGREES * np.maximum(size, np.abs(m).max())
    for hint in hints:
        if (near := agreeing(hint)).any():
            return np.asarray(sound[int(np.argmax(near))])
    if np.count_nonzero(agreeing(sound[0])) > 1:
        return np.asarray(sound[0])
    tried = sound[np.unique(np.linspace(0, len(sound) - 1, min(len(sound), _TRIED)).astype(np.int64))]
    return np.asarray(tried[int(np.argmax([np.count_nonzero(agreeing(m)) for m in tried]))])


def departures(world: F64, skin: Skin, placing: F64) -> tuple[F64, F64]:
    """(J,) how far each joint rests from where it was bound, in the world's units, and (J,) by how many degrees it is turned.

    placing: the mesh's frame in the world when it was bound, as `placed_by` has it. Scale counts for nothing: a joint may be drawn at
    any size.
    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    if not skin.joints:
        return np.zeros(0), np.zeros(0)
    now, then = world[np.array(skin.joints, np.int64)], placing @ bound_at(skin)
    with np.errstate(all="ignore"):
        away = np.linalg.norm(now[:, :3, 3] - then[:, :3, 3], axis=1)
        angle = turn_between(then[:, :3, :3], now[:, :3, :3])
    return np.nan_to_num(away, posinf=0.0), np.nan_to_num(angle)


def own_departures(world: F64, skin: Skin, placing: F64, up: I64) -> tuple[F64, F64]:
    """As `departures`, each joint against the one above it, so that what only hangs on a joint that was moved counts as still.

    up: (J,) position in the skin of the joint above, -1 for a top one, which is told as `departures` has it.
    world: (N, 4, 4) float64 world matrices of all nodes.
    placing: (4, 4) float64, as `placed_by` has it.
    """
    away, angle = departures(world, skin, placing)
    below = np.flatnonzero(np.asarray(up) >= 0)
    if not len(below):
        return away, angle
    above = np.asarray(up)[below]
    now, then = world[np.array(skin.joints, np.int64)], placing @ bound_at(skin)
    with np.errstate(all="ignore"):
        rel_now, rel_then = (np.linalg.pinv(np.nan_to_num(x[above], posinf=0, neginf=0)) @ x[below] for x in (now, then))
        sizes = np.cbrt(np.abs(np.linalg.det(now[above, :3, :3])))
        away[below] = np.nan_to_num(np.linalg.norm(rel_now[:, :3, 3] - rel_then[:, :3, 3], axis=1) * sizes, posinf=0.0)
        angle[below] = np.nan_to_num(turn_between(rel_then[:, :3, :3], rel_now[:, :3, :3]))
    return away, angle


def stretches(world: F64, skin: Skin, placing: F64) -> F64:
    """(J, 3) by what each joint is longer along its own axes than when it was bound, 1 where nothing can be told.

    placing: as `departures` has it.
    world: (N, 4, 4) float64 world matrices of all nodes.
    """
    if not skin.joints:
        return np.ones((0, 3))
    now, then = world[np.array(skin.joints, np.int64)], placing @ bound_at(skin)
    with np.errstate(all="ignore"):
        out = np.linalg.norm(now[:, :3, :3], axis=1) / np.linalg.norm(then[:, :3, :3], axis=1)
    return np.where(np.isfinite(out) & (out > 0), out, 1.0)


def singular(skin: Skin) -> Bool:
    """(J,) bool: bind matrices that turn a surface flat, that hold no numbers, or whose last row is not 0, 0, 0, 1."""
    if skin.inverse_bind is None:
        return np.zeros(len(skin.joints), bool)
    inverse = skin.inverse_bind
    linear = inverse[:, :3, :3]
    with np.errstate(all="ignore"):
        possible = np.prod(np.linalg.norm(linear, axis=1), axis=1)
        flat = np.abs(np.linalg.det(linear)) <= _FLAT * possible
        answer: Bool = ~np.isfinite(inverse).all(axis=(1, 2)) | flat | (np.abs(inverse[:, 3] - [0, 0, 0, 1]).max(axis=1) > 1e-4)
        return answer


def turn_between(before: F64, after: F64) -> F64:
    """(n,) degrees between the turns of two sets of (n, 3, 3) linear parts.

    before, after: (n, 3, 3) float64.
    """
    with np.errstate(all="ignore"):
        turn = _turns(after) @ _turns(before).transpose(0, 2, 1)
        axis = [turn[:, 2, 1] - turn[:, 1, 2], turn[:, 0, 2] - turn[:, 2, 0], turn[:, 1, 0] - turn[:, 0, 1]]
        # By atan2, which stays exact at no turn and at half a one.
        answer: Array = np.degrees(
            np.arctan2(np.linalg.norm(np.stack(axis, axis=1), axis=1) / 2, (np.trace(turn, axis1=1, axis2=2) - 1) / 2)
        )
        return answer


def _turns(linear: F64) -> F64:
    """(n, 3, 3) the rotations nearest to linear parts, by their singular values (polar decomposition)."""
    sound = np.asarray(np.isfinite(linear).all(axis=(1, 2)))
    u, _, vt = np.linalg.svd(np.where(sound[:, None, None], linear, np.eye(3)))
    return np.asarray(u @ vt)
