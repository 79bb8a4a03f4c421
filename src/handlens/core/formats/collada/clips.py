"""COLLADA animation into clips of translation, rotation and scale (1.4.1, chapter 5, `animation`, `channel`, `sampler`).

A channel drives one transform element of a node, or one number in it. For each driven node all of its elements are
evaluated at every key of any of them, multiplied out and taken apart again.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ...limits import plural
from ...scene import Channel, Clip, Problem
from ...scene.matrices import decompose
from ...scene.model import frozen
from ...words.arrays import F64
from ..shared.xml import Element, Numbers
from .mesh import Sources
from .messages import say
from .transforms import product

_MEMBERS = {"X": 0, "Y": 1, "Z": 2, "W": 3, "ANGLE": 3, "R": 0, "G": 1, "B": 2, "A": 3}
_PATHS = ("translation", "rotation", "scale")
_KEYS = {"translate": {"translation"}, "rotate": {"rotation"}, "scale": {"scale"}}


@dataclass
class _Curve:
    node: int
    transform: int
    #: Which numbers of the transform element are driven; all of them for None.
    member: int | None
    times: F64
    values: F64


def read_clips(
    root: Element, by_id: dict[str, Element], drafts: Sequence[Any], numbers: Numbers, problems: list[Problem]
) -> tuple[Clip, ...]:
    """Clips as `library_animation_clips` groups the animations, or all of them as one."""
    animations = [e for library in root.findall("library_animations") for e in library.findall("animation")]
    reader = _Reader(by_id, drafts, numbers)
    clips = [c for library in root.findall("library_animation_clips") for c in library.findall("animation_clip")]
    out: list[Clip] = []
    for clip in clips:
        named = [by_id.get((e.get("url") or "").lstrip("#")) for e in clip.findall("instance_animation")]
        channels = reader.channels([e for e in named if e is not None and e.tag == "animation"])
        out.append(Clip(f"clip:{len(out)}", clip.get("name") or clip.get("id"), channels))
    if not clips and animations:
        channels = reader.channels(animations)
        if channels:
            out.append(Clip("clip:0", animations[0].get("name") if len(animations) == 1 else None, channels))
    if reader.lost:
        problems.append(
            Problem(
                "clip",
                say("collada.drives-no-node", lost=reader.lost),
                "animation",
            )
        )
    if reader.unordered:
        text = (
            f"{plural(reader.unordered, 'channel has', 'channels have')} keys whose times run backward; they were put in order."
        )
        problems.append(Problem("clip", text, "animation"))
    if reader.curved:
        problems.append(
            Problem(
                "not-carried",
                say("collada.curved-tangents", curved=reader.curved),
            )
        )
    return tuple(out)


class _Reader:
    def __init__(self, by_id: dict[str, Element], drafts: Sequence[Any], numbers: Numbers) -> None:
        self.by_id, self.drafts, self.numbers = by_id, drafts, numbers
        self.nodes = {d.key: i for i, d in reversed(list(enumerate(drafts))) if d.key}
        self.lost = self.curved = self.unordered = 0

    def channels(self, animations: list[Element]) -> tuple[Channel, ...]:
        curves: dict[int, list[_Curve]] = {}
        for animation in animations:
            for owner in animation.iter("animation"):
                for channel in owner.findall("channel"):
                    curve = self.curve(owner, channel)
                    if curve is None:
                        self.lost += 1
                    elif len(curve.times):
                        curves.setdefault(curve.node, []).append(curve)
        return tuple(c for node, own in curves.items() for c in self.of_node(node, own))

    def curve(self, owner: Element, channel: Element) -> _Curve | None:
        # node/sid, node/sid.MEMBER or node/sid(i)(j): chapter 3, "Address syntax".
        target = re.fullmatch(r"([^/]+)/([^.(]+)(?:\.(\w+)|\((\d+)\)(?:\((\d+)\))?)?", (channel.get("target") or "").strip())
        sampler = self.by_id.get((channel.get("source") or "").lstrip("#"))
        if target is None or sampler is None or sampler.tag != "sampler" or target[1] not in self.nodes:
            return None
        node = self.nodes[target[1]]
        found = next((k for k, transform in enumerate(self.drafts[node].transforms) if transform[0] == target[2]), None)
        if found is None:
            return None
        _, current = self.drafts[node].transforms[found][1:]
        member: int | None = None
        if target[3]:
            if target[3] not in _MEMBERS:
                return None
            member = _MEMBERS[target[3]]
        elif target[4]:
            member = int(target[4]) if target[5] is None else int(target[4]) + 4 * int(target[5])
        if member is not None and member >= len(current):
            return None
        sources = Sources(owner, lambda url, tag: self.by_id.get((url or "").lstrip("#")), self.numbers)
        places = {e.get("semantic"): e.get("source") for e in sampler.findall("input")}
        times = sources.floats(places.get("INPUT"), 1)[:, 0]
        values = sources.floats(places.get("OUTPUT"), 1)
        width = 1 if member is not None else len(current)
        if values.shape[1] != width or len(values) != len(times) or not np.isfinite(times).all():
            return None
        self.curved += any(w in ("BEZIER", "HERMITE", "BSPLINE", "CARDINAL") for w in sources.names(places.get("INTERPOLATION")))
        self.unordered += bool((np.diff(times) < 0).any())
        order = np.argsort(times, kind="stable")
        return _Curve(node, found, member, times[order], values[order])

    def of_node(self, node: int, curves: list[_Curve]) -> list[Channel]:
        """Channels of a node at the union of its curves' keys."""
        transforms = self.drafts[node].transforms
        times = np.unique(np.concatenate([curve.times for curve in curves]))
        poses = np.empty((len(times), 10))
        changed: set[str] = set()
        for curve in curves:
            changed |= _KEYS.get(transforms[curve.transform][1], set(_PATHS))
        for k, time in enumerate(times):
            now = [(sid, kind, values.copy()) for sid, kind, values in transforms]
            for curve in curves:
                target = now[curve.transform][2]
                if curve.member is None:
                    target[:] = [np.interp(time, curve.times, curve.values[:, j]) for j in range(len(target))]
                else:
                    target[curve.member] = np.interp(time, curve.times, curve.values[:, 0])
            move, turn, size = decompose(product(now))
            poses[k] = [*move, *turn, *size]
        # The same turn as a quaternion and as its negative: the nearer one, so that nothing spins the long way.
        for k in range(1, len(times)):
            if poses[k, 3:7] @ poses[k - 1, 3:7] < 0:
                poses[k, 3:7] *= -1
        columns = {"translation": slice(0, 3), "rotation": slice(3, 7), "scale": slice(7, 10)}
        stamps = frozen(times.astype(np.float32))
        return [Channel(node, p, stamps, frozen(poses[:, columns[p]].astype(np.float32))) for p in _PATHS if p in changed]
