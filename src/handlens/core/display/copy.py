"""Making the display copy of a scene. Positions are float32 offsets from a float64 origin, so that a model far out stands steady."""

from __future__ import annotations

import io
from collections.abc import Callable, Mapping
from functools import cached_property
from typing import Any

import numpy as np

from ..geometry.split import split_vertices
from ..geometry.triangles import triangulate
from ..machine.sections import Sections
from ..scene import Layer, Material, Mesh, Scene, TextureInput
from ..scene.axes import to_y_up
from ..scene.generated import ROLE, property_text
from ..scene.skinning import morph_weights, morphed_positions, posed, world_positions
from ..scene.transforms import parents, walk, world_matrices
from ..scene.weighing import vertex_of_weight
from ..scene.wrapping import REPEAT
from ..surface.colour import to_shown
from ..surface.decoded import shown
from ..surface.opacity import in_colour, mode_of
from ..surface.uv_transform import matrix, turned_over
from ..words.arrays import F32, F64, I64, U8, Array
from ..words.json_tree import Json
from .cage import cage
from .light import LIGHT_OVER, MOST_SETS, light_index
from .rig import blended, rig
from .shading import heaviest, shading_normals, usable

VERSION = 8
_LARGEST_IMAGE = 1024
_MOST_PLACES = 5_000
_LIKE_AN_IMAGE = 50_000


def display_copy(scene: Scene, progress: Callable[[float], None] = lambda share: None) -> bytes:
    """The binary display copy of a scene, in metres with Y up; an unstated unit is drawn as metres. progress: told the share done."""
    return _Copy(scene, progress).build()


