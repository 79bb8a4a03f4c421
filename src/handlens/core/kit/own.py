"""The former name of `station_measures`, which house checks of before import; it goes with the next release."""

from __future__ import annotations

from ..declare.station_measures import StationMeasures, reading

Own = StationMeasures

__all__ = ["Own", "reading"]
