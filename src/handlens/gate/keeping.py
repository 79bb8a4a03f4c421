"""Packages that are on their way to the gate or were answered, and the answers to them."""

from __future__ import annotations

import base64
import hashlib
import json
import random
import secrets
import shutil
import subprocess
import sys
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from ..core import limits
from ..core.machine.confine import give_to_nobody, plain_environment
from ..core.packages import open_plain
from ..core.receivers.answer import Line

#: Packages that are kept at once, and seconds after which one goes.
_MOST, _KEPT = 64, 3600.0
#: Seconds that the gate takes over a package at the least, and at the most before it gives up.
LOOKS, PATIENCE = 0.5, 300.0
#: Bytes of an answer that are read.
_MOST_ANSWER = 16 << 20
#: Packages that are looked at, at once; others wait for their turn.
_ROOM = threading.Semaphore(limits.JOBS_AT_ONCE)
_SOURCE = Path(__file__).parents[2]


class Full(Exception):
    """There is no room for another package just now."""


@dataclass
class Sent:
    """A package at the gate. state: receiving, looking, accepted, refused or failed. fails: how often it breaks off on purpose, 0 to 1."""

    number: str
    folder: Path
    bytes: int
    sha256: str
    name: str
    fails: float = 0.0
    offset: int = 0
    state: str = "receiving"
    answer: dict[str, Any] | None = None
    begun: float = field(default_factory=time.monotonic)
    lock: threading.Lock = field(default_factory=threading.Lock)
    dice: random.Random = field(default_factory=lambda: random.Random(1))

    def breaks_off(self) -> bool:
        """Whether this request shall fail, as it was asked for."""
        return self.dice.random() < self.fails

    @property
    def path(self) -> Path:
        """Where its bytes are."""
        return self.folder / "in" / self.name


class Packages:
    """All packages at the gate, in a folder of its own."""

    def __init__(self, folder: Path) -> None:
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
        self.folder = folder
        self._sent: dict[str, Sent] = {}
        self._lock = threading.Lock()

    def begin(self, sheet: dict[str, Any], variant: str, name: str, size: int, sha256: str, fails: float) -> Sent:
        """A new package, of which nothing has come yet. Raises Full."""
        with self._lock:
            self._sweep()
            taken = sum(sent.bytes for sent in self._sent.values())
            if len(self._sent) >= _MOST or taken + size > 2 * limits.MAX_PACKAGE_BYTES:
                raise Full
            number = secrets.token_hex(8)
            folder = self.folder / number
            (folder / "in").mkdir(parents=True)
            sent = self._sent[number] = Sent(number, folder, size, sha256, name, fails)
        sent.path.touch()
        (folder / "request.json").write_text(json.dumps({"sheet": sheet, "variant": variant, "name": name}))
        return sent

    def get(self, number: str) -> Sent | None:
        """A package by its number."""
        with self._lock:
            return self._sent.get(number)

    def drop(self, number: str) -> None:
        """Forget a package."""
        with self._lock:
            sent = self._sent.pop(number, None)
        if sent is not None:
            shutil.rmtree(sent.folder, ignore_errors=True)

    def add(self, sent: Sent, data: bytes) -> None:
        """Append bytes; once all are there the gate looks at them. The caller holds the package's lock."""
        with sent.path.open("ab") as file:
            file.write(data)
        sent.offset += len(data)
        if sent.offset == sent.bytes:
            sent.state = "looking"
            threading.Thread(target=_look, args=(sent,), daemon=True).start()

    def _sweep(self) -> None:
        now = time.monotonic()
        for number in [n for n, sent in self._sent.items() if now - sent.begun > _KEPT and sent.state != "looking"]:
            shutil.rmtree(self._sent.pop(number).folder, ignore_errors=True)


def _look(sent: Sent) -> None:
    began = time.monotonic()
    try:
        with _ROOM:
            answer = _answer(sent)
    except OSError:  # it was forgotten meanwhile, or the disk is full: either way nobody waits for ever
        answer = {"error": "The gate could not look at it just now; send it again."}
    time.sleep(max(0.0, LOOKS - (time.monotonic() - began)))
    sent.answer = answer
    taken = answer.get("accepted")
    sent.state = "failed" if "error" in answer else "accepted" if taken else "refused"


class _Answer(msgspec.Struct, forbid_unknown_fields=True):
    """What a child has to leave: it read what others sent, and is not trusted for more than that."""

    schema: int
    sheet: str
    destination: str
    variant: str
    accepted: bool
    reasons: list[str]
    lines: list[Line]
    picture: str


def _answer(sent: Sent) -> dict[str, Any]:
    """What the gate says, from a child that is locked in; {"error"} where there is no answer."""
    if hashlib.sha256(sent.path.read_bytes()).hexdigest() != sent.sha256:
        return {"error": "What came is not what was sent: its digest differs. Send it again."}
    out = sent.folder / "out"
    out.mkdir()
    for folder in (sent.folder, sent.folder / "in", out):
        give_to_nobody(folder)
    try:
        done = subprocess.run(
            [sys.executable, "-m", "handlens.gate.child", str(sent.folder)],
            env={**plain_environment(), "PYTHONPATH": str(_SOURCE)},
            cwd="/",
            stdin=subprocess.DEVNULL,
            capture_output=True,
            timeout=PATIENCE,
        )
    except subprocess.TimeoutExpired:
        return {"error": "The gate took too long over it and gave up."}
    fell = {"error": "The gate fell over this package; what it was sent may be damaged."}
    if done.returncode != 0:
        return fell
    try:
        with open_plain(out / "answer.json") as file:
            told = msgspec.json.decode(file.read(_MOST_ANSWER), type=_Answer)
        base64.b64decode(told.picture, validate=True)
    except (OSError, ValueError):
        return fell
    answer: dict[str, Any] = msgspec.to_builtins(told)
    return answer
