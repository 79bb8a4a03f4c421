"""The shapes that an inspection is timed on, each the worst of its kind, as GLB files made without any reader or writer of ours."""

from __future__ import annotations

import io
import json
import struct
from collections.abc import Callable
from pathlib import Path

import numpy as np
from make_model import bumpy_sphere, messy_spheres
from PIL import Image as Pillow

_COMPONENTS = {"f4": 5126, "u4": 5125, "u2": 5123, "u1": 5121}
_TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}


class Builder:
    """A glTF tree and its binary chunk, filled array by array."""

    def __init__(self) -> None:
        self.tree: dict = {"asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": []}], "nodes": [], "meshes": []}
        self.tree |= {"bufferViews": [], "accessors": []}
        self.chunks: list[bytes] = []
        self.length = 0

    def view(self, data: bytes) -> int:
        data += b"\0" * (-len(data) % 4)
        self.tree["bufferViews"].append({"buffer": 0, "byteOffset": self.length, "byteLength": len(data)})
        self.chunks.append(data)
        self.length += len(data)
        return len(self.tree["bufferViews"]) - 1

    def accessor(self, array: np.ndarray, bounds: bool = False) -> int:
        wide = 1 if array.ndim == 1 else array.shape[1]
        array = np.ascontiguousarray(array)
        said = {"bufferView": self.view(array.tobytes()), "count": len(array), "type": _TYPES[wide]}
        said["componentType"] = _COMPONENTS[array.dtype.str[1:]]
        if bounds:
            said |= {"min": np.atleast_1d(array.min(0)).tolist(), "max": np.atleast_1d(array.max(0)).tolist()}
        self.tree["accessors"].append(said)
        return len(self.tree["accessors"]) - 1

    def primitive(self, positions: np.ndarray, index: np.ndarray, **more: np.ndarray) -> dict:
        made = {"POSITION": self.accessor(positions.astype("<f4"), True)}
        made |= {name: self.accessor(array) for name, array in more.items()}
        return {"attributes": made, "indices": self.accessor(index.reshape(-1).astype("<u4"))}

    def node(self, root: bool = True, **what: object) -> int:
        self.tree["nodes"].append(what)
        number = len(self.tree["nodes"]) - 1
        if root:
            self.tree["scenes"][0]["nodes"].append(number)
        return number

    def mesh(self, *primitives: dict) -> int:
        self.tree["meshes"].append({"primitives": list(primitives)})
        return len(self.tree["meshes"]) - 1

    def image(self, pixels: np.ndarray) -> int:
        out = io.BytesIO()
        Pillow.fromarray(np.ascontiguousarray(pixels)).save(out, "PNG")
        images = self.tree.setdefault("images", [])
        images.append({"bufferView": self.view(out.getvalue()), "mimeType": "image/png"})
        return len(images) - 1

    def write(self, path: Path) -> None:
        self.tree["buffers"] = [{"byteLength": self.length}]
        text = json.dumps(self.tree).encode()
        text += b" " * (-len(text) % 4)
        body = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", self.length, 0x004E4942)
        path.write_bytes(struct.pack("<4sII", b"glTF", 2, 12 + len(body) + self.length) + body + b"".join(self.chunks))


def _dented(steps: int, high: int | None = None) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """positions, normals, UVs and triangles of an open dented ball of steps × high quads."""
    high = high or steps
    u, v = np.meshgrid(np.linspace(0, 1, steps + 1), np.linspace(0, 1, high + 1), indexing="ij")
    turn, rise = u * 2 * np.pi, (v * 0.98 + 0.01) * np.pi
    r = 1 + 0.05 * np.sin(9 * turn) * np.sin(7 * rise)
    p = np.stack([r * np.sin(rise) * np.cos(turn), r * np.cos(rise), r * np.sin(rise) * np.sin(turn)], -1).reshape(-1, 3)
    n = p / np.linalg.norm(p, axis=1)[:, None]
    i = np.arange(steps)[:, None] * (high + 1) + np.arange(high)
    a = np.stack([i, i + high + 1, i + high + 2], -1).reshape(-1, 3)
    b = np.stack([i, i + high + 2, i + 1], -1).reshape(-1, 3)
    uv = np.stack([u, v], -1).reshape(-1, 2)
    return p.astype("<f4"), n.astype("<f4"), uv.astype("<f4"), np.concatenate([a, b])


def closed(path: Path, triangles: int = 1_000_000) -> None:
    """One closed piece, nothing but positions."""
    build = Builder()
    build.node(mesh=build.mesh(build.primitive(*bumpy_sphere(triangles))), name="buoy")
    build.write(path)


def open_(path: Path, triangles: int = 1_000_000) -> None:
    """One open piece with normals and a UV set."""
    build = Builder()
    p, n, uv, index = _dented(round((triangles / 2) ** 0.5))
    build.tree["materials"] = [{"name": "paint"}]
    build.node(mesh=build.mesh(build.primitive(p, index, NORMAL=n, TEXCOORD_0=uv) | {"material": 0}), name="float")
    build.write(path)


def messy(path: Path, triangles: int = 1_000_000) -> None:
    """Twenty pieces, 1 % of the faces turned, 300 holes."""
    build = Builder()
    build.node(mesh=build.mesh(build.primitive(*messy_spheres(triangles))), name="floats")
    build.write(path)


