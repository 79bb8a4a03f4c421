"""How a package is sent to a gate: in pieces, from where it broke off, for as long as the gate may be away."""

from __future__ import annotations

import hashlib
import json
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any

#: Bytes of one piece.
PIECE = 1 << 20
#: Seconds for which a gate that does not answer is waited for, and between two tries.
AWAY, BETWEEN = 600.0, 1.0
_TIMEOUT = 30.0


class Refused(Exception):
    """The gate does not take the sending itself; one sentence."""


class Away(Exception):
    """The gate did not answer for as long as it is waited for."""


#: Hears now and then what is being done, how far it is, 0 to 1. Answers whether to go on.
Report = Callable[[str, float], bool]


class Stopped(Exception):
    """The one who is told said that it shall stop."""


def send(
    gate: str,
    package: Path,
    name: str,
    sheet: dict[str, Any],
    variant: str,
    report: Report,
    fails: float = 0.0,
    away: float = AWAY,
) -> dict[str, Any]:
    """Send a package and wait for the answer, which is returned. Raises Refused, Away or Stopped.

    gate: its address. package: the file to send. name: what it is called. sheet: as JSON values. fails: how often the gate shall break off.
    away: seconds for which it may be away.
    """
    sending = _Sending(gate.rstrip("/"), package, name, report, away)
    sending.wish = {
        "sheet": sheet,
        "variant": variant,
        "name": name,
        "bytes": package.stat().st_size,
        "sha256": hashlib.sha256(package.read_bytes()).hexdigest(),
        "fails": fails,
    }
    return sending.answer()


class _Sending:
    wish: dict[str, Any]

    def __init__(self, gate: str, package: Path, name: str, report: Report, away: float) -> None:
        self.gate, self.package, self.name, self.report, self.away = gate, package, name, report, away
        self.size = package.stat().st_size
        self.number = ""
        self.heard = time.monotonic()
        self.share = 0.0

    def answer(self) -> dict[str, Any]:
        while True:
            try:
                return self._attempt()
            except urllib.error.HTTPError as error:
                if error.code == 404:  # it was started anew, and has forgotten
                    self.number = ""
                elif error.code < 500 and error.code != 409:  # at 409 it has more or less than was thought, and says how much
                    raise Refused(_reason(error)) from error
                self._wait("the gate broke off; going on")
            except OSError:
                self._wait("the gate does not answer; waiting for it")

    def _attempt(self) -> dict[str, Any]:
        if not self.number:
            self._tell("announcing")
            self.number = str(self._ask("POST", "/packages", json.dumps(self.wish).encode())["id"])
        while True:
            now = self._ask("GET", f"/packages/{self.number}")
            self.heard = time.monotonic()
            if now["state"] == "receiving":
                self._send_from(int(now["offset"]))
            elif now["state"] == "looking":
                self._tell("the gate looks at it", 0.95)
                time.sleep(0.25)
            elif now["state"] == "failed":
                raise Refused(str(now["answer"]["error"]))
            else:
                answer: dict[str, Any] = now["answer"]
                return answer

    def _send_from(self, offset: int) -> None:
        with self.package.open("rb") as file:
            file.seek(offset)
            while offset < self.size:
                piece = file.read(PIECE)
                self._tell("sending", 0.9 * offset / self.size)
                self._ask("PATCH", f"/packages/{self.number}/bytes", piece, {"Upload-Offset": str(offset)})
                self.heard = time.monotonic()
                offset += len(piece)

    def _ask(self, method: str, path: str, body: bytes | None = None, headers: dict[str, str] | None = None) -> dict[str, Any]:
        kind = "application/json" if method == "POST" else "application/octet-stream"
        call = urllib.request.Request(self.gate + path, body, {"Content-Type": kind, **(headers or {})}, method=method)
        with urllib.request.urlopen(call, timeout=_TIMEOUT) as answer:
            told: dict[str, Any] = json.loads(answer.read() or b"{}")
        return told

    def _wait(self, words: str) -> None:
        if time.monotonic() - self.heard > self.away:
            raise Away
        self._tell(words)
        time.sleep(BETWEEN)

    def _tell(self, phase: str, share: float | None = None) -> None:
        self.share = self.share if share is None else share
        if not self.report(phase, self.share):
            raise Stopped


def _reason(error: urllib.error.HTTPError) -> str:
    try:
        return str(json.loads(error.read())["error"])
    except (ValueError, KeyError, TypeError):
        return f"The gate answered {error.code}."
