"""Figures of channels, worked out for all of one shape together: a library of clips holds tens of thousands."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from ...edit.thinning import needed, tolerance_of
from ...scene import Channel, Scene
from ...words.arrays import F64
from .records import ChannelFigures

#: A quaternion is of length 1 within this: what 16 bits a number leave behind.
OF_LENGTH_1 = 1e-3
#: Times that 32-bit floats cannot be trusted to tell apart, in seconds.
AT_ONCE = 1e-6
#: Keys that lie closer are alike, as a share of the largest value.
ALIKE = 1e-6
#: Numbers that are worked through together, and keys of all clips up to which every one is looked at for whether it is needed.
_TOGETHER, _EVERY = 1 << 20, 6_000
#: Of a longer channel so many windows are looked at, each of so many keys.
_WINDOWS, _WINDOW = 20, 50


@dataclass(frozen=True)
class Ground:
    """What channels are held against: joints, nodes that hold something, how far a turn of each node reaches, how much the frame that it
    hangs in enlarges, and how far anything may be moved, in the world.
    """

    joints: set[int]
    kept: set[int]
    reach: F64
    grown: list[float]
    within: float


def figures(scene: Scene, ground: Ground) -> list[list[ChannelFigures]]:
    """Figures of every channel, by clip."""
    groups: dict[tuple[str, int, int, bool], list[tuple[int, int]]] = {}
    out: list[list[ChannelFigures | None]] = [[None] * len(clip.channels) for clip in scene.clips]
    for k, clip in enumerate(scene.clips):
        for i, channel in enumerate(clip.channels):
            cubic = channel.interpolation == "CUBICSPLINE"
            whole = channel.values.ndim == 2 and len(channel.values) == len(channel.times) * (3 if cubic else 1)
            if not len(channel.times) or not whole:
                out[k][i] = _bare(channel, ground)
            else:
                groups.setdefault((channel.path, len(channel.times), channel.values.shape[1], cubic), []).append((k, i))
    for (_, keys, wide, cubic), members in groups.items():
        at_once = max(_TOGETHER // (keys * wide), 1)
        for begin in range(0, len(members), at_once):
            some = members[begin : begin + at_once]
            channels = [scene.clips[k].channels[i] for k, i in some]
            for (k, i), made in zip(some, _alike(scene, channels, ground, cubic), strict=True):
                out[k][i] = made
    done = [[x for x in row if x is not None] for row in out]
    _needs(scene, done, ground)
    return done


def _role(channel: Channel, ground: Ground) -> str:
    return (
        "nothing"
        if channel.node is None
        else "joint"
        if channel.node in ground.joints
        else "part"
        if channel.node in ground.kept
        else "stray"
    )


def _bare(channel: Channel, ground: Ground) -> ChannelFigures:
    """A channel without keys, or whose tables do not fit each other."""
    times = channel.times.astype(np.float64)
    finite = times[np.isfinite(times)]
    start, end = (float(finite.min()), float(finite.max())) if len(finite) else (0.0, 0.0)
    keys = len(times)
    return ChannelFigures(
        channel.node,
        channel.path,
        _role(channel, ground),
        keys,
        start,
        end,
        channel.interpolation,
        not_finite=keys,
        needs=keys,
        looked=keys,
    )


def _alike(scene: Scene, channels: list[Channel], ground: Ground, cubic: bool) -> Iterator[ChannelFigures]:
    """Figures of channels with as many keys and numbers each."""
    times = np.stack([channel.times for channel in channels]).astype(np.float64)
    values = np.stack([channel.values for channel in channels]).astype(np.float64)
    points = values[:, 1::3] if cubic else values
    good_times, good = np.isfinite(times), np.isfinite(points).all(axis=2)
    not_finite = np.count_nonzero(~(good_times & good), axis=1)
    inside = np.where(good_times, times, np.nan)
    with np.errstate(all="ignore"):
        start = np.where(good_times.any(axis=1), np.nan_to_num(np.fmin.reduce(inside, axis=1)), 0.0)
        end = np.where(good_times.any(axis=1), np.nan_to_num(np.fmax.reduce(inside, axis=1)), 0.0)
        steps = np.diff(times, axis=1)
        backward, equal = np.count_nonzero(steps < 0, axis=1), np.count_nonzero(steps == 0, axis=1)
        sound = np.where(np.isfinite(steps), steps, 0.0)
        longest = sound.max(axis=1, initial=0.0)
        usual = np.median(sound, axis=1) if steps.shape[1] else np.zeros(len(times))
        size = np.maximum(np.abs(points).max(axis=(1, 2), initial=0.0), 1e-12)
        still = np.ptp(points, axis=1).max(axis=1, initial=0.0) <= ALIKE * size
    off_unit, flips = np.zeros(len(channels), np.int64), np.zeros(len(channels), np.int64)
    worst = np.ones(len(channels))
    if channels[0].path == "rotation" and points.shape[2] == 4:
        with np.errstate(all="ignore"):
            length = np.linalg.norm(points, axis=2)
            off = np.nan_to_num(np.abs(length - 1))
            off_unit = np.count_nonzero(off > OF_LENGTH_1, axis=1)
            worst = np.take_along_axis(length, off.argmax(axis=1)[:, None], axis=1)[:, 0]
            # A step goes no way between its keys, so that their signs are nobody's business.
            flips = np.array([channel.interpolation != "STEP" for channel in channels]) * np.count_nonzero(
                np.einsum("nij,nij->ni", points[:, 1:], points[:, :-1]) < 0, axis=1
            )
    keys = times.shape[1]
    for n, channel in enumerate(channels):
        broken = bool(not_finite[n])
        constant = not broken and bool(still[n])
        yield ChannelFigures(
            node=channel.node,
            path=channel.path,
            role=_role(channel, ground),
            keys=keys,
            start=float(start[n]),
            end=float(end[n]),
            interpolation=channel.interpolation,
            not_finite=int(not_finite[n]),
            backward=int(backward[n]),
            equal=int(equal[n]),
            off_unit=0 if broken else int(off_unit[n]),
            worst_length=1.0 if broken else float(worst[n]),
            flips=0 if broken else int(flips[n]),
            longest_gap=float(longest[n]),
            usual_gap=float(usual[n]),
            constant=constant,
            at_rest=constant and rests(scene, channel, points[n, 0]),
            needs=1 if constant else keys,
            looked=keys if constant or broken or channel.path == "weights" else 0,
        )


def rests(scene: Scene, channel: Channel, value: F64) -> bool:
    """Whether a value is what the channel's node has in the file.

    value: (k,) float64.
    """
    if (
        channel.node is None
        or channel.path not in ("translation", "rotation", "scale")
        or scene.nodes[channel.node].matrix is not None
    ):
        return False
    rest = np.array(getattr(scene.nodes[channel.node], channel.path), np.float64)
    if rest.shape != value.shape:
        return False
    near = 1e-5 * max(float(np.abs(rest).max()), 1e-9)
    return bool(np.abs(rest - value).max() <= near or (channel.path == "rotation" and np.abs(rest + value).max() <= near))


def _needs(scene: Scene, done: list[list[ChannelFigures]], ground: Ground) -> None:
    """Fill in how many keys each channel needs: of all where they are few, else of every so many channels, and of long ones in windows."""
    open_ = [(k, i) for k, row in enumerate(done) for i, x in enumerate(row) if not x.looked]
    total = sum(done[k][i].keys for k, i in open_)
    step = max(total // _EVERY, 1)
    few = max(_EVERY // max(len(open_[::step]), 1), _WINDOW)
    for k, i in open_[::step]:
        channel, x = scene.clips[k].channels[i], done[k][i]
        tolerance = ground.within
        if channel.node is not None:
            tolerance = tolerance_of(channel.path, ground.within, float(ground.reach[channel.node]), ground.grown[channel.node])
        if x.keys <= few or total <= _EVERY:
            done[k][i] = replace(x, needs=len(needed(channel, tolerance)), looked=x.keys)
            continue
        stay, seen = 0, 0
        for begin in np.linspace(0, x.keys - _WINDOW, min(_WINDOWS, few // _WINDOW)).astype(np.int64):
            cut = slice(int(begin), int(begin) + _WINDOW)
            wide = 3 if channel.interpolation == "CUBICSPLINE" else 1
            rows = slice(wide * cut.start, wide * cut.stop)
            part = Channel(channel.node, channel.path, channel.times[cut], channel.values[rows], channel.interpolation)
            stay += len(needed(part, tolerance)) - 1
            seen += _WINDOW - 1
        done[k][i] = replace(x, needs=max(round(x.keys * stay / seen), 2), looked=seen)
