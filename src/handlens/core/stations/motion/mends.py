"""Motion: clips and their keys set right."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ...declare.mend import Figure, Outcome, Parameter, mend
from ...declare.promises import POSES, Clock, Promise
from ...edit.thinning import reaches, thinned, tolerance_of
from ...edit.without import holding, still_bare, without_nodes
from ...limits import InputError, MendError
from ...scene import Channel, Clip, Scene
from ...scene.model import frozen
from ...scene.motion import curve_at, sample, worlds_at
from ...scene.sampled import fewer_vertices
from ...scene.skinning import posed
from ...scene.transforms import parents, world_matrices
from ...words.arrays import F64, Array
from ...words.calls import Params
from ...words.figures import about, plain
from .channels import ALIKE, AT_ONCE, rests
from .messages import say

CLIPS = Parameter("clips", "names", "which clips by name, or by number as #0; all where none is named", default=())
#: Rounds of thinning with a finer tolerance, and moments and vertices that each is measured at.
_ROUNDS, _MOMENTS, _VERTICES = 8, 200, 2_000
#: Pieces that the end of a rotation's cubic spline is cut into where it is cut.
_PIECES = 24


def _trimmed(scene: Scene, clip: int, params: Params) -> Clock:
    """Between the new ends, and from the first of them on."""
    stamps = [
        float(t) for channel in scene.clips[clip].channels if len(channel.times) for t in (channel.times[0], channel.times[-1])
    ]
    if clip not in chosen_clips(scene, params["clips"]) or not stamps:
        return Clock()
    begin = params["start"] if params["start"] >= 0 else min(stamps)
    return Clock(begin, params["end"] if params["end"] >= 0 else max(stamps), begin)


def _retimed(scene: Scene, clip: int, params: Params) -> Clock:
    return Clock(factor=params["factor"]) if clip in chosen_clips(scene, params["clips"]) else Clock()


def chosen_clips(scene: Scene, clips: Sequence[str]) -> list[int]:
    """Numbers of the clips that are named, of all where none is. Raises MendError where there is none."""
    if not scene.clips:
        raise MendError(say("motion.no-clips"))
    if not clips:
        return list(range(len(scene.clips)))
    named: dict[str, list[int]] = {}
    for k, clip in enumerate(scene.clips):
        named.setdefault(clip.name or "", []).append(k)
    found: list[int] = []
    for name in clips:
        at = named.get(name, [])
        if not at and name.startswith("#") and name[1:].isdecimal() and int(name[1:]) < len(scene.clips):
            at = [int(name[1:])]
        found += at
    if not found:
        raise MendError(say("motion.no-such-clip", clip=clips[0]))
    return sorted(set(found))


def _each(scene: Scene, clips: Sequence[str], change: Callable[[Channel], Channel | None]) -> tuple[Scene, int, int]:
    """The scene with every channel of some clips changed, None taking it out: how many were changed, and how many are gone."""
    chosen = set(chosen_clips(scene, clips))
    changed = gone = 0
    out = []
    for k, clip in enumerate(scene.clips):
        if k not in chosen:
            out.append(clip)
            continue
        channels = []
        for channel in clip.channels:
            now = change(channel)
            gone += now is None
            changed += now is not None and now is not channel
            if now is not None:
                channels.append(now)
        out.append(replace(clip, channels=tuple(channels)))
    return scene.with_(clips=tuple(out)), changed, gone


def _keys(scene: Scene) -> int:
    return sum(len(channel.times) for clip in scene.clips for channel in clip.channels)


def _points(channel: Channel) -> F64:
    values = channel.values.astype(np.float64).reshape(len(channel.values), -1)
    return values[1::3] if channel.interpolation == "CUBICSPLINE" else values


@mend(
    "motion.drop-clips",
    title="Drop clips",
    button="Drop {clips}",
    keeps="the model, its joints and weights, and every other clip",
    costs="what is dropped is gone from the export; the original keeps it",
    promise=POSES,
    safe=False,
    parameters=[Parameter("clips", "names", "which clips by name, or by number as #0")],
)
def drop_clips(scene: Scene, clips: Sequence[str]) -> Outcome:
    """Take clips out: old poses, leftovers, copies."""
    if not clips:
        raise InputError(say("motion.drop-no-clips"))
    gone = set(chosen_clips(scene, clips))
    after = scene.with_(clips=tuple(clip for k, clip in enumerate(scene.clips) if k not in gone))
    return Outcome(after, (Figure("clips", f"{len(scene.clips):,}", f"{len(after.clips):,}"),))


@mend(
    "motion.rename",
    title="Rename a clip",
    keeps="every key of it",
    costs="side files that call it by its old name must be changed too",
    safe=False,
    parameters=[
        Parameter("clip", "text", "which clip by name, or by number as #0"),
        Parameter("to", "text", "its new name"),
    ],
)
def rename(scene: Scene, clip: str, to: str) -> Outcome:
    """Give a clip another name."""
    if not to.strip():
        raise InputError(say("motion.empty-name"))
    found = chosen_clips(scene, [clip])
    if len(found) > 1:
        raise MendError(say("motion.rename.several", clip=clip, number=found[0]))
    if any(clip.name == to for clip in scene.clips):
        raise MendError(say("motion.rename.taken", name=to))
    old = scene.clips[found[0]].name
    clips = tuple(replace(clip, name=to) if k == found[0] else clip for k, clip in enumerate(scene.clips))
    former = scene.former | ({old} if old else set())
    return Outcome(scene.with_(clips=clips, former=former), (Figure("clip", old or "none", to),))


@mend(
    "motion.drop-constant",
    title="Drop channels that never change",
    button="Drop constant channels of {clips}",
    keeps="every pose of every clip, where they are as the node rests",
    after=("skin.adopt-bind", "skin.bake-rig"),
    costs="with elsewhere=true: the joint stands as it rests in the file while the clip plays",
    promise=Promise(rest=True, poses=True, unless=lambda p: bool(p["elsewhere"])),
    safe=False,
    parameters=[
        Parameter("elsewhere", "flag", "also those that hold a node elsewhere than it rests", default=False),
        CLIPS,
    ],
)
def drop_constant(scene: Scene, elsewhere: bool, clips: Sequence[str] = ()) -> Outcome:
    """Take out channels whose keys are all alike."""

    def change(channel: Channel) -> Channel | None:
        points = _points(channel) if len(channel.times) else np.zeros((0, 1))
        if not len(points) or channel.path not in ("translation", "rotation", "scale") or not np.isfinite(points).all():
            return channel
        size = max(float(np.abs(points).max()), 1e-12)
        if float(np.ptp(points, axis=0).max()) > ALIKE * size:
            return channel
        return None if rests(scene, channel, points[0]) or elsewhere else channel

    after, _, gone = _each(scene, clips, change)
    if not gone:
        raise MendError(say("motion.drop-constant.none"))
    return Outcome(after, (Figure("channels that never change", f"{gone:,}", "0"), _figure(scene, after)))


def _figure(before: Scene, after: Scene) -> Figure:
    return Figure("keys in all", f"{_keys(before):,}", f"{_keys(after):,}")


@mend(
    "motion.drop-scale",
    title="Drop keys on scale",
    button="Drop keys on scale of {clips}",
    keeps="how joints are turned and where they stand",
    costs="what the clip made larger or smaller keeps the size that it rests in",
    safe=False,
    parameters=[CLIPS],
)
def drop_scale(scene: Scene, clips: Sequence[str] = ()) -> Outcome:
    """Take out channels that drive scale."""
    after, _, gone = _each(scene, clips, lambda c: None if c.path == "scale" else c)
    if not gone:
        raise MendError(say("motion.drop-scale.none"))
    return Outcome(after, (Figure("channels on scale", f"{gone:,}", "0"), _figure(scene, after)))


@mend(
    "motion.drop-stray",
    title="Drop channels that move nothing",
    button="Drop channels that move nothing of {clips}",
    keeps="every pose of every clip",
    costs="clips that moved nothing at all go too, and nodes that then hold nothing",
    promise=POSES,
    safe=True,
    parameters=[CLIPS],
)
def drop_stray(scene: Scene, clips: Sequence[str] = ()) -> Outcome:
    """Take out channels without a node or a key, and those of nodes that hold nothing and are no joints."""
    holds = holding(scene.with_(clips=()))
    joints = {j for skin in scene.skins for j in skin.joints}
    alive = holds | joints
    after, _, gone = _each(scene, clips, lambda c: None if c.node not in alive or not len(c.times) else c)
    if not gone:
        raise MendError(say("motion.drop-stray.none"))
    had = {k for k in chosen_clips(scene, clips) if scene.clips[k].channels}
    kept = tuple(clip for k, clip in enumerate(after.clips) if clip.channels or k not in had)
    figures = [Figure("channels that move nothing", f"{gone:,}", "0")]
    if len(kept) < len(after.clips):
        figures.append(Figure("clips", f"{len(after.clips):,}", f"{len(kept):,}"))
    # What was only kept for the channel would be told as an empty node next.
    driven = {
        channel.node
        for clip in scene.clips
        for channel in clip.channels
        if channel.node is not None and channel.node not in alive
    }
    after = after.with_(clips=kept)
    bare = still_bare(after, sorted(driven))
    if bare:
        figures.append(Figure("nodes that hold nothing", f"{len(bare):,}", "0"))
    return Outcome(without_nodes(after, bare), tuple(figures))


@mend(
    "motion.repair-keys",
    title="Repair keys",
    button="Repair keys of {clips}",
    keeps="every key that is a number, and its time",
    costs="keys that are no numbers go, and of several at one time all but the last",
    safe=False,
    parameters=[CLIPS],
)
def repair_keys(scene: Scene, clips: Sequence[str] = ()) -> Outcome:
    """Put keys in the order of their times, one at each, drop those that are no numbers, and bring rotations to length 1, each on
    the side of the one before it.
    """
    counts = {"keys that were no numbers": 0, "keys out of order": 0, "rotations that were not of length 1": 0, "signs": 0}

    def change(channel: Channel) -> Channel | None:
        return _repaired(channel, counts)

    after, changed, gone = _each(scene, clips, change)
    if not changed and not gone:
        raise MendError(say("motion.repair-keys.none"))
    return Outcome(after, tuple(Figure(words, f"{n:,}", "0") for words, n in counts.items() if n))


def _repaired(channel: Channel, counts: dict[str, int]) -> Channel | None:
    wide = 3 if channel.interpolation == "CUBICSPLINE" else 1
    if not len(channel.times) or len(channel.values) != wide * len(channel.times):
        return channel
    times = channel.times.astype(np.float64)
    rows = channel.values.astype(np.float64).reshape(len(times), wide, -1)
    keep = np.isfinite(times) & np.isfinite(rows).all(axis=(1, 2))
    order = np.flatnonzero(keep)
    counts["keys that were no numbers"] += int(np.count_nonzero(~keep))
    if not len(order):
        return None
    order = order[np.argsort(times[order], kind="stable")]
    last = np.r_[np.diff(times[order]) > 0, True]
    moved = int(np.count_nonzero(np.diff(times[keep]) <= 0))
    counts["keys out of order"] += moved
    order = order[last]
    out = rows[order].copy()
    if channel.path == "rotation" and out.shape[2] == 4:
        middle = 1 if wide == 3 else 0
        length = np.linalg.norm(out[:, middle], axis=1)
        off = (np.abs(length - 1) > 1e-6) & (length > 1e-12)
        if (np.abs(length[off] - 1) > 1e-4).any():
            counts["rotations that were not of length 1"] += int(np.count_nonzero(np.abs(length[off] - 1) > 1e-4))
        out[off] /= length[off, None, None]
        out[length <= 1e-12, middle] = [0.0, 0.0, 0.0, 1.0]
        signs = np.where(np.einsum("ij,ij->i", out[1:, middle], out[:-1, middle]) < 0, -1.0, 1.0)
        # A step shows its keys alone. A cubic spline takes no short way by itself: its tangents turn with its keys.
        if (signs < 0).any() and channel.interpolation != "STEP":
            counts["signs"] += int(np.count_nonzero(signs < 0))
            out[1:] *= np.cumprod(signs)[:, None, None]
    now = out.reshape(-1, out.shape[2]).astype(np.float32)
    if len(order) == len(times) and (times[order] == times).all() and np.array_equal(now, channel.values.reshape(now.shape)):
        return channel
    return replace(channel, times=frozen(times[order].astype(np.float32)), values=frozen(now))


@mend(
    "motion.trim",
    title="Trim a clip",
    button="Trim {clips}",
    keeps="every pose between the new ends, and at them",
    costs="what lies outside is gone from the export",
    promise=Promise(rest=True, poses=True, clock=_trimmed),
    safe=False,
    parameters=[
        Parameter("start", "number", "second at which it begins from then on; its first key where it is left out", default=-1.0),
        Parameter("end", "number", "second at which it ends; its last key where it is left out", default=-1.0),
        CLIPS,
    ],
)
def trim(scene: Scene, start: float, end: float, clips: Sequence[str] = ()) -> Outcome:
    """Cut clips to what lies between two times, and let them begin at 0. New ends are keys of their own."""
    chosen = chosen_clips(scene, clips)
    out, figures = list(scene.clips), []
    for k in chosen:
        clip = out[k]
        stamps = np.concatenate(
            [channel.times.astype(np.float64) for channel in clip.channels if len(channel.times)] or [np.zeros(0)]
        )
        stamps = stamps[np.isfinite(stamps)]
        if not len(stamps):
            continue
        a, b = (start if start >= 0 else float(stamps.min())), (end if end >= 0 else float(stamps.max()))
        if b <= a and len(stamps) > 1 and stamps.max() > stamps.min():
            raise InputError(say("motion.end-before-start"))
        if abs(a) <= AT_ONCE and b >= stamps.max() - AT_ONCE:
            continue
        out[k] = replace(clip, channels=tuple(_cut(channel, a, b) for channel in clip.channels))
        figures.append(Figure(clip.name or f"clip {k}", f"{plain(float(stamps.max()))} s", f"{plain(b - a)} s"))
    if not figures:
        raise MendError(say("motion.trim.already"))
    return Outcome(scene.with_(clips=tuple(out)), tuple(figures[:200]))


def _cut(channel: Channel, a: float, b: float) -> Channel:
    times = channel.times.astype(np.float64)
    if not len(times) or not np.isfinite(times).all() or (np.diff(times) <= 0).any():
        return channel
    wide = 3 if channel.interpolation == "CUBICSPLINE" else 1
    rows = channel.values.reshape(len(times), wide, -1).astype(np.float64)
    inside = (times >= a - AT_ONCE) & (times <= b + AT_ONCE)
    stamps, kept = times[inside], rows[inside]
    edges = [t for t in (a, b) if times[0] < t < times[-1] and not (np.abs(stamps - t) < AT_ONCE).any()]
    if edges or not len(stamps):
        if wide == 3 and edges:
            stamps, kept = _cut_curve(channel, stamps, kept, edges)
        else:
            new = np.array(edges or [a])
            values = np.repeat(sample(channel, new)[:, None, :], wide, axis=1)
            if wide == 3:
                values[:, [0, 2]] = 0.0
            order = np.argsort(np.concatenate([stamps, new]), kind="stable")
            stamps, kept = np.concatenate([stamps, new])[order], np.concatenate([kept, values])[order]
    return replace(
        channel,
        times=frozen(np.maximum(stamps - a, 0.0).astype(np.float32)),
        values=frozen(kept.reshape(-1, kept.shape[2]).astype(np.float32)),
    )


def _cut_curve(channel: Channel, stamps: Array, keys: Array, edges: list[float]) -> tuple[Array, Array]:
    """Times and rows of a cubic spline with keys at its new ends. A piece of a cubic is one, so that positions stay to the letter;
    the pieces of a rotation, which is read at unit length, are cut finer, so that what is off falls by the fourth power.
    """
    rotation = channel.path == "rotation"
    bounds = np.unique(np.concatenate([stamps, edges]))
    new = list(edges)
    for edge in edges if rotation else []:
        at = int(np.searchsorted(bounds, edge))
        # The piece that the cut leaves lies on the side of what is kept.
        low, high = (edge, bounds[at + 1]) if edge == bounds[0] and len(bounds) > 1 else (bounds[at - 1], edge)
        new += np.linspace(low, high, _PIECES + 1)[1:-1].tolist()
    added = np.unique(new)
    points, slopes = curve_at(channel, added)
    rows = np.stack([slopes, points, slopes], axis=1)
    if rotation and len(stamps):
        # Of keys that were there, the tangent towards a cut piece is that of the curve as it is read.
        own = curve_at(channel, np.clip(stamps, channel.times[0], channel.times[-1]))[1]
        keys = keys.copy()
        if edges[0] < stamps[0]:
            keys[0, 0] = own[0]
        if edges[-1] > stamps[-1]:
            keys[-1, 2] = own[-1]
    order = np.argsort(np.concatenate([stamps, added]), kind="stable")
    return np.concatenate([stamps, added])[order], np.concatenate([keys, rows])[order]


@mend(
    "motion.retime",
    title="Change the speed of a clip",
    keeps="every pose",
    costs="nothing but the time that it takes",
    promise=Promise(rest=True, poses=True, clock=_retimed),
    safe=False,
    parameters=[Parameter("factor", "number", "what every time is multiplied by: 0.5 plays twice as fast", zero=False), CLIPS],
)
def retime(scene: Scene, factor: float, clips: Sequence[str] = ()) -> Outcome:
    """Multiply the times of clips by a factor."""
    if not 0 < factor < 1e6:
        raise InputError(say("motion.factor"))
    if factor == 1:
        raise MendError(say("motion.retime.nothing"))
    wide = lambda c: c.interpolation == "CUBICSPLINE" and len(c.values) == 3 * len(c.times)

    def change(channel: Channel) -> Channel | None:
        values = channel.values
        if wide(channel):
            # Tangents of a cubic spline are changes a second (glTF 2.0, appendix C.5).
            rows = values.astype(np.float64).copy()
            rows[0::3] /= factor
            rows[2::3] /= factor
            values = frozen(rows.astype(np.float32))
        return replace(channel, times=frozen((channel.times.astype(np.float64) * factor).astype(np.float32)), values=values)

    after, _, _ = _each(scene, clips, change)
    longest = lambda s: max((clip.seconds for clip in s.clips), default=0.0)
    return Outcome(after, (Figure("longest clip", f"{plain(longest(scene))} s", f"{plain(longest(after))} s"),))


@mend(
    "motion.thin",
    title="Remove redundant keys",
    button="Remove redundant keys of {clips}",
    keeps="where every vertex stands in every frame, within the tolerance; first and last keys",
    after=("size.scale", "skin.bake-rig", "motion.repair-keys", "motion.drop-constant"),
    costs="what moves less than the tolerance; the figure says how far at most",
    promise=Promise(rest=True, poses=True, within=lambda s, p: float(p["within_mm"]) / 1000 / (s.unit_metres or 1.0)),
    safe=False,
    parameters=[Parameter("within_mm", "number", "how far anything may be off, in millimetres", default=0.5, zero=False), CLIPS],
)
def thin(scene: Scene, within_mm: float, clips: Sequence[str] = ()) -> Outcome:
    """Take out keys without which nothing is moved by more than a tolerance.

    Each joint's share of it goes by how far what it carries reaches; the result is measured on the vertices, and where it is off by
    more the shares are made finer.
    """
    if not within_mm > 0:
        raise InputError(say("motion.within"))
    unit = scene.unit_metres or 1.0
    within = within_mm / 1000 / unit
    chosen = chosen_clips(scene, clips)
    world, up, reach = world_matrices(scene), parents(scene), reaches(scene)
    grown = [float(np.cbrt(abs(np.linalg.det(world[up[i]][:3, :3])))) if up[i] >= 0 else 1.0 for i in range(len(scene.nodes))]
    out, worst = list(scene.clips), 0.0
    for k in chosen:
        share = within
        for _ in range(_ROUNDS):
            made = replace(
                scene.clips[k], channels=tuple(_thin(channel, share, reach, grown) for channel in scene.clips[k].channels)
            )
            off = _off(scene, scene.clips[k], made)
            if off <= within:
                break
            share /= 2
        else:
            continue
        if any(a is not b for a, b in zip(made.channels, scene.clips[k].channels, strict=True)):
            out[k], worst = made, max(worst, off)
    after = scene.with_(clips=tuple(out))
    if _keys(after) == _keys(scene):
        raise MendError(say("motion.thin.none", within_mm=within_mm))
    return Outcome(after, (_figure(scene, after), Figure("off, at most", "0 mm", about(worst * unit))))


def _thin(channel: Channel, share: float, reach: F64, grown: list[float]) -> Channel:
    if channel.node is None or channel.path not in ("translation", "rotation", "scale"):
        return channel
    return thinned(channel, tolerance_of(channel.path, share, float(reach[channel.node]), grown[channel.node]))


def _off(scene: Scene, before: Clip, after: Clip) -> float:
    """The farthest that a vertex, or a joint, is off between two clips, at keys of the first and between them."""
    stamps = np.unique(
        np.concatenate([channel.times.astype(np.float64) for channel in before.channels if len(channel.times)] or [np.zeros(1)])
    )
    stamps = stamps[np.isfinite(stamps)]
    stamps = np.unique(np.concatenate([stamps, (stamps[1:] + stamps[:-1]) / 2]))
    if len(stamps) > _MOMENTS:
        stamps = stamps[np.linspace(0, len(stamps) - 1, _MOMENTS).astype(np.int64)]
    driven = {channel.node for channel in before.channels if channel.node is not None}
    few = fewer_vertices(scene, _VERTICES)
    shown = [i for i, n in enumerate(few.nodes) if n.mesh is not None]
    joints = sorted({j for skin in scene.skins for j in skin.joints} | driven)
    wanted = sorted({*shown, *joints})
    worst = 0.0
    for stamp in stamps:
        a, b = (worlds_at(few, c, np.array([stamp]), wanted)[0] for c in (before, after))
        away = np.linalg.norm(a[joints][:, :3, 3] - b[joints][:, :3, 3], axis=1)
        worst = max(worst, float(np.nan_to_num(away).max(initial=0.0)))
        for i in shown:
            off = np.linalg.norm(posed(few, i, a) - posed(few, i, b), axis=1)
            worst = max(worst, float(np.nan_to_num(off).max(initial=0.0)))
    return worst
