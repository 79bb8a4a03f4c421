"""The display copy: what the stage draws, as one binary file of typed arrays. Measured positions are never taken from it.

Layout: b"HLST", uint32 length of a JSON header, the header padded with blanks to a multiple of eight, then sections that
start on multiples of eight. Positions are float32 offsets from a float64 origin, so that a model far out stands steady.
"""

from __future__ import annotations

import io
import json
import struct
from typing import Any

import numpy as np

from .formats.split import split_vertices
from .measures.distinct import distinct_rows
from .scene import Layer, Mesh, Scene
from .scene.model import Array
from .scene.skinning import posed
from .scene.transforms import apply, parents, walk, world_matrices
from .scene.triangles import triangulate

VERSION = 3
_CREASE = np.cos(np.radians(40))
_LARGEST_IMAGE = 1024
_MOST_PLACES = 5_000


def display_copy(scene: Scene) -> bytes:
    """The binary display copy of a scene, in metres with Y up; an unstated unit is drawn as metres."""
    return _Copy(scene).build()


class _Copy:
    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.sections: list[bytes] = []
        self.length = 0

    def section(self, data: bytes) -> int:
        pad = -self.length % 8
        if pad:
            self.sections.append(b"\x00" * pad)
            self.length += pad
        at = self.length
        self.sections.append(data)
        self.length += len(data)
        return at

    def array(self, values: Array, kind: type) -> dict[str, int]:
        flat: Array = np.ascontiguousarray(values, kind)
        return {"at": self.section(flat.tobytes()), "count": flat.size}

    def build(self) -> bytes:
        s = self.scene
        world = _world_y_up(s)
        placed = [(i, m) for i in walk(s) if (m := s.nodes[i].mesh) is not None and len(s.meshes[m].positions)]
        low, high = np.full(3, np.inf), np.full(3, -np.inf)
        for i, m in placed:
            p = apply(world[i], s.meshes[m].positions)
            p = p[np.isfinite(p).all(axis=1)]
            if len(p):
                low, high = np.minimum(low, p.min(axis=0)), np.maximum(high, p.max(axis=0))
        if np.isinf(low).any():
            low = high = np.zeros(3)
        origin = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
        up = parents(s)
        meshes: list[dict[str, Any]] = []
        numbers: dict[Any, int] = {}
        parts = []
        for i, m in placed:
            # Scales piled up beyond what a double holds leave nothing that could be drawn.
            if not np.isfinite(world[i]).all():
                continue
            rigged = s.nodes[i].skin is not None and s.meshes[m].weights is not None
            key = (m, i if rigged else None)
            if key not in numbers:
                numbers[key] = len(meshes)
                points = posed(s, i) if rigged else s.meshes[m].positions
                meshes.append(self.mesh(s.meshes[m], points))
            matrix = (_root(s) if rigged else world[i]).copy()
            centre = np.array(meshes[numbers[key]]["centre"])
            matrix[:3, 3] = matrix[:3, :3] @ centre + matrix[:3, 3] - origin
            parts.append(
                {
                    "node": i,
                    "name": s.part_name(i),
                    "mesh": numbers[key],
                    "matrix": matrix.T.reshape(-1).tolist(),
                    "under": _above(up, i),
                }
            )
        header = {
            "version": VERSION,
            "origin": origin.tolist(),
            "bounds": {"min": (low - origin).tolist(), "max": (high - origin).tolist()},
            "parts": parts,
            "places": {str(i): (world[i][:3, 3] - origin).tolist() for i in _bare(s)[:_MOST_PLACES]},
            "meshes": meshes,
            "materials": [self.material(k) for k in range(len(s.materials))],
            "images": [self.image(k) for k in range(len(s.images))],
        }
        text = json.dumps(header, separators=(",", ":"), allow_nan=False).encode()
        text += b" " * (-(8 + len(text)) % 8)
        return b"".join([b"HLST", struct.pack("<I", len(text)), text, *self.sections])

    def mesh(self, mesh: Mesh, points: Array) -> dict[str, Any]:
        finite: Any = np.isfinite(points).all(axis=1)
        points = points if finite.all() else np.where(finite[:, None], points, 0.0)
        centre = (points.min(axis=0) + points.max(axis=0)) / 2
        normals = mesh.normals if _usable(mesh) else shading_normals(mesh, points)
        uv = mesh.uvs[0] if mesh.uvs and (mesh.uvs[0].index >= 0).all() else None
        layers = [x for x in (normals, uv) if x is not None]
        triangles, face = triangulate(mesh)
        used, index = split_vertices(mesh, layers, triangles.reshape(-1))
        stored = mesh.corners[used]
        rest = np.setdiff1d(np.arange(len(points)), mesh.corners)
        vertex = np.concatenate([stored, rest]).astype(np.int64)
        entry: dict[str, Any] = {"name": mesh.name, "centre": centre.tolist(), "triangles": len(triangles)}
        entry["positions"] = self.array((points - centre)[vertex], np.float32)
        entry["normals"] = self.array(_bytes(normals, used, len(rest)), np.int8)
        if uv is not None:
            own = np.zeros((len(vertex), 2), np.float32)
            own[: len(used)] = np.nan_to_num(uv.values[uv.index[used]])
            if self.scene.format != "obj":
                own[:, 1] = 1 - own[:, 1]
            entry["uv"] = self.array(own, np.float32)
        slot = mesh.slots[face] if len(mesh.slots) else np.zeros(len(face), np.int32)
        order = np.argsort(slot, kind="stable")
        entry["index"] = self.array(index.reshape(-1, 3)[order], np.uint32)
        entry["faces"] = self.array(face[order], np.uint32)
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
        entry["vertex"] = self.array(vertex, np.uint32)
        if mesh.weights is not None:
            entry["weight"] = self.array(heaviest(mesh)[vertex], np.float32)
        if len(mesh.lines):
            place = np.zeros(len(points), np.int64)
            place[vertex[::-1]] = np.arange(len(vertex))[::-1]
            entry["lines"] = self.array(place[mesh.lines], np.uint32)
        return entry

    def material(self, k: int) -> dict[str, Any]:
        m = self.scene.materials[k]
        base = next((t for t in m.inputs if t.role == "base-colour"), None)
        number = None if base is None else base.image
        return {
            "name": m.name,
            "colour": [float(c) for c in m.base_colour],
            "linear": self.scene.format != "obj",
            "alphaMode": m.alpha_mode or ("blend" if m.base_colour[3] < 1 else "opaque"),
            "cutoff": m.alpha_cutoff,
            "doubleSided": bool(m.double_sided),
            "image": number,
            "repeat": base is None or base.sampler.get("wrapS", 10497) == 10497,
            "missing": self.scene.images[number].reference
            if number is not None and self.scene.images[number].load is None
            else None,
        }

    def image(self, k: int) -> dict[str, Any] | None:
        """A reduced PNG of an image for the stage; None where it is missing or cannot be opened."""
        used = any(t.image == k and t.role == "base-colour" for m in self.scene.materials for t in m.inputs)
        data = self.scene.images[k].bytes() if used else None
        if data is None:
            return None
        from PIL import Image as Pillow

        try:
            opened: Pillow.Image = Pillow.open(io.BytesIO(data))
            size = opened.size
            alpha = "A" in opened.getbands() or "transparency" in opened.info
            opened = opened.convert("RGBA" if alpha else "RGB")
            opened.thumbnail((_LARGEST_IMAGE, _LARGEST_IMAGE))
            out = io.BytesIO()
            opened.save(out, "PNG", compress_level=1)
        except Exception:  # Pillow's decoders raise almost anything on damaged data; the stage then draws the plain colour
            return None
        return {
            "at": self.section(out.getvalue()),
            "bytes": len(out.getvalue()),
            "alpha": alpha,
            "width": size[0],
            "height": size[1],
        }


