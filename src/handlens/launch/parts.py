"""The parts of a running Hand Lens, each started again when it ends by itself: with a growing delay, and not for ever."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from ..core.machine.parent import end_with_parent

#: Seconds before a part is started again, for the first end and the ones after it.
DELAYS = (0.5, 1.0, 2.0, 4.0, 8.0, 15.0)
#: Ends within so many seconds count together; after more than this many of them the rest is stopped too.
WITHIN, MOST = 180.0, 8
#: A part that ran for so long had started well: its ends before that count no more.
WELL = 30.0


class GivenUp(Exception):
    """A part keeps ending; one sentence."""


@dataclass
class Part:
    """What runs beside others. begin: starts it, and may take its time; process: its number while it runs, else None; end: stops it
    in order."""

    name: str
    begin: Callable[[], None]
    process: Callable[[], int | None]
    end: Callable[[], None]
    log: Path
    ends: list[float] = field(default_factory=list)
    again_at: float | None = None
    begun: float = 0.0
    #: Whether the rest is stopped too where this keeps ending.
    needed: bool = True
    reason: str = ""

    def alive(self) -> bool:
        return self.process() is not None

    def tend(self, now: float) -> bool:
        """Look after it; returns whether it runs. Raises GivenUp."""
        if self.again_at is None:
            if self.alive():
                if now - self.begun > WELL:
                    self.ends.clear()
                return True
            self.ends = [end for end in self.ends if now - end < WITHIN] + [now]
            if len(self.ends) > MOST and self.needed:
                times = f"The {self.name} stopped {len(self.ends)} times within {WITHIN / 60:.0f} minutes"
                raise GivenUp(f"{times}: {self.reason}" if self.reason else f"{times}; {self.log} says why.")
            self.again_at = now + DELAYS[min(len(self.ends), len(DELAYS)) - 1]
        if now >= self.again_at:
            self.again_at, self.begun = None, now
            try:
                self.begin()
            except Exception as error:
                self.reason = str(error)
            return self.alive()
        return False


class Child:
    """A part that is a process of ours."""

    def __init__(self, command: list[str], environment: dict[str, str], log: BinaryIO) -> None:
        self.command, self.environment, self.log = command, environment, log
        self.process: subprocess.Popen[bytes] | None = None

    def begin(self) -> None:
        # A session of its own, so that Ctrl-C reaches only the process that then stops all parts in order.
        self.process = subprocess.Popen(
            [sys.executable, "-m", *self.command],
            stdin=subprocess.DEVNULL,
            stdout=self.log,
            stderr=self.log,
            env=self.environment,
            start_new_session=True,
            preexec_fn=end_with_parent,
        )

    def number(self) -> int | None:
        return self.process.pid if self.process is not None and self.process.poll() is None else None

    def end(self) -> None:
        if self.process is None:
            return
        self.process.terminate()
        try:
            self.process.wait(8)
        except subprocess.TimeoutExpired:
            self.process.send_signal(signal.SIGKILL)
            self.process.wait()


def stopped(number: int | None) -> bool:
    """Whether a process is there and does nothing, as somebody stopped it (proc(5): states T and t)."""
    try:
        return number is not None and Path(f"/proc/{number}/stat").read_text().rpartition(")")[2].split()[0] in ("T", "t")
    except (OSError, IndexError):
        return False


def tell_state(path: Path, states: dict[str, str]) -> None:
    """Which parts run, into a file that the web server reads to say so in its page."""
    new = path.with_suffix(".new")
    try:
        new.write_text(json.dumps(states))
        os.replace(new, path)
    except OSError:  # a full disk must not end what still runs
        return


def look_after(parts: list[Part], changed: Callable[[dict[str, str]], None], every: float = 0.25) -> None:
    """Keep parts running until an exception ends it; `changed` is told how each is, up, starting or stopped, at first and on each change.
    Raises GivenUp."""
    last = None
    while True:
        now = time.monotonic()
        up = {part.name: part.tend(now) for part in parts}
        states = {part.name: "stopped" if stopped(part.process()) else "up" if up[part.name] else "starting" for part in parts}
        running = (states, [part.process() for part in parts])
        if running != last:
            changed(states)
            last = running
        time.sleep(every)
