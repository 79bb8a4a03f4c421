"""The stream of events: one listener for all pages that are open, which asks the database only while there are any."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from sqlalchemy.exc import SQLAlchemyError

from .jobs import recent
from .parts import troubles

PATH = "/api/jobs/stream"
#: Seconds between two looks, and after which a silent stream says that it is still there.
_EVERY, _STILL = 0.4, 15.0
#: A stream ends by itself after this many seconds; the browser opens the next one.
_STREAM_SECONDS = 600.0
_HEADERS = [
    (b"content-type", b"text/event-stream; charset=utf-8"),
    (b"cache-control", b"no-store"),
    (b"x-content-type-options", b"nosniff"),
    (b"x-accel-buffering", b"no"),
]

Message = MutableMapping[str, Any]


def _look() -> str:
    """What pages are told: the jobs, and which parts of Hand Lens are not there."""
    missing = troubles()
    try:
        jobs = recent()
    except SQLAlchemyError:
        # Without its database the page still says why; the supervisor starts it again.
        return json.dumps({"jobs": None, "troubles": missing or ["The database does not answer; it is tried again."]})
    return json.dumps({"jobs": jobs, "troubles": missing})


class Events:
    """What changed last, handed to every stream."""

    def __init__(self) -> None:
        self.text: str | None = None
        self.number = 0
        self.open = 0
        self.changed = asyncio.Condition()
        self.listener: asyncio.Task[None] | None = None

    async def stream(self, receive: Callable[[], Awaitable[Message]], send: Callable[[Message], Awaitable[None]]) -> None:
        """Server-sent events (HTML, "Server-sent events"): everything, each time some of it changes."""
        await send({"type": "http.response.start", "status": 200, "headers": _HEADERS})
        self.open += 1
        if self.listener is None or self.listener.done():
            self.text = None
            self.listener = asyncio.create_task(self._listen())
        gone = asyncio.create_task(_gone(receive))
        try:
            await self._tell(send, gone)
        finally:
            self.open -= 1
            gone.cancel()

    async def _tell(self, send: Callable[[Message], Awaitable[None]], gone: asyncio.Task[None]) -> None:
        say = lambda text, more=True: send({"type": "http.response.body", "body": text.encode(), "more_body": more})
        loop = asyncio.get_running_loop()
        end, seen = loop.time() + _STREAM_SECONDS, -1
        await say("retry: 500\n\n")
        while loop.time() < end and not gone.done():
            if self.text is not None and self.number != seen:
                seen = self.number
                await say(f"data: {self.text}\n\n")
            else:
                await say(": still here\n\n")
            await self._next(seen, gone)
        await say("", False)

    async def _next(self, seen: int, gone: asyncio.Task[None]) -> None:
        """Wait until there is something new, or it is time to say that nothing is."""

        async def news() -> None:
            async with self.changed:
                await self.changed.wait_for(lambda: self.text is not None and self.number != seen)

        waiting = asyncio.create_task(news())
        await asyncio.wait({waiting, gone}, timeout=_STILL, return_when=asyncio.FIRST_COMPLETED)
        waiting.cancel()

    async def _listen(self) -> None:
        while self.open:
            text = await asyncio.to_thread(_look)
            if text != self.text:
                async with self.changed:
                    self.text, self.number = text, self.number + 1
                    self.changed.notify_all()
            await asyncio.sleep(_EVERY)


async def _gone(receive: Callable[[], Awaitable[Message]]) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass
