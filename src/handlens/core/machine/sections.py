"""A binary container: a JSON header and typed sections that are used as they lie.

Layout: b"HLST", uint32 length of the header, the header padded with blanks to a multiple of eight, then sections that
start on multiples of eight. A section is named in the header as {"at": bytes from the first section, "count": elements}.
"""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np

from ..words.arrays import Array
from ..words.json_tree import Json

MAGIC = b"HLST"


class Sections:
    """Sections on their way into a file."""

    def __init__(self) -> None:
        self.pieces: list[bytes] = []
        self.length = 0

    def add(self, data: bytes) -> int:
        """Append bytes; returns where they begin."""
        pad = -self.length % 8
        if pad:
            self.pieces.append(b"\x00" * pad)
            self.length += pad
        at = self.length
        self.pieces.append(data)
        self.length += len(data)
        return at

    def array(self, values: Array, kind: type) -> dict[str, int]:
        flat: Array = np.ascontiguousarray(values, kind)
        return {"at": self.add(flat.tobytes()), "count": flat.size}

    def file(self, header: Json) -> bytes:
        text = json.dumps(header, separators=(",", ":"), allow_nan=False).encode()
        text += b" " * (-(8 + len(text)) % 8)
        return b"".join([MAGIC, struct.pack("<I", len(text)), text, *self.pieces])


class Opened:
    """A container that was written before."""

    def __init__(self, data: bytes) -> None:
        assert data[:4] == MAGIC, "not such a container"
        (length,) = struct.unpack("<I", data[4:8])
        self.data, self.base = data, 8 + length
        self.header: dict[str, Any] = json.loads(data[8 : 8 + length])

    def array(self, section: dict[str, int], kind: type) -> Array:
        """A section's elements, without a copy."""
        return np.frombuffer(self.data, kind, section["count"], self.base + section["at"])

    def bytes(self, at: int, length: int) -> bytes:
        return self.data[self.base + at : self.base + at + length]
