"""Unpacking compressed glTF geometry with the libraries that define it, inside a child process."""

from __future__ import annotations

import ctypes
from pathlib import Path
from typing import Any

import numpy as np

from ...limits import MAX_FILE_BYTES, InputError
from ...machine.extras import need
from ...machine.meshopt import library
from ...machine.sections import Sections
from ...words.json_tree import Json
from .messages import say

_FILTERS = {
    "OCTAHEDRAL": "meshopt_decodeFilterOct",
    "QUATERNION": "meshopt_decodeFilterQuat",
    "EXPONENTIAL": "meshopt_decodeFilterExp",
}


def unpack(request: Json) -> bytes:
    """A container with what each item unpacks to. request: file with all packed pieces, items that say where and how."""
    data = Path(request["file"]).read_bytes()
    out = Sections()
    answers = []
    for item in request["items"]:
        piece = data[item["at"] : item["at"] + item["length"]]
        answers.append(_draco(piece, item, out) if item["kind"] == "draco" else _meshopt(piece, item, out))
    return out.file({"answers": answers})


def _draco(piece: bytes, item: dict[str, Any], out: Sections) -> dict[str, Any]:
    """KHR_draco_mesh_compression: faces and attributes by their number in the packed mesh."""
    need("DracoPy", "compression", "Geometry packed by Draco")
    import DracoPy

    try:
        mesh = DracoPy.decode(piece)
    except Exception as error:
        raise InputError(say("gltf.draco-damaged", where=item["where"])) from error
    faces = getattr(mesh, "faces", None)
    found = {int(a["unique_id"]): np.asarray(a["data"]) for a in mesh.attributes}
    answer: dict[str, Any] = {"attributes": {}, "faces": None}
    if faces is not None:
        answer["faces"] = out.array(np.asarray(faces).reshape(-1), np.uint32)
    for name, number in item["ids"].items():
        values = found.get(number)
        if values is not None:
            whole = values.dtype.kind in "iu"
            rows = values.reshape(len(values), -1)
            section = out.array(rows, np.int64 if whole else np.float32)
            answer["attributes"][name] = {**section, "width": int(rows.shape[1]), "kind": "<i8" if whole else "<f4"}
    return answer


def _meshopt(piece: bytes, item: dict[str, Any], out: Sections) -> dict[str, Any]:
    """EXT_meshopt_compression: attributes, triangles or indices, and the filters that come after."""
    count, stride = item["count"], item["stride"]
    if count * stride > MAX_FILE_BYTES:
        raise InputError(say("gltf.unpacks-too-large", where=item["where"], gib=MAX_FILE_BYTES >> 30))
    unpacker = _library(item["where"])
    target = np.zeros(max(count * stride, 1), np.uint8)
    at = target.ctypes.data_as(ctypes.c_void_p)
    size = ctypes.c_size_t
    name = {
        "ATTRIBUTES": "meshopt_decodeVertexBuffer",
        "TRIANGLES": "meshopt_decodeIndexBuffer",
        "INDICES": "meshopt_decodeIndexSequence",
    }.get(item["mode"])
    fits = (
        stride % 4 == 0 and 0 < stride <= 256
        if item["mode"] == "ATTRIBUTES"
        else stride in (2, 4) and (item["mode"] != "TRIANGLES" or count % 3 == 0)
    )
    if name is None or not fits:
        raise InputError(say("gltf.unknown-packing", where=item["where"]))
    wrong = getattr(unpacker, name)(at, size(count), size(stride), piece, size(len(piece)))
    if wrong:
        raise InputError(say("gltf.packed-damaged", where=item["where"]))
    chosen = _FILTERS.get(item["filter"])
    if chosen:
        if stride not in {"OCTAHEDRAL": (4, 8), "QUATERNION": (8,), "EXPONENTIAL": tuple(range(4, 257, 4))}[item["filter"]]:
            raise InputError(say("gltf.unfit-filter", where=item["where"], stride=stride))
        getattr(unpacker, chosen)(at, size(count), size(stride))
    return out.array(target[: count * stride], np.uint8)


def _library(where: str) -> ctypes.CDLL:
    found = library()
    if found is None:
        raise InputError(say("gltf.no-meshopt", where=where))
    return found
