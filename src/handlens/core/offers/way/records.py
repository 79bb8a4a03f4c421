"""The way to Fit as it is handed on: what goes on the tape, what it costs, what there is to choose, and what is left."""

from __future__ import annotations

from typing import Any

import msgspec


class Seen(msgspec.Struct, frozen=True):
    """One side. toward: direction to the viewer, Y up. pixels: that differ. box: where most do, as shares of the picture from its left
    upper corner (left, top, right, bottom); None where none does."""

    toward: list[float]
    words: str
    pixels: int
    box: list[float] | None


class Looks(msgspec.Struct, frozen=True):
    """mean, worst: pixels that differ, over the sides. of: pixels of one picture. sides: of all twelve. distance_m: how far the surface lies
    from where it was at most, the whole of it moved, turned or scaled counting as nothing; None where nothing of it is on both sides."""

    mean: float
    worst: int
    of: int
    sides: list[Seen]
    distance_m: float | None


class Cost(msgspec.Struct, frozen=True, omit_defaults=True):
    """What mends change in figures, after less before. triangles, draw_calls, parts: as drawn. texture_bytes: loaded, with mips.
    pixels: of stored images, those that are lost. faces: stored. names: names of the model that it no longer has; used_names: those of
    them that files beside use. bytes: of the written files, None where they were not written. words: what the mends say of it themselves."""

    triangles: int = 0
    draw_calls: int = 0
    parts: int = 0
    texture_bytes: int = 0
    pixels: int = 0
    faces: int = 0
    names: list[str] = []
    used_names: list[str] = []
    bytes: int | None = None
    words: list[str] = []


class Figured(msgspec.Struct, frozen=True):
    """A figure of a mend, in words."""

    what: str
    before: str
    after: str


class Option(msgspec.Struct, frozen=True):
    """One way to clear what a slip clears. rule: what a rule says to have it: its mend, with its parameters where another option is of that mend. clears: how many findings. brings: titles of notes that come. chosen: whether it is on the tape."""

    mend: str
    params: dict[str, Any]
    title: str
    clears: int
    brings: list[str]
    cost: Cost
    safe: bool
    chosen: bool
    rule: str


class Slip(msgspec.Struct, frozen=True):
    """One mend of the way. clears: titles of findings that go with it, brings: of notes that come. checks: of the findings, of which a rule
    may be made. serves: sheets by whose verdict it helps. options: what there is to choose; empty where there is nothing."""

    mend: str
    params: dict[str, Any]
    title: str
    safe: bool
    clears: list[str]
    brings: list[str]
    checks: list[str]
    serves: list[str]
    figures: list[Figured]
    remarks: list[str]
    kept: list[str]
    cost: Cost
    options: list[Option] = []


class Left(msgspec.Struct, frozen=True):
    """A finding that stays. needs: who or what is wanted: a person, a word of the intent, another format, or more time. because: in a sentence."""

    id: str
    check: str
    title: str
    result: str
    part: str | None
    node: int | None
    needs: str
    because: str


class Verdict(msgspec.Struct, frozen=True):
    """Findings by their result, and stations that could not be looked at."""

    stop: int
    caution: int
    note: int
    unlooked: list[str] = []

    @property
    def fit(self) -> bool:
        """Whether nothing stops it."""
        return not self.stop and not self.unlooked


class Branch(msgspec.Struct, frozen=True):
    """What one destination needs beyond what all share. format: that the file has to be in for it to hold; None where its own will do."""

    sheet: str
    name: str
    slips: list[Slip]
    before: Verdict
    after: Verdict
    goes: list[str]
    comes: list[str]
    left: list[Left]
    format: str | None = None


class Question(msgspec.Struct, frozen=True):
    """What only a person knows. key: of the intent, as a path. suggestion: what the model suggests, None where nothing; why: by what."""

    key: str
    asks: str
    suggestion: Any
    words: str
    why: str


class Way(msgspec.Struct, frozen=True):
    """slips: for all destinations, in order; branches: by destination, what it needs beyond them and how it ends. cost: of the slips together.
    looks: what they change to look at; None where nothing was drawn. questions: what the intent does not say. ended: why the search ended
    before it had tried all, None where it had. work: triangles that were measured anew. seconds: of the search and of reading once."""

    slips: list[Slip]
    branches: list[Branch]
    cost: Cost
    looks: Looks | None
    questions: list[Question]
    ended: str | None
    work: int
    seconds: dict[str, float]

    @property
    def fit(self) -> bool:
        """Whether every destination takes it then."""
        return all(branch.after.fit for branch in self.branches)


__all__ = ["Branch", "Cost", "Figured", "Left", "Looks", "Option", "Question", "Seen", "Slip", "Verdict", "Way"]
