"""Measures that one station takes for itself, beside those that all stations read."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache, wraps
from typing import Generic, TypeVar

import msgspec

from ..measures import Measures
from ..rules import Intent, RuleSheet
from ..scene import Scene
from ..scene.model import Array
from .check import Finding, Judge, Skipped

T = TypeVar("T", bound=msgspec.Struct)


class Own(Generic[T]):
    """A station's own measures: a record, and the function that takes it from a scene and from what is measured already. It puts int32
    indices of elements into the dictionary that it is given, which `Measures.array` then has as "slug:name".

    Checks and the panel ask `of`. The record is stored beside the other measures; whoever changes its meaning raises
    `measures.records.VERSION`.
    """

    def __init__(self, slug: str, record: type[T], take: Callable[[Scene, Measures, dict[str, Array]], T]) -> None:
        self.slug, self._take = slug, take
        # Made while the station is imported: threads must not work out the shape of a record at the same moment.
        # Records do not change, and every check of a station asks for them: the last few are kept as they were read.
        self._decoded = lru_cache(maxsize=4)(msgspec.msgpack.Decoder(record).decode)

    def of(self, m: Measures) -> T | None:
        """What was measured; None where it was not, as taking it fell."""
        kept = m.own.get(self.slug)
        return None if kept is None else self._decoded(kept)

    def stored(self, scene: Scene, m: Measures, arrays: dict[str, Array]) -> bytes:
        """Measure, as it is stored."""
        return msgspec.msgpack.encode(self._take(scene, m, arrays))


Reads = Callable[[T, Measures, RuleSheet, Intent], Iterator[Finding | Skipped]]


def reading(own: Callable[[Measures], T | None], words: str) -> Callable[[Reads[T]], Judge]:
    """Make a check's function of one that reads a station's own measures first; where they were not taken it says so instead.

    own: the measures, None where taking them fell. words: what then could not be measured.
    """

    def made(judge: Reads[T]) -> Judge:
        @wraps(judge)
        def run(m: Measures, sheet: RuleSheet, intent: Intent) -> Iterator[Finding | Skipped]:
            taken = own(m)
            if taken is None:
                yield Skipped(words, unseen=True)
                return
            yield from judge(taken, m, sheet, intent)

        return run

    return made
