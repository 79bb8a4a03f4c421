"""What came in: a file with its neighbours, a folder, or a zip, behind one interface that never leaves its root."""

from __future__ import annotations

import hashlib
import os
import re
import stat
import unicodedata
import zipfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path, PurePosixPath
from urllib.parse import unquote

from .. import limits
from ..limits import InputError
from .messages import say

IMAGE_ENDINGS = {".png", ".jpg", ".jpeg", ".webp", ".bmp", ".tga", ".tif", ".tiff", ".gif", ".ktx2", ".dds", ".hdr"}
TEXT_ENDINGS = {".xml", ".json", ".ini", ".csv", ".txt", ".cfg", ".yaml", ".yml", ".toml"}
#: Models that are zips themselves, and are read whole.
_MODEL_ZIPS = (".3mf", ".usdz")
#: Endings of packages that are unpacked: a zip, and a zipped COLLADA document with its images.
ARCHIVES = (".zip", ".zae")
_NOISE = re.compile(r"(^|/)(__MACOSX/|\.DS_Store$|Thumbs\.db$|desktop\.ini$|\._[^/]*$)")


def clean_path(path: str) -> str:
    """A package path with forward slashes, checked: no root, no drive, no way up.

    Raises InputError for a path that would leave the package.
    """
    text = unicodedata.normalize("NFC", path.replace("\\", "/"))
    parts = [p for p in text.split("/") if p not in ("", ".")]
    if text.startswith("/") or re.match(r"^[A-Za-z]:", text) or ".." in parts:
        raise InputError(say("package.leads-out", path=path))
    if not parts or re.search(r"[\x00-\x1f\x7f\ud800-\udfff]", text) or len(text.encode()) > limits.MAX_PATH_BYTES:
        raise InputError(say("package.unusable-path", path=path[:80]))
    if any(len(part.encode()) > limits.MAX_NAME_BYTES for part in parts):
        raise InputError(say("package.name-too-long", part=max(parts, key=len)[:40]))
    return "/".join(parts)


def in_the_way(path: str, others: Iterable[str]) -> str | None:
    """The path among others that cannot lie beside this one, since one is a file where the other wants a folder."""
    above = {"/".join(path.split("/")[:k]) for k in range(1, path.count("/") + 1)}
    return next((other for other in others if other in above or other.startswith(path + "/")), None)


def is_noise(path: str) -> bool:
    """Files that operating systems leave behind and nobody means to send."""
    return bool(_NOISE.search(path))


@dataclass(frozen=True)
class Found:
    """Where a reference leads. status: found, other-case, missing or absolute."""

    status: str
    path: str | None


@dataclass(frozen=True)
class Spelling:
    """How a reference is written: with backslashes, with percent signs for letters, leading out of its own folder's package."""

    backslash: bool
    percent: bool
    outside: bool


#: Formats whose references are URIs, where a percent sign stands for a letter by the standard.
URIS = ("gltf", "glb", "dae")


def spelling(reference: str) -> Spelling:
    """How a reference to a file is written (RFC 3986 §2.1 for percent signs, §5.2.4 for the way up)."""
    text, depth, lowest = reference.replace("\\", "/"), 0, 0
    for piece in text.split("/"):
        depth += 0 if piece in ("", ".") else -1 if piece == ".." else 1
        lowest = min(lowest, depth)
    return Spelling("\\" in reference, unquote(text) != text, lowest < 0)


