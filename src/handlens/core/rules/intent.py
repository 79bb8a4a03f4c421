"""What the user says the thing is."""

from __future__ import annotations

from pathlib import Path

import msgspec

from ..limits import InputError

KINDS = ("character", "prop", "room", "foliage", "effect")
#: "inverted": its faces look inward on purpose, as those of an outline shell do.
SEEN_FROM = ("outside", "inside", "both", "inverted")


class Expected(msgspec.Struct, frozen=True, omit_defaults=True):
    """Wanted size in metres; width along X, height along the up axis, depth along the third."""

    height_m: float | None = None
    width_m: float | None = None
    depth_m: float | None = None

    def given(self) -> bool:
        return any(v is not None for v in (self.height_m, self.width_m, self.depth_m))


class PartIntent(msgspec.Struct, frozen=True, omit_defaults=True):
    kind: str | None = None
    expected: Expected | None = None
    seen_from: str | None = None
    pivot: str | None = None
    copies: int | None = None
    nearest_view_m: float | None = None


class Intent(msgspec.Struct, frozen=True, omit_defaults=True):
    """All keys optional. copies: how many stand in the planned scene. side_keys: keys in text files under which every value must
    be a name of the model, as path or file:path.
    """

    kind: str | None = None
    expected: Expected = Expected()
    seen_from: str = "outside"
    pivot: str | None = None
    copies: int = 1
    nearest_view_m: float | None = None
    parts: dict[str, PartIntent] = {}
    side_keys: list[str] = []


#: Made while this module is imported: threads must not work out the shape of a record at the same moment.
_DECODER = msgspec.json.Decoder(Intent)


def intent_from_json(data: bytes | str, label: str = "The intent") -> Intent:
    """Read an intent. Raises InputError with one sentence naming the key that is wrong."""
    try:
        intent = _DECODER.decode(data)
    except (msgspec.ValidationError, msgspec.DecodeError) as error:
        raise InputError(f"{label} cannot be used: {error}.") from error
    if intent.kind is not None and intent.kind not in KINDS:
        raise InputError(f"{label} names the kind {intent.kind!r}; use one of: {', '.join(KINDS)}.")
    if intent.seen_from not in SEEN_FROM:
        raise InputError(f"{label} says seen_from {intent.seen_from!r}; use one of: {', '.join(SEEN_FROM)}.")
    for name, part in intent.parts.items():
        if part.seen_from is not None and part.seen_from not in SEEN_FROM:
            raise InputError(f"{label} says that {name} is seen_from {part.seen_from!r}; use one of: {', '.join(SEEN_FROM)}.")
    sizes = [intent.expected.height_m, intent.expected.width_m, intent.expected.depth_m, intent.nearest_view_m]
    if intent.copies < 1 or any(v is not None and not 0 < v < 1e9 for v in sizes):
        raise InputError(f"{label} needs copies of at least 1 and sizes above 0.")
    return intent


def load_intent(path: str | None) -> Intent:
    """The intent in a JSON file, or an empty one. Raises InputError."""
    if path is None:
        return Intent()
    try:
        return intent_from_json(Path(path).read_bytes(), f"The intent file {Path(path).name}")
    except OSError as error:
        raise InputError(f"The intent file {path} cannot be read: {error.strerror}.") from error
