"""The neutral scene into glTF 2.0: .glb with everything inside, or .gltf with a buffer and images beside.

Section numbers are those of the specification.
"""

from __future__ import annotations

import copy
import json
import struct
from base64 import b64encode
from dataclasses import replace
from typing import Any

import numpy as np

from ..colour import converted
from ..format_table import BY_NAME
from ..scene import Material, Mesh, Node, Scene
from ..scene.axes import to_y_up
from ..scene.model import Array
from ..scene.triangles import triangulate
from .accepted import PLAIN_KINDS, accepted, told
from .layout import PLAIN, Layout
from .losses import losses
from .names import file_names
from .opacity import in_colour, mode_of
from .pictures import ENDING_BY_MEDIA, media_type
from .shine import in_one
from .split import split_vertices
from .uv_transform import turned_over

_TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
_COMPONENT = {np.dtype(np.float32): 5126, np.dtype(np.uint32): 5125, np.dtype(np.uint16): 5123, np.dtype(np.uint8): 5121}
#: Pictures that a texture names through an extension.
_BY_EXTENSION = {"image/webp": "EXT_texture_webp", "image/ktx2": "KHR_texture_basisu"}
#: Source of "metallic 0, roughness 1" for formats that state neither: glTF's own defaults would turn them to metal (§3.9.2).
_PLAIN = {"metallicFactor": 0.0, "roughnessFactor": 1.0}


def write(scene: Scene, format_name: str, stem: str, layout: Layout = PLAIN) -> dict[str, bytes]:
    """{file name: bytes}, the main file first. Lengths are converted to metres and the axes to Y up (§3.4)."""
    return _Writer(accepted(in_one(in_colour(scene)[0])[0], _kinds(scene)), format_name == "glb", stem, layout).files()


def _kinds(scene: Scene) -> frozenset[str]:
    """Kinds of pictures that go out as they came: an extension's only where the scene is glTF's own."""
    return PLAIN_KINDS | set(_BY_EXTENSION) if BY_NAME[scene.format].reader == "gltf_read" else PLAIN_KINDS


def what_is_lost(scene: Scene, format_name: str) -> list[str]:
    """One sentence for each thing in the scene that glTF cannot hold."""
    lost = losses(scene, format_name)
    for gathered in (in_colour, in_one):
        scene, said = gathered(scene)
        lost += said
    lost += told(scene, _kinds(scene), "glTF")
    spare = sum(_spare_points(m) for m in scene.meshes)
    if spare:
        lost.append(f"{spare:,} positions that no face, line or point uses are left out.")
    missing = [i.reference for i in scene.images if i.load is None]
    if missing:
        lost.append(f"{len(missing)} missing images are left out, first {missing[0]}.")
    lights = sum(light.source.get("type") not in _LIGHTS for light in scene.lights)
    if lights:
        lost.append(f"{lights} lights of a kind without a place in glTF are left out.")
    far = _rounding(scene)
    if far > 0:
        lost.append(f"Positions are rounded to 32-bit floats, by up to {far:.3g} file units.")
    roles = sorted(
        {
            t.role
            for m in scene.materials
            for t in m.inputs
            if BY_NAME[scene.format].reader != "gltf_read" and _place(t.role) is None
        }
    )
    if roles:
        lost.append(f"Material inputs without a place in glTF are left out: {', '.join(roles)}.")
    return lost


def _spare_points(mesh: Mesh) -> int:
    used = np.zeros(len(mesh.positions), bool)
    for use in (mesh.corners, mesh.lines.reshape(-1), mesh.points):
        used[use] = True
    return int(len(used) - np.count_nonzero(used))


def _rounding(scene: Scene) -> float:
    worst = 0.0
    for m in scene.meshes:
        finite = m.positions[np.isfinite(m.positions).all(axis=1)]
        if len(finite):
            worst = max(worst, float(np.abs(finite.astype(np.float32) - finite).max()))
    return worst