def _above(up: list[int], node: int) -> list[int]:
    """The nodes above one, nearest first."""
    out = []
    while (node := up[node]) >= 0:
        out.append(node)
    return out


def _bare(scene: Scene) -> list[int]:
    """Nodes that draw nothing themselves: evidence on one of them is a place."""
    return [i for i in walk(scene) if scene.nodes[i].mesh is None]


def _root(scene: Scene) -> Array:
    unit = scene.unit_metres or 1.0
    root = np.eye(4)
    root[:3, :3] *= unit
    if scene.up_axis == "Z":
        root[:3, :3] = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]) * unit
    return root


def _world_y_up(scene: Scene) -> Array:
    return _root(scene) @ world_matrices(scene)


def _usable(mesh: Mesh) -> bool:
    n = mesh.normals
    return n is not None and len(n.values) > 0 and bool((n.index >= 0).all()) and bool(np.isfinite(n.values).all())


def shading_normals(mesh: Mesh, points: Array) -> Layer:
    """Normals to draw by where none are stored: smooth, but hard where faces meet at more than 40°.

    Values: one area-weighted normal a welded position, then one a face; corners choose between the two.
    """
    if not mesh.face_count:
        return Layer(np.zeros((1, 3), np.float32), np.zeros(0, np.int32))
    from .scene.triangles import corner_normals_of_turn

    _, newell = corner_normals_of_turn(mesh)
    face = np.repeat(np.arange(mesh.face_count), mesh.corner_counts)
    ids, count = distinct_rows([points])
    at = ids[mesh.corners]
    summed = np.stack([np.bincount(at, newell[face, k], count) for k in range(3)], axis=1)
    smooth, flat = _unit(summed), _unit(newell)
    hard = np.einsum("ij,ij->i", smooth[at], flat[face]) < _CREASE
    return Layer(np.concatenate([smooth, flat]).astype(np.float32), np.where(hard, count + face, at).astype(np.int32))


def heaviest(mesh: Mesh) -> Array:
    """(V,) float32 largest weight of each vertex, -1 where it has none: what the weights lens shows."""
    w = mesh.weights
    assert w is not None
    out = np.full(len(mesh.positions), -1.0, np.float32)
    owner = np.repeat(np.arange(len(out)), np.diff(w.starts))
    np.maximum.at(out, owner, w.weights)
    return out


def _unit(v: Array) -> Array:
    length = np.linalg.norm(v, axis=1, keepdims=True)
    return np.divide(v, length, out=np.zeros_like(v), where=length > 0)


def _bytes(layer: Layer | None, used: Array, rest: int) -> Array:
    """(V, 4) int8 normals, the fourth byte for alignment."""
    out = np.zeros((len(used) + rest, 4), np.int8)
    if layer is not None and len(used):
        out[: len(used), :3] = np.rint(np.clip(layer.values[layer.index[used]], -1, 1) * 127)
    return out
