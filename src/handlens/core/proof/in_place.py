"""Whether a model fits in the place of an earlier one: whatever a scene, a script or an animation holds on to by name or place is kept."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

import msgspec
import numpy as np

from ..formats.conform import alike_frame
from ..scene import Scene
from ..scene.axes import AXIS_INDEX
from ..scene.bounds import world_bounds
from ..scene.transforms import walk, world_matrices
from ..words.anchors import is_place, is_unnamed
from ..words.arrays import F64
from ..words.figures import turn
from ..words.lengths import metres

#: Off by which a pivot, a socket or a side of the box counts as kept: a share of the earlier model's size, and what anybody sees.
_SHARE, _LEAST_M, _DEGREES = 0.002, 0.0005, 0.5


class ReferenceCheck(msgspec.Struct, frozen=True):
    """One thing that others hold on to. broke: what no longer fits, in words; nothing where it is kept. count: things of it looked at."""

    what: str
    count: int
    broke: list[str]


class InPlace(msgspec.Struct, frozen=True):
    """fits: nothing broke. rows: names, pivots, size, slots, clips, sockets and joints, in that order."""

    fits: bool
    rows: list[ReferenceCheck]


def in_place(earlier: Scene, later: Scene) -> InPlace:
    """What of an earlier model others can rely on still holds in a later one. Lengths are told in metres, an unstated unit read as one.

    Things are met by name, as scenes and scripts meet them; those that share a name by their order.
    """
    a, b = alike_frame(earlier, later), later
    unit = b.unit_metres or a.unit_metres or 1.0
    both = _Both(a, b, unit)
    rows = [both.names(), both.pivots(), both.size(), both.slots(), both.clips(), both.sockets(), both.joints()]
    return InPlace(not any(row.broke for row in rows), rows)


class _Both:
    def __init__(self, a: Scene, b: Scene, unit: float) -> None:
        self.a, self.b, self.unit = a, b, unit
        self.nodes_a, self.nodes_b = _by_name(a), _by_name(b)
        self.world_a, self.world_b = world_matrices(a), world_matrices(b)
        box = world_bounds(a, self.world_a)
        size = 0.0 if box is None else float(np.linalg.norm(box[1] - box[0]))
        self.step = max(_SHARE * size, _LEAST_M / unit)

    def met(self, wanted: Iterable[int]) -> Iterator[tuple[str, int, int | None]]:
        """Name and number of nodes of the earlier model, each with that of the later one that takes its place."""
        keys = {i: k for k, i in self.nodes_a.items()}
        for i in wanted:
            yield keys[i][0], i, self.nodes_b.get(keys[i])

    def names(self) -> ReferenceCheck:
        parts = [i for i in walk(self.a) if self.a.nodes[i].mesh is not None]
        gone = [f"the part {name} is gone" for name, _, j in self.met(parts) if j is None or self.b.nodes[j].mesh is None]
        used_a, used_b = _used(self.a), _used(self.b)
        gone += [f"the material {name} is gone" for name in used_a if name and name not in used_b]
        joints = {j for skin in self.a.skins for j in skin.joints}
        # A place has a row of its own, and so have joints.
        others = [i for i in walk(self.a) if i not in joints and self._bare(i) and not is_place(self.a.nodes[i].name)]
        gone += [f"the node {name} is gone" for name, _, j in self.met(others) if j is None and not is_unnamed(name)]
        return ReferenceCheck("Names", len(parts) + len(used_a) + len(others), gone)

    def pivots(self) -> ReferenceCheck:
        nodes = [i for i in walk(self.a) if self.a.nodes[i].mesh is not None and self.a.nodes[i].skin is None]
        return ReferenceCheck("Pivots", len(nodes), [*self._moved(nodes, turned=False)])

    def sockets(self) -> ReferenceCheck:
        nodes = [i for i in walk(self.a) if self._bare(i) and is_place(self.a.nodes[i].name)]
        gone = [f"{name} is gone" for name, _, j in self.met(nodes) if j is None]
        return ReferenceCheck("Sockets", len(nodes), [*gone, *self._moved(nodes, turned=True)])

    def _bare(self, i: int) -> bool:
        n = self.a.nodes[i]
        return n.mesh is None and n.camera is None and n.light is None

    def _moved(self, nodes: list[int], turned: bool) -> Iterator[str]:
        for name, i, j in self.met(nodes):
            if j is None:
                continue
            way = float(np.linalg.norm(self.world_b[j][:3, 3] - self.world_a[i][:3, 3]))
            angle = _angle(self.world_a[i], self.world_b[j]) if turned else 0.0
            said = [f"stands {metres(way * self.unit)} off"] if not way <= self.step else []
            said += [f"is turned by {turn(angle)}"] if angle > _DEGREES else []
            if said:
                yield f"{name} {' and '.join(said)}"

    def size(self) -> ReferenceCheck:
        before, after = world_bounds(self.a, self.world_a), world_bounds(self.b, self.world_b)
        if before is None or after is None:
            return ReferenceCheck(
                "Size",
                int(before is not None),
                ["there is nothing to see any more"] if before is not None and after is None else [],
            )
        up = AXIS_INDEX[self.b.up_axis or "Y"]
        words = {up: "tall"} | dict(zip([k for k in range(3) if k != up], ("wide", "deep"), strict=True))
        broke = []
        for k in range(3):
            x, y = before[1][k] - before[0][k], after[1][k] - after[0][k]
            if abs(y - x) > max(self.step, 0.01 * x):
                broke.append(f"it is {metres(y * self.unit)} {words[k]} and was {metres(x * self.unit)}")
        base = after[0][up] - before[0][up]
        if abs(base) > self.step:
            broke.append(f"its base is {metres(abs(float(base)) * self.unit)} {'higher' if base > 0 else 'lower'}")
        return ReferenceCheck("Size", 3, broke)

    def slots(self) -> ReferenceCheck:
        broke, count = [], 0
        for name, i, j in self.met(i for i in walk(self.a) if self.a.nodes[i].mesh is not None):
            if j is None or self.b.nodes[j].mesh is None:
                continue
            was, now = _slots(self.a, i), _slots(self.b, j)
            count += len(was)
            if now[: len(was)] != was:
                k = next((k for k, x in enumerate(was) if k >= len(now) or now[k] != x), 0)
                broke.append(f"slot {k + 1} of {name} is {now[k] if k < len(now) else 'gone'} and was {was[k]}")
        return ReferenceCheck("Slot order", count, broke)

    def clips(self) -> ReferenceCheck:
        there = {clip.name for clip in self.b.clips}
        broke = [f"the clip {clip.name or '(without a name)'} is gone" for clip in self.a.clips if clip.name not in there]
        return ReferenceCheck("Clips", len(self.a.clips), broke)

    def joints(self) -> ReferenceCheck:
        nodes = sorted({j for skin in self.a.skins for j in skin.joints})
        still = {j for skin in self.b.skins for j in skin.joints}
        broke = [f"the joint {name} is gone" for name, _, j in self.met(nodes) if j not in still]
        bound = [i for i in walk(self.a) if self.a.nodes[i].mesh is not None and self.a.nodes[i].skin is not None]
        broke += [
            f"{name} is bound to no joint any more"
            for name, _, j in self.met(bound)
            if j is not None and self.b.nodes[j].skin is None
        ]
        return ReferenceCheck("Joints", len(nodes) + len(bound), broke)


def _by_name(scene: Scene) -> dict[tuple[str, int], int]:
    """Nodes by name and by which of that name they are, in the order of the tree."""
    seen: Counter[str] = Counter()
    out = {}
    for i in walk(scene):
        name = scene.part_name(i)
        out[name, seen[name]] = i
        seen[name] += 1
    return out


def _used(scene: Scene) -> list[str]:
    """Names of the materials that faces use, each once."""
    used = {slot_material for mesh in scene.meshes for slot_material in mesh.slot_materials if slot_material >= 0}
    return list(dict.fromkeys(scene.materials[m].name for m in sorted(used)))


def _slots(scene: Scene, node: int) -> list[str]:
    mesh = scene.meshes[scene.nodes[node].mesh or 0]
    return [scene.materials[slot_material].name if slot_material >= 0 else "bare" for slot_material in mesh.slot_materials]


def _angle(a: F64, b: F64) -> float:
    """Degrees between the turns of two (4, 4) matrices, by their axes; 0 where one has none."""
    with np.errstate(all="ignore"):
        x, y = a[:3, :3] / np.linalg.norm(a[:3, :3], axis=0), b[:3, :3] / np.linalg.norm(b[:3, :3], axis=0)
        cosine = (x * y).sum(axis=0)
    return float(np.degrees(np.arccos(np.clip(cosine, -1, 1)).max())) if np.isfinite(cosine).all() else 0.0