class _Copy:
    def __init__(self, scene: Scene, progress: Callable[[float], None]) -> None:
        self.scene, _ = in_colour(scene)
        self.out = Sections()
        #: Nodes whose morph targets a clip drives.
        self.shaping = {channel.node for clip in scene.clips for channel in clip.channels if channel.path == "weights"}
        self.progress, self.done = progress, 0
        # A picture costs about as much as so many triangles.
        self.total = max(sum(mesh.triangle_count for mesh in scene.meshes) + _LIKE_AN_IMAGE * len(scene.images), 1)

    def step(self, triangles: int, share: float) -> None:
        """Tell how far a mesh of so many triangles has come."""
        self.progress(min((self.done + triangles * share) / self.total, 1.0))
        if share == 1.0:
            self.done += triangles

    def build(self) -> bytes:
        scene = self.scene
        world = _world_y_up(scene)
        placed = [
            (i, mesh_number)
            for i in walk(scene)
            if (mesh_number := scene.nodes[i].mesh) is not None and len(scene.meshes[mesh_number].positions)
        ]
        low, high = np.full(3, np.inf), np.full(3, -np.inf)
        for i, _ in placed:
            places = world_positions(scene, i, world)
            places = places[np.isfinite(places).all(axis=1)]
            if len(places):
                low, high = np.minimum(low, places.min(axis=0)), np.maximum(high, places.max(axis=0))
        if np.isinf(low).any():
            low = high = np.zeros(3)
        origin = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
        up = parents(scene)
        meshes: list[dict[str, Any]] = []
        numbers: dict[Any, int] = {}
        parts = []
        for i, mesh_number in placed:
            # Scales piled up beyond what a double holds leave nothing that could be drawn.
            if not np.isfinite(world[i]).all():
                continue
            rigged = scene.nodes[i].skin is not None and scene.meshes[mesh_number].weights is not None
            key = (
                mesh_number,
                property_text(scene.nodes[i], ROLE) == "stand-in",
                i if rigged or i in self.shaping else None,
                morph_weights(scene, i),
            )
            if key not in numbers:
                numbers[key] = len(meshes)
                points = posed(scene, i) if rigged else morphed_positions(scene, i)
                mesh = (
                    cage(scene.meshes[mesh_number])
                    if property_text(scene.nodes[i], ROLE) == "stand-in"
                    else scene.meshes[mesh_number]
                )
                meshes.append(self.mesh(mesh, points, i, morphed_positions(scene, i) if rigged else None))
            matrix = (_root(scene) if rigged else world[i]).copy()
            centre = np.array(meshes[numbers[key]]["centre"])
            matrix[:3, 3] = matrix[:3, :3] @ centre + matrix[:3, 3] - origin
            parts.append(
                {
                    "node": i,
                    "name": scene.part_name(i),
                    "mesh": numbers[key],
                    "matrix": matrix.T.reshape(-1).tolist(),
                    "under": _above(up, i),
                    "skin": scene.nodes[i].skin if rigged else None,
                    "role": property_text(scene.nodes[i], ROLE),
                }
            )
        header = {
            "version": VERSION,
            "origin": origin.tolist(),
            "bounds": {"min": (low - origin).tolist(), "max": (high - origin).tolist()},
            "parts": parts,
            "rig": rig(scene, _root(scene), origin, self.out),
            "places": {str(i): (world[i][:3, 3] - origin).tolist() for i in _bare(scene)[:_MOST_PLACES]},
            "meshes": meshes,
            "materials": [self.material(k) for k in range(len(scene.materials))],
            "images": [self.image(k) for k in range(len(scene.images))],
        }
        return self.out.file(header)

    def mesh(self, mesh: Mesh, points: F64, number: int, bound: F64 | None) -> Json:
        """A mesh with its points as they are drawn. bound: (V, 3) those before its skin poses them, where it has one.

        points: (V, 3) float64, in the world.
        """
        finite: Any = np.isfinite(points).all(axis=1)
        points = points if finite.all() else np.where(finite[:, None], points, 0.0)
        centre = (points.min(axis=0) + points.max(axis=0)) / 2
        normals = mesh.normals if usable(mesh) else shading_normals(mesh, points if bound is None else _finite(bound))
        layers = [*([normals] if normals is not None else []), *mesh.uvs[:MOST_SETS], *mesh.colours[:1]]
        self.step(mesh.triangle_count, 0.2)
        triangles, face = triangulate(mesh)
        self.step(mesh.triangle_count, 0.35)
        used, index = split_vertices(mesh, layers, triangles.reshape(-1))
        self.step(mesh.triangle_count, 0.7)
        stored = mesh.corners[used]
        free = np.ones(len(points), bool)
        free[mesh.corners] = False
        rest = np.flatnonzero(free)
        vertex = np.concatenate([stored, rest]).astype(np.int64)
        entry: dict[str, Any] = {"name": mesh.name, "centre": centre.tolist(), "triangles": len(triangles)}
        entry["positions"] = self.out.array((points - centre)[vertex], np.float32)
        directions = None if normals is None or not len(used) else normals.values[normals.index[used]]
        if bound is not None:
            entry["bound"] = self.bound(mesh, bound, vertex, directions)
            directions = None if directions is None else self.turned(number, directions, vertex[: len(used)])
        entry["normals"] = self.out.array(_bytes(directions, len(used), len(rest)), np.int8)
        for k, layer in enumerate(mesh.uvs[:MOST_SETS]):
            entry[f"uv{k}"] = self.out.array(self.uvs(layer, used, len(vertex)), np.float32)
        if mesh.colours:
            entry["colour"] = self.out.array(self.colours(mesh.colours[0], used, len(vertex)), np.uint8)
        slot = mesh.slots[face] if len(mesh.slots) else np.zeros(len(face), np.int32)
        order = np.argsort(slot, kind="stable")
        entry["index"] = self.out.array(index.reshape(-1, 3)[order], np.uint32)
        entry["faces"] = self.out.array(face[order], np.uint32)
        bounds: Array = np.flatnonzero(np.diff(slot[order], prepend=-1)) if len(order) else np.zeros(0, np.int64)
        ends = [*bounds[1:], len(order)] if len(order) else []
        entry["groups"] = [
            {
                "start": int(a) * 3,
                "count": int(b - a) * 3,
                "material": mesh.slot_materials[slot[order[a]]] if mesh.slot_materials else -1,
            }
            for a, b in zip(bounds, ends, strict=True)
        ]
        if mesh.groups is not None and len(mesh.group_names) > 1:
            # Sets of faces that the file names: each triangle's, in the order of the index.
            entry["sets"] = {"names": list(mesh.group_names), "of": self.out.array(mesh.groups[face][order], np.uint32)}
        entry["vertex"] = self.out.array(vertex, np.uint32)
        if number in self.shaping:
            entry["morphs"] = self.morphs(number, vertex)
        if mesh.weights is not None:
            entry["weight"] = self.out.array(heaviest(mesh)[vertex], np.float32)
            skin = self.scene.nodes[number].skin
            if skin is not None:
                entry["joints"] = self.joints(mesh, skin, vertex)
        self.step(mesh.triangle_count, 0.85)
        if len(order) > LIGHT_OVER:
            light, groups = light_index((points - centre)[vertex], index.reshape(-1, 3)[order], entry["groups"])
            entry["light"] = {"index": self.out.array(light, np.uint32), "groups": groups}
        if len(mesh.lines):
            place = np.zeros(len(points), np.int64)
            place[vertex[::-1]] = np.arange(len(vertex))[::-1]
            entry["lines"] = self.out.array(place[mesh.lines], np.uint32)
        self.step(mesh.triangle_count, 1.0)
        return entry

    def bound(self, mesh: Mesh, points: F64, vertex: I64, directions: F32 | None) -> Json:
        """Drawn vertices before their skin poses them, from the middle of their box.

        points: (V, 3) float64, of the mesh.
        vertex: (D,) int, the mesh's vertex of each drawn one.
        directions: (D, 3) float32 normals, or None.
        """
        points = _finite(points)
        centre = (points.min(axis=0) + points.max(axis=0)) / 2
        rest = len(vertex) - (0 if directions is None else len(directions))
        return {
            "centre": centre.tolist(),
            "positions": self.out.array((points - centre)[vertex], np.float32),
            "normals": self.out.array(_bytes(directions, len(vertex) - rest, rest), np.int8),
        }

    def morphs(self, number: int, vertex: Array) -> Json:
        """Offsets of each target of a node's mesh for drawn vertices, and the weights that are in the drawn positions already.

        vertex: (D,) int, the mesh's vertex of each drawn one.
        """
        node = self.scene.nodes[number]
        targets = self.scene.meshes[node.mesh or 0].morphs
        stored = (*morph_weights(self.scene, number), *([0.0] * len(targets)))[: len(targets)]
        laid: dict[int, Json] = {}
        for target in targets:
            if id(target.positions) not in laid:
                laid[id(target.positions)] = self.out.array(_finite(target.positions)[vertex], np.float32)
        return {"weights": [float(w) for w in stored], "offsets": [laid[id(target.positions)] for target in targets]}

    def turned(self, number: int, directions: F32, vertex: I64) -> F64:
        """Directions of some vertices as their skin turns them.

        directions: (n, 3) float32, in the mesh.
        vertex: (n,) int, whose they are.
        """
        linear = blended(self.scene, number, world_matrices(self.scene))[vertex]
        out = np.einsum("vij,vj->vi", linear, directions.astype(np.float64))
        length = np.linalg.norm(out, axis=1, keepdims=True)
        return np.where(length > 1e-12, out / np.where(length > 1e-12, length, 1.0), directions)

    def uvs(self, layer: Layer, used: I64, count: int) -> F32:
        """(count, 2) float32 UVs of drawn vertices, v running down; corners that have none are laid on 0, 0.

        used: (D,) int, the layer's row of each drawn vertex, -1 for none.
        """
        own = np.zeros((count, 2), np.float32)
        index = layer.index[used]
        if len(layer.values):
            own[: len(used)] = np.where((index >= 0)[:, None], np.nan_to_num(layer.values[index]), 0)
        if not self.scene.v_down:
            own[:, 1] = 1 - own[:, 1]
        return own

    def colours(self, layer: Layer, used: I64, count: int) -> U8:
        """(count, 4) uint8 colours of drawn vertices, coded as sRGB; where there is none, white, which changes nothing.

        used: (D,) int, the layer's row of each drawn vertex, -1 for none.
        """
        own = np.full((count, 4), 255, np.uint8)
        if not len(layer.values):
            return own
        width = min(layer.values.shape[1], 4)
        values = np.clip(np.nan_to_num(layer.values[:, :width].astype(np.float64)), 0, 1)
        if self.scene.linear:
            values[:, :3] = to_shown(values[:, :3])
        coded = np.rint(255 * values).astype(np.uint8)
        index = layer.index[used]
        own[: len(used), :width] = np.where((index >= 0)[:, None], coded[index], 255)
        return own

    def joints(self, mesh: Mesh, skin: int, vertex: I64) -> Json:
        """Weights by joint, in 65,535 steps, the heaviest of each vertex first. Joints that the skin lacks are left out.

        vertex: (D,) int, the mesh's vertex of each drawn one.
        """
        weights = mesh.weights
        assert weights is not None
        names = [self.scene.part_name(j) for j in self.scene.skins[skin].joints]
        there = weights.joints < min(len(names), 65_536)
        owner = vertex_of_weight(weights)[there]
        starts = np.concatenate([[0], np.cumsum(np.bincount(owner, minlength=len(mesh.positions)))])
        counts = np.diff(starts)[vertex]
        ends = np.cumsum(counts)
        entry = np.repeat(starts[vertex] - (ends - counts), counts) + np.arange(int(counts.sum()))
        shares = np.clip(np.nan_to_num(weights.weights[there][entry]), 0, 1)
        order = np.lexsort((-shares, np.repeat(np.arange(len(counts)), counts)))
        entry, steps = entry[order], np.rint(shares[order] * 65_535)
        return {
            "names": names,
            "nodes": list(self.scene.skins[skin].joints),
            "starts": self.out.array(np.concatenate([[0], ends]), np.uint32),
            "joint": self.out.array(weights.joints[there][entry], np.uint16),
            "weight": self.out.array(steps, np.uint16),
        }

    def material(self, k: int) -> Json:
        material = self.scene.materials[k]
        base = next((texture for texture in material.inputs if texture.role == "base-colour"), None)
        number = None if base is None else base.image
        return {
            "name": material.name,
            "colour": [float(c) for c in material.base_colour],
            "linear": self.scene.linear,
            "alphaMode": mode_of(material),
            "cutoff": material.alpha_cutoff,
            "doubleSided": bool(material.double_sided),
            "image": number,
            **self.texture_entry(base),
            "glow": self.glow(material),
            "unlit": "KHR_materials_unlit" in _extensions(material),
            "inputs": [[x.role, self.scene.images[x.image].name] for x in material.inputs if x.image is not None],
            "missing": self.scene.images[number].reference
            if number is not None and self.scene.images[number].load is None
            else None,
        }

    def texture_entry(self, used: TextureInput | None) -> Json:
        """How the picture of an input is laid on."""
        return {
            "uvSet": 0 if used is None else used.uv_set,
            "placed": self.placed(used),
            "repeat": used is None or used.sampler.get("wrapS", REPEAT) == REPEAT,
        }

    def glow(self, material: Material) -> Json | None:
        """Light that a material gives off, added to what it reflects (glTF 2.0 §3.9.3); None where it is black."""
        if not max(material.emissive) > 0:
            return None
        above = _extensions(material).get("KHR_materials_emissive_strength")
        strength = above.get("emissiveStrength", 1.0) if isinstance(above, Mapping) else 1.0
        colour = np.nan_to_num(np.array(material.emissive) * (strength if isinstance(strength, int | float) else 1.0), posinf=1.0)
        image = next((texture for texture in material.inputs if texture.role == "emissive" and texture.image is not None), None)
        return {
            "colour": np.clip(colour, 0, 1).tolist(),
            "image": None if image is None else image.image,
            **self.texture_entry(image),
        }

    def placed(self, base: TextureInput | None) -> list[float] | None:
        """Rows of the (2, 3) matrix that takes UVs, v running down, to where the picture is laid; None where that is as they are."""
        if base is None or not base.transform:
            return None
        out = matrix(base.transform if self.scene.v_down else turned_over(base.transform, False), True)
        return [float(x) for x in out.reshape(-1)] if np.isfinite(out).all() else None

    @cached_property
    def drawn(self) -> set[int]:
        """Images that the stage shows."""
        shows = lambda m, t: t.role == "base-colour" or (t.role == "emissive" and max(m.emissive) > 0)
        return {
            texture.image
            for material in self.scene.materials
            for texture in material.inputs
            if texture.image is not None and shows(material, texture)
        }

    def image(self, k: int) -> Json | None:
        """A reduced PNG of an image for the stage; None where it is missing or cannot be opened."""
        self.step(_LIKE_AN_IMAGE, 1.0)
        data = self.scene.images[k].bytes() if k in self.drawn else None
        if data is None:
            return None
        from PIL import Image as Pillow

        try:
            opened: Pillow.Image = Pillow.open(io.BytesIO(data))
            size = opened.size
            alpha = "A" in opened.getbands() or "transparency" in opened.info
            opened = shown(opened)
            opened.thumbnail((_LARGEST_IMAGE, _LARGEST_IMAGE))
            out = io.BytesIO()
            opened.save(out, "PNG", compress_level=1)
        except Exception:  # Pillow's decoders raise almost anything on damaged data; the stage then draws the plain colour
            return None
        return {
            "at": self.out.add(out.getvalue()),
            "bytes": len(out.getvalue()),
            "alpha": alpha,
            "width": size[0],
            "height": size[1],
        }


