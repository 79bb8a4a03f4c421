"""Compressed geometry of a glTF file, unpacked before anything is read of it.

KHR_draco_mesh_compression packs whole primitives; EXT_meshopt_compression packs buffer views.
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from ...limits import InputError
from ...machine.native import in_child
from ...words.arrays import Array
from ...words.json_tree import Json
from .messages import say

DRACO = "KHR_draco_mesh_compression"
MESHOPT = ("EXT_meshopt_compression",)


class Unpacked:
    """accessors: array (count, n) of each accessor that came out of a packed primitive. views: bytes and stride of packed views."""

    def __init__(self, accessors: dict[int, Array], views: dict[int, tuple[memoryview, int]]) -> None:
        self.accessors, self.views = accessors, views


class Source(Protocol):
    """What unpacking asks of a document."""

    @property
    def label(self) -> str: ...
    def array(self, key: str) -> list[Json]: ...
    def view(self, index: int, where: str) -> tuple[memoryview, int]: ...
    def buffer(self, index: int) -> memoryview: ...
    def fail(self, where: str, what: str) -> InputError: ...
    def integer(self, owner: Mapping[str, Any], key: str, where: str, default: int | None = None) -> int: ...


def unpack(doc: Source) -> Unpacked:
    """Unpack all that is packed in a document, in one child process. Raises InputError."""
    items: list[dict[str, Any]] = []
    pieces: list[memoryview] = []
    primitives: list[dict[str, Any]] = []
    for owner, mesh in enumerate(doc.array("meshes")):
        listed = mesh.get("primitives")
        for place, primitive in enumerate(listed if isinstance(listed, list) else []):
            packed = _extension(primitive, DRACO)
            if packed is not None:
                where = f"meshes[{owner}].primitives[{place}]"
                ids = packed.get("attributes")
                ids = {k: v for k, v in ids.items() if isinstance(v, int)} if isinstance(ids, dict) else {}
                pieces.append(doc.view(doc.integer(packed, "bufferView", where), where)[0])
                items.append({"kind": "draco", "where": f"{doc.label}: {where}", "ids": ids})
                primitives.append(primitive)
    numbers = []
    for k, view in enumerate(doc.array("bufferViews")):
        packed = next((extension for name in MESHOPT if (extension := _extension(view, name)) is not None), None)
        if packed is None:
            continue
        where = f"bufferViews[{k}]"
        data = doc.buffer(doc.integer(packed, "buffer", where))
        start, length = doc.integer(packed, "byteOffset", where, 0), doc.integer(packed, "byteLength", where)
        if start + length > len(data):
            raise doc.fail(where, f"reaches {start + length - len(data):,} bytes past the end of its packed buffer")
        pieces.append(data[start : start + length])
        count, stride = doc.integer(packed, "count", where), doc.integer(packed, "byteStride", where)
        items.append(
            {
                "kind": "meshopt",
                "where": f"{doc.label}: {where}",
                "count": count,
                "stride": stride,
                "mode": packed.get("mode"),
                "filter": packed.get("filter", "NONE"),
            }
        )
        numbers.append(k)
    if not items:
        return Unpacked({}, {})
    at = 0
    for item, piece in zip(items, pieces, strict=True):
        item |= {"at": at, "length": len(piece)}
        at += len(piece)
    with tempfile.TemporaryDirectory(prefix="handlens-packed-") as folder:
        file = Path(folder, "packed")
        file.write_bytes(b"".join(pieces))
        answer = in_child("formats.gltf.packed_child:unpack", {"file": str(file), "items": items}, doc.label, read=[file])
    answers = answer.header["answers"]
    accessors: dict[int, Array] = {}
    for primitive, found, item in zip(primitives, answers, items, strict=False):
        lost = sorted(set(item["ids"]) - set(found["attributes"]))
        if lost or (found["faces"] is None and "indices" in primitive):
            raise InputError(say("gltf.draco-incomplete", where=item["where"], missing=lost[0] if lost else "its faces"))
        attributes = primitive.get("attributes")
        for name, section in found["attributes"].items():
            number = attributes.get(name) if isinstance(attributes, dict) else None
            if isinstance(number, int):
                accessors[number] = answer.array(section, section["kind"]).reshape(-1, section["width"])
        if found["faces"] is not None and isinstance(primitive.get("indices"), int):
            accessors[primitive["indices"]] = answer.array(found["faces"], np.uint32).reshape(-1, 1)
    views = {
        k: (memoryview(answer.bytes(section["at"], section["count"])), item["stride"])
        for k, section, item in zip(numbers, answers[len(primitives) :], items[len(primitives) :], strict=True)
    }
    return Unpacked(accessors, views)


def _extension(owner: Any, name: str) -> Mapping[str, Any] | None:
    extensions = owner.get("extensions") if isinstance(owner, dict) else None
    found = extensions.get(name) if isinstance(extensions, dict) else None
    return found if isinstance(found, dict) else None
