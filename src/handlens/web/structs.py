"""Response schemas made of the core's records, so that a field is said once: its type, its choices, its help."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec
from marshmallow import RAISE, Schema, fields, validate


class Strict(Schema):
    class Meta:
        unknown = RAISE


_PLAIN: dict[Any, type[fields.Field[Any]]] = {
    msgspec.inspect.StrType: fields.String,
    msgspec.inspect.IntType: fields.Integer,
    msgspec.inspect.FloatType: fields.Float,
    msgspec.inspect.BoolType: fields.Boolean,
    msgspec.inspect.AnyType: fields.Raw,
}
_made: dict[Any, type[Schema]] = {}


def schema_of(record: type[Any], names: Mapping[Any, str] | None = None, without: frozenset[str] = frozenset()) -> type[Schema]:
    """The schema of a record, one class for each record. names: what records are called in the document, where not as they are called
    in the core. without: fields that stay in the house.
    """
    if record not in _made:
        told = msgspec.inspect.type_info(record)
        assert isinstance(told, msgspec.inspect.StructType | msgspec.inspect.NamedTupleType)
        called = (names or {}).get(record, record.__name__)
        config = getattr(record, "__struct_config__", None)
        # A record that leaves its defaults out may come without them.
        needed = lambda f: f.required or config is None or not config.omit_defaults
        members = {
            field.encode_name: _field(field.type, names or {}, needed(field))
            for field in told.fields
            if field.encode_name not in without
        }
        _made[record] = type(called, (Strict if config is not None and config.forbid_unknown_fields else Schema,), members)
    return _made[record]


def _field(
    kind: Any, names: Mapping[Any, str], required: bool = True, optional: bool = False, help: str = ""
) -> fields.Field[Any]:
    info = msgspec.inspect
    if isinstance(kind, info.Metadata):
        return _field(kind.type, names, required, optional, (kind.extra_json_schema or {}).get("description") or help)
    if isinstance(kind, info.UnionType):
        return _field(next(t for t in kind.types if not isinstance(t, info.NoneType)), names, required, True, help)
    more: dict[str, Any] = {"required": required, "metadata": {"description": help} if help else {}}
    if optional or isinstance(kind, info.AnyType):
        more["allow_none"] = True
    if isinstance(kind, info.StructType | info.NamedTupleType):
        return fields.Nested(schema_of(kind.cls, names), **more)
    if isinstance(kind, info.ListType):
        return fields.List(_field(kind.item_type, names), **more)
    if isinstance(kind, info.DictType):
        return fields.Dict(keys=fields.String(), values=_field(kind.value_type, names), **more)
    if isinstance(kind, info.LiteralType):
        return fields.String(validate=validate.OneOf(list(kind.values)), **more)
    if isinstance(kind, info.IntType | info.FloatType) and (kind.ge, kind.gt, kind.le, kind.lt) != (None, None, None, None):
        least, most = (kind.gt if kind.ge is None else kind.ge), (kind.lt if kind.le is None else kind.le)
        more["validate"] = validate.Range(least, most, min_inclusive=kind.gt is None, max_inclusive=kind.lt is None)
    return _PLAIN[type(kind)](**more)
