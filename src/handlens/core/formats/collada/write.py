"""The neutral scene into COLLADA 1.4.1: polygons and lines, the node tree, materials, skins and clips; images beside.

Chapters are those of the specification, release 1.4.1.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import degrees
from typing import Any

import numpy as np
from lxml import etree

from ...scene import Layer, Material, Mesh, Node, Scene
from ...scene.motion import poses
from ...scene.transforms import parents
from ...scene.wrapping import CLAMP, MIRROR, REPEAT
from ...words.arrays import F64, Array
from ..conform.steps import Target
from ..conform.tree import layer_of
from ..shared.xml import Element
from .materials import OPAQUE

_NAMESPACE = "http://www.collada.org/2005/11/COLLADASchema"
_PLACES = {
    "base-colour": "diffuse",
    "emissive": "emission",
    "specular": "specular",
    "ambient": "ambient",
    "alpha": "transparent",
    "reflection": "reflective",
}
#: Elements of a shading in their order (chapter 5, `phong`).
_ELEMENTS = (
    "emission",
    "ambient",
    "diffuse",
    "specular",
    "shininess",
    "reflective",
    "reflectivity",
    "transparent",
    "transparency",
    "index_of_refraction",
)
_OPAQUE_WORDS = {channel: word for word, channel in OPAQUE.items()} | {"a": "A_ONE"}
_WRAPS = {REPEAT: "WRAP", MIRROR: "MIRROR", CLAMP: "CLAMP"}


def write(scene: Scene, target: Target) -> dict[str, bytes]:
    """{file name: bytes}: the document, then its images, of a scene that COLLADA can hold (`formats.conform`)."""
    return _Writer(scene, target.stem).files()


def _text(values: Array) -> str:
    """Numbers in the shortest text that reads back as the same."""
    flat = np.asarray(values).reshape(-1)
    if flat.dtype.kind in "iu":
        return " ".join(map(str, flat.tolist()))
    return " ".join(map(repr, flat.astype(np.float64).tolist()))


class _Writer:
    def __init__(self, scene: Scene, stem: str) -> None:
        self.scene, self.stem = scene, stem
        self.root = etree.Element("COLLADA", {"xmlns": _NAMESPACE, "version": "1.4.1"})
        self.rigged: set[str] = set()
        self.above = parents(scene)
        self.driven = {channel.node for clip in scene.clips for channel in clip.channels if channel.node is not None}

    def add(self, owner: Element, tag: str, text: str | None = None, /, **attributes: Any) -> Element:
        element = etree.SubElement(owner, tag, {k.rstrip("_"): str(v) for k, v in attributes.items()})
        element.text = text
        return element

    def files(self) -> dict[str, bytes]:
        scene = self.scene
        asset = self.add(self.root, "asset")
        self.add(self.add(asset, "contributor"), "authoring_tool", "Hand Lens")
        for tag in ("created", "modified"):
            self.add(asset, tag, "2000-01-01T00:00:00Z")
        if scene.unit_metres is not None:
            self.add(asset, "unit", meter=repr(scene.unit_metres), name="unit")
        if scene.up_axis is not None:
            self.add(asset, "up_axis", f"{scene.up_axis}_UP")
        self.cameras()
        self.lights()
        self.images()
        self.effects()
        self.geometries()
        self.controllers()
        self.clips()
        self.tree()
        for element in [e for e in self.root if str(e.tag).startswith("library_") and not len(e)]:
            self.root.remove(element)
        text = etree.tostring(self.root, encoding="utf-8", xml_declaration=True)
        out = {f"{self.stem}.dae": text}
        for image in scene.images:
            data = image.bytes()
            if data is not None:
                out[image.reference] = data
        return out

    def library(self, name: str) -> Element:
        """A library of its own; those that stay empty are taken out again at the end."""
        return self.add(self.root, f"library_{name}")

    # --- cameras, lights, images, materials ---------------------------------------------------

    def cameras(self) -> None:
        library = self.library("cameras")
        for k, camera in enumerate(self.scene.cameras):
            owner = self.add(library, "camera", id=f"camera-{k}", name=camera.name)
            optics = self.add(self.add(owner, "optics"), "technique_common")
            kind = "orthographic" if camera.source.get("type") == "orthographic" else "perspective"
            view = camera.source.get(kind) or {}
            body = self.add(optics, kind)
            if kind == "perspective":
                self.add(body, "yfov", repr(degrees(float(view.get("yfov", 0.8)))))
                if view.get("aspectRatio"):
                    self.add(body, "aspect_ratio", repr(float(view["aspectRatio"])))
            else:
                self.add(body, "xmag", repr(float(view.get("xmag", 1.0))))
                self.add(body, "ymag", repr(float(view.get("ymag", 1.0))))
            for key in ("znear", "zfar"):
                if isinstance(view.get(key), int | float):
                    self.add(body, key, repr(float(view[key])))

    def lights(self) -> None:
        library = self.library("lights")
        for k, light in enumerate(self.scene.lights):
            common = self.add(self.add(library, "light", id=f"light-{k}", name=light.name), "technique_common")
            kind = str(light.source.get("type") or "point")
            body = self.add(common, kind if kind in ("ambient", "directional", "spot") else "point")
            self.add(body, "color", _text(np.array(light.source.get("color") or [1.0, 1.0, 1.0], np.float64)))
            spot = light.source.get("spot")
            if body.tag == "spot" and isinstance(spot, dict):
                self.add(body, "falloff_angle", repr(2 * degrees(float(spot.get("outerConeAngle", 0.78)))))

    def images(self) -> None:
        library = self.library("images")
        for k, image in enumerate(self.scene.images):
            owner = self.add(library, "image", id=f"image-{k}", name=image.name)
            name = image.reference.replace("%", "%25").replace(" ", "%20")
            self.add(owner, "init_from", name if image.load is not None else image.reference)

    def effects(self) -> None:
        effects, materials = (self.library(n) for n in ("effects", "materials"))
        for k, material in enumerate(self.scene.materials):
            if not material.defined:
                continue
            self.effect(self.add(effects, "effect", id=f"effect-{k}"), material)
            owner = self.add(materials, "material", id=f"material-{k}", name=material.name)
            self.add(owner, "instance_effect", url=f"#effect-{k}")

    def effect(self, owner: Element, material: Material) -> None:
        profile = self.add(owner, "profile_COMMON")
        inputs = {texture.role: texture for texture in material.inputs if texture.image is not None}
        for role, texture in inputs.items():
            surface = self.add(self.add(profile, "newparam", sid=f"{role}-surface"), "surface", type="2D")
            self.add(surface, "init_from", f"image-{texture.image}")
            sampler = self.add(self.add(profile, "newparam", sid=f"{role}-sampler"), "sampler2D")
            self.add(sampler, "source", f"{role}-surface")
            for key, tag in (("wrapS", "wrap_s"), ("wrapT", "wrap_t")):
                if texture.sampler.get(key) in _WRAPS:
                    self.add(sampler, tag, _WRAPS[texture.sampler[key]])
        technique = self.add(profile, "technique", sid="common")
        kept = material.source.get("values")
        kept = dict(kept) if isinstance(kept, Mapping) else {}
        shading = self.add(technique, str(material.source.get("shading") or "lambert"))
        for tag in _ELEMENTS:
            role = next((r for r, place in _PLACES.items() if place == tag), "")
            if role in inputs:
                opaque = _OPAQUE_WORDS[inputs[role].channel] if tag == "transparent" else ""
                owner = self.add(shading, tag, **({"opaque": opaque} if opaque else {}))
                self.textured(owner, role, inputs[role].uv_set)
            elif tag in ("emission", "diffuse"):
                self.add(
                    self.add(shading, tag),
                    "color",
                    _text(np.array((*(material.emissive if tag == "emission" else material.base_colour[:3]), 1.0))),
                )
            elif tag == "transparent" and material.base_colour[3] != 1:
                self.add(self.add(shading, tag, opaque="A_ONE"), "color", "1.0 1.0 1.0 1.0")
            elif tag == "transparency" and material.base_colour[3] != 1:
                self.add(self.add(shading, tag), "float", repr(float(material.base_colour[3])))
            elif tag in kept:
                self.add(self.add(shading, tag), "color" if len(kept[tag].split()) > 1 else "float", kept[tag])
        for role, tag in (("normal", "normalmap"), ("bump", "bump")):
            if role in inputs:
                # Where writers put such images is common practice, no published source.
                extra = self.add(self.add(technique, "extra"), "technique", profile="hand-lens")
                self.textured(self.add(extra, tag), role, inputs[role].uv_set)

    def textured(self, owner: Element, role: str, uv_set: int) -> None:
        self.add(owner, "texture", texture=f"{role}-sampler", texcoord=f"UV{uv_set}")

    # --- geometry -----------------------------------------------------------------------------

    def source(self, owner: Element, key: str, values: Array, params: Sequence[str], kind: str = "float") -> None:
        rows = np.asarray(values, np.float64).reshape(len(values), 16 if kind == "float4x4" else len(params))
        source = self.add(owner, "source", id=key)
        self.add(source, "float_array", _text(rows), id=f"{key}-array", count=rows.size)
        accessor = self.add(
            self.add(source, "technique_common"), "accessor", source=f"#{key}-array", count=len(rows), stride=rows.shape[1]
        )
        for name in params:
            self.add(accessor, "param", name=name, type=kind)

    def names(self, owner: Element, key: str, words: list[str]) -> None:
        source = self.add(owner, "source", id=key)
        self.add(source, "Name_array", " ".join(words), id=f"{key}-array", count=len(words))
        accessor = self.add(self.add(source, "technique_common"), "accessor", source=f"#{key}-array", count=len(words), stride=1)
        self.add(accessor, "param", name="JOINT", type="name")

    def geometries(self) -> None:
        library = self.library("geometries")
        for k, mesh in enumerate(self.scene.meshes):
            self.geometry(self.add(library, "geometry", id=f"mesh-{k}", name=mesh.name), mesh, k)

    def geometry(self, owner: Element, mesh: Mesh, number: int) -> None:
        key = f"mesh-{number}"
        body = self.add(owner, "mesh")
        self.source(body, f"{key}-positions", mesh.positions, "XYZ")
        layers: list[tuple[str, int, Layer, str]] = []
        if mesh.normals is not None:
            layers.append(("NORMAL", 0, mesh.normals, "XYZ"))
        layers += [("TEXCOORD", k, uv, "ST") for k, uv in enumerate(mesh.uvs)]
        layers += [("COLOR", k, colour, "RGBA"[: colour.values.shape[1]]) for k, colour in enumerate(mesh.colours)]
        for semantic, k, layer, params in layers:
            values = layer.values
            self.source(body, f"{key}-{semantic}-{k}", values, params)
        vertices = self.add(body, "vertices", id=f"{key}-vertices")
        self.add(vertices, "input", semantic="POSITION", source=f"#{key}-positions")
        self.faces(body, mesh, key, layers)
        if len(mesh.lines):
            lines = self.add(body, "lines", count=len(mesh.lines))
            self.add(lines, "input", semantic="VERTEX", source=f"#{key}-vertices", offset=0)
            self.add(lines, "p", _text(mesh.lines))

    def faces(self, body: Element, mesh: Mesh, key: str, layers: list[tuple[str, int, Layer, str]]) -> None:
        # A run of faces of one slot is a list of its own, so that the order of faces stays; so is one of faces that lack a layer.
        slots = mesh.slots if len(mesh.slots) else np.zeros(mesh.face_count, np.int32)
        kind = slots.astype(np.int64) << len(layers)
        for k, (_, _, layer, _) in enumerate(layers):
            if len(layer.index) and (layer.index < 0).any():
                kind |= (np.minimum.reduceat(layer.index, mesh.starts[:-1]) < 0).astype(np.int64) << k
        bounds = np.flatnonzero(np.diff(kind, prepend=-1)) if len(kind) else np.zeros(0, np.int64)
        for a, b in zip(bounds, [*bounds[1:], len(slots)], strict=False):
            c0, c1 = int(mesh.starts[a]), int(mesh.starts[b])
            here = [x for k, x in enumerate(layers) if not kind[a] >> k & 1]
            material = mesh.slot_materials[slots[a]] if slots[a] < len(mesh.slot_materials) else -1
            part = self.add(body, "polylist", count=b - a, **({"material": self.symbol(material)} if material >= 0 else {}))
            self.add(part, "input", semantic="VERTEX", source=f"#{key}-vertices", offset=0)
            for k, (semantic, number, _, _) in enumerate(here):
                self.add(
                    part,
                    "input",
                    semantic=semantic,
                    source=f"#{key}-{semantic}-{number}",
                    offset=k + 1,
                    set=number,
                )
            self.add(part, "vcount", _text(mesh.corner_counts[a:b]))
            self.add(part, "p", _text(np.column_stack([mesh.corners[c0:c1], *(x[2].index[c0:c1] for x in here)])))

    def symbol(self, material: int) -> str:
        """What faces call a material; one that is defined nowhere by its name alone, which nothing binds."""
        described = self.scene.materials[material]
        return f"slot-{material}" if described.defined else described.name

    # --- skins, clips -------------------------------------------------------------------------

    def controllers(self) -> None:
        library = self.library("controllers")
        for n in self.scene.nodes:
            weights = None if n.mesh is None else self.scene.meshes[n.mesh].weights
            if n.skin is None or weights is None:
                continue
            skin = self.scene.skins[n.skin]
            key = f"skin-{n.skin}-{n.mesh}"
            if key in self.rigged:
                continue
            self.rigged.add(key)
            body = self.add(self.add(library, "controller", id=key, name=skin.name or ""), "skin", source=f"#mesh-{n.mesh}")
            self.add(body, "bind_shape_matrix", _text(np.eye(4)))
            self.names(body, f"{key}-joints", [f"node-{j}" for j in skin.joints])
            inverse = skin.inverse_bind if skin.inverse_bind is not None else np.tile(np.eye(4), (len(skin.joints), 1, 1))
            self.source(body, f"{key}-bind", inverse.reshape(-1, 16), ("TRANSFORM",), "float4x4")
            self.source(body, f"{key}-weights", weights.weights.astype(np.float64)[:, None], ("WEIGHT",), "float")
            joints = self.add(body, "joints")
            self.add(joints, "input", semantic="JOINT", source=f"#{key}-joints")
            self.add(joints, "input", semantic="INV_BIND_MATRIX", source=f"#{key}-bind")
            counts = np.diff(weights.starts)
            own = self.add(body, "vertex_weights", count=len(counts))
            self.add(own, "input", semantic="JOINT", source=f"#{key}-joints", offset=0)
            self.add(own, "input", semantic="WEIGHT", source=f"#{key}-weights", offset=1)
            self.add(own, "vcount", _text(counts))
            self.add(own, "v", _text(np.column_stack([weights.joints.astype(np.int64), np.arange(len(weights.joints))])))

    def clips(self) -> None:
        library = self.library("animations")
        named: list[tuple[str, list[str]]] = []
        for k, clip in enumerate(self.scene.clips):
            keys = []
            for node in dict.fromkeys(
                channel.node for channel in clip.channels if channel.node is not None and channel.path != "weights"
            ):
                key = f"clip-{k}-{node}"
                keys.append(key)
                times, matrices = poses(self.scene.nodes[node], [channel for channel in clip.channels if channel.node == node])
                owner = self.add(library, "animation", id=key)
                self.source(owner, f"{key}-in", times[:, None], ("TIME",), "float")
                self.source(owner, f"{key}-out", matrices.reshape(-1, 16), ("TRANSFORM",), "float4x4")
                ways = self.add(owner, "source", id=f"{key}-way")
                self.add(ways, "Name_array", " ".join(["LINEAR"] * len(times)), id=f"{key}-way-array", count=len(times))
                accessor = self.add(
                    self.add(ways, "technique_common"), "accessor", source=f"#{key}-way-array", count=len(times), stride=1
                )
                self.add(accessor, "param", name="INTERPOLATION", type="name")
                sampler = self.add(owner, "sampler", id=f"{key}-sampler")
                for semantic, end in (("INPUT", "in"), ("OUTPUT", "out"), ("INTERPOLATION", "way")):
                    self.add(sampler, "input", semantic=semantic, source=f"#{key}-{end}")
                self.add(owner, "channel", source=f"#{key}-sampler", target=f"node-{node}/transform")
            named.append((clip.name or f"clip {k}", keys))
        if len(named) > 1 or (named and self.scene.clips[0].name):
            clips = self.library("animation_clips")
            for k, (name, keys) in enumerate(named):
                owner = self.add(
                    clips, "animation_clip", id=f"clip-{k}", name=name, start=0, end=repr(self.scene.clips[k].seconds)
                )
                for key in keys:
                    self.add(owner, "instance_animation", url=f"#{key}")

    # --- tree ---------------------------------------------------------------------------------

    def tree(self) -> None:
        library = self.library("visual_scenes")
        scene = self.add(library, "visual_scene", id="scene")
        joints = {j for skin in self.scene.skins for j in skin.joints}
        # Deep chains are walked with a list of what is open, not by calling.
        stack = [(root, scene) for root in reversed(self.scene.roots)]
        while stack:
            i, owner = stack.pop()
            element = self.node(i, owner, i in joints)
            stack.extend((child, element) for child in reversed(self.scene.nodes[i].children))
        self.add(self.add(self.root, "scene"), "instance_visual_scene", url="#scene")

    def node(self, i: int, owner: Element, joint: bool) -> Element:
        n = self.scene.nodes[i]
        key = f"node-{i}"
        layer = {"layer": layer_of(n.extras)} if layer_of(n.extras) else {}
        element = self.add(owner, "node", id=key, sid=key, type="JOINT" if joint else "NODE", name=n.name, **layer)
        if n.matrix is not None or i in self.driven:
            self.add(element, "matrix", _text(n.local), sid="transform")
        else:
            if n.translation != (0.0, 0.0, 0.0):
                self.add(element, "translate", _text(np.array(n.translation)), sid="translate")
            if n.rotation != (0.0, 0.0, 0.0, 1.0):
                self.add(element, "rotate", _text(_axis_angle(n.rotation)), sid="rotate")
            if n.scale != (1.0, 1.0, 1.0):
                self.add(element, "scale", _text(np.array(n.scale)), sid="scale")
        if n.mesh is not None:
            self.instance(i, n, element)
        if n.camera is not None:
            self.add(element, "instance_camera", url=f"#camera-{n.camera}")
        if n.light is not None:
            self.add(element, "instance_light", url=f"#light-{n.light}")
        return element

    def instance(self, i: int, n: Node, element: Element) -> None:
        assert n.mesh is not None
        mesh = self.scene.meshes[n.mesh]
        if n.skin is not None and mesh.weights is not None:
            owner = self.add(element, "instance_controller", url=f"#skin-{n.skin}-{n.mesh}")
            skin = self.scene.skins[n.skin]
            for j in skin.joints[:1]:
                self.add(owner, "skeleton", f"#node-{self._top(j)}")
        else:
            owner = self.add(element, "instance_geometry", url=f"#mesh-{n.mesh}")
        used = sorted({slot_material for slot_material in mesh.slot_materials if slot_material >= 0})
        if used:
            common = self.add(self.add(owner, "bind_material"), "technique_common")
            for number in (k for k in used if self.scene.materials[k].defined):
                bound = self.add(common, "instance_material", symbol=f"slot-{number}", target=f"#material-{number}")
                for uv in sorted({texture.uv_set for texture in self.scene.materials[number].inputs}):
                    self.add(bound, "bind_vertex_input", semantic=f"UV{uv}", input_semantic="TEXCOORD", input_set=uv)

    def _top(self, node: int) -> int:
        """The root above a node."""
        while self.above[node] >= 0:
            node = self.above[node]
        return node


def _axis_angle(quaternion: tuple[float, ...]) -> F64:
    """An axis and an angle in degrees of a quaternion (x, y, z, w)."""
    v = np.array(quaternion[:3])
    length = float(np.linalg.norm(v))
    angle = 2 * float(np.arctan2(length, quaternion[3]))
    return np.array([*(v / length if length else (1.0, 0.0, 0.0)), degrees(angle)])
