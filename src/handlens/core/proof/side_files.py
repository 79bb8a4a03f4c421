"""Files beside the model that mends wrote anew: they must lie beside what was written, byte for byte."""

from __future__ import annotations

from collections.abc import Iterator
from hashlib import sha256

from .compared import Compared
from .rows import Row, differs, listed, same

GROUP = "Also in the file"


def rows(compared: Compared) -> Iterator[Row]:
    """What the proof says of files beside the model."""
    sent = {n.path: n for n in compared.a.beside if n.changed}
    if not sent:
        return
    there = {n.path: n for n in compared.b.beside}
    wrong = [p for p, n in sent.items() if p not in there or _digest(there[p].load()) != _digest(n.load())]
    if wrong:
        yield differs(
            GROUP, "Side files", f"{len(sent):,}", f"{len(sent) - len(wrong):,}", f"{len(wrong):,} differ", listed(wrong)
        )
    else:
        yield same(GROUP, "Side files", f"{len(sent):,}", remark="the same bytes")


def _digest(data: bytes) -> bytes:
    return sha256(data).digest()
