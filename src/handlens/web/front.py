"""What stands before Flask: takes a request in whole, within its limit and in its time, and only then asks for a thread.

Bodies wait in a temporary file, so a slow sender costs a connection and no more. The stream of events is answered here.
"""

from __future__ import annotations

import asyncio
import json
import tempfile
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from ..store.room import no_room
from .bodies import most_bytes, too_large
from .events import PATH as EVENTS
from .events import Events
from .origins import refusal

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Any, Receive, Send], Awaitable[None]]

#: Seconds that nothing may come for, and that nothing may be taken for on the way out.
IDLE_SECONDS = 20.0
#: A sender must keep up this many bytes a second on the whole, after a first grace.
SLOWEST, GRACE_SECONDS = 1_000, 30.0
_IN_MEMORY, _PIECE = 1 << 18, 1 << 18


class _Refused(Exception):
    def __init__(self, status: int, detail: str) -> None:
        self.status, self.detail = status, detail


class Front:
    """The ASGI application. behind: gets whole requests."""

    def __init__(self, behind: App, events: Events) -> None:
        self.behind, self.events = behind, events

    async def __call__(self, scope: Any, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return
        headers = {k.decode("latin1"): v.decode("latin1") for k, v in scope["headers"]}
        try:
            self._check(scope, headers)
            if scope["path"] == EVENTS and scope["method"] == "GET":
                await self.events.stream(receive, send)
                return
            with tempfile.SpooledTemporaryFile(_IN_MEMORY) as body:
                size = await _take(scope, headers, receive, body)
                whole = {**scope, "headers": _with_length(scope["headers"], size)}
                await self.behind(whole, _giver(body, receive), _Sender(send).send)
        except _Refused as why:
            await _problem(send, why.status, why.detail)
        except ConnectionAbortedError:
            return  # whoever asked is gone

    def _check(self, scope: Any, headers: dict[str, str]) -> None:
        if not scope["query_string"].isascii():
            raise _Refused(400, "The address is not written as addresses are; letters outside ASCII are percent-encoded.")
        if "transfer-encoding" in headers and "content-length" in headers:
            # What states both may end at two places (RFC 9112, section 6.3).
            raise _Refused(400, "The request states a length and comes in chunks; send it one way.")
        detail = refusal(scope["method"], headers.get("host", ""), headers.get("origin"), headers.get("sec-fetch-site"))
        if detail:
            raise _Refused(403, detail)


async def _take(scope: Any, headers: dict[str, str], receive: Receive, body: Any) -> int:
    """Take the body in, to the end. Returns its length; raises _Refused."""
    most = most_bytes(scope["method"], scope["path"])
    stated = headers.get("content-length", "")
    wanted = int(stated) if stated.isascii() and stated.isdigit() and len(stated) < 19 else None
    if wanted is not None and wanted > most:
        raise _Refused(413, too_large(most))
    size, began = 0, asyncio.get_running_loop().time()
    while True:
        try:
            message = await asyncio.wait_for(receive(), IDLE_SECONDS)
        except TimeoutError:
            raise _Refused(408, f"Nothing came for {IDLE_SECONDS:.0f} seconds; send it again.") from None
        if message["type"] == "http.disconnect":
            raise ConnectionAbortedError
        piece = message.get("body", b"")
        size += len(piece)
        if size > most:
            raise _Refused(413, too_large(most))
        if size > _IN_MEMORY and piece:
            full = no_room(len(piece) if wanted is None else wanted - size)
            if full:
                raise _Refused(507, full)
            await asyncio.to_thread(body.write, piece)
        else:
            body.write(piece)
        if not message.get("more_body"):
            break
        waited = asyncio.get_running_loop().time() - began
        if waited > GRACE_SECONDS and size < waited * SLOWEST:
            raise _Refused(408, f"It came at fewer than {SLOWEST:,} bytes a second; send it again.")
    body.seek(0)
    return size


def _with_length(headers: list[tuple[bytes, bytes]], size: int) -> list[tuple[bytes, bytes]]:
    """Headers of a request whose body is there: its length is known, however it was sent."""
    kept = [(k, v) for k, v in headers if k not in (b"content-length", b"transfer-encoding")]
    return [*kept, (b"content-length", str(size).encode())]


def _giver(body: Any, receive: Receive) -> Receive:
    """Hands a body on that is there already."""
    ended = False

    async def give() -> Message:
        nonlocal ended
        if ended:
            return await receive()
        piece = body.read(_PIECE)
        ended = len(piece) < _PIECE
        return {"type": "http.request", "body": piece, "more_body": not ended}

    return give


class _Sender:
    """Hands answers on; one who takes nothing for a while is let go, so that the thread behind is free again."""

    def __init__(self, send: Send) -> None:
        self.onward, self.gone = send, False

    async def send(self, message: Message) -> None:
        if self.gone:
            return
        try:
            await asyncio.wait_for(self.onward(message), IDLE_SECONDS)
        except (TimeoutError, OSError):
            self.gone = True


async def _problem(send: Send, status: int, detail: str) -> None:
    """A refusal as RFC 9457 has it. The connection ends with it: what was not read of the request cannot be skipped."""
    body = json.dumps({"type": "about:blank", "title": "Refused", "status": status, "detail": detail}).encode()
    headers = [
        (b"content-type", b"application/problem+json"),
        (b"content-length", str(len(body)).encode()),
        (b"cache-control", b"no-store"),
        (b"x-content-type-options", b"nosniff"),
        (b"connection", b"close"),
    ]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
