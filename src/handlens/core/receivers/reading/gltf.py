"""glTF 2.0 and its binary form, as a destination reads them: geometry, materials, images, skins. Source: the glTF 2.0 specification."""

from __future__ import annotations

import base64
import binascii
import json
import posixpath
import struct
from collections.abc import Mapping
from typing import Any
from urllib.parse import unquote

import numpy as np

from ...limits import InputError
from ...words.arrays import Array
from ..messages import say
from .received import Node, Picture, Piece, Received, Skeleton, Surface, drawn_piece, plain_name

_TYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
#: What stands for 1 in integers that are fractions (§3.6.2.1).
_MOST = {5120: 127, 5121: 255, 5122: 32_767, 5123: 65_535}
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
#: Values of an accessor up to which it is read.
_MOST_VALUES = 100_000_000
#: Triangles, and what they may be chained as (§3.7.2.1).
_TRIANGLES, _STRIP, _FAN = 4, 5, 6
_ROTATION, _SCALE, _NOWHERE = (0, 0, 0, 1), (1, 1, 1), (0, 0, 0)


def read_gltf(files: Mapping[str, bytes], main: str) -> Received:
    """What a package's glTF holds. Raises InputError where it cannot be read.

    files: the package, by path. main: path of the .gltf or .glb.
    """
    try:
        tree, binary = _opened(files[main])
        return _File(tree, binary, files, posixpath.dirname(main)).received(main)
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError, struct.error, RecursionError) as error:
        what = "cut off, or not laid out as glTF 2.0 wants it" if files[main] else "empty"
        raise InputError(say("receivers.wrong", main=main, what=what)) from error


def _opened(data: bytes) -> tuple[dict[str, Any], bytes]:
    """The JSON and the binary chunk (§4.4)."""
    if data[:4] != b"glTF":
        return json.loads(data), b""
    (length,) = struct.unpack_from("<I", data, 12)
    tree, at = json.loads(data[20 : 20 + length]), 20 + length
    if len(data) < at + 8:
        return tree, b""
    (length,) = struct.unpack_from("<I", data, at)
    return tree, data[at + 8 : at + 8 + length]


