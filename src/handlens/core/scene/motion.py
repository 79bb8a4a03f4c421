"""Clips at any moment: channels sampled by their interpolation, and the local matrices that they make of a node."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from ..words.arrays import F64, Array
from .matrices import compose, composed
from .model import Channel, Clip, Node, Scene
from .transforms import parents

_SMALL = 1e-12


def sample(channel: Channel, at: F64) -> F64:
    """(n, k) float64 values of a channel at times (n,) in seconds; before the first key and after the last it keeps still.

    at: (n,) float, seconds.
    Source: glTF 2.0, appendix C (step, linear, spherical linear for rotations, cubic spline). A channel without keys gives NaN.
    """
    return np.asarray(sample_all([channel], at)[0])


def curve_at(channel: Channel, at: F64) -> tuple[F64, F64]:
    """Values and slopes a second, (n, k) float64 each, of a cubic spline at times (n,) between its first key and its last.

    Of rotations both are those of the unit quaternion that the spline is read as, whose own length changes between its keys.

    at: (n,) float, seconds.
    Source: glTF 2.0, appendix C.5, and its derivative.
    """
    times = channel.times.astype(np.float64)
    keys = channel.values.astype(np.float64).reshape(len(times), 3, -1)
    after = np.clip(np.searchsorted(times, at, side="right"), 1, len(times) - 1)
    before = after - 1
    length = (times[after] - times[before])[:, None]
    share = (at - times[before])[:, None] / length
    value, next_value, leaving, arriving = keys[before, 1], keys[after, 1], keys[before, 2], keys[after, 0]
    points = hermite(share, length, value, leaving, next_value, arriving)
    slopes = (
        (6 * share * share - 6 * share) * (value - next_value) / length
        + (3 * share * share - 4 * share + 1) * leaving
        + (3 * share * share - 2 * share) * arriving
    )
    if channel.path == "rotation" and points.shape[1] == 4:
        size = np.maximum(np.linalg.norm(points, axis=1, keepdims=True), _SMALL)
        points = points / size
        slopes = (slopes - points * (points * slopes).sum(axis=1, keepdims=True)) / size
    return points, slopes


def sample_all(channels: Sequence[Channel], at: Array) -> F64:
    """(c, n, k) values of channels with one path, one way and the same key times, at times (n,) in seconds.

    at: (n,) float, seconds.
    """
    first = channels[0]
    times = first.times.astype(np.float64)
    cubic = first.interpolation == "CUBICSPLINE"
    width = first.values.shape[1] if first.values.ndim > 1 else 1
    if not len(times):
        return np.full((len(channels), len(at), width), np.nan)
    keys = (
        np.stack([channel.values for channel in channels])
        .astype(np.float64)
        .reshape(len(channels), len(times), 3 if cubic else 1, width)
    )
    points = keys[:, :, 1 if cubic else 0]
    turns = first.path == "rotation" and width == 4
    if len(times) == 1:
        out = np.repeat(points, len(at), axis=1)
        return _unit(out) if turns else out
    after = np.clip(np.searchsorted(times, at, side="right"), 1, len(times) - 1)
    before = after - 1
    length = times[after] - times[before]
    with np.errstate(all="ignore"):
        share = np.clip(np.where(length > 0, (at - times[before]) / length, 1.0), 0.0, 1.0)[:, None]
        if first.interpolation == "STEP":
            out = np.where(share >= 1.0, points[:, after], points[:, before])
        elif cubic:
            tangents = keys[:, before, 2], keys[:, after, 0]
            out = hermite(share, length[:, None], points[:, before], tangents[0], points[:, after], tangents[1])
        elif turns:
            out = _slerp(points[:, before], points[:, after], share)
        else:
            out = points[:, before] + share * (points[:, after] - points[:, before])
    return np.asarray(_unit(out) if turns else out)


def poses(node: Node, channels: Sequence[Channel]) -> tuple[F64, F64]:
    """Times (K,) and local matrices (K, 4, 4) of a node at every key of any of its channels."""
    times = np.unique(np.concatenate([channel.times.astype(np.float64) for channel in channels]))
    rest = {"translation": node.translation, "rotation": node.rotation, "scale": node.scale}
    found = {path: np.tile(np.array(v, np.float64), (len(times), 1)) for path, v in rest.items()}
    for channel in channels:
        if channel.path in found and len(channel.times):
            found[channel.path] = sample(channel, times)
    turns = _unit(found["rotation"])
    rows = zip(found["translation"], turns, found["scale"], strict=True)
    return times, np.stack([compose(tuple(t), tuple(r), tuple(s)) for t, r, s in rows])


def moments(channels: Sequence[Channel]) -> F64:
    """(n,) float64 every key of some channels and the middle between each two of them, in order."""
    keys = np.unique(np.concatenate([channel.times.astype(np.float64) for channel in channels] or [np.zeros(0)]))
    keys = keys[np.isfinite(keys)]
    return np.unique(np.concatenate([keys, (keys[1:] + keys[:-1]) / 2]))


def pose_at(scene: Scene, clip: Clip, seconds: float) -> F64:
    """(N, 4, 4) world matrices of all nodes with a clip's channels at a time."""
    answer: Array = worlds_at(scene, clip, np.array([seconds]))[0]
    return answer


