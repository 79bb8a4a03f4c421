"""Cameras and lights of a USD stage, in the keys that glTF has for them (UsdGeom, UsdLux)."""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Gf, Usd, UsdGeom, UsdLux

from ...words.json_tree import Json
from .values import called


def camera(camera: UsdGeom.Camera) -> Json:
    """In glTF's keys. Apertures and focal length are in tenths of a unit (UsdGeom, Camera)."""
    seen = camera.GetCamera(Usd.TimeCode.Default())
    near, far = seen.clippingRange.min, seen.clippingRange.max
    # An end in the infinite is none.
    range_ = {"znear": near, "zfar": far} if np.isfinite(far) else {"znear": near}
    name = called(camera.GetPrim())
    if seen.projection == Gf.Camera.Orthographic:
        return {
            "name": name,
            "type": "orthographic",
            "orthographic": {
                "xmag": seen.horizontalAperture / 20,
                "ymag": seen.verticalAperture / 20,
                **range_,
            },
        }
    angle = seen.GetFieldOfView(Gf.Camera.FOVVertical)
    return {
        "name": name,
        "type": "perspective",
        "perspective": {"yfov": float(np.radians(angle)), "aspectRatio": seen.aspectRatio, **range_},
    }


def light(prim: Usd.Prim, kind: str) -> Json:
    """In glTF's keys where the kinds agree, else under its own name."""
    known = {"DistantLight": "directional", "SphereLight": "point", "DomeLight": "ambient"}
    api = UsdLux.LightAPI(prim)
    colour = api.GetColorAttr().Get()
    spot = prim.GetAttribute("inputs:shaping:cone:angle")
    entry: dict[str, Any] = {
        "name": called(prim),
        "type": known.get(kind, kind),
        "intensity": float(api.GetIntensityAttr().Get() or 1.0),
    }
    if colour is not None:
        entry["color"] = [float(v) for v in colour]
    if kind == "SphereLight" and spot and spot.HasAuthoredValue():
        entry |= {"type": "spot", "spot": {"innerConeAngle": 0.0, "outerConeAngle": min(float(np.radians(spot.Get())), 1.5707)}}
    return entry
