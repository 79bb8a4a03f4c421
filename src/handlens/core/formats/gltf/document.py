"""A glTF document: container, JSON, buffers and accessors, every length checked before it is used.

Section numbers are those of the glTF 2.0 specification.
"""

from __future__ import annotations

import binascii
import struct
from base64 import b64decode
from collections.abc import Mapping
from functools import cached_property
from typing import Any, TypeGuard
from urllib.parse import unquote_to_bytes

import msgspec
import numpy as np

from ... import limits
from ...limits import InputError
from ...packages import Package
from ...words.arrays import Array
from ...words.json_tree import Json
from .messages import say
from .packed import DRACO, MESHOPT, Unpacked, unpack

#: §3.6.2.2: component types.
COMPONENTS: dict[int, type[Any]] = {
    5120: np.int8,
    5121: np.uint8,
    5122: np.int16,
    5123: np.uint16,
    5125: np.uint32,
    5126: np.float32,
}
#: §3.6.2.3: element types, with the number of components.
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
#: Required extensions that this reader follows or that change nothing about what it reads.
KNOWN = {
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "KHR_lights_punctual",
    "KHR_texture_basisu",
    "EXT_texture_webp",
    "KHR_materials_unlit",
    "KHR_materials_pbrSpecularGlossiness",
    "KHR_node_visibility",
    DRACO,
    *MESHOPT,
}


#: Bytes of values that a file may state without storing them (glTF 2.0 §3.6.2.2: zeros), and how many times its own size more.
_UNSTORED, _UNSTORED_TIMES = 64 << 20, 50


def is_integer(value: object) -> TypeGuard[int]:
    """Whether a value of the JSON is a whole number; true and false are none, though the language counts with them."""
    return isinstance(value, int) and not isinstance(value, bool)


