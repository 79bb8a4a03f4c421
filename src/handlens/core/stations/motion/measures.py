"""What Motion measures: every channel of every clip, and how a clip begins, goes and ends."""

from __future__ import annotations

import hashlib

import numpy as np
from msgspec.structs import replace

from ...declare.station_measures import StationMeasures
from ...edit.thinning import reaches
from ...edit.without import holding
from ...measures import Measures
from ...scene import Clip, Scene
from ...scene.axes import AXIS_INDEX
from ...scene.binding import turn_between
from ...scene.motion import worlds_at
from ...scene.sampled import fewer_vertices
from ...scene.skinning import posed
from ...scene.transforms import nodes_above, parents, world_matrices
from ...words.arrays import F64, Array
from .channels import Ground, figures
from .records import ChannelFigures, ClipOfModel, LoopFigures, MotionMeasures, SlideFigures

#: How far keys that are not needed may move something, in metres.
WITHIN = 0.0005
#: Channels and joints of all clips that are watched from beginning to end, and what a clip counts for by itself; what goes past it is told as not looked at.
_LOOKS, _EACH = 60_000, 60
#: Moments at which a whole clip is looked at, fewer where there are many nodes, and matrices that are held at once.
_MOMENTS, _MATRICES = 64, 400_000
#: Vertices that a held pose is measured with.
_VERTICES = 2_000
#: A foot bears while it is within this share of the skeleton's height of the lowest that any comes, at this many moments or more.
_BEARS, _STANDS = 0.02, 3


def take(scene: Scene, measures: Measures, arrays: dict[str, Array]) -> MotionMeasures:
    """Measure what Motion alone asks for. arrays: where elements go, int32."""
    if not scene.clips:
        return MotionMeasures([])
    world, up = world_matrices(scene), parents(scene)
    joints = {j for skin in scene.skins for j in skin.joints}
    kept = holding(scene.with_(clips=()))
    reach, few = reaches(scene), fewer_vertices(scene, _VERTICES)
    unit = scene.unit_metres or 1.0
    grown = [float(np.cbrt(abs(np.linalg.det(world[up[i]][:3, :3])))) if up[i] >= 0 else 1.0 for i in range(len(scene.nodes))]
    told = figures(scene, Ground(joints, kept, reach, grown, WITHIN / unit))
    seen: dict[str, int] = {}
    out = []
    left = _LOOKS
    for k, (clip, channels) in enumerate(zip(scene.clips, told, strict=True)):
        starts = [channel.start for channel in channels if channel.keys]
        made = ClipOfModel(
            clip.name or "", channels, sum(channel.keys for channel in channels), min(starts, default=0.0), _seconds(channels)
        )
        first = seen.setdefault(_content(clip), k)
        if first != k:
            made = replace(made, same=first)
        alive = [channel for channel in channels if channel.keys and channel.node is not None]
        held = bool(alive) and all(c.constant for c in alive)
        left -= _EACH + len(alive) + len(joints) if alive else 0
        if alive and left < 0:
            made = replace(made, held=held, watched=False)
        elif held:
            made = replace(made, held=True, moved=_moved(few, clip))
        elif alive:
            made = _clip_figures(scene, clip, made, world, up, joints)
        nodes = sorted({channel.node for channel in channels if channel.node is not None})
        if nodes:
            arrays[f"{k}:nodes"] = np.array(nodes)
        out.append(made)
    return MotionMeasures(out)


OWN = StationMeasures("motion", MotionMeasures, take, reads=("nodes", "meshes", "skins", "clips"))


def _seconds(channels: list[ChannelFigures]) -> float:
    return max((channel.end for channel in channels if channel.keys), default=0.0)


def _content(clip: Clip) -> str:
    digest = hashlib.blake2b(digest_size=16)
    for channel in clip.channels:
        digest.update(
            f"{channel.node} {channel.path} {channel.interpolation} {channel.times.shape} {channel.values.shape}".encode()
        )
        digest.update(np.ascontiguousarray(channel.times).data)
        digest.update(np.ascontiguousarray(channel.values).data)
    return digest.hexdigest()


