"""Files written so that none is ever half there."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path

from ..limits import InputError


def write_files(files: Mapping[Path, bytes], inputs: Sequence[str] = ()) -> None:
    """Write files so that none is ever half there, and none lies over an input, a link or a device. Raises InputError."""
    sources = {Path(i).resolve() for i in inputs}
    for path in files:
        resolved = path.resolve()
        if resolved in sources or any(s.is_dir() and resolved.is_relative_to(s) and resolved.exists() for s in sources):
            raise InputError(f"{path} is part of the input, and an input is never written over; name another --out.")
        _check_place(path)
    for path, data in files.items():
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            with tempfile.NamedTemporaryFile(dir=path.parent, prefix=".handlens-", delete=False) as part:
                part.write(data)
            umask = os.umask(0)
            os.umask(umask)
            os.chmod(part.name, 0o666 & ~umask)
            os.replace(part.name, path)
        except OSError as error:
            raise InputError(f"{path} cannot be written: {error.strerror}.") from error


def _check_place(path: Path) -> None:
    """Only a new name or a plain file may be written: a link leads elsewhere, and a device would be gone. Raises InputError."""
    if any(len(piece.encode(errors="surrogateescape")) > 255 for piece in path.parts):
        raise InputError(f"{path.name[:40]}… is longer than a file's name may be; name another --out.")
    if path.is_symlink():
        raise InputError(f"{path} is a link, and nothing is written through one; name the file itself.")
    if path.exists() and not path.is_file():
        what = "a folder" if path.is_dir() else "no plain file"
        raise InputError(f"{path} is {what}, and only a plain file is replaced; name another one, or - for the terminal.")
