"""The heron's skeleton, weights and clips, with what is wrong with them on purpose."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
from handlens.core.scene import Channel, Clip, Mesh, Node, Skin
from handlens.core.scene.transforms import world_matrices
from handlens.core.scene.weighing import with_rows

PREFIX = "quay:"
#: Joints by name: the one that each hangs on, and where it stands in metres, Y up, looking along X.
JOINTS: dict[str, tuple[str | None, tuple[float, float, float]]] = {
    "root": (None, (0.0, 0.40, 0.0)),
    "spine": ("root", (-0.02, 0.45, 0.0)),
    "neck_1": ("spine", (0.17, 0.53, 0.0)),
    "neck_2": ("neck_1", (0.245, 0.68, 0.0)),
    "head": ("neck_2", (0.235, 0.88, 0.0)),
    "tail": ("spine", (-0.20, 0.36, 0.0)),
    "wing_l": ("spine", (0.08, 0.47, -0.07)),
    "wing_r": ("spine", (0.08, 0.47, 0.07)),
    "leg_l": ("root", (0.02, 0.385, -0.045)),
    "shin_l": ("leg_l", (-0.02, 0.22, -0.045)),
    "foot_l": ("shin_l", (0.01, 0.02, -0.045)),
    "leg_r": ("root", (0.02, 0.385, 0.045)),
    "shin_r": ("leg_r", (-0.02, 0.22, 0.045)),
    "foot_r": ("shin_r", (0.01, 0.02, 0.045)),
}
NAMES = list(JOINTS)
#: Which joints may carry a part, by side where it has two.
CARRIES = {
    "body": ("root", "spine", "tail", "neck_1"),
    "wings": ("spine", "wing_"),
    "neck": ("spine", "neck_1", "neck_2", "head"),
    "crest": ("head", "neck_2"),
    "bill": ("head", "neck_2"),
    "legs": ("root", "leg_", "shin_", "foot_"),
}
#: What is wrong: vertices of the left wing without a weight, vertices of the neck that six joints carry, the neck's old pose.
BARE, CROWDED, BENT = 40, 24, 0.107


def place(name: str, low: float, up: np.ndarray) -> np.ndarray:
    """Where a joint stands in the frame that the heron was drawn in, Z up."""
    return (np.array(JOINTS[name][1]) - [0, low, 0]) @ up.T


def skinned(meshes: tuple[Mesh, ...], low: float, up: np.ndarray) -> tuple[Mesh, ...]:
    """The meshes with weights, by how near each vertex lies to the bones that may carry its part."""
    return tuple(replace(m, weights=_weights(m, low, up)) for m in meshes)


def _weights(m: Mesh, low: float, up: np.ndarray):
    points = m.positions @ up + [0, low, 0]  # back to Y up
    shares = np.zeros((len(points), len(NAMES)))
    for k, name in enumerate(NAMES):
        allowed = CARRIES[m.name]
        if not any(name == a or (a.endswith("_") and name.startswith(a)) for a in allowed):
            continue
        side = {"l": points[:, 2] < 0, "r": points[:, 2] > 0}.get(name.rpartition("_")[2], np.ones(len(points), bool))
        tip = next((JOINTS[n][1] for n in NAMES if JOINTS[n][0] == name and n != "tail"), JOINTS[name][1])
        away = _to_bone(points, np.array(JOINTS[name][1]), np.array(tip))
        shares[:, k] = np.where(side, 1 / (away + 0.012) ** 4, 0)
    # Four at most, none lighter than a twentieth.
    order = np.argsort(-shares, axis=1)
    np.put_along_axis(shares, order[:, 4:], 0, axis=1)
    shares /= shares.sum(axis=1, keepdims=True)
    shares[shares < 0.05] = 0
    shares /= shares.sum(axis=1, keepdims=True)
    if m.name == "neck":
        names = ("spine", "neck_1", "neck_2", "root", "wing_l", "wing_r")
        rows = np.argsort(points[:, 1], kind="stable")[:CROWDED]
        shares[rows] = 0
        for name, share in zip(names, (0.36, 0.34, 0.12, 0.08, 0.05, 0.05), strict=True):
            shares[rows, NAMES.index(name)] = share
    if m.name == "wings":
        left = np.flatnonzero(points[:, 2] < 0)
        shares[left[np.argsort(-points[left, 0], kind="stable")[22 : 22 + BARE]]] = 0
    vertex, joint = np.nonzero(shares)
    return with_rows(len(points), vertex, joint, shares[vertex, joint])


def _to_bone(points: np.ndarray, a: np.ndarray, b: np.ndarray) -> np.ndarray:
    way = b - a
    along = np.clip((points - a) @ way / max(float(way @ way), 1e-12), 0, 1)
    return np.linalg.norm(points - a - along[:, None] * way, axis=1)


def rigged(scene, low: float, up: np.ndarray):
    """The scene with joints under its rig, all parts but the satchel bound to them, the neck posed since, and two clips."""
    first = len(scene.nodes)
    at = {n: first + k for k, n in enumerate(NAMES)}
    nodes = list(scene.nodes)
    for name, (above, _) in JOINTS.items():
        here = place(name, low, up)
        there = place(above, low, up) if above else np.zeros(3)
        below = tuple(at[n] for n in NAMES if JOINTS[n][0] == name)
        nodes.append(Node(f"node:{at[name]}", PREFIX + name, translation=tuple((here - there).tolist()), children=below))
    nodes[0] = replace(nodes[0], children=(*nodes[0].children, at["root"]))
    for k, n in enumerate(nodes):
        if n.mesh is not None and n.name != "satchel":
            nodes[k] = replace(n, skin=0)
    bound = scene.with_(nodes=tuple(nodes))
    joints = tuple(at[n] for n in NAMES)
    home = np.linalg.inv(world_matrices(bound)[0])
    inverse = np.linalg.inv(home @ world_matrices(bound)[list(joints)])
    # Bound upright; then somebody bent the neck forward and left it so.
    nodes[at["neck_1"]] = replace(nodes[at["neck_1"]], rotation=_about_y(BENT))
    return bound.with_(
        nodes=tuple(nodes), skins=(Skin("skin:0", "heron_bones", joints, inverse, at["root"]),), clips=(_wade(at), _old_pose(at))
    )


def _about_y(angle: float) -> tuple[float, float, float, float]:
    """A turn about the axis across the bird, which is -Y in the frame that it was drawn in."""
    return (0.0, float(np.sin(angle / 2)), 0.0, float(np.cos(angle / 2)))


def _turns(at: dict[str, int], name: str, times, angles) -> Channel:
    return Channel(at[name], "rotation", np.array(times, np.float32), np.array([_about_y(a) for a in angles], np.float32))


def _wade(at: dict[str, int]) -> Clip:
    """One slow stride on the spot: legs swing against each other, the neck nods, the body sinks a little at each step."""
    t = np.linspace(0, 1.6, 9)
    phase = 2 * np.pi * t / 1.6
    swing = 0.32 * np.sin(phase)
    knee = 0.5 * np.maximum(np.sin(phase + 0.9), 0)
    other = 0.5 * np.maximum(np.sin(phase + 0.9 + np.pi), 0)
    base = np.array([0.0, 0.0, 0.0])
    rise = 0.008 * np.cos(2 * phase)
    return Clip(
        "clip:0",
        "wade",
        (
            _turns(at, "leg_l", t, swing),
            _turns(at, "shin_l", t, knee),
            _turns(at, "leg_r", t, -swing),
            _turns(at, "shin_r", t, other),
            _turns(at, "neck_2", t, 0.06 * np.sin(2 * phase)),
            _turns(at, "head", t, -0.06 * np.sin(2 * phase)),
            Channel(
                at["spine"],
                "translation",
                t.astype(np.float32),
                np.array([base + _SPINE + [0, 0, r] for r in rise], np.float32),
            ),
        ),
    )


#: From the root to the spine in the frame that the heron was drawn in.
_SPINE = np.array([-0.02, 0.0, 0.05])


def _old_pose(at: dict[str, int]) -> Clip:
    """What was left on the time line: the bent neck, in two equal keys."""
    return Clip("clip:1", "rig_pose", (_turns(at, "neck_1", (0.0, 1 / 24), (BENT, BENT)),))
