"""Twenty-seven named points of a box: three heights, each with its middle, four sides and four corners.

Sides are told as somebody says who faces the model's front: +Z where Y is up (glTF 2.0 §3.4: the front of an asset faces +Z),
-Y where Z is up. Right is the viewer's right, +X.
"""

from __future__ import annotations

import re

import numpy as np

from .arrays import F64

#: What nodes without content are called that say where something is to be put or aimed (common practice, no published source).
_PLACE = re.compile(r"socket|target|anchor|attach|mount|snap|locator|spawn|hook|muzzle|marker|grip", re.IGNORECASE)
#: Ends of names between which a runtime blends a third node (WebXR input profiles: the nodes of a visual response end so).
_BLENDED = re.compile(r"(?:[_. -](?:min|max|value)|(?<=[a-z0-9])(?:Min|Max|Value)|[_. -](?:MIN|MAX|VALUE))$")
#: What a node is called that nobody named (common practice, no published source).
_UNNAMED = re.compile(
    r"(?:(?:empty|null|node|group|grp|object|transform|dummy|untitled|new)?[ _.:\-\[(]*\d*[\])]?)", re.IGNORECASE
)
_HEIGHTS = {"base": 0.0, "middle": 0.5, "top": 1.0}
_DEPTHS = {"front": 1.0, "": 0.5, "back": 0.0}
_WIDTHS = {"left": 0.0, "": 0.5, "right": 1.0}


def _name(height: str, depth: str, width: str) -> str:
    place = "-".join(w for w in (depth, width) if w) or "centre"
    return "centre" if (height, place) == ("middle", "centre") else f"{height}-{place}"


#: Name of each anchor with its share of the way along width, height and depth.
ANCHORS: dict[str, tuple[float, float, float]] = {
    _name(h, d, w): (_WIDTHS[w], _HEIGHTS[h], _DEPTHS[d]) for h in _HEIGHTS for d in _DEPTHS for w in _WIDTHS
}


def anchor(low: F64, high: F64, name: str, up: str) -> F64:
    """(3,) the named point of a box with the given corners, (3,) each. up: "X", "Y" or "Z".

    low, high: (3,) float64.
    """
    across, height, depth = ANCHORS[name]
    share = {"Y": (across, height, depth), "Z": (across, 1 - depth, height), "X": (height, across, depth)}[up]
    return np.asarray(low) + np.array(share) * (np.asarray(high) - np.asarray(low))


def is_place(name: str) -> bool:
    """Whether a node without content is named as a place at which something is put, or aimed."""
    return bool(_PLACE.search(name) or _BLENDED.search(name))


def is_unnamed(name: str) -> bool:
    """Whether a node goes by a name that nobody gave it, so that nothing looks it up by that."""
    return bool(_UNNAMED.fullmatch(name.strip()))
