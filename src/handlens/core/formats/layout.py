"""Where the files of a model lie when it is written."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Layout:
    """folder: for images beside, "" for none. images: as-format, embedded or beside, where the format allows both. library: of an OBJ."""

    folder: str = ""
    images: str = "as-format"
    library: bool = True


PLAIN = Layout()
