"""Engine and sessions."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

#: The queue's tables live in a schema of their own, so that one statement takes them away again.
SEARCH_PATH = "public,queue"


def database_url() -> str:
    """The address in HANDLENS_DATABASE, as libpq writes it."""
    url = os.environ.get("HANDLENS_DATABASE")
    if not url:
        raise RuntimeError("HANDLENS_DATABASE is not set; start Hand Lens with ./start")
    return url


@cache
def engine(url: str | None = None) -> Engine:
    return create_engine(
        (url or database_url()).replace("postgresql://", "postgresql+psycopg://", 1),
        connect_args={"options": f"-c search_path={SEARCH_PATH}"},
        pool_pre_ping=True,
        pool_size=10,
        max_overflow=30,
    )


@contextmanager
def session(url: str | None = None) -> Iterator[Session]:
    """A transaction: committed at the end, rolled back where an exception leaves it."""
    with sessionmaker(engine(url), expire_on_commit=False)() as s, s.begin():
        yield s
