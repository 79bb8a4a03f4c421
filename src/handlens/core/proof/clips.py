"""Clips: each channel by the node and the property that it drives, sampled at every key of both and between them, in seconds."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..scene import Channel, Clip
from ..scene.motion import moments, sample
from ..words.arrays import Array
from .compared import Compared
from .pairing import pair_by
from .rows import Row, counted, differs, listed, same
from .tolerances import MOTION, SECONDS
from .words import degrees, figure, length

GROUP = "Skin and motion"


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of clips."""
    a, b = compared.a.clips, compared.b.clips
    if not a and not b:
        return
    found = dict(pair_by([x.name or "" for x in a], [y.name or "" for y in b]))
    there = set(found.values())
    rest = [i for i in range(len(a)) if i not in found], [j for j in range(len(b)) if j not in there]
    found |= dict(zip(*rest, strict=False))
    gone = [a[i].name or "one without a name" for i in range(len(a)) if i not in found]
    if gone or len(a) != len(b):
        yield differs(
            GROUP, "Clips", f"{len(a):,}", f"{len(b):,}", f"gone: {listed(gone)}" if gone else f"{len(b) - len(a):,} new"
        )
    else:
        yield counted(GROUP, "Clips", [len(a), len(b)])
    renamed = [(a[i].name or "", b[j].name or "") for i, j in sorted(found.items()) if (a[i].name or "") != (b[j].name or "")]
    if renamed:
        yield differs(GROUP, "Names of clips", renamed[0][0] or "none", renamed[0][1] or "none", f"{len(renamed):,} renamed")
    for i, j in sorted(found.items()):
        yield from _clip(compared, a[i], b[j])


def _clip(compared: Compared, a: Clip, b: Clip) -> Iterator[Row]:
    name = f"Clip {a.name}" if a.name else "Clip without a name"
    seconds = f"{a.seconds:.3f} s", f"{b.seconds:.3f} s"
    if abs(a.seconds - b.seconds) > SECONDS:
        yield differs(GROUP, f"{name}: length", *seconds, f"{abs(a.seconds - b.seconds):.3f} s")
    there = lambda x: -2 if x.node is None else compared.nodes.get(x.node, -1)
    mine, theirs = [(there(x), x.path) for x in a.channels], [(-2 if y.node is None else y.node, y.path) for y in b.channels]
    pairs = pair_by(mine, theirs)
    met = {x for x, _ in pairs}, {y for _, y in pairs}
    words = lambda s, x: f"{x.path} of {'nothing' if x.node is None else s.part_name(x.node)}"
    gone = [words(compared.a, x) for k, x in enumerate(a.channels) if k not in met[0]]
    came = [words(compared.b, y) for k, y in enumerate(b.channels) if k not in met[1]]
    if gone or came:
        told = [f"gone: {listed(gone)}"] * bool(gone) + [f"new: {listed(came)}"] * bool(came)
        yield differs(GROUP, f"{name}: channels", f"{len(a.channels):,}", f"{len(b.channels):,}", "; ".join(told))
    ways = [(a.channels[x], b.channels[y]) for x, y in pairs]
    other = [(x, y) for x, y in ways if x.interpolation != y.interpolation]
    if other:
        x, y = other[0]
        yield differs(
            GROUP,
            f"{name}: interpolation",
            x.interpolation.lower(),
            y.interpolation.lower(),
            f"{len(other):,} channels",
            f"first {words(compared.a, x)}",
        )
    wrong: list[tuple[float, float, Channel]] = []
    for x, y in ways:
        off, when = _greatest_difference(x, y)
        if off > 0:
            wrong.append((off, when, x))
    keys = sum(len(x.times) for x in a.channels)
    if wrong:
        off, when, x = max(wrong, key=lambda w: w[0] if np.isfinite(w[0]) else np.inf)
        far = {"rotation": degrees, "translation": lambda v: length(v, compared.a.unit_metres)}.get(x.path, figure)(off)
        where = f"{words(compared.a, x)} at {when:.3f} s"
        yield differs(
            GROUP,
            name,
            f"{keys:,} keys",
            f"{sum(len(y.times) for y in b.channels):,} keys",
            f"{len(wrong):,} channels, by up to {far}",
            where,
        )
    elif not (gone or came or other):
        yield same(GROUP, name, f"{seconds[0]}, {len(a.channels):,} channels", f"{seconds[1]}, {len(b.channels):,} channels")


def _greatest_difference(a: Channel, b: Channel) -> tuple[float, float]:
    """How far two channels are apart at most, and when; 0 where they are the same. Rotations in degrees."""
    at = moments([a, b])
    if not len(at):
        return (0.0, 0.0) if len(a.times) == len(b.times) else (np.inf, 0.0)
    x, y = sample(a, at), sample(b, at)
    if x.shape != y.shape:
        return np.inf, float(at[0])
    with np.errstate(all="ignore"):
        if a.path == "rotation" and x.shape[1] == 4:
            y = np.where((x * y).sum(axis=1, keepdims=True) < 0, -y, y)
        off = np.nan_to_num(np.abs(x - y), nan=np.inf)
        off[(x == y) | (np.isnan(x) & np.isnan(y))] = 0
        # Keys went through 32-bit floats, some through matrices and back, and steps fall on one side of a key or the other.
        reach = max(
            1.0 if a.path in ("rotation", "weights") else 0.0, float(np.abs(np.nan_to_num(x, posinf=0, neginf=0)).max(initial=0))
        )
        far: Array = off.max(axis=1)
        k = int(far.argmax())
        if far[k] <= MOTION * max(reach, 1e-12):
            return 0.0, 0.0
        if a.path == "rotation":
            return float(np.degrees(2 * np.arcsin(np.clip(np.linalg.norm(x[k] - y[k]) / 2, 0, 1)))), float(at[k])
        return float(np.linalg.norm(off[k])), float(at[k])
