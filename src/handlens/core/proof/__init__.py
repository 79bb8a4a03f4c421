"""The proof: what was sent and what was read back, compared in every aspect that a scene has. Each aspect is a module.

A row has one of three outcomes: the same (clear), as was said beforehand (caution), or it differs (stop). What was said comes
from `formats.conform` alone: the scene as the format can hold it is what is compared, so nothing is excused that was not said.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..formats.conform import ConformedScene, ExportLoss, conform
from ..formats.conform.steps import Target
from ..formats.table import BY_NAME
from ..rules.export import PLAIN, ExportOptions
from ..scene import Scene
from ..words.json_tree import Json
from . import clips, frame, images, materials, morphs, optics, side_files, skins, slots, surface, tree
from .compared import Compared
from .rows import CAUTION, CLEAR, STOP, Place, Row

ASPECTS = (frame, tree, surface, slots, materials, images, skins, morphs, clips, optics, side_files)
#: Groups in the order of the table.
MOTION = "Skin and motion"
GROUPS = ("Size", "Parts", "Surface", "UVs and colours", "Materials", "Images", MOTION, "Also in the file")


@dataclass(frozen=True)
class Proof:
    rows: tuple[Row, ...]

    @property
    def proved(self) -> bool:
        """Whether nothing differs but what was said beforehand."""
        return all(row.result != STOP for row in self.rows)

    def to_json(self) -> Json:
        counts = {k: sum(row.result == k for row in self.rows) for k in (STOP, CAUTION, CLEAR)}
        return {"schema": 1, "proved": self.proved, "verdict": counts, "rows": [row.to_json() for row in self.rows]}


def prove(a: Scene, b: Scene, options: ExportOptions = PLAIN) -> Proof:
    """Compare any two scenes. Nothing was said beforehand but what the format of the second cannot hold.

    options: how it was to be written, of which the unit and axis count that its format cannot state.
    """
    form = BY_NAME[b.format]
    unstated = ExportOptions(unstated_unit=options.unstated_unit, unstated_axis=options.unstated_axis)
    target = Target(form, unstated, single=BY_NAME[a.format].single)
    held = conform(a, target, free=True)
    return prove_conformed(held, b, a.format, narrow=True)


def prove_mended(a: Scene, mended: Scene, b: Scene, options: ExportOptions = PLAIN) -> Proof:
    """Compare a mended scene with what was written of it: what differs from before is told as asked for, and all else as an accident.

    a: before the mends. mended: the same with them played. options: as `prove` has them.
    """
    accidents = prove(mended, b, options).rows
    key = lambda r: (r.group, r.what, r.where)
    still = {key(accident): accident for accident in accidents}
    asked = {key(row): row for row in prove(a, b, options).rows if row.result == STOP}
    as_asked = lambda r: replace(r, result=CAUTION, remark="as the mends that were asked for have it")
    rows = [
        as_asked(asked[k]) if accident.result == CLEAR and (k := key(accident)) in asked else accident for accident in accidents
    ]
    rows += [as_asked(r) for k, r in asked.items() if k not in still]
    return Proof(tuple(_ordered(rows)))


def prove_conformed(conformed: ConformedScene, back: Scene, sent_as: str, narrow: bool = False) -> Proof:
    """Compare what was read back with what was written. sent_as: format of the scene before it was made one that can be held. narrow:
    whether colours may have gone through whole numbers on a way that is not ours."""
    single = BY_NAME[sent_as].single or BY_NAME[back.format].single
    return Proof(tuple(_ordered([*_expected_rows(conformed.said), *compare(conformed.scene, back, single, narrow)])))


def compare(a: Scene, b: Scene, single: bool, narrow: bool = False) -> Iterator[Row]:
    """Rows of two scenes of which nothing is said beforehand. single: whether numbers went through 32-bit floats; narrow: colours through
    whole numbers."""
    return aspects(Compared(a, b, single, narrow))


def aspects(both: Compared) -> Iterator[Row]:
    """Rows of every aspect of two scenes."""
    # A file may hold any number: nothing is to be said while comparing.
    for aspect in ASPECTS:
        with np.errstate(all="ignore"):
            found = list(aspect.rows(both))
        yield from found


def _expected_rows(losses: Sequence[ExportLoss]) -> Iterator[Row]:
    for line in losses:
        yield Row(line.group, line.what, line.sent, line.read_back, "expected", CAUTION, str(line.text))


def _ordered(rows: Sequence[Row]) -> list[Row]:
    """By group, what differs first, then what was said."""
    rank = {STOP: 0, CAUTION: 1, CLEAR: 2}
    return sorted(rows, key=lambda r: (GROUPS.index(r.group), rank[r.result]))


__all__ = [
    "ASPECTS",
    "MOTION",
    "Compared",
    "Place",
    "Proof",
    "Row",
    "aspects",
    "compare",
    "prove",
    "prove_conformed",
    "prove_mended",
]
