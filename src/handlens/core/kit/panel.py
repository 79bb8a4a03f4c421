"""The former place of `declare.panel`, which house checks and mends of before import; it goes with the next release."""

from ..declare.panel import *  # noqa: F403
