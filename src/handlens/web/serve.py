"""The server: uvicorn in front, in one thread, for connections that wait; Flask behind it, in many, for requests that are whole.

`python -m handlens.web.serve PORT`. A connection costs next to nothing until its request is there, so neither idle pages nor slow
senders take anything from the rest.
"""

from __future__ import annotations

import asyncio
import logging
import os
import resource
import sys
from typing import Any

import uvicorn
from a2wsgi import WSGIMiddleware
from uvicorn.protocols.http.h11_impl import H11Protocol

from ..core.machine.parent import end_with_parent
from .app import create_app
from .events import Events
from .front import Front

#: Seconds that a request's first line and headers may take.
HEADER_SECONDS = float(os.environ.get("HANDLENS_HEADER_SECONDS", "15"))
#: Requests that Flask works on at once; those above wait.
THREADS = 32


class Protocol(H11Protocol):
    """HTTP/1.1 as uvicorn speaks it, with an end to waiting for headers, which it leaves open."""

    _late: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        if self._late is None and self._between():
            self._wait()
        super().data_received(data)
        if self._late is not None and not self._between():
            self._late.cancel()
            self._late = None

    def connection_lost(self, exc: Exception | None) -> None:
        if self._late is not None:
            self._late.cancel()
        super().connection_lost(exc)

    def _between(self) -> bool:
        """Whether no request is under way."""
        return self.cycle is None or self.cycle.response_complete

    def _wait(self) -> None:
        self._late = self.loop.call_later(HEADER_SECONDS, self._end)

    def _end(self) -> None:
        self._late = None
        if self._between() and not self.transport.is_closing():
            self.transport.close()


def server(port: int) -> uvicorn.Server:
    """The server on loopback, not yet running."""
    front = Front(WSGIMiddleware(create_app(), workers=THREADS), Events())  # type: ignore[arg-type]
    return uvicorn.Server(
        uvicorn.Config(
            front,
            "127.0.0.1",
            port,
            http=Protocol,
            loop="asyncio",
            lifespan="off",
            ws="none",
            access_log=False,
            log_level="warning",
            server_header=False,
            proxy_headers=False,
            timeout_graceful_shutdown=2,
            timeout_keep_alive=30,
            backlog=1024,
        )
    )


def main() -> None:
    """Serve until a signal says to stop."""
    end_with_parent()
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    # Each open page is a connection, and each connection a descriptor.
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(65_536, most), most))
    server(int(sys.argv[1])).run()


if __name__ == "__main__":
    main()