def worlds_at(scene: Scene, clip: Clip, at: Array, only: Collection[int] | None = None) -> F64:
    """(n, N, 4, 4) world matrices of all nodes with a clip's channels at times (n,) in seconds; what no channel drives stays at rest.

    only: nodes that are asked for; all others may be left as the identity, but for those above them. A channel without keys, or whose
    values are not as wide as its path, drives nothing.
    at: (n,) float, seconds.
    """
    up = parents(scene)
    wanted = _with_above(only, up)
    by_node: dict[int, dict[str, Channel]] = {}
    for channel in clip.channels:
        if (
            channel.node is not None
            and channel.path in _REST
            and len(channel.times)
            and channel.values.ndim == 2
            and channel.values.shape[1] == _WIDE[channel.path]
        ):
            by_node.setdefault(channel.node, {})[channel.path] = channel
    driven = [i for i in by_node if wanted is None or i in wanted]
    local = _locals(scene, driven, by_node, at)
    place = {i: k for k, i in enumerate(driven)}
    out = np.tile(np.eye(4), (len(at), len(scene.nodes), 1, 1))
    stack = [i for i in range(len(scene.nodes)) if up[i] < 0]
    with np.errstate(all="ignore"):
        while stack:
            i = stack.pop()
            stack.extend(scene.nodes[i].children)
            if wanted is not None and i not in wanted:
                continue
            own = local[place[i]] if i in place else scene.nodes[i].local
            out[:, i] = out[:, up[i]] @ own if up[i] >= 0 else own
    return out


def _locals(scene: Scene, driven: list[int], by_node: dict[int, dict[str, Channel]], at: Array) -> F64:
    """(d, n, 4, 4) local matrices of driven nodes at times. Channels with the same keys are sampled together."""
    found = {p: np.stack([np.tile(_rest(scene.nodes[i], p), (len(at), 1)) for i in driven]) if driven else None for p in _REST}
    groups: dict[tuple[str, str, bytes], list[tuple[int, Channel]]] = {}
    for k, i in enumerate(driven):
        for channel in by_node[i].values():
            groups.setdefault((channel.path, channel.interpolation, channel.times.tobytes()), []).append((k, channel))
    for (path, _, _), members in groups.items():
        rows = found[path]
        assert rows is not None
        rows[[k for k, _ in members]] = sample_all([c for _, c in members], at)
    if not driven:
        return np.zeros((0, len(at), 4, 4))
    translations, rotations, scales = (np.concatenate(list(x)) for x in (found[p] for p in _REST) if x is not None)
    return composed(translations, _unit(rotations), scales).reshape(len(driven), len(at), 4, 4)


_REST = ("translation", "rotation", "scale")
_WIDE = {"translation": 3, "rotation": 4, "scale": 3}


def _rest(n: Node, path: str) -> F64:
    return np.array(getattr(n, path), np.float64)


def _with_above(only: Collection[int] | None, up: Sequence[int]) -> set[int] | None:
    if only is None:
        return None
    out: set[int] = set()
    for i in only:
        while i >= 0 and i not in out:
            out.add(i)
            i = up[i]
    return out


def hermite(share: F64, length: F64, p0: F64, out0: F64, p1: F64, in1: F64) -> F64:
    """(..., k) float64 values of a cubic between two keys.

    share: (..., 1) float64, share of the way, 0 to 1.
    length: (..., 1) float64, seconds between the keys.
    p0, p1: (..., k) float64, values at the keys.
    out0, in1: (..., k) float64, tangents, changes a second.
    Source: glTF 2.0, appendix C.5.
    """
    s2, s3 = share * share, share * share * share
    return (2 * s3 - 3 * s2 + 1) * p0 + length * (s3 - 2 * s2 + share) * out0 + (3 * s2 - 2 * s3) * p1 + length * (s3 - s2) * in1


def _slerp(a: F64, b: F64, share: F64) -> F64:
    """Along the shorter arc; along the chord where the two are almost one."""
    a, b = _unit(a), _unit(b)
    dot = np.einsum("...j,...j->...", a, b)[..., None]
    b, dot = np.where(dot < 0, -b, b), np.abs(dot)
    angle = np.arccos(np.clip(dot, -1, 1))
    sine = np.sin(angle)
    flat = sine < 1e-6
    safe = np.where(flat, 1.0, sine)
    answer: Array = np.where(flat, a + share * (b - a), (np.sin((1 - share) * angle) * a + np.sin(share * angle) * b) / safe)
    return answer


def _unit(quaternions: F64) -> F64:
    """Rows of length one; a row of zeros is no turn at all."""
    length = np.linalg.norm(quaternions, axis=-1, keepdims=True)
    none = np.zeros(quaternions.shape[-1])
    none[-1] = 1.0
    with np.errstate(all="ignore"):
        return np.where(length > _SMALL, quaternions / np.where(length > _SMALL, length, 1.0), none)
