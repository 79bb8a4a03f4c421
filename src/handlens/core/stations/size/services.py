"""What the rest of the core may call of Size: by which factor a size is likely meant."""

from __future__ import annotations

from .checks import likely_factor, size_metres

__all__ = ["likely_factor", "size_metres"]
