"""Children of a worker: a process that has loaded all that jobs ask for parts into one for each job, so that none of them waits for
imports, and they share the memory that the program takes. What they then do and are kept from is in `child`.

The worker and that process speak over a socket, a line of JSON each: a request's path, with the pipe for what the child tells of itself;
back come the child's number, and later how it ended.
"""

from __future__ import annotations

import asyncio
import json
import os
import signal
import socket
import sys
from contextlib import suppress
from pathlib import Path

from ..core import limits
from ..core.machine.confine import plain_environment
from ..core.route.house import FOLDERS
from ..core.words.lengths import WISH

_SOURCE = Path(__file__).parents[2]
#: Seconds within which a child must have begun.
_BEGUN_SECONDS = 60.0


def _settings() -> dict[str, str]:
    """Limits and house checks that the environment states hold for children too; nothing else of it is theirs to know."""
    told = {k: v for k, v in os.environ.items() if k.startswith("HANDLENS_JOB") or k in (FOLDERS, WISH)}
    return {**told, "HANDLENS_JOB_MEMORY_MIB": str(limits.QUEUED_MEMORY_BYTES / 2**20)}


class Child:
    """One child. returncode: as of `subprocess`, None while it runs. lines: what it writes."""

    def __init__(self, number: int, lines: asyncio.StreamReader) -> None:
        self.number, self.lines = number, lines
        self.returncode: int | None = None
        self._ended = asyncio.Event()

    def end(self, code: int) -> None:
        """It has ended, so."""
        self.returncode = code
        self._ended.set()

    async def wait(self) -> int:
        """How it ended, once it has."""
        await self._ended.wait()
        assert self.returncode is not None
        return self.returncode

    def kill(self) -> None:
        """End it, whatever it does."""
        if self.returncode is None:
            with suppress(ProcessLookupError):
                os.kill(self.number, signal.SIGKILL)


class Children:
    """Starts children. The process that parts into them is begun when it is first asked for, and again where it is gone."""

    def __init__(self) -> None:
        self.process: asyncio.subprocess.Process | None = None
        self._alone = asyncio.Lock()
        self._line: socket.socket | None = None
        self._listening: asyncio.Task[None] | None = None
        self._begun: list[asyncio.Future[int]] = []
        self._running: dict[int, Child] = {}
        #: How those ended that nobody knows of yet.
        self._early: dict[int, int] = {}

    async def start(self, request: Path) -> Child:
        """A child that does what the file at `request` asks for. Raises OSError where none can be begun."""
        async with self._alone:
            await self._be_there()
            assert self._line is not None
            read, write = os.pipe()
            begun: asyncio.Future[int] = asyncio.get_running_loop().create_future()
            self._begun.append(begun)
            try:
                socket.send_fds(self._line, [json.dumps(str(request)).encode() + b"\n"], [write])
            except OSError:
                os.close(read)
                await self.dismiss()
                raise
            finally:
                os.close(write)
            told = asyncio.StreamReader()
            await asyncio.get_running_loop().connect_read_pipe(lambda: asyncio.StreamReaderProtocol(told), os.fdopen(read, "rb"))
            try:
                number = await asyncio.wait_for(begun, _BEGUN_SECONDS)
            except TimeoutError:
                # It was halted, or hangs: another one is begun in its place.
                await self.dismiss()
                raise ConnectionResetError("the process that children come from does not answer") from None
        child = Child(number, told)
        self._running[number] = child
        self._settle(child)
        return child

    async def _be_there(self) -> None:
        if self.process is not None and self.process.returncode is None and self._line is not None:
            return
        await self.dismiss()
        ours, theirs = socket.socketpair()
        with theirs:
            self.process = await asyncio.create_subprocess_exec(
                sys.executable,
                "-m",
                "handlens.jobs.child",
                env={**plain_environment(), "PYTHONPATH": str(_SOURCE), **_settings()},
                cwd="/",
                stdin=theirs.fileno(),
                stdout=asyncio.subprocess.DEVNULL,
                start_new_session=True,
            )
        ours.setblocking(False)
        self._line = ours
        self._early.clear()
        self._listening = asyncio.create_task(self._listen(ours))

    async def _listen(self, line: socket.socket) -> None:
        held = b""
        loop = asyncio.get_running_loop()
        with suppress(OSError):
            while piece := await loop.sock_recv(line, 1 << 16):
                *lines, held = (held + piece).split(b"\n")
                for one in lines:
                    self._hear(json.loads(one))
        self._lost()

    def _hear(self, news: dict[str, int]) -> None:
        if "code" not in news:
            self._begun.pop(0).set_result(news["number"])
            return
        self._early[news["number"]] = news["code"]
        if (child := self._running.get(news["number"])) is not None:
            self._settle(child)

    def _settle(self, child: Child) -> None:
        """It may have ended before we knew of it."""
        if child.number in self._early:
            del self._running[child.number]
            child.end(self._early.pop(child.number))

    def _lost(self) -> None:
        """The process is gone, and its children with it, by the kernel's hand."""
        for waiting in self._begun:
            if not waiting.done():
                waiting.set_exception(ConnectionResetError("the process that children come from is gone"))
        self._begun.clear()
        for child in self._running.values():
            child.end(-signal.SIGKILL)
        self._running.clear()
        if self._line is not None:
            self._line.close()
            self._line = None

    async def dismiss(self) -> None:
        """End the process and all of its children: no more jobs are taken, or another one is begun."""
        if self._listening is not None:
            self._listening.cancel()
            self._listening = None
        self._lost()
        if self.process is not None:
            if self.process.returncode is None:
                with suppress(ProcessLookupError):
                    self.process.kill()
            await self.process.wait()
            self.process = None
