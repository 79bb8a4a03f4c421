"""What the user says the thing is."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import msgspec

from ..limits import InputError
from ..words.anchors import ANCHORS

KINDS = ("character", "prop", "room", "building", "foliage", "effect")
#: "inverted": its faces look inward on purpose, as those of an outline shell do.
SEEN_FROM = ("outside", "inside", "both", "inverted")
#: What a part is to the whole: of the thing, not part of it (a figure for scale, a lamp, a backdrop), a shell inside on purpose,
#: or a stand-in for collisions.
ROLES = ("thing", "aside", "inner", "stand-in")


class Expected(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Wanted size in metres; width along X, height along the up axis, depth along the third."""

    height_m: float | None = None
    width_m: float | None = None
    depth_m: float | None = None

    def given(self) -> bool:
        return any(v is not None for v in (self.height_m, self.width_m, self.depth_m))


class PartIntent(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What is said of a part, or of all whose names a pattern meets; what is not said is as the whole."""

    kind: str | None = None
    expected: Expected = Expected()
    seen_from: str | None = None
    pivot: str | None = None
    copies: int | None = None
    nearest_view_m: float | None = None
    role: str | None = None


_NOTHING = PartIntent()


class Intent(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """All keys optional. copies: how many stand in the planned scene. nearest_view_m: from how near it is looked at. side_keys:
    keys in text files under which every value must be a name of the model, as path or file:path. parts: by name, or by a pattern
    with * for any letters.
    """

    kind: str | None = None
    expected: Expected = Expected()
    seen_from: str = "outside"
    pivot: str | None = None
    copies: int = 1
    nearest_view_m: float | None = None
    parts: dict[str, PartIntent] = {}
    side_keys: list[str] = []

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
    try:
        intent = _DECODER.decode(data)
    except (msgspec.ValidationError, msgspec.DecodeError, RecursionError) as error:
        raise InputError(f"{label} cannot be used: {error}.") from error
    _check(intent, label)
    for name, part in intent.parts.items():
        _check(part, f"{label}, of {name},")
    return intent


def _check(said: Intent | PartIntent, label: str) -> None:
    choices = [("kind", said.kind, KINDS), ("seen_from", said.seen_from, SEEN_FROM), ("pivot", said.pivot, ANCHORS)]
    if isinstance(said, PartIntent):
        choices.append(("role", said.role, ROLES))
    for key, value, known in choices:
        if value is not None and value not in known:
            raise InputError(f"{label} says {key} {value!r}; use one of: {', '.join(known)}.")
    sizes = [said.expected.height_m, said.expected.width_m, said.expected.depth_m, said.nearest_view_m]
    if (said.copies is not None and said.copies < 1) or any(v is not None and not 0 < v < 1e9 for v in sizes):
        raise InputError(f"{label} needs copies of at least 1 and sizes above 0.")


def load_intent(path: str | None) -> Intent:
    """The intent in a JSON file, or an empty one. Raises InputError."""
    if path is None:
        return Intent()
    try:
        return intent_from_json(Path(path).read_bytes(), f"The intent file {Path(path).name}")
    except OSError as error:
        raise InputError(f"The intent file {path} cannot be read: {error.strerror}.") from error
