"""Faces of a part as one text, as calls name them."""

from __future__ import annotations

import re

import numpy as np

from ..limits import InputError
from ..words.arrays import I32, Bool
from .messages import say

#: A face or a run of them. No mesh has a face whose number has more digits.
_RUN = re.compile(r"([0-9]{1,18})(?:-([0-9]{1,18}))?")


def face_text(faces: I32) -> str:
    """Faces, (n,) sorted numbers, as `face_mask` reads them: runs of neighbours as 3-11.

    faces: (n,) int.
    """
    if not len(faces):
        return ""
    cut = np.flatnonzero(np.diff(faces) != 1) + 1
    runs = [(int(r[0]), int(r[-1])) for r in np.split(faces, cut)]
    return ";".join(str(a) if a == b else f"{a}-{b}" for a, b in runs)


def face_mask(text: str, total: int) -> Bool:
    """(total,) bool of faces named as "3;7-11"; all where the text is empty. Raises InputError."""
    if not text.strip():
        return np.ones(total, bool)
    mask = np.zeros(total, bool)
    for piece in text.replace(" ", "").split(";"):
        met = _RUN.fullmatch(piece)
        if met is None:
            raise InputError(say("scene.no-face", piece=piece[:40]))
        mask[int(met[1]) : int(met[2] or met[1]) + 1] = True
    return mask
