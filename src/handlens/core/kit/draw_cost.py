"""The former place of `measures.draw_cost`, which house mends of before import; it goes with the next release."""

from ..measures.draw_cost import *  # noqa: F403
