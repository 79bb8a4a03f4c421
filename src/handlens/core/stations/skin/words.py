"""How findings on joints name them and point at them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ...declare.check import Elements
from .records import JointFigures, SkinOfModel


def joints(skin: int, own: SkinOfModel, which: Iterable[int]) -> Elements:
    """Joints of a skin by their positions, drawn as their nodes."""
    chosen = list(which)
    return Elements(
        "joints", np.array(chosen, np.int32), skin=skin, drawn=np.array([own.joints[k].node for k in chosen], np.int32)
    )


def names(found: list[JointFigures]) -> str:
    """The first three by name."""
    return ", ".join(j.name for j in found[:3]) + (" …" if len(found) > 3 else "")


def key(k: int, skin: SkinOfModel) -> str:
    """A key for a finding on one skin."""
    return f"{skin.name}~{k}"
