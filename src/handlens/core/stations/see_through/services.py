"""What the web may call of See-through: from which sides a draw order is wrong."""

from __future__ import annotations

from .sweep import sides

__all__ = ["sides"]