def _extensions(material: Material) -> Mapping[str, Any]:
    own = material.source.get("extensions")
    return own if isinstance(own, Mapping) else {}


def _above(up: list[int], node: int) -> list[int]:
    """The nodes above one, nearest first."""
    out = []
    while (node := up[node]) >= 0:
        out.append(node)
    return out


def _bare(scene: Scene) -> list[int]:
    """Nodes that draw nothing themselves: evidence on one of them is a place."""
    return [i for i in walk(scene) if scene.nodes[i].mesh is None]


def _root(scene: Scene) -> F64:
    unit = scene.unit_metres or 1.0
    root = np.eye(4)
    root[:3, :3] = to_y_up(scene.up_axis) * unit
    return root


def _world_y_up(scene: Scene) -> F64:
    return _root(scene) @ world_matrices(scene)


def _bytes(directions: Array | None, used: int, rest: int) -> Array:
    """(used + rest, 4) int8 normals, the fourth byte for alignment."""
    out = np.zeros((used + rest, 4), np.int8)
    if directions is not None:
        out[:used, :3] = np.rint(np.clip(directions, -1, 1) * 127)
    return out


def _finite(points: F64) -> F64:
    finite: Any = np.isfinite(points).all(axis=1)
    return np.where(finite[:, None], points, 0.0)
