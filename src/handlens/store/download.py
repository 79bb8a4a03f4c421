"""The bytes of an export as they are handed on: one file as it is, several as a zip, made while it is sent."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator, Mapping
from typing import Any

from . import contents
from .database import session
from .models import Export


def download_name(export: Export) -> str:
    """What the download is called."""
    main = export.files[0].path.rpartition("/")[2]
    return main if len(export.files) == 1 else f"{main.rpartition('.')[0]}_{export.format}.zip"


def sent_as(files: list[tuple[str, int]]) -> Iterator[bytes]:
    """The bytes of an export, piece by piece. files: path and content of each."""
    return contents.sent(files[0][1]) if len(files) == 1 else zip_of(files, {})


class _Pipe(io.RawIOBase):
    """A place for zipfile to write to, from which pieces are taken as they come."""

    def __init__(self) -> None:
        self.held: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self.held.append(bytes(data))
        return len(data)

    def taken(self) -> Iterator[bytes]:
        held, self.held = self.held, []
        yield from held


def zip_of(files: list[tuple[str, int]], beside: Mapping[str, bytes]) -> Iterator[bytes]:
    """A zip, made while it is sent. files: path and content of each. beside: files of which the bytes are there, by path."""
    pipe = _Pipe()
    with session() as db, zipfile.ZipFile(pipe, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for path, content_id in files:
            with archive.open(zipfile.ZipInfo(path), "w", force_zip64=True) as entry:
                for piece in contents.stream(db, content_id):
                    entry.write(piece)
                    yield from pipe.taken()
            yield from pipe.taken()
        for path, data in beside.items():
            archive.writestr(zipfile.ZipInfo(path), data, zipfile.ZIP_DEFLATED)
            yield from pipe.taken()
    yield from pipe.taken()
