"""A folder watched: models that were saved there, told once they are whole, and what each save fixed and brought."""

from __future__ import annotations

import hashlib
import json
import os
import stat
import subprocess
import sys
import time
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from .core import limits, packages
from .core.formats.files import role_of
from .core.formats.table import MODEL_ENDINGS
from .core.limits import InputError, plural
from .core.packages import open_plain

#: Seconds for which a file must have kept still before it counts as saved, and between two looks.
SETTLED, EVERY = 0.6, 0.5
#: Seconds after which a file that changes all the time, as a log does, is waited for no longer; and one that a model is made of, which may
#: take its time to be copied.
RESTLESS, RESTLESS_PIECE = 6.0, 60.0
#: What a model is made of.
_PIECES = ("model", "image", "material-library", "buffer")
#: Bytes of a model that are looked through for the names of what it uses.
_LOOKED_THROUGH = 64 << 20
#: File descriptors opened for writing have one of these bits (Linux, fcntl.h: O_WRONLY, O_RDWR).
_WRITING = 0o3


class Folder:
    """What was saved in a folder since it was looked at last. Raises InputError where there is no such folder."""

    def __init__(self, root: Path) -> None:
        if not root.is_dir():
            raise InputError(f"{root} is no folder that is there; name the folder that models are saved in.")
        self.root = root
        #: Models that were told and could not be taken yet; whoever takes them keeps them here.
        self.waiting: set[str] = set()
        self._seen: dict[str, tuple[int, int]] = {}
        #: When each file that changed was seen to do so last, and when it began to.
        self._moving: dict[str, float] = {}
        self._began: dict[str, float] = {}
        self._digest: dict[str, bytes] = {}

    def look(self, now: float) -> list[str]:
        """Models that are whole since the last look, by their paths below the folder; at first all that are there.

        now: seconds of a clock that only goes forward. A model counts as saved when it or a file that it may use has another content,
        has kept still, and nobody has it open for writing. Raises InputError where the folder is gone or holds too much.
        """
        there = self._listed()
        for path, told in there.items():
            if self._seen.get(path) != told:
                self._moving[path] = now
                self._began.setdefault(path, now)
        self._moving = {p: t for p, t in self._moving.items() if p in there}
        self._seen = there
        restless = {p for p, t in self._moving.items() if now - t < SETTLED and now - self._began[p] >= _patience(p)}
        settling = {p: t for p, t in self._moving.items() if p not in restless}
        if not settling or now - max(settling.values()) < SETTLED or self._being_written(settling):
            return []
        changed = [p for p in settling if self._is_other(p)]
        self._moving = {p: t for p, t in self._moving.items() if p in restless}
        self._began = {p: t for p, t in self._began.items() if p in restless}
        models = [p for p in there if p.lower().endswith(MODEL_ENDINGS)]
        return sorted({m for p in changed for m in ([p] if p in models else _users(p, models))})

    def files_of(self, model: str) -> dict[str, Path]:
        """What a model may use, by path from its own folder: itself, images, libraries and buffers there and below, data files beside it.

        What else lies there is nobody's business, but for what the model names.
        """
        top = model.rpartition("/")[0]
        inside = f"{top}/" if top else ""
        below = [p for p in self._seen if p.startswith(inside) and p != model]
        role = {p: role_of(p) for p in below}
        data = lambda p: role[p] == "side-file" and "/" not in p[len(inside) :] and not p.lower().endswith(".txt")
        used = [p for p in below if role[p] in _PIECES[1:] or data(p)]
        others = [p for p in below if role[p] not in _PIECES and not data(p)]
        if others:
            naming = [model, *(p for p in used if role[p] == "material-library")]
            said = b"\n".join(self._bytes_of(p) for p in naming).lower()
            used += [other for other in others if other.rpartition("/")[2].lower().encode(errors="surrogateescape") in said]
        return {p[len(inside) :]: self.root / p for p in sorted([model, *used])}

    def _bytes_of(self, path: str) -> bytes:
        try:
            with open_plain(self.root / path) as file:
                return file.read(_LOOKED_THROUGH)
        except OSError:
            return b""

    def contents_of(self, model: str) -> str:
        """A digest of what a model may use, names and bytes, as they were when they had settled."""
        digest = hashlib.blake2b(digest_size=16)
        for path, place in sorted(self.files_of(model).items()):
            digest.update(path.encode(errors="surrogateescape") + b"\0")
            digest.update(self._digest.get(str(place.relative_to(self.root)), b""))
        return digest.hexdigest()

    def _listed(self) -> dict[str, tuple[int, int]]:
        found: dict[str, tuple[int, int]] = {}
        stack = [""]
        while stack:
            at = stack.pop()
            try:
                entries = list(os.scandir(self.root / at))
            except FileNotFoundError:
                if not at:
                    raise InputError(f"{self.root} is not there any more.") from None
                continue
            except OSError as error:
                raise InputError(f"{self.root / at} cannot be looked into: {error.strerror}.") from error
            for entry in entries:
                path = f"{at}/{entry.name}" if at else entry.name
                # What a link leads to lies outside; what begins with a dot is another program's own.
                if entry.name.startswith(".") or entry.is_symlink() or packages.is_noise(path):
                    continue
                if entry.is_dir():
                    stack.append(path)
                    continue
                try:
                    told = entry.stat()
                except OSError:  # gone between being listed and being looked at
                    continue
                if not stat.S_ISREG(told.st_mode):  # a pipe or a device: reading it may never end
                    continue
                found[path] = told.st_size, told.st_mtime_ns
                if len(found) > limits.MAX_PACKAGE_FILES:
                    raise InputError(f"{self.root} holds more than {limits.MAX_PACKAGE_FILES:,} files; watch a folder inside it.")
        return found

    def _is_other(self, path: str) -> bool:
        try:
            with open_plain(self.root / path) as file:
                digest = hashlib.file_digest(file, "blake2b").digest()
        except OSError:
            return False
        before, self._digest[path] = self._digest.get(path), digest
        return before != digest

    def _being_written(self, settling: Iterable[str]) -> bool:
        """Whether a process of this user's has one of the changed files open for writing; where nobody can say, it has not."""
        wanted = {os.path.realpath(self.root / p) for p in settling}
        for fd in Path("/proc").glob("[0-9]*/fd/*"):
            try:
                if os.readlink(fd) not in wanted:
                    continue
                flags = next(x for x in (fd.parent.parent / "fdinfo" / fd.name).read_text().splitlines() if x.startswith("flags"))
                if int(flags.split()[1], 8) & _WRITING:
                    return True
            except (OSError, StopIteration):
                continue
        return False


