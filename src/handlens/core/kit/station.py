"""The former place of `declare.station`, which house checks and mends of before import; it goes with the next release."""

from ..declare.station import *  # noqa: F403
