"""Plain data as JSON has it, where a standard or the contract says what stands in it and not we."""

from __future__ import annotations

from typing import Any

#: An object of JSON.
Json = dict[str, Any]
