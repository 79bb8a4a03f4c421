"""Pure functions from scene to figures. Nothing here knows a rule sheet or an intent."""

from .collect import collect, count
from .records import Measures

__all__ = ["Measures", "collect", "count"]
