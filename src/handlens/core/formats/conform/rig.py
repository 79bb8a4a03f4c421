"""Skins, morph targets, clips, cameras and lights that a format has no place for, and clips as whole transforms."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ...limits import plural
from ...scene import Channel, Clip, Scene
from ...scene.matrices import decompose
from ...scene.model import frozen
from ...scene.motion import poses
from .messages import say
from .steps import ExportLoss, Step, Target

_GROUP = "Skin and motion"
_ELSE = "Also in the file"
_PATHS = ("translation", "rotation", "scale")


# --- skins --------------------------------------------------------------------------------------------


def _tell_skins(scene: Scene, target: Target) -> list[ExportLoss]:
    if not target.lacks("skins"):
        return []
    weighted = sum(mesh.weights is not None for mesh in scene.meshes)
    n = len(scene.skins)
    if n:
        text = say("loss.no-skins", count=n)
        return [ExportLoss(_GROUP, "Skins", text, f"{n:,}", "0")]
    text = say("loss.no-weights", weighted=weighted)
    return [ExportLoss(_GROUP, "Weights", text, f"{weighted:,}", "0")] if weighted else []


def _without_skins(scene: Scene, _: Target) -> Scene:
    nodes = tuple(replace(n, skin=None) if n.skin is not None else n for n in scene.nodes)
    meshes = tuple(replace(mesh, weights=None) if mesh.weights is not None else mesh for mesh in scene.meshes)
    return scene.with_(nodes=nodes, meshes=meshes, skins=())


def _rigged(scene: Scene) -> dict[int, int]:
    """Skin of each node whose mesh has weights."""
    return {
        i: n.skin
        for i, n in enumerate(scene.nodes)
        if n.skin is not None and n.mesh is not None and scene.meshes[n.mesh].weights is not None and scene.skins[n.skin].joints
    }


def _loose(scene: Scene) -> tuple[set[int], set[int], list[int]]:
    """Skins that no weighted mesh uses, meshes with weights that no skin uses, and nodes with a skin but no weights."""
    rigged = _rigged(scene)
    meshes = {scene.nodes[i].mesh for i in rigged}
    idle = set(range(len(scene.skins))) - set(rigged.values())
    unused = {k for k, mesh in enumerate(scene.meshes) if mesh.weights is not None and k not in meshes}
    return idle, unused, [i for i, n in enumerate(scene.nodes) if n.skin is not None and i not in rigged]


def _tell_loose(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.lacks("skins") or not target.lacks("idle skins"):
        return []
    idle, unused, bare = _loose(scene)
    said = []
    if idle:
        text = say("loss.unused-skins", count=len(idle))
        said.append(ExportLoss(_GROUP, "Skins", text, f"{len(idle):,}", "0"))
    if unused or bare:
        text = say("loss.weights-without-skin", count=len(unused) + len(bare))
        said.append(ExportLoss(_GROUP, "Weights", text, f"{len(unused) + len(bare):,}", "0"))
    return said


def _without_loose(scene: Scene, _: Target) -> Scene:
    idle, unused, bare = _loose(scene)
    kept = [k for k in range(len(scene.skins)) if k not in idle]
    number = {old: new for new, old in enumerate(kept)}
    nodes = tuple(
        replace(n, skin=None if i in bare else number[n.skin]) if n.skin is not None else n for i, n in enumerate(scene.nodes)
    )
    meshes = tuple(replace(mesh, weights=None) if k in unused else mesh for k, mesh in enumerate(scene.meshes))
    return scene.with_(nodes=nodes, meshes=meshes, skins=tuple(scene.skins[k] for k in kept))


def _jointless(scene: Scene) -> set[int]:
    return {k for k, skin in enumerate(scene.skins) if not skin.joints}


def _tell_jointless(scene: Scene, target: Target) -> list[ExportLoss]:
    n = 0 if target.lacks("skins") else len(_jointless(scene))
    text = say("loss.skins-without-joint", count=n)
    return [ExportLoss(_GROUP, "Skins without joints", text, f"{n:,}", "0")] if n else []


def _without_jointless(scene: Scene, _: Target) -> Scene:
    gone = _jointless(scene)
    kept = [k for k in range(len(scene.skins)) if k not in gone]
    number = {old: new for new, old in enumerate(kept)}
    nodes = tuple(replace(n, skin=number.get(n.skin)) if n.skin is not None else n for n in scene.nodes)
    return scene.with_(nodes=nodes, skins=tuple(scene.skins[k] for k in kept))


def _tell_roots(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.lacks("skins") or not target.lacks("skeleton roots"):
        return []
    count = sum(skin.skeleton is not None for skin in scene.skins)
    text = say("loss.skeleton-root", count=count)
    return [ExportLoss(_GROUP, "Skeleton roots", text, f"{count:,}", "0")] if count else []


# --- morph targets ------------------------------------------------------------------------------------


def _tell_morphs(scene: Scene, target: Target) -> list[ExportLoss]:
    if not target.lacks("morph targets"):
        return []
    said = []
    count = sum(len(mesh.morphs) for mesh in scene.meshes)
    if count:
        text = say("loss.no-morphs", count=count)
        said.append(ExportLoss(_GROUP, "Morph targets", text, f"{count:,}", "0"))
    channels = sum(channel.path == "weights" for clip in scene.clips for channel in clip.channels)
    if channels and not target.lacks("clips"):
        text = say("loss.no-morph-channels", channels=channels)
        said.append(ExportLoss(_GROUP, "Channels of morph targets", text, f"{channels:,}", "0"))
    return said


def _without_morphs(scene: Scene, _: Target) -> Scene:
    meshes = tuple(
        replace(mesh, morphs=(), morph_weights=()) if mesh.morphs or mesh.morph_weights else mesh for mesh in scene.meshes
    )
    nodes = tuple(replace(n, morph_weights=()) if n.morph_weights else n for n in scene.nodes)
    clips = tuple(replace(clip, channels=tuple(x for x in clip.channels if x.path != "weights")) for clip in scene.clips)
    return scene.with_(meshes=meshes, nodes=nodes, clips=clips)


# --- clips --------------------------------------------------------------------------------------------


def _tell_clips(scene: Scene, target: Target) -> list[ExportLoss]:
    n = len(scene.clips)
    if target.lacks("clips") and n:
        return [ExportLoss(_GROUP, "Clips", say("loss.no-clips", count=n), f"{n:,}", "0")]
    if not target.lacks("clips") and target.lacks("further clips") and n > 1:
        text = say("loss.one-timeline", count=n - 1)
        return [ExportLoss(_GROUP, "Clips", text, f"{n:,}", "1")]
    return []


def _fewer_clips(scene: Scene, target: Target) -> Scene:
    return scene.with_(clips=() if target.lacks("clips") else scene.clips[:1])


def _empty(clip: Clip) -> int:
    return sum(not len(channel.times) for channel in clip.channels)


def _tell_empty(scene: Scene, target: Target) -> list[ExportLoss]:
    if target.lacks("clips"):
        return []
    clips = sum(_empty(clip) == len(clip.channels) for clip in scene.clips)
    channels = sum(_empty(clip) for clip in scene.clips)
    said = []
    if channels:
        text = say("loss.channels-without-key", channels=channels)
        said.append(ExportLoss(_GROUP, "Channels without keys", text, f"{channels:,}", "0"))
    if clips:
        text = say("loss.clips-without-motion", clips=clips)
        said.append(ExportLoss(_GROUP, "Clips that move nothing", text, f"{clips:,}", "0"))
    return said


def _without_empty(scene: Scene, _: Target) -> Scene:
    clips = tuple(replace(clip, channels=tuple(x for x in clip.channels if len(x.times))) for clip in scene.clips)
    return scene.with_(clips=tuple(clip for clip in clips if clip.channels))


def _movable(scene: Scene, clip: Clip) -> list[int]:
    return list(dict.fromkeys(channel.node for channel in clip.channels if channel.node is not None and channel.path in _PATHS))


def _tell_baked(scene: Scene, target: Target) -> list[ExportLoss]:
    """Clips of formats that move whole transforms: at the keys they are the same, between them what is curved is straight."""
    if target.lacks("clips") or not target.lacks("channels") or not scene.clips:
        return []
    clips = scene.clips[:1] if target.lacks("further clips") else scene.clips
    nodes = sum(len(_movable(scene, clip)) for clip in clips)
    if not nodes and not any(channel.node is None for clip in clips for channel in clip.channels):
        return []
    other = sum(channel.interpolation != "LINEAR" for clip in clips for channel in clip.channels if channel.path in _PATHS)
    straight = say("loss.whole-transforms.straight", channels=other) if other else ""
    text = say("loss.whole-transforms", nodes=nodes, straight=straight)
    said = [
        ExportLoss(_GROUP, "Channels", text, plural(sum(len(clip.channels) for clip in clips), "channel"), "whole transforms")
    ]
    idle = sum(channel.node is None for clip in clips for channel in clip.channels)
    if idle:
        text = say("loss.channels-without-node", idle=idle)
        said.append(ExportLoss(_GROUP, "Channels without a node", text, f"{idle:,}", "0"))
    return said


def _baked(scene: Scene, target: Target) -> Scene:
    clips = []
    for clip in scene.clips:
        channels: list[Channel] = []
        for node in _movable(scene, clip):
            times, matrices = poses(
                scene.nodes[node], [channel for channel in clip.channels if channel.node == node and channel.path in _PATHS]
            )
            channels += transform_channels(node, times, matrices, still=not target.lacks("still channels"))
        clips.append(replace(clip, channels=tuple(channels)))
    return scene.with_(clips=tuple(clip for clip in clips if clip.channels))


def transform_channels(node: int, times: np.ndarray, matrices: np.ndarray, still: bool) -> list[Channel]:
    """Channels of translation, rotation and scale of local matrices (K, 4, 4) at times (K,). still: also those that never change."""
    rows = [decompose(matrix) for matrix in matrices]
    parts = {p: np.array([row[k] for row in rows], np.float64) for k, p in enumerate(_PATHS)}
    turns = parts["rotation"]
    # The same turn as a quaternion and as its negative: the nearer one, so that nothing spins the long way.
    for k in range(1, len(turns)):
        if turns[k] @ turns[k - 1] < 0:
            turns[k] *= -1
    stamps = frozen(times.astype(np.float32))
    made = {p: v.astype(np.float32) for p, v in parts.items()}
    return [Channel(node, p, stamps, frozen(v)) for p, v in made.items() if still or np.ptp(v, axis=0).max(initial=0) > 0]


# --- cameras, lights ----------------------------------------------------------------------------------


def _tell_cameras(scene: Scene, target: Target) -> list[ExportLoss]:
    n = len(scene.cameras) if target.lacks("cameras") else 0
    return [ExportLoss(_ELSE, "Cameras", say("loss.no-cameras", count=n), f"{n:,}", "0")] if n else []


def _without_cameras(scene: Scene, _: Target) -> Scene:
    return scene.with_(nodes=tuple(replace(n, camera=None) for n in scene.nodes), cameras=())


def _unheld_lights(scene: Scene, target: Target) -> list[int]:
    if target.lacks("lights"):
        return list(range(len(scene.lights)))
    kinds = {"directional", "point", "spot", *([] if target.lacks("ambient lights") else ["ambient"])}
    return [k for k, light in enumerate(scene.lights) if light.source.get("type") not in kinds]


def _tell_lights(scene: Scene, target: Target) -> list[ExportLoss]:
    gone = len(_unheld_lights(scene, target))
    if not gone:
        return []
    none = target.lacks("lights")
    text = say("loss.no-lights", count=gone) if none else say("loss.other-lights", count=gone, title=target.format.title)
    return [ExportLoss(_ELSE, "Lights", text, f"{len(scene.lights):,}", f"{len(scene.lights) - gone:,}")]


def _fewer_lights(scene: Scene, target: Target) -> Scene:
    gone = set(_unheld_lights(scene, target))
    kept = [k for k in range(len(scene.lights)) if k not in gone]
    number = {old: new for new, old in enumerate(kept)}
    nodes = tuple(n if n.light is None else replace(n, light=number.get(n.light)) for n in scene.nodes)
    return scene.with_(nodes=nodes, lights=tuple(scene.lights[k] for k in kept))


STEPS = (
    Step("skins", _tell_skins, _without_skins),
    Step("skins without joints", _tell_jointless, _without_jointless),
    Step("idle skins", _tell_loose, _without_loose),
    Step("skeleton roots", _tell_roots, lambda s, _: s.with_(skins=tuple(replace(x, skeleton=None) for x in s.skins))),
    Step("morph targets", _tell_morphs, _without_morphs),
    Step("clips", _tell_clips, _fewer_clips),
    Step("empty clips", _tell_empty, _without_empty),
    Step("channels", _tell_baked, _baked, heavy=True),
    Step("cameras", _tell_cameras, _without_cameras),
    Step("lights", _tell_lights, _fewer_lights),
)
