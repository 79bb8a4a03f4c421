"""Files written so that none is ever half there, and nothing that was read is replaced."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Iterable, Mapping
from pathlib import Path

from ..limits import InputError
from ..words.own_reports import HEAD, is_own_report
from .messages import say


class Outputs:
    """What one call writes: never a file that it read, never one file twice, and what is there already only where that is wished.

    inputs: files that were read, and folders of which every file counts as such. replace: whether other files that are there may be
    replaced.
    """

    def __init__(self, inputs: Iterable[str | Path] = (), replace: bool = False) -> None:
        self.replace = replace
        self._read: set[Path] = set()
        #: What a path leads to counts and not how it is spelt: a hard link is the file itself.
        self._same: set[tuple[int, int]] = set()
        self._written: set[Path] = set()
        self.keep_out(inputs)

    def keep_out(self, inputs: Iterable[str | Path]) -> None:
        """Further files that were read, and folders of which every file counts as such."""
        more = {Path(i).resolve() for i in inputs}
        self._read |= more
        self._same |= {_identity(p) for p in more if p.is_file()}

    def write(self, files: Mapping[Path, bytes], report: bool = False) -> None:
        """Write files, all of them or none. Those that are there with the very same bytes stay as they are. Raises InputError.

        files: the one that the call names first, then what lies beside it. report: whether they are reports, which replace earlier ones.
        """
        named = next(iter(files), None)
        wanted = {
            p: data
            for p, data in files.items()
            if (p == named and p.resolve() in self._read) or not self._is_already_equal(p, data)
        }
        for path in wanted:
            self._check(path, report)
        parts: list[tuple[str, Path]] = []
        try:
            for path, data in wanted.items():
                parts.append((_beside(path, data), path))
            while parts:
                part, path = parts.pop(0)
                os.replace(part, path)
        except OSError as error:
            raise InputError(say("pipeline.unwritable", path=path, reason=error.strerror)) from error
        finally:
            for part, _ in parts:
                with contextlib.suppress(OSError):
                    os.unlink(part)
        self._written |= {path.resolve() for path in files}

    def _is_already_equal(self, path: Path, data: bytes) -> bool:
        """Whether a plain file is there that holds these bytes already."""
        try:
            plain = path.is_file() and not path.is_symlink() and path.stat().st_size == len(data)
            return plain and path.resolve() not in self._written and path.read_bytes() == data
        except OSError:
            return False

    def _check(self, path: Path, report: bool) -> None:
        """Raises InputError where a file may not be written."""
        _check_place(path)
        resolved = path.resolve()
        if resolved in self._written:
            raise InputError(say("pipeline.written-twice", path=path))
        inside = any(p.is_dir() and resolved.is_relative_to(p) and resolved.exists() for p in self._read)
        if resolved in self._read or inside or (resolved.exists() and _identity(resolved) in self._same):
            raise InputError(say("pipeline.input", path=path))
        if resolved.exists() and not self.replace and not (report and _is_report(resolved)):
            raise InputError(say("pipeline.there-already", path=path))


def _identity(path: Path) -> tuple[int, int]:
    stat = path.stat()
    return stat.st_dev, stat.st_ino


def _is_report(path: Path) -> bool:
    with contextlib.suppress(OSError), path.open("rb") as file:
        return is_own_report(file.read(HEAD))
    return False


def _beside(path: Path, data: bytes) -> str:
    """The bytes in a file of another name in the same folder, from where they are moved in one step."""
    path.parent.mkdir(parents=True, exist_ok=True)
    number, part = tempfile.mkstemp(dir=path.parent, prefix=".handlens-")
    try:
        with os.fdopen(number, "wb") as file:
            file.write(data)
        umask = os.umask(0)
        os.umask(umask)
        os.chmod(part, 0o666 & ~umask)
    except OSError:
        os.unlink(part)
        raise
    return part


def _check_place(path: Path) -> None:
    """Only a new name or a plain file may be written: a link leads elsewhere, and a device would be gone. Raises InputError."""
    if any(len(piece.encode(errors="surrogateescape")) > 255 for piece in path.parts):
        raise InputError(say("pipeline.name-too-long", name=path.name[:40]))
    if path.is_symlink():
        raise InputError(say("pipeline.link", path=path))
    if path.exists() and not path.is_file():
        what = "a folder" if path.is_dir() else "not a regular file"
        raise InputError(say("pipeline.no-plain-file", path=path, what=what))