def parts(path: Path, triangles: int = 600_000) -> None:
    """As many parts as make so many triangles of 100 to 300 each, every one a mesh of its own shape."""
    build = Builder()
    dice = np.random.default_rng(3)
    build.tree["materials"] = [{"name": f"paint {k}"} for k in range(20)]
    for k in range(max(triangles // 200, 1)):
        p, n, uv, index = _dented(int(dice.integers(7, 13)), int(dice.integers(7, 13)))
        p = p * dice.uniform(0.5, 2, 3).astype("<f4")
        primitive = build.primitive(p, index, NORMAL=n, TEXCOORD_0=uv) | {"material": k % 20}
        build.node(mesh=build.mesh(primitive), name=f"cork {k}", translation=[3.0 * (k % 60), 0.0, 3.0 * (k // 60)])
    build.write(path)


def body(path: Path, triangles: int = 200_000, joints: int = 100, clips: int = 20) -> None:
    """A skinned body: half as many vertices as triangles, four influences each, a chain of joints, and clips of 60 keys."""
    build = Builder()
    p, n, uv, index = _dented(round((triangles / 2) ** 0.5))
    place = (p[:, 1] + 1.05) / 2.1 * (joints - 1)
    first = np.clip(np.floor(place).astype(int) - 1, 0, joints - 4)
    share = np.maximum(2.0 - np.abs(first[:, None] + np.arange(4) - place[:, None]), 0.01)
    share = (share / share.sum(axis=1, keepdims=True)).astype("<f4")
    skinned = {"JOINTS_0": (first[:, None] + np.arange(4)).astype("<u2"), "WEIGHTS_0": share}
    build.tree["materials"] = [{"name": "feathers"}]
    mesh = build.mesh(build.primitive(p, index, NORMAL=n, TEXCOORD_0=uv, **skinned) | {"material": 0})
    step = 2.1 / joints
    names = [build.node(k == 0, name=f"joint {k}", translation=[0.0, -1.05 if k == 0 else step, 0.0]) for k in range(joints)]
    for k in range(joints - 1):
        build.tree["nodes"][names[k]]["children"] = [names[k + 1]]
    bind = np.tile(np.eye(4, dtype="<f4"), (joints, 1, 1))
    bind[:, 3, 1] = 1.05 - step * np.arange(joints)
    build.tree["skins"] = [{"joints": names, "inverseBindMatrices": build.accessor(bind.reshape(joints, 16))}]
    build.node(mesh=mesh, skin=0, name="body")
    times = build.accessor(np.linspace(0, 2, 60).astype("<f4"), True)
    dice = np.random.default_rng(4)
    build.tree["animations"] = []
    for c in range(clips):
        made: dict = {"name": f"clip {c}", "channels": [], "samplers": []}
        for k in range(joints):
            swing = np.sin(np.linspace(0, 2 * np.pi, 60))[:, None] * dice.normal(size=3) * 0.02
            turn = np.concatenate([swing, np.ones((60, 1))], axis=1)
            turn = (turn / np.linalg.norm(turn, axis=1, keepdims=True)).astype("<f4")
            made["samplers"].append({"input": times, "output": build.accessor(turn)})
            made["channels"].append({"sampler": k, "target": {"node": names[k], "path": "rotation"}})
        build.tree["animations"].append(made)
    build.write(path)


def paints(path: Path, triangles: int = 20_000, materials: int = 500, images: int = 200, size: int = 256) -> None:
    """Many materials with pictures, each on a patch of one thing."""
    build = Builder()
    dice = np.random.default_rng(5)
    for _ in range(images):
        coarse = dice.integers(0, 256, (16, 16, 3)).astype(np.uint8)
        noise = dice.integers(0, 24, (size, size, 3)).astype(np.int16)
        build.image(
            np.clip(np.kron(coarse, np.ones((size // 16, size // 16, 1), np.uint8)) + noise - 12, 0, 255).astype(np.uint8)
        )
    build.tree["textures"] = [{"source": k} for k in range(images)]
    build.tree["materials"] = [
        {"name": f"paint {k}", "pbrMetallicRoughness": {"baseColorTexture": {"index": k % images}}} for k in range(materials)
    ]
    steps = max(round((triangles / materials / 2) ** 0.5), 1)
    p, n, uv, index = _dented(steps, steps)
    pieces = []
    for k in range(materials):
        off = np.float32([3.0 * (k % 25), 0, 3.0 * (k // 25)])
        pieces.append(build.primitive(p + off, index, NORMAL=n, TEXCOORD_0=uv) | {"material": k})
    build.node(mesh=build.mesh(*pieces), name="stall")
    build.write(path)


def twelve(path: Path, triangles: int = 12) -> None:
    """A box of twelve triangles."""
    build = Builder()
    p = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], "<f4")
    quads = np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]])
    build.node(mesh=build.mesh(build.primitive(p, quads[:, [0, 1, 2, 0, 2, 3]])), name="crate")
    build.write(path)


#: Every shape by name, with what the table calls it.
SHAPES: dict[str, tuple[str, Callable[..., None]]] = {
    "closed": ("one closed piece", closed),
    "open": ("open, with normals and UVs", open_),
    "messy": ("20 pieces, 1 % turned, 300 holes", messy),
    "parts": ("3,000 parts of 100 to 300 triangles", parts),
    "body": ("a skinned body of 100,000 vertices, 100 joints, 20 clips", body),
    "paints": ("500 materials, 200 images", paints),
}
