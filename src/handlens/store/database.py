"""Engine and sessions."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from typing import Any

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

#: The queue's tables live in a schema of their own, so that one statement takes them away again.
SEARCH_PATH = "public,queue"
#: Milliseconds after which the database lets go of a transaction in which nothing is said any more: whoever began it was halted, or its
#: machine is gone without a word, and what it locked others wait for. Nothing of ours is silent for so long.
_IDLE_MS = 120_000
#: An escaped NUL in JSON, and the whole backslashes before it, which are letters.
_NUL = re.compile(r"(?<!\\)((?:\\\\)*)\\u0000")


def database_url() -> str:
    """The address in HANDLENS_DATABASE, as libpq writes it."""
    url = os.environ.get("HANDLENS_DATABASE")
    if not url:
        raise RuntimeError("HANDLENS_DATABASE is not set; start Hand Lens with ./start")
    return url


def json_text(value: Any) -> str:
    """Plain data as the database's JSON holds it: a NUL, which it has no place for, as the sign for a letter that is none."""
    text = json.dumps(value, allow_nan=False)
    # Of megabytes hardly any has one, and looking for the letters alone is a hundred times quicker.
    return _NUL.sub(r"\1\\ufffd", text) if "\\u0000" in text else text


@cache
def engine(url: str | None = None) -> Engine:
    """The engine of this process; of another database where a url is given."""
    return create_engine(
        (url or database_url()).replace("postgresql://", "postgresql+psycopg://", 1),
        connect_args={"options": f"-c search_path={SEARCH_PATH} -c idle_in_transaction_session_timeout={_IDLE_MS}"},
        json_serializer=json_text,
        pool_pre_ping=True,
        pool_size=10,
        max_overflow=30,
    )


@contextmanager
def session(url: str | None = None) -> Iterator[Session]:
    """A transaction: committed at the end, rolled back where an exception leaves it."""
    with sessionmaker(engine(url), expire_on_commit=False)() as opened, opened.begin():
        yield opened
