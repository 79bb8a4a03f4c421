"""Why a destination cannot read a package, in words."""

from __future__ import annotations

from ..words.messages import Messages

say = Messages(
    {
        "receivers.too-large": "{name} has {total:,} bytes, more than a package may have.",
        "receivers.unreadable": "{path} cannot be read: {reason}.",
        "receivers.no-model": "There is no model in the package.",
        "receivers.empty": "{main} cannot be read: it is empty.",
        "receivers.does-not-fit": "{main} cannot be read: its contents contradict each other.",
        "receivers.wrong": "{main} cannot be read: it is {what}.",
        "receivers.no-geometry": "The package lacks {uri}, which has the geometry.",
        "receivers.failed": "{main} cannot be read: {error}.",
        "receivers.no-layer-first": "{main} cannot be read: a package of USD begins with a layer.",
        "receivers.no-package": "{label} cannot be read: it is no readable package.",
        "receivers.layer-unreadable": "The layer cannot be opened.",
        "receivers.corner-without-point": "{prim}: a corner of no point.",
    }
)
