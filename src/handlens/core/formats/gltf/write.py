"""The neutral scene into glTF 2.0: .glb with everything inside, or .gltf with a buffer and images beside.

Section numbers are those of the specification.
"""

from __future__ import annotations

import copy
import json
import struct
from base64 import b64encode
from collections.abc import Iterator
from typing import Any

import numpy as np

from ...geometry.split import split_vertices
from ...scene import Camera, Clip, Layer, Light, Material, Mesh, Node, Scene, TextureInput
from ...surface.pictures import BY_EXTENSION, media_type
from ...words.arrays import I32, I64, Array
from ...words.json_tree import Json
from ..conform.pictures import lies_inside
from ..conform.steps import Target
from .levels import entry_of, without_levels
from .materials import UNDEFINED, material_entry

_TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
_COMPONENT = {np.dtype(np.float32): 5126, np.dtype(np.uint32): 5125, np.dtype(np.uint16): 5123, np.dtype(np.uint8): 5121}
_VISIBILITY = "KHR_node_visibility"


def write(scene: Scene, target: Target) -> dict[str, bytes]:
    """{file name: bytes}, the main file first, of a scene that was made one that glTF can hold (`formats.conform`)."""
    return _Writer(scene, target).files()


class _Writer:
    def __init__(self, scene: Scene, target: Target) -> None:
        self.scene, self.binary, self.stem = scene, target.format.name == "glb", target.stem
        self.target = target
        self.chunks: list[bytes] = []
        self.length = 0
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self.side: dict[str, bytes] = {}
        self.samplers: list[dict[str, Any]] = []
        self.sampler_numbers: dict[str, int] = {}
        self.textures: list[dict[str, Any]] = []
        self.texture_numbers: dict[str, int] = {}
        self.image_numbers: dict[int, int] = {}
        self.image_list: list[dict[str, Any]] = []
        self.image_kinds: list[str] = []

    # --- buffer ------------------------------------------------------------------------------

    def view(self, data: bytes, target: int | None = None) -> int:
        """A bufferView that starts on a multiple of four (§3.6.2.4)."""
        pad = -self.length % 4
        if pad:
            self.chunks.append(b"\x00" * pad)
            self.length += pad
        entry: dict[str, Any] = {"buffer": 0, "byteOffset": self.length, "byteLength": len(data)}
        if target:
            entry["target"] = target
        self.chunks.append(data)
        self.length += len(data)
        self.views.append(entry)
        return len(self.views) - 1

    def accessor(self, array: Array, target: int | None = None, bounds: bool = False) -> int:
        flat = np.ascontiguousarray(array)
        width = 1 if flat.ndim == 1 else flat.shape[1]
        entry: dict[str, Any] = {
            "bufferView": self.view(flat.tobytes(), target),
            "componentType": _COMPONENT[flat.dtype],
            "count": len(flat),
            "type": _TYPES[width],
        }
        if bounds and len(flat) and np.isfinite(flat).all():
            entry["min"] = np.atleast_1d(flat.min(axis=0)).astype(float).tolist()
            entry["max"] = np.atleast_1d(flat.max(axis=0)).astype(float).tolist()
        self.accessors.append(entry)
        return len(self.accessors) - 1

    # --- meshes ------------------------------------------------------------------------------

    def mesh(self, mesh: Mesh) -> Json:
        primitives = []
        if mesh.face_count:
            for slot, corners, layers in _runs(mesh):
                primitives.append(self._faces(mesh, corners, layers, slot))
        if len(mesh.lines):
            primitives.append(self._loose(mesh, mesh.lines.reshape(-1), 1))
        if len(mesh.points):
            primitives.append(self._loose(mesh, mesh.points, 0))
        entry: dict[str, Any] = {k: v for k, v in mesh.extras.items() if k in ("extras", "extensions")}
        entry["primitives"] = primitives
        if mesh.name:
            entry["name"] = mesh.name
        if mesh.morph_weights:
            entry["weights"] = list(mesh.morph_weights)
        if any(morph.name for morph in mesh.morphs):
            entry["extras"] = {**(entry.get("extras") or {}), "targetNames": [morph.name for morph in mesh.morphs]}
        return entry

    def _faces(self, mesh: Mesh, corners: I64, present: list[Layer], slot: int) -> dict[str, Any]:
        first, index = split_vertices(mesh, present, corners)
        vertex = mesh.corners[first]
        attributes = {"POSITION": self.accessor(mesh.positions[vertex].astype(np.float32), 34962, True)}
        take = lambda layer: layer.values[layer.index[first]].astype(np.float32)
        there = lambda layer: any(layer is x for x in present)
        if mesh.normals is not None and there(mesh.normals):
            attributes["NORMAL"] = self.accessor(take(mesh.normals), 34962)
        if mesh.tangents is not None and there(mesh.tangents):
            attributes["TANGENT"] = self.accessor(take(mesh.tangents), 34962)
        for name, group in (("TEXCOORD", mesh.uvs), ("COLOR", mesh.colours)):
            for k, layer in enumerate(x for x in group if there(x)):
                attributes[f"{name}_{k}"] = self.accessor(take(layer), 34962)
        attributes.update(self._weights(mesh, vertex))
        kind = np.uint16 if len(first) < 65535 else np.uint32
        out: dict[str, Any] = {"attributes": attributes, "indices": self.accessor(index.astype(kind), 34963)}
        material = mesh.slot_materials[slot] if slot < len(mesh.slot_materials) else -1
        if material >= 0:
            out["material"] = material
        if mesh.morphs:
            normals = mesh.normals is not None and there(mesh.normals)
            out["targets"] = self._targets(mesh, vertex, first, normals)
        return out

    def _targets(self, mesh: Mesh, vertex: I32, first: Array, with_normals: bool) -> list[dict[str, int]]:
        """Morph targets of a primitive; those that share their arrays share their accessors, as they may have come."""
        moves: dict[int, int] = {}
        turns: dict[int, int] = {}
        out = []
        for morph in mesh.morphs:
            if id(morph.positions) not in moves:
                moves[id(morph.positions)] = self.accessor(morph.positions[vertex].astype(np.float32), 34962, True)
            target = {"POSITION": moves[id(morph.positions)]}
            if with_normals and morph.normals is not None and mesh.normals is not None:
                if id(morph.normals) not in turns:
                    turns[id(morph.normals)] = self.accessor(morph.normals[mesh.normals.index[first]].astype(np.float32), 34962)
                target["NORMAL"] = turns[id(morph.normals)]
            out.append(target)
        return out

    def _loose(self, mesh: Mesh, vertices: I32, mode: int) -> dict[str, Any]:
        kept, index = np.unique(vertices, return_inverse=True)
        position = mesh.positions[kept].astype(np.float32)
        out: dict[str, Any] = {
            "attributes": {"POSITION": self.accessor(position, 34962, True), **self._weights(mesh, kept)},
            "indices": self.accessor(index.reshape(-1).astype(np.uint32), 34963),
            "mode": mode,
        }
        if mesh.morphs:
            out["targets"] = self._targets(mesh, kept, kept, False)
        return out

    def _weights(self, mesh: Mesh, vertex: I32) -> dict[str, int]:
        """Sets of four influences, in the order they came (§3.7.3.3)."""
        if mesh.weights is None:
            return {}
        weights = mesh.weights
        counts = np.diff(weights.starts)
        sets = max(1, -(-int(counts.max(initial=0)) // 4))
        joints = np.zeros((len(counts), 4 * sets), np.uint16)
        values = np.zeros((len(counts), 4 * sets), np.float32)
        owner = np.repeat(np.arange(len(counts)), counts)
        column = np.arange(len(owner)) - weights.starts[:-1][owner]
        joints[owner, column], values[owner, column] = weights.joints, weights.weights
        out = {}
        for k in range(sets):
            out[f"JOINTS_{k}"] = self.accessor(joints[vertex, 4 * k : 4 * k + 4], 34962)
            out[f"WEIGHTS_{k}"] = self.accessor(values[vertex, 4 * k : 4 * k + 4], 34962)
        return out

    # --- materials ---------------------------------------------------------------------------

    def image(self, number: int) -> int:
        if number in self.image_numbers:
            return self.image_numbers[number]
        image = self.scene.images[number]
        data = image.bytes()
        entry: dict[str, Any] = {"name": image.name} if image.name else {}
        inside = lies_inside(image, self.target)
        kind = "" if data is None else media_type(data) or image.media_type or "application/octet-stream"
        if data is None:
            # What did not come is still named: the file that is written lacks what the one that was sent lacked.
            entry["uri"] = image.reference
        elif inside and self.binary:
            entry |= {"bufferView": self.view(data), "mimeType": kind}
        elif inside:
            entry["uri"] = f"data:{kind};base64,{b64encode(data).decode()}"
        else:
            self.side[image.reference] = data
            entry["uri"] = image.reference.replace("%", "%25").replace(" ", "%20")
        self.image_numbers[number] = len(self.image_list)
        self.image_list.append(entry)
        self.image_kinds.append(kind)
        return self.image_numbers[number]

    def texture(self, texture_input: TextureInput) -> int:
        """A texture for an input; an input that has no image behind it gets one without a source (§5.29)."""
        entry: dict[str, Any] = {}
        if texture_input.image is not None:
            image = self.image(texture_input.image)
            extension = BY_EXTENSION.get(self.image_kinds[image])
            entry = {"extensions": {extension: {"source": image}}} if extension else {"source": image}
        if texture_input.sampler:
            sampler = dict(texture_input.sampler)
            key = json.dumps(sampler, sort_keys=True)
            if key not in self.sampler_numbers:
                self.sampler_numbers[key] = len(self.samplers)
                self.samplers.append(sampler)
            entry["sampler"] = self.sampler_numbers[key]
        key = json.dumps(entry, sort_keys=True)
        if key not in self.texture_numbers:
            self.texture_numbers[key] = len(self.textures)
            self.textures.append(entry)
        return self.texture_numbers[key]

    def material(self, source: Material) -> Json:
        entry = material_entry(source, self.texture)
        if not source.defined:
            entry["extras"] = {**entry.get("extras", {}), UNDEFINED: True}
        return entry

    # --- tree, skins, clips ------------------------------------------------------------------

    def node(self, n: Node, levels: list[int]) -> Json:
        entry: dict[str, Any] = copy.deepcopy({k: v for k, v in n.extras.items() if k in ("extras", "extensions")})
        if n.name:
            entry["name"] = n.name
        if n.matrix is not None:
            entry["matrix"] = n.matrix.T.reshape(-1).tolist()
        else:
            if n.translation != (0.0, 0.0, 0.0):
                entry["translation"] = list(n.translation)
            if n.rotation != (0.0, 0.0, 0.0, 1.0):
                entry["rotation"] = list(n.rotation)
            if n.scale != (1.0, 1.0, 1.0):
                entry["scale"] = list(n.scale)
        entry |= {k: v for k, v in (("mesh", n.mesh), ("skin", n.skin), ("camera", n.camera)) if v is not None}
        if n.children:
            entry["children"] = list(n.children)
        if n.morph_weights:
            entry["weights"] = list(n.morph_weights)
        extensions = {k: v for k, v in (entry.get("extensions") or {}).items() if k not in ("KHR_lights_punctual", _VISIBILITY)}
        if n.light is not None:
            extensions["KHR_lights_punctual"] = {"light": n.light}
        if n.hidden:
            extensions[_VISIBILITY] = {"visible": False}
        if levels:
            extensions |= entry_of(levels)
        entry["extensions"] = extensions
        if not extensions:
            del entry["extensions"]
        return entry

    def skin(self, source: Any) -> Json:
        entry: dict[str, Any] = {"joints": list(source.joints)}
        if source.inverse_bind is not None and len(source.inverse_bind):
            entry["inverseBindMatrices"] = self.accessor(
                source.inverse_bind.transpose(0, 2, 1).reshape(-1, 16).astype(np.float32)
            )
        if source.name:
            entry["name"] = source.name
        if source.skeleton is not None:
            entry["skeleton"] = source.skeleton
        return entry

    def clip(self, clip: Clip) -> Json:
        samplers, channels = [], []
        for channel in clip.channels:
            values = channel.values.reshape(-1) if channel.path == "weights" else channel.values
            samplers.append(
                {
                    "input": self.accessor(channel.times.astype(np.float32), None, True),
                    "output": self.accessor(values.astype(np.float32)),
                    "interpolation": channel.interpolation,
                }
            )
            target = {"path": channel.path} if channel.node is None else {"node": channel.node, "path": channel.path}
            channels.append({"sampler": len(samplers) - 1, "target": target})
        return {**({"name": clip.name} if clip.name else {}), "samplers": samplers, "channels": channels}

    # --- file --------------------------------------------------------------------------------

    def files(self) -> dict[str, bytes]:
        scene = self.scene
        materials = [self.material(material) for material in scene.materials]
        for k in range(len(scene.images)):
            self.image(k)
        meshes = [self.mesh(mesh) for mesh in scene.meshes]
        placed, levels = without_levels(scene.nodes)
        nodes = [self.node(n, levels.get(i, [])) for i, n in enumerate(placed)]
        skins = [self.skin(x) for x in scene.skins]
        clips = [self.clip(x) for x in scene.clips]
        asset = scene.extras.get("asset")
        asset = dict(asset) if isinstance(asset, dict) else {}
        tree: dict[str, Any] = {
            "asset": {**asset, "version": "2.0", "generator": "Hand Lens"},
            "scene": 0,
            "scenes": [{"nodes": list(scene.roots)}],
        }
        if not scene.roots:
            del tree["scene"], tree["scenes"]
        old = scene.extras.get("extensions")
        extensions = {k: v for k, v in old.items() if k != "KHR_lights_punctual"} if isinstance(old, dict) else {}
        if scene.lights:
            extensions["KHR_lights_punctual"] = {"lights": [_called(x) for x in scene.lights]}
        if extensions:
            tree["extensions"] = extensions
        if "extras" in scene.extras:
            tree["extras"] = scene.extras["extras"]
        lists = {
            "nodes": nodes,
            "meshes": meshes,
            "materials": materials,
            "textures": self.textures,
            "images": self.image_list,
            "samplers": self.samplers,
            "skins": skins,
            "animations": clips,
            "cameras": [_called(camera) for camera in scene.cameras],
            "accessors": self.accessors,
            "bufferViews": self.views,
        }
        tree |= {k: v for k, v in lists.items() if v}
        used = sorted(_extensions_used(tree))
        if used:
            tree["extensionsUsed"] = used
        # Without a picture of a plain kind beside it, a texture cannot be drawn without its extension.
        textures = {e for texture in self.textures for e in texture.get("extensions", {})}
        required = [e for e in scene.extras.get("extensionsRequired", []) if e in used and e != "KHR_mesh_quantization"]
        required += sorted(textures - set(required))
        if required:
            tree["extensionsRequired"] = required
        body = b"".join(self.chunks)
        if self.binary:
            if body:
                tree["buffers"] = [{"byteLength": len(body)}]
            return {f"{self.stem}.glb": container(tree, body), **self.side}
        if body:
            tree["buffers"] = [{"byteLength": len(body), "uri": f"{self.stem}.bin".replace(" ", "%20")}]
        text = json.dumps(tree, ensure_ascii=False, allow_nan=False, separators=(",", ":")).encode()
        return {f"{self.stem}.gltf": text, **({f"{self.stem}.bin": body} if body else {}), **self.side}


def container(tree: Json, body: bytes) -> bytes:
    """A .glb: 12-byte header, JSON chunk padded with blanks, BIN chunk padded with zeros (§4.4)."""
    text = json.dumps(tree, ensure_ascii=False, allow_nan=False, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunks = [struct.pack("<I4s", len(text), b"JSON"), text]
    if body:
        padded = body + b"\x00" * (-len(body) % 4)
        chunks += [struct.pack("<I4s", len(padded), b"BIN\x00"), padded]
    total = 12 + sum(map(len, chunks))
    return b"".join([struct.pack("<4sII", b"glTF", 2, total), *chunks])


def _called(x: Camera | Light) -> dict[str, Any]:
    return {**({"name": x.name} if x.name else {}), **x.source}


def _runs(mesh: Mesh) -> Iterator[tuple[int, Array, list[Layer]]]:
    """Slot, corners (K,) of triangles, and the layers that all of them have a value of, one primitive each (§3.7.2.1).

    Faces of one slot that lack a layer are a primitive of their own, so that the others keep it.
    """
    layers = [x for x in mesh.layers() if len(x.values)]
    slots = mesh.slots if len(mesh.slots) else np.zeros(mesh.face_count, np.int32)
    key = slots.astype(np.int64) << len(layers)
    for k, layer in enumerate(layers):
        if (layer.index < 0).any():
            key |= (layer.index.reshape(-1, 3).min(axis=1) < 0).astype(np.int64) << k
    if not (key == key[0]).all():
        order = np.argsort(key, kind="stable")
        bounds = np.flatnonzero(np.diff(key[order], prepend=-1))
        faces = np.split(order, bounds[1:])
    else:
        faces = [np.arange(mesh.face_count)]
    for some in faces:
        own = int(key[some[0]])
        corners = (3 * some[:, None] + np.arange(3)).reshape(-1)
        yield own >> len(layers), corners, [x for k, x in enumerate(layers) if not own >> k & 1]


def _extensions_used(tree: Any) -> set[str]:
    found: set[str] = set()
    stack = [tree]
    while stack:
        item = stack.pop()
        if isinstance(item, dict):
            extensions = item.get("extensions")
            if isinstance(extensions, dict):
                found |= set(extensions)
            stack.extend(v for k, v in item.items() if k != "extras")
        elif isinstance(item, list) and item and isinstance(item[0], (dict, list)):
            stack.extend(item)
    return found
