"""What a field of a sheet or an intent is called, what it means, in which unit and within which bounds: said once, at the field.

The JSON schema, the sentences about wrong values, the web's types and the forms are all made from what stands there.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated, Any, TypeVar

import msgspec
from msgspec import Meta

from ..limits import InputError
from .messages import say

T = TypeVar("T")

#: A count of at least one, and a length in metres that a thing can have.
Count = Annotated[int, Meta(ge=1)]
Metres = Annotated[float, Meta(gt=0, lt=1e9)]


def described(title: str, help: str = "", unit: str = "", words: Mapping[str, str] | None = None, least: bool = False) -> Meta:
    """What people read of a field. words: how each of its choices reads. least: whether a number is the least that is wanted, not the most."""
    more: dict[str, Any] = {"unit": unit} if unit else {}
    if words:
        more["words"] = dict(words)
    if least:
        more["wanted"] = "at least"
    return Meta(title=title, description=help or None, extra=more, extra_json_schema=more)


_CALLED: dict[Any, str] = {
    msgspec.inspect.IntType: "count",
    msgspec.inspect.FloatType: "number",
    msgspec.inspect.StrType: "text",
    msgspec.inspect.BoolType: "flag",
}
_BUILT_IN: dict[Any, Any] = {
    msgspec.inspect.StrType: str,
    msgspec.inspect.IntType: int,
    msgspec.inspect.FloatType: float,
    msgspec.inspect.BoolType: bool,
}


class Choice(msgspec.Struct, frozen=True):
    """A value that may be chosen, and how it reads."""

    value: str
    words: str


class Field(msgspec.Struct, frozen=True):
    """A field as a form shows it. kind: number, count, text, flag, choice, or what else its type is called. optional: it may be left out.
    nullable: it may be none. wanted: how a number is meant, at most or at least."""

    name: str
    title: str
    help: str
    unit: str
    kind: str
    choices: list[Choice]
    least: float | None
    most: float | None
    optional: bool
    nullable: bool
    wanted: str


def fields_of(record: type[msgspec.Struct]) -> list[Field]:
    """The fields of a record, in its order, that say what they are."""
    told = msgspec.inspect.type_info(record)
    assert isinstance(told, msgspec.inspect.StructType)
    return [found for field in told.fields if (found := _field(field.encode_name, field.type, not field.required)) is not None]


def _field(name: str, kind: Any, optional: bool) -> Field | None:
    info = msgspec.inspect
    meta: Mapping[str, Any] = {}
    extra: Mapping[str, Any] = {}
    if isinstance(kind, info.Metadata):
        meta, extra, kind = kind.extra_json_schema or {}, kind.extra or {}, kind.type
    if "title" not in meta:
        return None
    nullable = isinstance(kind, info.UnionType)
    if isinstance(kind, info.UnionType):
        kind = next(t for t in kind.types if not isinstance(t, info.NoneType))
    bound = lambda *names: next((x for n in names if (x := getattr(kind, n, None)) is not None), None)
    least, most = bound("ge", "gt"), bound("le", "lt")
    words = extra.get("words", {})
    listed = words or (kind.values if isinstance(kind, info.LiteralType) else ())
    choices = [Choice(str(v), words.get(v, str(v))) for v in listed]
    called = "choice" if choices else _CALLED.get(type(kind), type(kind).__name__.removesuffix("Type").lower())
    wanted = extra.get("wanted", "at most" if called in ("count", "number") else "")
    return Field(
        name,
        meta["title"],
        meta.get("description") or "",
        extra.get("unit", ""),
        called,
        choices,
        least,
        most,
        optional,
        nullable,
        wanted,
    )


def read_record(decoder: msgspec.json.Decoder[T], data: bytes | str, label: str) -> T:
    """A record from JSON. Raises InputError with one sentence: where it is wrong, and what may stand there."""
    try:
        return decoder.decode(data)
    except msgspec.ValidationError as error:
        raise InputError(say("rules.wrong-value", label=label, fault=_what_is_wrong(str(error), decoder.type, data))) from error
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError) as error:
        raise InputError(say("rules.not-json", label=label, error=str(error))) from error


def _what_is_wrong(message: str, record: Any, data: bytes | str) -> str:
    """What follows the label in a sentence on a value that does not fit."""
    what, _, path = message.partition(" - at `")
    names = [x for x in re.split(r"[.\[\]]+", path.removesuffix("`").removeprefix("$").replace("[...]", ".*")) if x]
    try:
        kind, place, value = _resolved(msgspec.inspect.type_info(record), names, msgspec.json.decode(data))
    except RecursionError:
        return " cannot be used: it is nested too deep."
    where = f"at {'/'.join(place)}" if place else "at the top level"
    if isinstance(kind, msgspec.inspect.LiteralType):
        return f", {where}, says {value!r}; use one of: {', '.join(map(str, kind.values))}."
    return f" cannot be used: {where}, {what[:1].lower()}{what[1:]}."


def _resolved(kind: Any, names: list[str], tree: Any) -> tuple[Any, list[str], Any]:
    """The type, the place and the value at the end of a path. Keys that the library leaves out are found: the first that is wrong."""
    kind, place = _plain(kind), list[str]()
    for name in names:
        if isinstance(kind, msgspec.inspect.DictType | msgspec.inspect.ListType):
            each = kind.value_type if isinstance(kind, msgspec.inspect.DictType) else kind.item_type
            pairs = tree.items() if isinstance(tree, dict) else enumerate(tree)
            key, tree = next((pair for pair in pairs if _wrong(pair[1], each)), (name, None))
            kind, name = _plain(each), str(key)
        else:
            kind = (
                _plain(next((field.type for field in kind.fields if field.encode_name == name), None))
                if isinstance(kind, msgspec.inspect.StructType)
                else None
            )
            tree = tree.get(name) if isinstance(tree, dict) else None
        place.append(name)
    return kind, place, tree


def _wrong(value: Any, kind: Any) -> bool:
    kind = _plain(kind)
    if isinstance(kind, msgspec.inspect.LiteralType):
        return value not in kind.values
    try:
        msgspec.convert(value, kind.cls if isinstance(kind, msgspec.inspect.StructType) else _BUILT_IN.get(type(kind), Any))
    except msgspec.ValidationError:
        return True
    return False


def _plain(kind: Any) -> Any:
    """A type without what is said of it, and without its None."""
    info = msgspec.inspect
    while isinstance(kind, info.Metadata | info.UnionType):
        kind = kind.type if isinstance(kind, info.Metadata) else next(t for t in kind.types if not isinstance(t, info.NoneType))
    return kind
