"""The former place of `declare.station_measures`, which house checks and mends of before import; it goes with the next release."""

from ..declare.station_measures import *  # noqa: F403