class Package:
    """A tree of files addressed by relative paths with forward slashes."""

    def names(self) -> Sequence[str]:
        """Every file in the package, sorted."""
        raise NotImplementedError

    def size(self, path: str) -> int:
        raise NotImplementedError

    def read(self, path: str) -> bytes:
        """The whole file. Raises InputError where it cannot be read."""
        raise NotImplementedError

    def has(self, path: str) -> bool:
        return path in self.names()

    def sha256(self, path: str) -> str:
        return hashlib.sha256(self.read(path)).hexdigest()

    @cached_property
    def _folded(self) -> dict[str, list[str]]:
        table: dict[str, list[str]] = {}
        for name in self.names():
            table.setdefault(name.casefold(), []).append(name)
        return table

    def find(self, reference: str, beside: str) -> Found:
        """Resolve a reference made by the file `beside`.

        Tried in order: as written, percent-decoded, then the same with any letter case. An absolute path or one
        with a drive letter is "absolute" even where a file of that name lies beside; `path` then says where.
        """
        text = reference.strip().replace("\\", "/")
        if text.lower().startswith("file:"):
            rest = text[5:].lstrip("/")
            # Some write file: before a way that is relative all the same.
            text = rest if rest.startswith(("./", "../")) else "/" + rest
        if text.startswith("/../"):
            # Nothing lies above a root: a way up that somebody put a stroke before.
            text = text.lstrip("/")
        absolute = rooted = text.startswith("/") or bool(re.match(r"^[A-Za-z]:", text))
        folder = str(PurePosixPath(beside).parent)
        candidates = []
        for form in dict.fromkeys((text, unquote(text))):
            relative = PurePosixPath(form).name if rooted else form
            candidates.append(_join(folder, relative))
        for candidate in candidates:
            if candidate and self.has(candidate):
                return Found("absolute" if absolute else "found", candidate)
        for candidate in candidates:
            others = self._folded.get(candidate.casefold(), []) if candidate else []
            if others:
                return Found("absolute" if absolute else "other-case", others[0])
        return Found("absolute" if absolute else "missing", None)


def _join(folder: str, relative: str) -> str | None:
    parts: list[str] = [] if folder == "." else folder.split("/")
    for piece in relative.split("/"):
        if piece in ("", "."):
            continue
        if piece == "..":
            if not parts:
                return None
            parts.pop()
        else:
            parts.append(piece)
    return unicodedata.normalize("NFC", "/".join(parts)) if parts else None


class ListedPackage(Package):
    """Names and sizes alone, for questions that need no bytes."""

    def __init__(self, sizes: dict[str, int]) -> None:
        self.sizes = sizes

    def names(self) -> Sequence[str]:
        return list(self.sizes)

    def size(self, path: str) -> int:
        return self.sizes[path]


class MemoryPackage(Package):
    """Files that lie in memory, as a writer gave them."""

    def __init__(self, files: Mapping[str, bytes]) -> None:
        self.files = files

    def names(self) -> Sequence[str]:
        return sorted(self.files)

    def size(self, path: str) -> int:
        return len(self.files[path])

    def read(self, path: str) -> bytes:
        return self.files[path]


class FolderPackage(Package):
    """A folder on disk, or one file with its neighbours. Links that lead out of the folder are not followed."""

    def __init__(self, root: Path) -> None:
        self.root = root.resolve()

    @cached_property
    def _files(self) -> dict[str, Path]:
        found: dict[str, Path] = {}
        for base, folders, files in os.walk(self.root):
            folders[:] = sorted(folder for folder in folders if not folder.startswith("."))
            # A folder that os.walk goes into lies inside, since it follows no links: only a link among its files may lead out.
            for name in files:
                full = Path(base, name)
                path = unicodedata.normalize("NFC", full.relative_to(self.root).as_posix())
                if is_noise(path) or not self._is_inside(full):
                    continue
                found[path] = full
                if len(found) > self.most:
                    raise InputError(
                        say("package.too-many-in-folder", name=self.root.name, most=self.most, instead=self._instead)
                    )
        return dict(sorted(found.items()))

    _instead = "point at the model's own folder instead."

    @property
    def most(self) -> int:
        """Files up to which it is listed."""
        return limits.MAX_PACKAGE_FILES

    def _is_inside(self, full: Path) -> bool:
        """Whether a path is a plain file that does not lead out: a pipe or a device is no part of a model, and reading it may never end."""
        try:
            mode = full.lstat().st_mode
        except OSError:
            return False
        if not stat.S_ISLNK(mode):
            return stat.S_ISREG(mode)
        return full.resolve().is_relative_to(self.root) and full.is_file()

    def names(self) -> Sequence[str]:
        return list(self._files)

    def has(self, path: str) -> bool:
        return path in self._files

    def size(self, path: str) -> int:
        return self._files[path].stat().st_size

    def read(self, path: str) -> bytes:
        full = self._files[path]
        if full.stat().st_size > limits.MAX_FILE_BYTES:
            raise InputError(say("package.too-large", path=path, gib=limits.MAX_FILE_BYTES >> 30))
        try:
            return full.read_bytes()
        except OSError as error:
            raise InputError(say("package.unreadable", path=path, reason=error.strerror)) from error


