"""Cameras and lights in what each format states of them. Values are in the keys of glTF 2.0 (§3.10, KHR_lights_punctual)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from ...scene import Scene
from .messages import say
from .steps import ExportLoss, Step, Target

_GROUP = "Also in the file"
_VIEWS = {"perspective": ("yfov", "aspectRatio", "znear", "zfar"), "orthographic": ("xmag", "ymag", "znear", "zfar")}
#: What each format states of a light, beside its kind.
_LIGHT = {
    "dae": ("color", "outerConeAngle"),
    "usda": ("color", "intensity", "outerConeAngle"),
    "usdz": ("color", "intensity", "outerConeAngle"),
}


def _view(source: Mapping[str, Any], target: Target) -> dict[str, Any]:
    """What of a camera the format states."""
    kind = "orthographic" if source.get("type") == "orthographic" else "perspective"
    own = source.get(kind)
    own = {k: v for k, v in own.items() if k in _VIEWS[kind]} if isinstance(own, Mapping) else {}
    if target.format.name.startswith("usd") and kind == "perspective":
        own = {"aspectRatio": 1.0, **own}
    return {"type": kind, kind: own}


def _lit(source: Mapping[str, Any], target: Target) -> dict[str, Any]:
    """What of a light the format states."""
    known = _LIGHT[target.format.name]
    out: dict[str, Any] = {"type": source.get("type")}
    out |= {k: source[k] for k in ("color", "intensity") if k in known and k in source}
    spot = source.get("spot")
    if out["type"] == "spot":
        outer = spot.get("outerConeAngle") if isinstance(spot, Mapping) else None
        out["spot"] = {"innerConeAngle": 0.0, "outerConeAngle": 0.7853981633974483 if outer is None else outer}
    return out


def _defaults(source: Mapping[str, Any]) -> dict[str, Any]:
    """A light with what is left out as it counts: KHR_lights_punctual, defaults."""
    out = {"color": [1.0, 1.0, 1.0], "intensity": 1.0, **source}
    if out.get("type") == "spot":
        given = out.get("spot")
        out["spot"] = {
            "innerConeAngle": 0.0,
            "outerConeAngle": 0.7853981633974483,
            **(given if isinstance(given, Mapping) else {}),
        }
    return out


def _tell(scene: Scene, target: Target) -> list[ExportLoss]:
    said = []
    if not target.lacks("cameras") and target.lacks("all of cameras"):
        n = sum(_view(camera.source, target) != dict(camera.source) for camera in scene.cameras)
        if n:
            text = say("loss.camera-values", count=n, title=target.format.title)
            said.append(ExportLoss(_GROUP, "Cameras", text, f"{n:,}", "angle, aspect, clipping"))
    if not target.lacks("lights") and target.lacks("all of lights"):
        n = sum(_defaults(_lit(x.source, target)) != _defaults(x.source) for x in scene.lights)
        if n:
            words = "colour and cone" if target.format.name == "dae" else "colour, intensity and cone"
            text = say("loss.light-values", count=n, title=target.format.title, words=words)
            said.append(ExportLoss(_GROUP, "Lights", text, f"{n:,}", words))
    return said


def _apply(scene: Scene, target: Target) -> Scene:
    if not target.lacks("cameras") and target.lacks("all of cameras"):
        scene = scene.with_(cameras=tuple(replace(camera, source=_view(camera.source, target)) for camera in scene.cameras))
    if not target.lacks("lights") and target.lacks("all of lights"):
        scene = scene.with_(lights=tuple(replace(x, source=_lit(x.source, target)) for x in scene.lights))
    return scene


STEPS = (Step("cameras and lights", _tell, _apply),)
