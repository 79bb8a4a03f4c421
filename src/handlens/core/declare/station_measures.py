"""Measures that one station takes for itself, beside those that all stations read."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache, wraps
from typing import Generic, Literal, TypeVar, get_args
from weakref import ref

import msgspec

from ..measures import Measures
from ..rules import Intent, RuleSheet
from ..scene import Scene
from ..words.arrays import Array
from .check import Finding, Judge, Skipped

T = TypeVar("T", bound=msgspec.Struct)


#: Parts of a scene that a station's own measures may hang on, by the scene's own names.
Read = Literal["nodes", "meshes", "skins", "clips", "materials", "images", "beside"]


class StationMeasures(Generic[T]):
    """A station's own measures: a record, and the function that takes it from a scene and from what is measured already. It puts int32
    indices of elements into the dictionary that it is given, which `Measures.array` then has as "slug:name".

    Checks and the panel ask `of`. The record is stored beside the other measures with its version, which whoever changes its meaning
    raises: what was stored with another counts as not measured, and models are read again. reads: what of a scene it hangs on, beside the frame that all hang in; while none of that is another,
    as after a mend that touched something else, what was taken of an earlier scene is taken over. All of it by default.
    """

    def __init__(
        self,
        slug: str,
        record: type[T],
        take: Callable[[Scene, Measures, dict[str, Array]], T],
        reads: tuple[Read, ...] = get_args(Read),
        version: int = 1,
    ) -> None:
        self.slug, self.version, self._take, self._reads = slug, version, take, reads
        # Records do not change, and every check of a station asks for them: the last few are kept as they were read.
        # The decoder is made while the station is imported: threads must not work out the shape of a record at the same moment.
        self._decoded = lru_cache(maxsize=4)(msgspec.msgpack.Decoder(record).decode)
        self._last: list[tuple[ref[Scene], bytes, dict[str, Array]]] = []

    def of(self, measures: Measures) -> T | None:
        """What was measured; None where it was not, as taking it fell."""
        kept = measures.own.get(self.slug)
        return None if kept is None or measures.own_versions.get(self.slug) != self.version else self._decoded(kept)

    def stored(self, scene: Scene, measures: Measures, arrays: dict[str, Array]) -> bytes:
        """Measure, as it is stored.

        arrays: element lists by key, to which its own are added.
        """
        for held, taken, found in self._last:
            if (earlier := held()) is not None and self._same(earlier, scene):
                arrays.update(found)
                return taken
        mine: dict[str, Array] = {}
        taken = msgspec.msgpack.encode(self._take(scene, measures, mine))
        # The first, which mends are tried on, and the last of them.
        alive = [entry for entry in self._last if entry[0]() is not None]
        self._last = [*alive[:1], (ref(scene), taken, mine)]
        arrays.update(mine)
        return taken

    def _same(self, a: Scene, b: Scene) -> bool:
        frame = (a.unit_metres, a.up_axis, a.handedness, a.roots) == (b.unit_metres, b.up_axis, b.handedness, b.roots)
        return frame and all(_same_subjects(getattr(a, name), getattr(b, name)) for name in self._reads)


def _same_subjects(a: tuple[object, ...], b: tuple[object, ...]) -> bool:
    return a is b or (len(a) == len(b) and all(x is y for x, y in zip(a, b, strict=True)))


Reads = Callable[[T, Measures, RuleSheet, Intent], Iterator[Finding | Skipped]]


def reading(section: Callable[[Measures], T | None], words: str) -> Callable[[Reads[T]], Judge]:
    """Make a check's function of one that reads a station's own measures first; where they were not taken it says so instead.

    section: the measures, None where taking them fell. words: what then could not be measured.
    """

    def declare(judge: Reads[T]) -> Judge:
        @wraps(judge)
        def run(measures: Measures, sheet: RuleSheet, intent: Intent) -> Iterator[Finding | Skipped]:
            taken = section(measures)
            if taken is None:
                yield Skipped(words, unseen=True)
                return
            yield from judge(taken, measures, sheet, intent)

        return run

    return declare
