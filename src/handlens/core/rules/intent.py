"""What the user says the thing is."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Annotated, Literal, get_args

import msgspec
from msgspec import Meta

from ..limits import InputError
from ..words.anchors import ANCHORS
from .export import UNIT_WORDS, Unit
from .fields import Metres, described, read_record
from .messages import say

Kind = Literal["character", "prop", "room", "building", "foliage", "effect"]
_Copies = Annotated[int, Meta(ge=1, le=1_000_000)]
_Screen = Annotated[int, Meta(ge=64, le=16_384)]
_Key = Annotated[str, Meta(max_length=400)]
Seen = Literal["outside", "inside", "both", "inverted"]
Role = Literal["thing", "aside", "inner", "stand-in", "level-1", "level-2", "level-3"]
#: Roles that count in no size and no budget: they are not seen, or not of it.
APART = ("aside", "stand-in", "level-1", "level-2", "level-3")
_SEEN = {
    "outside": "from outside",
    "inside": "from inside, as a room",
    "both": "from both sides",
    "inverted": "inverted on purpose",
}
#: How roles read.
ROLES: dict[str, str] = {
    "thing": "of the thing",
    "aside": "not of it: a figure for scale, a lamp, a backdrop",
    "inner": "a shell inside on purpose",
    "stand-in": "a stand-in for collisions",
    "level-1": "its first coarser level of detail",
    "level-2": "its second coarser level of detail",
    "level-3": "its third coarser level of detail",
}
_STANDS = {
    "base-centre": "stands on its base",
    "centre": "turns about its middle",
    "top-centre": "hangs from its top",
    "middle-left": "hinges on its left side",
    "middle-right": "hinges on its right side",
    "middle-back": "hinges at its back",
}
_KIND = described("Kind", "What it is.", words={k: k for k in get_args(Kind)})
_SEEN_FROM = described(
    "Seen", "From where its faces are looked at; inverted: they look inward on purpose, as an outline shell's do.", words=_SEEN
)
_PIVOT = described("Pivot", "The point that it is placed by and turns about, by the name of an anchor of its box.", words=_STANDS)
_COPIES = described("Copies in the scene", "How many stand in the planned scene.")
_NEAREST = described("Nearest view", "From how near it is looked at.", "m")


class Expected(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Wanted size in metres; width along X, height along the up axis, depth along the third."""

    height_m: Annotated[Metres | None, described("tall", "Along the up axis.", "m")] = None
    width_m: Annotated[Metres | None, described("wide", "Along X.", "m")] = None
    depth_m: Annotated[Metres | None, described("deep", "Along the third axis.", "m")] = None

    def given(self) -> bool:
        return any(v is not None for v in (self.height_m, self.width_m, self.depth_m))


class PartIntent(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What is said of a part, or of all whose names a pattern meets; what is not said is as the whole."""

    kind: Annotated[Kind | None, _KIND] = None
    expected: Expected = Expected()
    seen_from: Annotated[Seen | None, _SEEN_FROM] = None
    pivot: Annotated[str | None, _PIVOT] = None
    copies: Annotated[_Copies | None, _COPIES] = None
    nearest_view_m: Annotated[Metres | None, _NEAREST] = None
    role: Annotated[Role | None, described("Role", "What it is to the whole.", words=ROLES)] = None


_NOTHING = PartIntent()


class Intent(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """All keys optional. side_keys: keys in text files under which every value must be a name of the model, as path or file:path.
    parts: by name, or by a pattern with * for any letters.
    """

    kind: Annotated[Kind | None, _KIND] = None
    expected: Expected = Expected()
    unit: Annotated[
        Unit | None, described("Its numbers are in", "What one unit of it is, where its format cannot say so.", words=UNIT_WORDS)
    ] = None
    seen_from: Annotated[Seen, _SEEN_FROM] = "outside"
    pivot: Annotated[str | None, _PIVOT] = None
    copies: Annotated[_Copies, _COPIES] = 1
    nearest_view_m: Annotated[Metres | None, _NEAREST] = None
    screen_px: Annotated[_Screen, described("Screen", "How many pixels high the screen is on which it is seen.", "px")] = 1_080
    see_through_shadow: Annotated[
        Literal["cast", "none"] | None,
        described(
            "Shadow of what is blended", "Whether blended parts should cast one.", words={"cast": "cast one", "none": "cast none"}
        ),
    ] = None
    clips: Annotated[list[_Key], Meta(max_length=200), described("Clips", "Names of the clips that it should bring.")] = []
    parts: dict[str, PartIntent] = {}
    side_keys: Annotated[list[_Key], Meta(max_length=200)] = []

    def of_part(self, name: str) -> PartIntent:
        """What is said of a part: by its very name, else by the first pattern that meets it."""
        if name in self.parts:
            return self.parts[name]
        return next((own for key, own in self.parts.items() if "*" in key and _meets(name, key)), _NOTHING)

    def without(self, names: Iterable[str]) -> list[str]:
        """Keys of parts that none of some names meets."""
        known = list(names)
        return [k for k in self.parts if not any(n == k or ("*" in k and _meets(n, k)) for n in known)]


def _meets(name: str, pattern: str) -> bool:
    """Whether a name is what a pattern says, * standing for any letters."""
    first, *rest = pattern.split("*")
    if not rest or not name.startswith(first):
        return name == pattern
    at = len(first)
    for piece in rest[:-1]:
        found = name.find(piece, at)
        if found < 0:
            return False
        at = found + len(piece)
    return len(name) - len(rest[-1]) >= at and name.endswith(rest[-1])


#: Made while this module is imported: threads must not work out the shape of a record at the same moment.
_DECODER = msgspec.json.Decoder(Intent)


def intent_from_json(data: bytes | str, label: str = "The intent") -> Intent:
    """Read an intent. Raises InputError with one sentence naming the key that is wrong."""
    intent = read_record(_DECODER, data, label)
    pivots = {"pivot": intent.pivot} | {f"parts/{name}/pivot": part.pivot for name, part in intent.parts.items()}
    for place, pivot in pivots.items():
        if pivot is not None and pivot not in ANCHORS:
            raise InputError(say("rules.unknown-pivot", label=label, place=place, pivot=pivot, anchors=", ".join(ANCHORS)))
    return intent


def load_intent(path: str | None) -> Intent:
    """The intent in a JSON file, or an empty one. Raises InputError."""
    if path is None:
        return Intent()
    try:
        return intent_from_json(Path(path).read_bytes(), f"The intent file {Path(path).name}")
    except OSError as error:
        raise InputError(say("rules.intent-unreadable", path=path, reason=error.strerror)) from error
