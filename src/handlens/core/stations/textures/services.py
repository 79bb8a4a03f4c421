"""What the store may call of Textures: files that may be the image which is missing."""

from __future__ import annotations

from .relink import Candidate, candidates, near_names

__all__ = ["Candidate", "candidates", "near_names"]