class Library(FolderPackage):
    """A folder of many files that is looked through by name for what a model misses; it is never a model's own package."""

    _instead = "point at a part of it."

    @property
    def most(self) -> int:
        return limits.MAX_LIBRARY_FILES

    @cached_property
    def by_name(self) -> dict[str, list[str]]:
        """Paths by their file names."""
        out: dict[str, list[str]] = {}
        for path in self._files:
            out.setdefault(path.rpartition("/")[2], []).append(path)
        return out


class FilePackage(FolderPackage):
    """One model file; its folder is only listed once a reference has to be looked up."""

    def __init__(self, file: Path) -> None:
        super().__init__(file.parent)
        self.file = file

    @cached_property
    def _files(self) -> dict[str, Path]:
        # A lone file in a crowded folder must not cost a walk over everything beside it.
        found = {self.file.name: self.file}
        budget = limits.MAX_PACKAGE_FILES
        for base, folders, files in os.walk(self.root):
            depth = len(Path(base).relative_to(self.root).parts)
            folders[:] = sorted(folder for folder in folders if not folder.startswith(".")) if depth < 4 else []
            for name in files:
                full = Path(base, name)
                if (full.is_symlink() and not full.resolve().is_relative_to(self.root)) or not full.is_file():
                    continue
                found[unicodedata.normalize("NFC", full.relative_to(self.root).as_posix())] = full
            budget -= len(files)
            if budget < 0:
                break
        return found

    def beside(self, below: bool) -> list[str]:
        """Files of the same folder, sorted; with those of folders below if asked, which may be many."""
        if below:
            return sorted(self._files)
        with os.scandir(self.root) as there:
            names = sorted(e.name for e in there if e.is_file(follow_symlinks=False) and not e.name.startswith("."))
        return [unicodedata.normalize("NFC", n) for n in names[: limits.MAX_PACKAGE_FILES] if not is_noise(n)]

    def _direct(self, path: str) -> Path | None:
        """A file of the same folder, without listing everything below."""
        if path == self.file.name:
            return self.file
        full = self.root / path
        return full if "/" not in path and full.is_file() and full.resolve().is_relative_to(self.root) else None

    def read(self, path: str) -> bytes:
        full = self._direct(path)
        if full is None:
            return super().read(path)
        try:
            if full.stat().st_size > limits.MAX_FILE_BYTES:
                raise InputError(say("package.too-large", path=path, gib=limits.MAX_FILE_BYTES >> 30))
            return full.read_bytes()
        except OSError as error:
            raise InputError(say("package.unreadable", path=path, reason=error.strerror)) from error

    def size(self, path: str) -> int:
        full = self._direct(path)
        return super().size(path) if full is None else full.stat().st_size