def _patience(path: str) -> float:
    """Seconds for which a file that changes all the time is waited for."""
    return RESTLESS_PIECE if role_of(path) in _PIECES else RESTLESS


def _users(path: str, models: list[str]) -> list[str]:
    """Models that may use a file: those of its own folder and of the folders that hold it."""
    return [model for model in models if path.startswith(f"{model.rpartition('/')[0]}/".lstrip("/"))]


def watch(root: Path, rules: str | None, intent: str | None) -> int:
    """Inspect each saved model and print what it fixed and brought, until it is stopped. Raises InputError."""
    folder = Folder(root)
    known: dict[str, dict[str, Any]] = {}
    print(f"Watching {root} (Ctrl-C stops it)", flush=True)
    while True:
        for model in folder.look(time.monotonic()):
            for line in _outcome(root, model, rules, intent, known):
                print(line, flush=True)
        time.sleep(EVERY)


def _outcome(root: Path, model: str, rules: str | None, intent: str | None, known: dict[str, dict[str, Any]]) -> Iterator[str]:
    command = [sys.executable, "-m", "handlens", "inspect", str(root / model), "--json", "-"]
    command += ["--rules", rules] if rules else []
    command += ["--intent", intent] if intent else []
    done = subprocess.run(command, capture_output=True, check=False)
    if done.returncode not in (0, 1):
        yield f"{model}: {done.stderr.decode(errors='replace').strip().removeprefix('handlens: ')}"
        return
    tree = json.loads(done.stdout)
    now = {f["id"]: f for f in tree["findings"]}
    before = known.get(model)
    known[model] = now
    v = tree["verdict"]
    line = f"{model}: {plural(v['stop'], 'stop')}, {plural(v['caution'], 'caution')}, {plural(v['note'], 'note')}"
    if before is None:
        yield line
        return
    fixed, new = [f for k, f in before.items() if k not in now], [f for k, f in now.items() if k not in before]
    yield f"{line}; {len(fixed)} fixed, {len(new)} new"
    for mark, some in (("fixed", fixed), ("new", new)):
        yield from (f"  {mark:7}{f['title']}" for f in some[:8])
