"""What the web may call of See-through: from which sides a draw order is wrong."""

from __future__ import annotations

from collections.abc import Collection

from ...measures import Measures
from .measures import OWN
from .records import DrawOrderFigures
from .sweep import sides


def order_of(measures: Measures, nodes: Collection[int]) -> DrawOrderFigures | None:
    """What was seen of two blended parts, or of the pieces of one; None where they were not looked at."""
    own = OWN.of(measures)
    orders = () if own is None else own.draw_orders
    return next((order for order in orders if {order.first, order.second} == set(nodes)), None)


__all__ = ["order_of", "sides"]
