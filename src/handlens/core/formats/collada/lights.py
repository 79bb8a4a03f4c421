"""COLLADA cameras and lights in the keys of glTF 2.0 (§3.10, and KHR_lights_punctual), which the neutral scene keeps them in.

1.4.1, chapter 5, `camera`, `light`. Angles are in degrees there and in radians here.
"""

from __future__ import annotations

from math import radians
from typing import Any

from ...words.json_tree import Json
from ..shared.xml import Element, Numbers


def camera_of(element: Element, numbers: Numbers) -> Json:
    """What a camera states."""
    optics = element.find("optics/technique_common")
    kind = optics[0].tag if optics is not None and len(optics) else "perspective"
    get = lambda key: _number(optics, f"{kind}/{key}", numbers)
    near, far = get("znear"), get("zfar")
    range_ = {k: v for k, v in (("znear", near), ("zfar", far)) if v is not None}
    if kind == "orthographic":
        x, y = get("xmag"), get("ymag")
        return {"type": kind, kind: {"xmag": x or y or 1.0, "ymag": y or x or 1.0, "znear": 0.0, "zfar": 100.0, **range_}}
    wide, high, ratio = get("xfov"), get("yfov"), get("aspect_ratio")
    aspect = {"aspectRatio": ratio} if ratio else {}
    # Only one of the two angles need be stated; with neither, the other format's must still have one.
    angle = high or ((wide or 45.0) / (ratio or 1.0))
    return {"type": "perspective", "perspective": {"yfov": radians(angle), "znear": 0.01, **range_, **aspect}}


def light_of(element: Element, numbers: Numbers) -> Json:
    """What a light states; an ambient one keeps its kind, which not every format can hold."""
    common = element.find("technique_common")
    kind = common[0].tag if common is not None and len(common) else "point"
    out: dict[str, Any] = {"type": kind}
    colour = common.find(f"{kind}/color") if common is not None else None
    if colour is not None:
        out["color"] = numbers.floats(colour)[:3].tolist()
    if kind == "spot":
        angle = _number(common, "spot/falloff_angle", numbers) or 180.0
        out["spot"] = {"innerConeAngle": 0.0, "outerConeAngle": min(radians(angle) / 2, 1.5707)}
    return out


def _number(owner: Element | None, path: str, numbers: Numbers) -> float | None:
    found = owner.find(path) if owner is not None else None
    if found is None:
        return None
    values = numbers.floats(found)
    return float(values[0]) if len(values) else None