class Document:
    """One glTF file with its buffers. `label` names it in messages."""

    def __init__(self, package: Package, path: str, data: bytes) -> None:
        self.package, self.path, self.label = package, path, path.rpartition("/")[2]
        self.chunk: memoryview | None = None
        self.json = self._decode(data)
        self._arrays: dict[str, list[dict[str, Any]]] = {}
        self.stored, self._unstored = len(data), 0
        self.used_files: list[tuple[str, str]] = []
        self._buffers: dict[int, memoryview] = {}
        #: Positions of meshes by the accessors that they are stored in: meshes of the same ones share them.
        self.shared: dict[tuple[int, ...], Array] = {}
        self._check_version()

    @cached_property
    def unpacked(self) -> Unpacked:
        """What comes out of compressed geometry."""
        return unpack(self)

    @cached_property
    def joint_counts(self) -> dict[int, int]:
        """For each mesh that a node shows with a skin, the fewest joints that such a skin names."""
        skins, out = self.array("skins"), dict[int, int]()
        for n in self.array("nodes"):
            mesh, skin = n.get("mesh"), n.get("skin")
            if (
                is_integer(mesh)
                and is_integer(skin)
                and 0 <= skin < len(skins)
                and isinstance(joints := skins[skin].get("joints"), list)
            ):
                out[mesh] = min(out.get(mesh, len(joints)), len(joints))
        return out

    # --- container ---------------------------------------------------------------------------

    def _decode(self, data: bytes) -> dict[str, Any]:
        text: bytes | memoryview = data
        if data[:4] == b"glTF":
            text = self._unpack(memoryview(data))
        elif data[:3] == b"\xef\xbb\xbf":
            text = data[3:]
        try:
            tree = msgspec.json.decode(text)
        except (msgspec.DecodeError, UnicodeDecodeError) as error:
            raise InputError(say("gltf.not-json", label=self.label, error=str(error))) from error
        if not isinstance(tree, dict):
            raise InputError(say("gltf.no-object", label=self.label))
        return tree

    def _unpack(self, data: memoryview) -> memoryview:
        """§4.4: 12-byte header, then chunks of length, type and data."""
        if len(data) < 12:
            raise InputError(say("gltf.cut-off-header", label=self.label))
        version, length = struct.unpack_from("<II", data, 4)
        if version == 1:
            raise InputError(say("gltf.version-1", label=self.label))
        if version != 2:
            raise InputError(say("gltf.container-version", label=self.label, version=version))
        if length > len(data):
            raise InputError(say("gltf.cut-off", label=self.label, length=length, count=len(data)))
        at, tree = 12, None
        while at + 8 <= length:
            size, kind = struct.unpack_from("<I4s", data, at)
            at += 8
            if at + size > length:
                raise InputError(say("gltf.cut-off-chunk", label=self.label))
            if kind == b"JSON" and tree is None:
                tree = data[at : at + size]
            elif kind == b"BIN\x00" and self.chunk is None:
                self.chunk = data[at : at + size]
            at += size + (-size % 4)
        if tree is None:
            raise InputError(say("gltf.no-json", label=self.label))
        return tree

    def _check_version(self) -> None:
        old = "techniques" in self.json or isinstance(self.json.get("meshes"), dict)
        asset = {"version": "1.0"} if old else self.json.get("asset")
        if not isinstance(asset, dict) or not isinstance(asset.get("version", ""), str):
            raise InputError(say("gltf.no-version", label=self.label))
        version = str(asset.get("minVersion") or asset.get("version") or "")
        if version.startswith("1"):
            raise InputError(say("gltf.version-1", label=self.label))
        if not version.startswith("2"):
            raise InputError(say("gltf.other-version", label=self.label, version=version or "none"))
        required = self.json.get("extensionsRequired", [])
        if not isinstance(required, list):
            raise InputError(say("gltf.extensions-no-list", label=self.label))
        for name in required:
            if name not in KNOWN and not str(name).startswith("KHR_materials_"):
                raise InputError(say("gltf.unread-extension", label=self.label, name=name))

    # --- typed views on the JSON -------------------------------------------------------------

    def array(self, key: str) -> list[Json]:
        """A top-level array of objects; absent means empty. Looked through once: it is asked for again for each of its items."""
        if key not in self._arrays:
            value = self.json.get(key, [])
            if not isinstance(value, list) or not all(isinstance(v, dict) for v in value):
                raise InputError(say("gltf.no-list-of-objects", label=self.label, key=key))
            self._arrays[key] = value
        return self._arrays[key]

    def fail(self, where: str, what: str) -> InputError:
        return InputError(say("gltf.wrong-value", label=self.label, where=where, what=what))

    def integer(self, owner: Mapping[str, Any], key: str, where: str, default: int | None = None) -> int:
        """A non-negative integer property. Raises InputError where it is absent (without a default) or not one."""
        value = owner.get(key, default)
        if isinstance(value, float) and value.is_integer():
            value = int(value)
        if not is_integer(value) or value < 0:
            raise self.fail(where, f"has no usable {key} ({value!r})")
        return value

    def item(self, key: str, index: int, where: str) -> Json:
        items = self.array(key)
        if not 0 <= index < len(items):
            raise self.fail(where, f"refers to {key}[{index}], but there are {len(items)}")
        return items[index]

    # --- buffers -----------------------------------------------------------------------------

    def buffer(self, index: int) -> memoryview:
        """The bytes of a buffer: the BIN chunk, a data URI, or a file beside (§3.6.1)."""
        if index in self._buffers:
            return self._buffers[index]
        entry = self.item("buffers", index, "a bufferView")
        where, uri = f"buffers[{index}]", entry.get("uri")
        length = self.integer(entry, "byteLength", where)
        if uri is None:
            if self.chunk is None or index != 0:
                raise self.fail(where, "has no uri and the file has no binary chunk for it")
            data = self.chunk
        else:
            data = memoryview(self.resource(uri, where, "buffer"))
        if len(data) < length:
            raise self.fail(where, f"is cut off: {length:,} bytes promised, {len(data):,} there")
        self._buffers[index] = data[:length]
        return self._buffers[index]

    def resource(self, uri: Any, where: str, role: str) -> bytes:
        """Bytes behind a URI. Raises InputError where it is malformed or the file is absent."""
        if not isinstance(uri, str):
            raise self.fail(where, "has a uri that is not text")
        if uri.startswith("data:"):
            return decode_data_uri(uri, f"{self.label}: {where}")
        found = self.package.find(uri, self.path)
        if found.path is None:
            raise self.fail(where, f"wants the file {uri}, which did not come with it; send both together")
        self.used_files.append((found.path, role))
        return self.package.read(found.path)

    def view(self, index: int, where: str) -> tuple[memoryview, int]:
        """Bytes and stride of a bufferView (stride 0: tightly packed)."""
        entry = self.item("bufferViews", index, where)
        label = f"bufferViews[{index}]"
        if any(name in (entry.get("extensions") or {}) for name in MESHOPT):
            if index not in self.unpacked.views:
                raise self.fail(label, "is packed in a way that cannot be unpacked")
            return self.unpacked.views[index]
        data = self.buffer(self.integer(entry, "buffer", label))
        start = self.integer(entry, "byteOffset", label, 0)
        length = self.integer(entry, "byteLength", label)
        if start + length > len(data):
            raise self.fail(label, f"reaches {start + length - len(data):,} bytes past the end of its buffer")
        return data[start : start + length], self.integer(entry, "byteStride", label, 0)

    # --- accessors ---------------------------------------------------------------------------

    def accessor(self, index: int, where: str, width: int | None = None) -> Array:
        """(count, n) array of an accessor, dequantised where it is normalised (§3.6.2.2, §3.11).

        float32 for float and normalised data, else the stored integer type. `width` is the wanted n.
        """
        entry = self.item("accessors", index, where)
        label = f"accessors[{index}]"
        kind = COMPONENTS.get(self.integer(entry, "componentType", label))
        n = WIDTHS.get(told) if isinstance(told := entry.get("type"), str) else None
        if kind is None or n is None:
            raise self.fail(label, f"has an unknown type ({entry.get('componentType')}, {entry.get('type')})")
        if width is not None and n != width:
            raise self.fail(label, f"has {n} components where {where} needs {width}")
        count = self.integer(entry, "count", label)
        out = self._packed(index, label, n, count) if "bufferView" not in entry else None
        out = self._dense(entry, label, kind, n, count) if out is None else out
        if "sparse" in entry:
            out = self._sparse(entry["sparse"], label, out, kind, n, count)
        if entry.get("normalized") and kind is not np.float32:
            # §3.6.2.2: c / max, signed values not below -1.
            out = np.maximum(out.astype(np.float32) / np.iinfo(kind).max, -1.0)
        return out

    def _packed(self, index: int, label: str, n: int, count: int) -> Array | None:
        """An accessor that came out of a packed primitive."""
        found = self.unpacked.accessors.get(index)
        if found is not None and found.shape != (count, n):
            raise self.fail(
                label, f"states {count:,} elements of {n} but its packed primitive holds {len(found):,} of {found.shape[1]}"
            )
        return found

    def _dense(self, entry: dict[str, Any], label: str, kind: type[Any], n: int, count: int) -> Array:
        if "bufferView" not in entry:
            if count > limits.MAX_FILE_BYTES // 16:
                raise self.fail(label, f"asks for {count:,} zero elements")
            self._spend(count * n * np.dtype(kind).itemsize, label, count)
            return np.zeros((count, n), kind)
        data, stride = self.view(self.integer(entry, "bufferView", label), label)
        start = self.integer(entry, "byteOffset", label, 0)
        size = np.dtype(kind).itemsize
        step = _padded(entry.get("type", ""), size, n)
        stride = stride or step
        if stride < step and count > 1:
            raise self.fail(label, f"has a stride of {stride} bytes for elements of {step}")
        need = start + stride * (count - 1) + step if count else 0
        if need > len(data):
            raise self.fail(label, f"reaches {need - len(data):,} bytes past the end of its bufferView")
        if not count:
            return np.zeros((0, n), kind)
        if step != size * n:
            return _matrices(data, start, stride, count, kind, n)
        raw = np.ndarray((count, n), np.dtype(kind).newbyteorder("<"), data, start, (stride, size))
        return raw.astype(kind, copy=False)

    def _spend(self, size: int, label: str, count: int) -> None:
        """Take note of values that a file states without storing any: they may not outgrow it without bound."""
        self._unstored += size
        if self._unstored > _UNSTORED + _UNSTORED_TIMES * self.stored:
            raise self.fail(label, f"states {count:,} values and stores none of them, which no model of use does")

    def _sparse(self, sparse: Any, label: str, base: Array, kind: type[Any], n: int, count: int) -> Array:
        """§3.6.2.3: replaces single elements."""
        if not isinstance(sparse, dict):
            raise self.fail(label, "has a sparse entry that is not an object")
        changed = self.integer(sparse, "count", label)
        where, what = sparse.get("indices"), sparse.get("values")
        if not isinstance(where, dict) or not isinstance(what, dict):
            raise self.fail(label, "has a sparse entry without indices and values")
        index = self._dense({**where, "type": "SCALAR"}, label, self._component(where, label), 1, changed)[:, 0]
        values = self._dense({**what, "type": {1: "SCALAR", 2: "VEC2", 3: "VEC3"}.get(n, "VEC4")}, label, kind, n, changed)
        if len(index) and int(index.max()) >= count:
            raise self.fail(label, f"replaces element {int(index.max())} of {count}")
        out = base.copy()
        out[index.astype(np.int64)] = values
        return out

    def _component(self, entry: dict[str, Any], label: str) -> type[Any]:
        kind = COMPONENTS.get(self.integer(entry, "componentType", label))
        if kind is None:
            raise self.fail(label, "has an unknown component type")
        return kind


