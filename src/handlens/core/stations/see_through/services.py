"""What the web may call of See-through: from which sides a draw order is wrong."""

from __future__ import annotations

from collections.abc import Collection

from ...measures import Measures
from .measures import OWN
from .records import DrawOrderFigures
from .sweep import right_sectors, sides


def order_of(measures: Measures, nodes: Collection[int]) -> DrawOrderFigures | None:
    """What was seen of two blended parts, or of the pieces of one; of one part alone, of it and what it is worst with; None where they
    were not looked at."""
    own = OWN.of(measures)
    wanted = set(nodes)
    orders = [] if own is None else [order for order in own.draw_orders if wanted <= {order.first, order.second}]
    exact = [order for order in orders if wanted == {order.first, order.second}]
    return max(exact or orders, key=lambda order: order.wrong / max(order.both, 1), default=None)


__all__ = ["order_of", "right_sectors", "sides"]
