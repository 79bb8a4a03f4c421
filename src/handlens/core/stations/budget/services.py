"""What the web and jobs may call of Budget: how far off parts lie at each count of triangles."""

from __future__ import annotations

from .curve import CurvePoint, curve

__all__ = ["CurvePoint", "curve"]
