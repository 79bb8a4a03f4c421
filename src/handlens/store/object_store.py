"""A store for contents beside the database: any that speaks the S3 protocol, by a setting. Each content is one object, named by its SHA-256.

HANDLENS_STORE says where, as s3://BUCKET/PREFIX?endpoint=http://HOST:PORT&region=NAME; HANDLENS_STORE_KEY and HANDLENS_STORE_SECRET who asks.
The client is boto3, loaded where a store is set and nowhere else.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, urlsplit

from ..core.limits import InputError

#: The settings.
PLACE, KEY, SECRET = "HANDLENS_STORE", "HANDLENS_STORE_KEY", "HANDLENS_STORE_SECRET"
_PIECE = 1 << 20
#: Seconds that a store may take to answer, and how often it is asked once more.
_SECONDS, _TRIES = 20, 4


class StoreAway(InputError):
    """The store does not answer, refuses, or has lost what it was given; one sentence."""


@dataclass(frozen=True)
class ObjectStore:
    """One bucket of a store. prefix: before the name of each object."""

    client: Any = field(repr=False)
    bucket: str
    prefix: str

    def name(self, digest: str) -> str:
        """The name of a content's object, in one of 256 folders, as stores and people like it."""
        return f"{self.prefix}{digest[:2]}/{digest}"

    def has(self, digest: str, size: int) -> bool:
        """Whether a content is there, as long as it should be. Raises StoreAway."""
        with _Sentence("ask for"):
            try:
                found = self.client.head_object(Bucket=self.bucket, Key=self.name(digest))
            except self.client.exceptions.ClientError as error:
                if error.response.get("ResponseMetadata", {}).get("HTTPStatusCode") == 404:
                    return False
                raise
        return bool(found["ContentLength"] == size)

    def put(self, digest: str, path: Path) -> None:
        """Send a file's bytes; a large one goes in parts. Raises StoreAway."""
        with _Sentence("keep"):
            self.client.upload_file(str(path), self.bucket, self.name(digest))

    def stream(self, digest: str) -> Iterator[bytes]:
        """A content's bytes, piece by piece. Raises StoreAway."""
        with _Sentence("read"):
            body = self.client.get_object(Bucket=self.bucket, Key=self.name(digest))["Body"]
        pieces = body.iter_chunks(_PIECE)
        while True:
            with _Sentence("read"):
                piece = next(pieces, b"")
            if not piece:
                return
            yield piece

    def delete(self, digest: str) -> None:
        """Take a content away; one that is not there is gone already. Raises StoreAway."""
        with _Sentence("take away from"):
            self.client.delete_object(Bucket=self.bucket, Key=self.name(digest))


class _Sentence:
    """What goes wrong within is told as one sentence."""

    def __init__(self, what: str) -> None:
        self.what = what

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, _: object) -> None:
        from boto3.exceptions import Boto3Error
        from botocore.exceptions import BotoCoreError, ClientError

        if isinstance(error, BotoCoreError | ClientError | Boto3Error):
            why = str(error).strip().splitlines()[0].rstrip(".")
            raise StoreAway(f"The object store could not {self.what} a content: {why}.") from error


def object_store() -> ObjectStore | None:
    """The store that the setting names; None where contents stay in the database. Raises InputError for a setting that is none."""
    place = os.environ.get(PLACE, "")
    return _opened(place, os.environ.get(KEY, ""), os.environ.get(SECRET, "")) if place else None


@cache
def _opened(place: str, key: str, secret: str) -> ObjectStore:
    parts = urlsplit(place)
    query = {name: values[-1] for name, values in parse_qs(parts.query).items()}
    if parts.scheme != "s3" or not parts.netloc or query.keys() - {"endpoint", "region"}:
        raise InputError(f"{PLACE} says no store; write it as s3://BUCKET/PREFIX?endpoint=http://HOST:PORT&region=NAME.")
    if not key or not secret:
        raise InputError(f"{KEY} and {SECRET} say who asks the store; set both.")
    import boto3
    from botocore.config import Config

    client = boto3.client(
        "s3",
        endpoint_url=query.get("endpoint"),
        region_name=query.get("region", "us-east-1"),
        aws_access_key_id=key,
        aws_secret_access_key=secret,
        config=Config(
            connect_timeout=_SECONDS,
            read_timeout=_SECONDS,
            retries={"max_attempts": _TRIES, "mode": "standard"},
            s3={"addressing_style": "path"} if "endpoint" in query else {},
        ),
    )
    prefix = parts.path.strip("/")
    return ObjectStore(client, parts.netloc, f"{prefix}/" if prefix else "")
