"""The pull test: one joint is turned, and each vertex is followed. Worked out from the display copy, so that no file is read again."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np

from ..geometry.sums import sums_by
from ..machine.sections import Opened
from ..scene.matrices import compose
from ..words.arrays import F64, Array

#: A side of a face tears where it becomes this many times as long, and is crushed where so many times as short.
TEARS, CRUSHED = 2.0, 0.25
#: Vertices that move less than this share of the model's size stay.
_STAYS = 1e-4
#: Sides that are sent to be marked, the worst first.
MOST_MARKED = 5_000


class PulledPart(msgspec.Struct, frozen=True):
    """A part under a pull. come, stay: vertices that move and that do not. torn: sides of faces that tear or are crushed; worst: the
    greatest stretch, least: the smallest. edges: pairs of stored vertices of torn sides, the worst first.
    """

    node: int
    name: str
    come: int
    stay: int
    torn: int
    worst: float
    least: float
    edges: list[int]


def pulled(full: bytes, joint: int, turn: tuple[float, float, float, float]) -> list[PulledPart]:
    """Every skinned part that a joint's skin holds, with the joint turned about its own axes by a quaternion x, y, z, w.

    Stretch is the length of a side after the turn over that at rest; sides of no length at rest are left out. Source of the formula:
    linear blend skinning, glTF 2.0 §3.7.3.3; the limits are common practice, no published source.
    """
    opened = Opened(full)
    rig = opened.header.get("rig")
    if rig is None or not any(n["node"] == joint for n in rig["nodes"]):
        return []
    rest, now = _worlds(rig, None, None), _worlds(rig, joint, np.array(turn, np.float64))
    low, high = (np.array(opened.header["bounds"][k]) for k in ("min", "max"))
    size = max(float(np.linalg.norm(high - low)), 1e-12)
    out = []
    for part in opened.header["parts"]:
        mesh = opened.header["meshes"][part["mesh"]]
        if part.get("skin") is None or "bound" not in mesh or joint not in _chain(rig, rig["skins"][part["skin"]]["joints"]):
            continue
        a, b = (_stood(opened, rig, part, mesh, w) for w in (rest, now))
        out.append(_part(opened, part, mesh, a, b, size))
    return out


def _chain(rig: dict[str, Any], joints: list[int]) -> set[int]:
    """Joints, and every node above one."""
    up = {n["node"]: n["up"] for n in rig["nodes"]}
    out: set[int] = set()
    for j in joints:
        while j >= 0 and j not in out:
            out.add(j)
            j = up.get(j, -1)
    return out


def _worlds(rig: dict[str, Any], joint: int | None, turn: F64 | None) -> dict[int, Array]:
    root = np.array(rig["root"]).reshape(4, 4).T
    out: dict[int, Array] = {}
    for n in rig["nodes"]:
        local = np.array(n["m"]).reshape(4, 4).T if "m" in n else compose(n["t"], n["q"], n["s"])
        if n["node"] == joint and turn is not None:
            local = local @ compose((0, 0, 0), tuple(turn), (1, 1, 1))
        out[n["node"]] = (out[n["up"]] if n["up"] >= 0 else root) @ local
    return out


def _stood(opened: Opened, rig: dict[str, Any], part: dict[str, Any], mesh: dict[str, Any], worlds: dict[int, Array]) -> F64:
    """(V, 3) where the drawn vertices of a skinned part stand."""
    skin, j = rig["skins"][part["skin"]], mesh["joints"]
    inverse = opened.array(skin["inverse"], np.float64).reshape(-1, 4, 4).transpose(0, 2, 1)
    matrices = np.stack([worlds[x] for x in skin["joints"]]) @ inverse
    points = opened.array(mesh["bound"]["positions"], np.float32).reshape(-1, 3) + np.array(mesh["bound"]["centre"])
    starts = opened.array(j["starts"], np.uint32).astype(np.int64)
    joint, weight = opened.array(j["joint"], np.uint16), opened.array(j["weight"], np.uint16) / 65_535
    owner = np.repeat(np.arange(len(points)), np.diff(starts))
    out = np.zeros((len(points), 3))
    each = (np.einsum("eij,ej->ei", matrices[joint][:, :3, :3], points[owner]) + matrices[joint][:, :3, 3]) * weight[:, None]
    for axis in range(3):
        out[:, axis] = sums_by(owner, each[:, axis], len(points))
    bare = np.diff(starts) == 0
    own = worlds[part["node"]]
    out[bare] = points[bare] @ own[:3, :3].T + own[:3, 3]
    return out


def _part(opened: Opened, part: dict[str, Any], mesh: dict[str, Any], a: F64, b: F64, size: float) -> PulledPart:
    vertex = opened.array(mesh["vertex"], np.uint32).astype(np.int64)
    _, first = np.unique(vertex, return_index=True)
    moved = np.linalg.norm(b - a, axis=1)[first] > _STAYS * size
    index = opened.array(mesh["index"], np.uint32).reshape(-1, 3).astype(np.int64)
    sides = np.concatenate([index[:, [0, 1]], index[:, [1, 2]], index[:, [2, 0]]])
    stored = np.sort(vertex[sides], axis=1)
    _, once = np.unique(stored, axis=0, return_index=True)
    sides, stored = sides[once], stored[once]
    before = np.linalg.norm(a[sides[:, 0]] - a[sides[:, 1]], axis=1)
    after = np.linalg.norm(b[sides[:, 0]] - b[sides[:, 1]], axis=1)
    long = before > 1e-9 * size
    stretch = np.where(long, after / np.where(long, before, 1.0), 1.0)
    torn = np.flatnonzero((stretch > TEARS) | (stretch < CRUSHED))
    order = torn[np.argsort(-np.maximum(stretch[torn], 1 / np.maximum(stretch[torn], 1e-12)), kind="stable")][:MOST_MARKED]
    return PulledPart(
        part["node"],
        part["name"],
        int(np.count_nonzero(moved)),
        int(np.count_nonzero(~moved)),
        len(torn),
        float(stretch.max(initial=1.0)),
        float(stretch.min(initial=1.0)),
        stored[order].reshape(-1).tolist(),
    )