class ZipPackage(Package):
    """A zip, read in place. Every bound is checked against the directory before anything is unpacked."""

    def __init__(self, file: Path) -> None:
        self.file = file
        try:
            self._zip = zipfile.ZipFile(file)
        except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError) as error:
            raise InputError(say("package.no-zip", name=file.name)) from error
        self._entries = checked_entries(self._zip, file.name)

    def names(self) -> Sequence[str]:
        return list(self._entries)

    def has(self, path: str) -> bool:
        return path in self._entries

    def size(self, path: str) -> int:
        return self._entries[path].file_size

    def read(self, path: str) -> bytes:
        return b"".join(self.stream(path))

    def stream(self, path: str) -> Iterator[bytes]:
        """The unpacked file in pieces; stops with InputError if it is longer than its directory entry says."""
        entry, seen = self._entries[path], 0
        try:
            with self._zip.open(entry) as source:
                while piece := source.read(1 << 20):
                    seen += len(piece)
                    if seen > entry.file_size:
                        raise InputError(say("package.larger-than-stated", path=path, name=self.file.name))
                    yield piece
        except (zipfile.BadZipFile, RuntimeError, EOFError, OSError, NotImplementedError, ValueError) as error:
            raise InputError(say("package.damaged-or-locked", path=path, name=self.file.name)) from error
        except Exception as error:  # zlib and lzma raise errors of their own
            if isinstance(error, InputError):
                raise
            raise InputError(say("package.damaged", path=path, name=self.file.name)) from error


def checked_entries(archive: zipfile.ZipFile, label: str) -> dict[str, zipfile.ZipInfo]:
    """The files of a zip by clean path. Raises InputError on traversal, bombs, links, locked or doubled entries."""
    entries: dict[str, zipfile.ZipInfo] = {}
    total = 0
    for info in archive.infolist():
        if info.filename.endswith("/") or is_noise(info.filename):
            continue
        path = clean_path(_entry_name(info))
        if info.flag_bits & 1:
            raise InputError(say("package.locked", label=label))
        if stat.S_ISLNK(info.external_attr >> 16):
            continue
        total += info.file_size
        ratio = info.file_size / max(info.compress_size, 1)
        if total > limits.MAX_PACKAGE_BYTES or (info.file_size > 1 << 20 and ratio > limits.MAX_ZIP_RATIO):
            raise InputError(say("package.grows-too-much", label=label, path=path, ratio=ratio))
        if path in entries:
            raise InputError(say("package.twice", label=label, path=path))
        entries[path] = info
        if len(entries) > limits.MAX_PACKAGE_FILES:
            raise InputError(say("package.too-many-files", label=label, most=limits.MAX_PACKAGE_FILES))
    folders = {"/".join(entry.split("/")[:k]) for entry in entries for k in range(1, entry.count("/") + 1)}
    both = next((entry for entry in entries if entry in folders), None)
    if both:
        raise InputError(say("package.file-and-folder", label=label, both=both))
    return dict(sorted(entries.items()))


def _entry_name(info: zipfile.ZipInfo) -> str:
    """The name of an entry, with old encodings mended.

    Without the UTF-8 flag the name is code page 437 by the format (APPNOTE 4.4.4, appendix D), but in practice
    many packers wrote UTF-8 anyway: taken as such where the bytes are valid UTF-8.
    """
    if info.flag_bits & 0x800:
        return info.filename
    try:
        return info.filename.encode("cp437").decode("utf-8")
    except (UnicodeEncodeError, UnicodeDecodeError):
        return info.filename


def open_package(path: Path) -> tuple[Package, str | None]:
    """The package at a path, and the model file in it where the path names one. Raises InputError."""
    if not path.exists():
        raise InputError(say("package.not-there", path=path))
    if path.is_dir():
        return FolderPackage(path), None
    if not path.is_file():
        raise InputError(say("package.no-plain-file", path=path))
    if path.suffix.lower() in ARCHIVES or (path.suffix.lower() not in _MODEL_ZIPS and _starts_with(path, b"PK\x03\x04")):
        return ZipPackage(path), None
    return FilePackage(path), path.name


def _starts_with(path: Path, magic: bytes) -> bool:
    try:
        with path.open("rb") as file:
            return file.read(len(magic)) == magic
    except OSError:
        return False