def _padded(element: str, size: int, n: int) -> int:
    """Bytes of one element: matrix columns start on multiples of four (§3.6.2.4)."""
    rows = {"MAT2": 2, "MAT3": 3, "MAT4": 4}.get(element)
    return size * n if rows is None else rows * (-(-rows * size // 4) * 4)


def _matrices(data: memoryview, start: int, stride: int, count: int, kind: type[Any], n: int) -> Array:
    rows = {4: 2, 9: 3, 16: 4}[n]
    size = np.dtype(kind).itemsize
    column = -(-rows * size // 4) * 4
    shape, strides = (count, rows, rows), (stride, column, size)
    raw = np.ndarray(shape, np.dtype(kind).newbyteorder("<"), data, start, strides)
    return raw.reshape(count, n).astype(kind)


def decode_data_uri(uri: str, where: str) -> bytes:
    """Bytes of a data URI (RFC 2397). Raises InputError where it is malformed."""
    head, comma, body = uri.partition(",")
    if not comma:
        raise InputError(say("gltf.data-uri-empty", where=where))
    try:
        if head.endswith(";base64"):
            return b64decode(unquote_to_bytes(body), validate=False)
        return unquote_to_bytes(body)
    except (binascii.Error, ValueError) as error:
        raise InputError(say("gltf.data-uri-damaged", where=where)) from error