def _moved(few: Scene, clip: Clip) -> float:
    """How far a clip moves a vertex from where it stands in the file, at most, at its first moment. few: with few vertices."""
    there, far = worlds_at(few, clip, np.zeros(1))[0], 0.0
    rest = world_matrices(few)
    for i, n in enumerate(few.nodes):
        if n.mesh is not None:
            away = np.linalg.norm(posed(few, i, there) - posed(few, i, rest), axis=1)
            far = max(far, float(away[np.isfinite(away)].max(initial=0.0)))
    return far


def _clip_figures(scene: Scene, clip: Clip, figures: ClipOfModel, world: F64, up: list[int], joints: set[int]) -> ClipOfModel:
    """The clip looked at from its beginning to its end: travel, seam, and feet that slide."""
    driven = {channel.node for channel in clip.channels if channel.node is not None and len(channel.times)}
    # What stands above the joints carries them all away.
    carriers = driven & nodes_above(joints, up)
    watched = sorted(joints | carriers) if joints & driven or carriers else sorted(driven)
    span = figures.seconds - figures.start
    sound = all(not channel.not_finite and not channel.backward and not channel.equal for channel in figures.channels)
    if not watched or not span > 0 or not sound:
        return figures
    count = int(np.clip(_MATRICES // max(len(scene.nodes), 1), 8, _MOMENTS))
    at = np.linspace(figures.start, figures.seconds, count)
    worlds = worlds_at(scene, clip, at, watched)[:, watched]
    places = worlds[:, :, :3, 3]
    if not np.isfinite(places).all():
        return figures
    upright = AXIS_INDEX[scene.up_axis or "Y"]
    level = [a for a in range(3) if a != upright]
    top = next((k for k, i in enumerate(watched) if i in driven and not _any_above(i, driven, up)), 0)
    steps = np.linalg.norm(np.diff(places[:, top], axis=0), axis=1)
    drift = places[-1, top] - places[0, top]
    drift[upright] = 0.0
    ends = np.linalg.norm(places[-1] - places[0] - drift, axis=1)
    turned = turn_between(worlds[0][:, :3, :3], worlds[-1][:, :3, :3])
    sized = sorted(joints & set(watched)) or watched
    size = float(np.linalg.norm(np.ptp(world[sized][:, :3, 3], axis=0)))
    loop = LoopFigures(
        watched[top],
        float(steps.sum()),
        float(np.linalg.norm(drift)),
        float(ends.max(initial=0.0)),
        float(turned.max(initial=0.0)),
        watched[int(ends.argmax())],
        size,
        count,
    )
    return replace(figures, loop=loop, slides=_slides(scene, watched, places, at, upright, level, up))


def _any_above(node: int, driven: set[int], up: list[int]) -> bool:
    node = up[node]
    while node >= 0:
        if node in driven:
            return True
        node = up[node]
    return False


def _slides(
    scene: Scene, watched: list[int], places: F64, at: F64, upright: int, level: list[int], up: list[int]
) -> list[SlideFigures]:
    """Joints at the ends of their chains that stand at the lowest height and move level meanwhile.

    A joint bears while it is near the lowest height that any joint comes to, and goes neither up nor down: common practice.
    """
    inner = {up[i] for i in watched}
    ends = [k for k, i in enumerate(watched) if i not in inner]
    heights = places[:, :, upright]
    tall = float(np.ptp(heights))
    floor = float(heights.min())
    if tall <= 0 or not ends:
        return []
    # What bears is what reaches the lowest height and also leaves it: a walk. What always lies there is no foot.
    out = []
    for k in ends:
        low = heights[:, k] <= floor + _BEARS * tall
        if not low.any() or low.all():
            continue
        begin = None
        best: SlideFigures | None = None
        for moment in range(len(at) + 1):
            if moment < len(at) and low[moment]:
                begin = moment if begin is None else begin
            elif begin is not None:
                stand = places[begin:moment, k][:, level]
                way = float(np.linalg.norm(stand[-1] - stand[0])) if moment - begin >= _STANDS else 0.0
                if way > 0 and (best is None or way > best.way):
                    best = SlideFigures(watched[k], way, float(at[begin]), float(at[moment - 1]))
                begin = None
        if best is not None:
            out.append(best)
    return out