class _File:
    def __init__(self, tree: dict[str, Any], binary: bytes, files: Mapping[str, bytes], folder: str) -> None:
        self.tree, self.binary, self.files, self.folder = tree, binary, files, folder
        self.buffers: dict[int, bytes] = {}

    def received(self, main: str) -> Received:
        tree = self.tree
        received = Received(
            ending=main.rpartition(".")[2].lower(),
            nodes=self._nodes(),
            meshes=[[drawn_piece(self._piece(p)) for p in mesh["primitives"]] for mesh in tree.get("meshes", [])],
            surfaces=[self._surface(k, material) for k, material in enumerate(tree.get("materials", []))],
            pictures=[self._picture(k, image) for k, image in enumerate(tree.get("images", []))],
            metres=1.0,
            up="Y",
            skins=[self._skin(skin) for skin in tree.get("skins", [])],
            clips=[plain_name(clip.get("name", f"clip {k}")) for k, clip in enumerate(tree.get("animations", []))],
            cameras=sum("camera" in node for node in tree.get("nodes", [])),
            lights=sum("KHR_lights_punctual" in node.get("extensions", {}) for node in tree.get("nodes", [])),
            required=[plain_name(name) for name in tree.get("extensionsRequired", [])],
        )
        _check_numbers(received)
        return received

    def _at(self, address: str) -> bytes | None:
        """What an address names: inside of itself, or a file of the package."""
        if address.startswith("data:"):
            try:
                return base64.b64decode(address.partition(",")[2])
            except binascii.Error:
                return None
        return self.files.get(posixpath.normpath(posixpath.join(self.folder, unquote(address))))

    def _bytes(self, view: int) -> bytes:
        told = self.tree["bufferViews"][view]
        number = told["buffer"]
        if number not in self.buffers:
            buffer = self.tree["buffers"][number]
            data = self._at(buffer["uri"]) if "uri" in buffer else self.binary
            if data is None:
                raise InputError(say("receivers.no-geometry", uri=buffer["uri"]))
            self.buffers[number] = data
        begin = told.get("byteOffset", 0)
        return self.buffers[number][begin : begin + told["byteLength"]]

    def _array(self, number: int) -> Array:
        """(N, width) values of an accessor, integers that stand for fractions as fractions (§3.6.2)."""
        told = self.tree["accessors"][number]
        kind, width, count = np.dtype(_TYPES[told["componentType"]]), _WIDTHS[told["type"]], told["count"]
        if not 0 <= count <= _MOST_VALUES:
            raise ValueError("an accessor has no possible count")
        out = np.zeros((count, width), kind)
        if "bufferView" in told:
            data = self._bytes(told["bufferView"])
            step = self.tree["bufferViews"][told["bufferView"]].get("byteStride") or kind.itemsize * width
            begin = told.get("byteOffset", 0)
            if count and (step <= 0 or begin + step * (count - 1) + kind.itemsize * width > len(data)):
                raise ValueError("an accessor ends past its buffer")
            out = np.ndarray((count, width), kind, data, begin, (step, kind.itemsize)).copy() if count else out
        if "sparse" in told:
            sparse = told["sparse"]
            at = np.frombuffer(
                self._bytes(sparse["indices"]["bufferView"]),
                _TYPES[sparse["indices"]["componentType"]],
                sparse["count"],
                sparse["indices"].get("byteOffset", 0),
            )
            values = np.frombuffer(
                self._bytes(sparse["values"]["bufferView"]), kind, sparse["count"] * width, sparse["values"].get("byteOffset", 0)
            )
            out[at] = values.reshape(-1, width)
        if told.get("normalized") and kind.kind in "iu":
            fractions: Array = np.maximum(out / _MOST[told["componentType"]], -1.0)
            return fractions
        return out

    def _piece(self, primitive: dict[str, Any]) -> Piece:
        has = primitive["attributes"]
        points = self._array(has["POSITION"]).astype(np.float64)
        order = self._array(primitive["indices"])[:, 0].astype(np.int64) if "indices" in primitive else np.arange(len(points))
        mode = primitive.get("mode", _TRIANGLES)
        if len(order) and order.max() >= len(points):
            raise ValueError("an index points past the vertices")
        corners = np.zeros((0, 3), np.int64)
        if mode == _TRIANGLES:
            corners = order[: len(order) // 3 * 3].reshape(-1, 3)
        elif mode == _STRIP and len(order) > 2:
            corners = np.stack([order[:-2], order[1:-1], order[2:]], axis=1)
            corners[1::2] = corners[1::2][:, [1, 0, 2]]
        elif mode == _FAN and len(order) > 2:
            corners = np.stack([np.full(len(order) - 2, order[0]), order[1:-1], order[2:]], axis=1)
        weights = [self._array(has[f"WEIGHTS_{k}"]) for k in range(len(has)) if f"WEIGHTS_{k}" in has]
        carried = np.concatenate(weights, axis=1) > 0 if weights else np.zeros((0, 1), bool)
        return Piece(
            points,
            corners,
            self._array(has["TEXCOORD_0"]).astype(np.float64) if "TEXCOORD_0" in has else None,
            primitive.get("material", -1),
            lines=0 if mode >= _TRIANGLES else len(order),
            influences=int(carried.sum(axis=1).max(initial=0)),
            bare=int((~carried.any(axis=1)).sum()),
        )

    def _nodes(self) -> list[Node]:
        """Nodes of the default scene, parents first."""
        told, scenes = self.tree.get("nodes", []), self.tree.get("scenes", [])
        roots = scenes[self.tree.get("scene", 0)].get("nodes", []) if scenes else []
        out: list[Node] = []
        waiting = [(number, -1, np.eye(4)) for number in reversed(roots)]
        seen: set[int] = set()
        while waiting:
            number, parent, above = waiting.pop()
            if number in seen:
                raise ValueError("a node is the child of two")
            seen.add(number)
            node = told[number]
            matrix = above @ _matrix(node)
            out.append(
                Node(plain_name(node.get("name", f"node[{number}]")), parent, matrix, node.get("mesh", -1), node.get("skin", -1))
            )
            waiting += [(child, len(out) - 1, matrix) for child in reversed(node.get("children", []))]
        return out

    def _surface(self, number: int, material: dict[str, Any]) -> Surface:
        shading = material.get("pbrMetallicRoughness", {})
        images = [self._image(v["index"]) for v in _textures(material)]
        colour = shading.get("baseColorFactor", (1, 1, 1, 1))
        base = shading.get("baseColorTexture")
        return Surface(
            plain_name(material.get("name", f"material[{number}]")),
            (float(colour[0]), float(colour[1]), float(colour[2]), float(colour[3])),
            self._image(base["index"]) if base else -1,
            str(material.get("alphaMode", "OPAQUE")).lower(),
            float(material.get("alphaCutoff", 0.5)),
            bool(material.get("doubleSided", False)),
            tuple(sorted({k for k in images if k >= 0})),
        )

    def _image(self, texture: int) -> int:
        told = self.tree["textures"][texture]
        inside = [x["source"] for x in told.get("extensions", {}).values() if isinstance(x, dict) and "source" in x]
        return int(told.get("source", inside[0] if inside else -1))

    def _picture(self, number: int, image: dict[str, Any]) -> Picture:
        name = plain_name(image.get("name") or image.get("uri", "")[:80] or f"image[{number}]")
        return Picture(name, self._bytes(image["bufferView"]) if "bufferView" in image else self._at(image["uri"]))

    def _skin(self, skin: dict[str, Any]) -> Skeleton:
        nodes = self.tree["nodes"]
        parent = {child: k for k, node in enumerate(nodes) for child in node.get("children", ())}
        name = lambda k: plain_name(nodes[k].get("name", f"node[{k}]"))
        joints = list(skin["joints"])
        within = set(joints)
        return Skeleton(
            [name(k) for k in joints], [name(parent[k]) if k in parent and parent[k] in within else None for k in joints]
        )


def _check_numbers(received: Received) -> None:
    """Raises IndexError where something names what is not there."""
    pieces = [piece for mesh in received.meshes for piece in mesh]
    for numbers, there in (
        ([node.mesh for node in received.nodes], received.meshes),
        ([node.skin for node in received.nodes], received.skins),
        ([piece.material for piece in pieces], received.surfaces),
        ([image for surface in received.surfaces for image in (surface.image, *surface.images)], received.pictures),
    ):
        if any(not isinstance(n, int) or not -1 <= n < len(there) for n in numbers):
            raise IndexError


def _matrix(node: dict[str, Any]) -> Array:
    """(4, 4) of a node to its parent (§3.5.3)."""
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    x, y, z, w = node.get("rotation", _ROTATION)
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    out = np.eye(4)
    out[:3, :3] = turn * np.array(node.get("scale", _SCALE), np.float64)
    out[:3, 3] = node.get("translation", _NOWHERE)
    return out


def _textures(tree: Any) -> list[dict[str, Any]]:
    """All uses of textures in a material, wherever they are."""
    if not isinstance(tree, dict):
        return []
    here = [
        value for key, value in tree.items() if key.lower().endswith("texture") and isinstance(value, dict) and "index" in value
    ]
    return here + [found for value in tree.values() if isinstance(value, dict) for found in _textures(value)]