_LIGHTS = ("directional", "point", "spot")


def _place(role: str) -> tuple[str, ...] | None:
    return {
        "base-colour": ("pbrMetallicRoughness", "baseColorTexture"),
        "normal": ("normalTexture",),
        "emissive": ("emissiveTexture",),
        "metallic-roughness": ("pbrMetallicRoughness", "metallicRoughnessTexture"),
        "occlusion": ("occlusionTexture",),
    }.get(role)


class _Writer:
    def __init__(self, scene: Scene, binary: bool, stem: str, layout: Layout) -> None:
        self.scene = _known_lights(_in_metres_y_up(scene))
        self.binary, self.stem, self.folder = binary, stem, layout.folder
        self.inside = layout.images == "embedded" or (binary and layout.images != "beside")
        self.wish = layout.images
        #: Whether materials bring their own description in this very standard.
        self.native = BY_NAME[scene.format].reader == "gltf_read"
        self.chunks: list[bytes] = []
        self.length = 0
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self.side: dict[str, bytes] = {}
        self.samplers: list[dict[str, Any]] = []
        self.textures: list[dict[str, Any]] = []
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

    def mesh(self, mesh: Mesh) -> dict[str, Any]:
        primitives = []
        triangles, face = triangulate(mesh)
        if mesh.face_count:
            slot = mesh.slots[face] if len(mesh.slots) else np.zeros(len(face), np.int32)
            for s in np.unique(slot):
                primitives.append(self._faces(mesh, triangles[slot == s].reshape(-1), int(s)))
        if len(mesh.lines):
            primitives.append(self._loose(mesh, mesh.lines.reshape(-1), 1))
        if len(mesh.points):
            primitives.append(self._loose(mesh, mesh.points, 0))
        entry: dict[str, Any] = {**mesh.extras, "primitives": primitives}
        entry.pop("groups", None)
        if mesh.name:
            entry["name"] = mesh.name
        if mesh.morph_weights:
            entry["weights"] = list(mesh.morph_weights)
        if any(m.name for m in mesh.morphs):
            entry["extras"] = {**(entry.get("extras") or {}), "targetNames": [m.name for m in mesh.morphs]}
        return entry

    def _faces(self, mesh: Mesh, corners: Array, slot: int) -> dict[str, Any]:
        layers = mesh.layers()
        # A layer that this slot has nothing of is not written for it.
        present = [layer for layer in layers if len(layer.values) and (layer.index[corners] >= 0).all()]
        first, index = split_vertices(mesh, present, corners)
        vertex = mesh.corners[first]
        attributes = {"POSITION": self.accessor(mesh.positions[vertex].astype(np.float32), 34962, True)}
        take = lambda layer: layer.values[layer.index[first]].astype(np.float32)
        if mesh.normals in present:
            attributes["NORMAL"] = self.accessor(take(mesh.normals), 34962)
        if mesh.tangents in present:
            attributes["TANGENT"] = self.accessor(take(mesh.tangents), 34962)
        for name, group in (("TEXCOORD", mesh.uvs), ("COLOR", mesh.colours)):
            for k, layer in enumerate(x for x in group if x in present):
                values = take(layer)
                if name == "TEXCOORD" and not BY_NAME[self.scene.format].v_down:
                    # §3.8.1: glTF counts v downwards from the image's top; others upwards from its bottom.
                    values[:, 1] = 1 - values[:, 1]
                attributes[f"{name}_{k}"] = self.accessor(values, 34962)
        attributes.update(self._weights(mesh, vertex))
        kind = np.uint16 if len(first) < 65535 else np.uint32
        out: dict[str, Any] = {"attributes": attributes, "indices": self.accessor(index.astype(kind), 34963)}
        material = mesh.slot_materials[slot] if slot < len(mesh.slot_materials) else -1
        if material >= 0:
            out["material"] = material
        if mesh.morphs:
            out["targets"] = [self._target(mesh, m, vertex, first, mesh.normals in present) for m in mesh.morphs]
        return out

    def _target(self, mesh: Mesh, morph: Any, vertex: Array, first: Array, with_normals: bool) -> dict[str, int]:
        target = {"POSITION": self.accessor(morph.positions[vertex].astype(np.float32), 34962, True)}
        if with_normals and morph.normals is not None and mesh.normals is not None:
            target["NORMAL"] = self.accessor(morph.normals[mesh.normals.index[first]].astype(np.float32), 34962)
        return target

    def _loose(self, mesh: Mesh, vertices: Array, mode: int) -> dict[str, Any]:
        kept, index = np.unique(vertices, return_inverse=True)
        return {
            "attributes": {"POSITION": self.accessor(mesh.positions[kept].astype(np.float32), 34962, True)},
            "indices": self.accessor(index.reshape(-1).astype(np.uint32), 34963),
            "mode": mode,
        }

    def _weights(self, mesh: Mesh, vertex: Array) -> dict[str, int]:
        """Sets of four influences, in the order they came (§3.7.3.3)."""
        if mesh.weights is None:
            return {}
        w = mesh.weights
        counts = np.diff(w.starts)
        sets = max(1, -(-int(counts.max(initial=0)) // 4))
        joints = np.zeros((len(counts), 4 * sets), np.uint16)
        values = np.zeros((len(counts), 4 * sets), np.float32)
        owner = np.repeat(np.arange(len(counts)), counts)
        column = np.arange(len(owner)) - w.starts[:-1][owner]
        joints[owner, column], values[owner, column] = w.joints, w.weights
        out = {}
        for k in range(sets):
            out[f"JOINTS_{k}"] = self.accessor(joints[vertex, 4 * k : 4 * k + 4], 34962)
            out[f"WEIGHTS_{k}"] = self.accessor(values[vertex, 4 * k : 4 * k + 4], 34962)
        return out

    # --- materials ---------------------------------------------------------------------------

    def image(self, number: int) -> int | None:
        if number in self.image_numbers:
            return self.image_numbers[number]
        image = self.scene.images[number]
        data = image.bytes()
        if data is None:
            return None
        kind = media_type(data) or image.media_type or "application/octet-stream"
        entry: dict[str, Any] = {"name": image.name} if image.name else {}
        # The wish of the export comes first, then that of a mend, then the format's own way.
        inside = self.inside if self.wish != "as-format" or image.keep is None else image.keep == "inside"
        if inside and self.binary:
            entry |= {"bufferView": self.view(data), "mimeType": kind}
        elif inside:
            entry["uri"] = f"data:{kind};base64,{b64encode(data).decode()}"
        else:
            name = self.image_names[number]
            self.side[name] = data
            entry["uri"] = name.replace("%", "%25").replace(" ", "%20")
        self.image_numbers[number] = len(self.image_list)
        self.image_list.append(entry)
        self.image_kinds.append(kind)
        return self.image_numbers[number]

    def texture(self, image: int, sampler: dict[str, Any]) -> int:
        extension = _BY_EXTENSION.get(self.image_kinds[image])
        entry: dict[str, Any] = {"extensions": {extension: {"source": image}}} if extension else {"source": image}
        if sampler:
            if sampler not in self.samplers:
                self.samplers.append(sampler)
            entry["sampler"] = self.samplers.index(sampler)
        if entry not in self.textures:
            self.textures.append(entry)
        return self.textures.index(entry)

    def material(self, m: Material) -> dict[str, Any]:
        native = self.native and bool(m.source)
        entry: dict[str, Any] = copy.deepcopy(dict(m.source)) if native else {}
        if m.name:
            entry["name"] = m.name
        else:
            entry.pop("name", None)
        if not native:
            entry |= _plain_material(m, BY_NAME[self.scene.format].linear)
        for t in m.inputs:
            path = t.path if native else _place(t.role)
            if path is None:
                continue
            image = None if t.image is None else self.image(t.image)
            if image is None:
                _remove(entry, path)
                continue
            info: dict[str, Any] = dict(t.options) if native else {}
            info["index"] = self.texture(image, dict(t.sampler))
            if not native:
                if t.uv_set:
                    info["texCoord"] = t.uv_set
                if t.transform:
                    moved = t.transform if BY_NAME[self.scene.format].v_down else turned_over(t.transform, False)
                    info["extensions"] = {"KHR_texture_transform": dict(moved)}
            _put(entry, path, info)
        return entry

    # --- tree, skins, clips ------------------------------------------------------------------

    def node(self, n: Node) -> dict[str, Any]:
        entry: dict[str, Any] = copy.deepcopy(dict(n.extras))
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
        extensions = dict(entry.get("extensions") or {})
        extensions.pop("KHR_lights_punctual", None)
        if n.light is not None:
            extensions["KHR_lights_punctual"] = {"light": n.light}
        entry["extensions"] = extensions
        if not extensions:
            del entry["extensions"]
        return entry

    def skin(self, s: Any) -> dict[str, Any]:
        entry: dict[str, Any] = {"joints": list(s.joints)}
        if s.inverse_bind is not None and len(s.inverse_bind):
            entry["inverseBindMatrices"] = self.accessor(s.inverse_bind.transpose(0, 2, 1).reshape(-1, 16).astype(np.float32))
        if s.name:
            entry["name"] = s.name
        if s.skeleton is not None:
            entry["skeleton"] = s.skeleton
        return entry

    def clip(self, clip: Any) -> dict[str, Any] | None:
        samplers, channels = [], []
        for c in clip.channels:
            if not len(c.times):
                continue
            values = c.values.reshape(-1) if c.path == "weights" else c.values
            samplers.append(
                {"input": self.accessor(c.times, None, True), "output": self.accessor(values), "interpolation": c.interpolation}
            )
            target = {"path": c.path} if c.node is None else {"node": c.node, "path": c.path}
            channels.append({"sampler": len(samplers) - 1, "target": target})
        if not channels:
            return None
        return {**({"name": clip.name} if clip.name else {}), "samplers": samplers, "channels": channels}

    # --- file --------------------------------------------------------------------------------

    def files(self) -> dict[str, bytes]:
        s = self.scene
        self.image_names = file_names(s.images, ENDING_BY_MEDIA, {f"{self.stem}.bin"}, self.folder)
        # §3.7.2: a mesh needs a primitive; one without any is left out, and its nodes stay without a mesh.
        built = [self.mesh(m) for m in s.meshes]
        number = {old: new for new, old in enumerate(k for k, m in enumerate(built) if m["primitives"])}
        nodes = [self.node(n) for n in s.nodes]
        for entry in nodes:
            if "mesh" in entry:
                mesh = number.get(entry.pop("mesh"))
                if mesh is None:
                    entry.pop("skin", None)
                else:
                    entry["mesh"] = mesh
        materials = [self.material(m) for m in s.materials]
        skins = [self.skin(x) for x in s.skins if x.joints]
        clips = [c for c in (self.clip(x) for x in s.clips) if c]
        asset = s.extras.get("asset")
        asset = dict(asset) if isinstance(asset, dict) else {}
        tree: dict[str, Any] = {
            "asset": {**asset, "version": "2.0", "generator": "Hand Lens"},
            "scene": 0,
            "scenes": [{"nodes": list(s.roots)}],
        }
        if not s.roots:
            del tree["scene"], tree["scenes"]
        if s.lights:
            old = s.extras.get("extensions")
            tree["extensions"] = {
                **(old if isinstance(old, dict) else {}),
                "KHR_lights_punctual": {"lights": [dict(x.source) for x in s.lights]},
            }
        if "extras" in s.extras:
            tree["extras"] = s.extras["extras"]
        lists = {
            "nodes": nodes, "meshes": [m for m in built if m["primitives"]], "materials": materials, "textures": self.textures,
            "images": self.image_list, "samplers": self.samplers, "skins": skins, "animations": clips,
            "cameras": [dict(c.source) for c in s.cameras], "accessors": self.accessors, "bufferViews": self.views,
        }  # fmt: skip
        tree |= {k: v for k, v in lists.items() if v}
        used = sorted(_extensions_used(tree))
        if used:
            tree["extensionsUsed"] = used
        # Without a picture of a plain kind beside it, a texture cannot be drawn without its extension.
        textures = {e for t in self.textures for e in t.get("extensions", {})}
        required = [e for e in s.extras.get("extensionsRequired", []) if e in used and e != "KHR_mesh_quantization"]
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


def container(tree: dict[str, Any], body: bytes) -> bytes:
    """A .glb: 12-byte header, JSON chunk padded with blanks, BIN chunk padded with zeros (§4.4)."""
    text = json.dumps(tree, ensure_ascii=False, allow_nan=False, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunks = [struct.pack("<I4s", len(text), b"JSON"), text]
    if body:
        padded = body + b"\x00" * (-len(body) % 4)
        chunks += [struct.pack("<I4s", len(padded), b"BIN\x00"), padded]
    total = 12 + sum(map(len, chunks))
    return b"".join([struct.pack("<4sII", b"glTF", 2, total), *chunks])


def _in_metres_y_up(scene: Scene) -> Scene:
    """glTF has one unit and one up axis; a file that states none is taken as it stands."""
    from ..mends.conjugate import conjugate

    factor = scene.unit_metres or 1.0
    moved = factor != 1.0 or scene.up_axis not in (None, "Y")
    return conjugate(scene, to_y_up(scene.up_axis), factor) if moved else scene


def _known_lights(scene: Scene) -> Scene:
    """Without lights of a kind that KHR_lights_punctual does not know."""
    kept = [k for k, light in enumerate(scene.lights) if light.source.get("type") in _LIGHTS]
    if len(kept) == len(scene.lights):
        return scene
    number = {old: new for new, old in enumerate(kept)}
    nodes = tuple(n if n.light is None else replace(n, light=number.get(n.light)) for n in scene.nodes)
    return scene.with_(nodes=nodes, lights=tuple(scene.lights[k] for k in kept))


def _plain_material(m: Material, linear: bool) -> dict[str, Any]:
    """§3.9.2: factors are linear light, 0 to 1."""
    pbr = dict(_PLAIN)
    if m.metallic is not None:
        pbr["metallicFactor"] = min(max(m.metallic, 0.0), 1.0)
    if m.roughness is not None:
        pbr["roughnessFactor"] = min(max(m.roughness, 0.0), 1.0)
    within = lambda values: [min(max(float(v), 0.0), 1.0) for v in values]
    colour = within(converted(m.base_colour, linear, True))
    entry: dict[str, Any] = {"pbrMetallicRoughness": {**pbr, "baseColorFactor": colour}}
    if any(m.emissive):
        entry["emissiveFactor"] = within(converted(m.emissive, linear, True))
    mode = mode_of(m)
    if mode != "opaque":
        entry["alphaMode"] = mode.upper()
    if mode == "mask" and m.alpha_cutoff is not None:
        entry["alphaCutoff"] = m.alpha_cutoff
    if m.double_sided:
        entry["doubleSided"] = True
    return entry


def _put(tree: dict[str, Any], path: tuple[str, ...], value: dict[str, Any]) -> None:
    for key in path[:-1]:
        tree = tree.setdefault(key, {})
    tree[path[-1]] = value


def _remove(tree: dict[str, Any], path: tuple[str, ...]) -> None:
    for key in path[:-1]:
        tree = tree.get(key, {})
    tree.pop(path[-1], None)


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
