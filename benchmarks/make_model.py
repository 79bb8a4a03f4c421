"""Make a closed, bumpy sphere of about a given number of triangles as a GLB: the model that the benchmarks read."""

from __future__ import annotations

import io
import sys
from pathlib import Path

import numpy as np
from PIL import Image as Pillow

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
from handlens.core.formats.gltf.write import container


def bumpy_sphere(triangles: int) -> tuple[np.ndarray, np.ndarray]:
    """positions (V, 3) float32 and triangles (T, 3) uint32 of rings and segments, closed, wound outwards."""
    rings = max(3, int(np.sqrt(triangles / 4)))
    segments = max(3, triangles // (2 * (rings - 1)))
    theta = np.linspace(0, np.pi, rings + 1)[1:-1, None]
    phi = np.linspace(0, 2 * np.pi, segments, endpoint=False)[None, :]
    r = 1 + 0.05 * np.sin(9 * theta) * np.sin(7 * phi)
    middle = np.stack(
        [r * np.sin(theta) * np.cos(phi), r * np.cos(theta) * np.ones_like(phi), r * np.sin(theta) * np.sin(phi)], -1
    )
    positions = np.concatenate([[[0, 1, 0]], middle.reshape(-1, 3), [[0, -1, 0]]]).astype(np.float32)
    k = np.arange(segments)
    nxt = (k + 1) % segments
    first = np.stack([np.zeros_like(k), 1 + nxt, 1 + k], 1)
    bands = []
    for ring in range(rings - 2):
        a, b = 1 + ring * segments, 1 + (ring + 1) * segments
        bands += [np.stack([a + k, a + nxt, b + k], 1), np.stack([a + nxt, b + nxt, b + k], 1)]
    last_ring, pole = 1 + (rings - 2) * segments, len(positions) - 1
    last = np.stack([np.full_like(k, pole), last_ring + k, last_ring + nxt], 1)
    return positions, np.concatenate([first, *bands, last]).astype(np.uint32)


def messy_spheres(triangles: int, pieces: int = 20) -> tuple[np.ndarray, np.ndarray]:
    """As many spheres beside each other as `pieces`, 1 % of their faces turned and 300 taken out: nothing about it is closed."""
    positions, index = bumpy_sphere(triangles // pieces)
    dice = np.random.default_rng(5)
    points = np.concatenate([positions + np.float32([2.5 * (k % 5), 0, 2.5 * (k // 5)]) for k in range(pieces)])
    faces = np.concatenate([index + np.uint32(k * len(positions)) for k in range(pieces)])
    turned = dice.random(len(faces)) < 0.01
    faces[turned] = faces[turned][:, ::-1]
    return points, np.delete(faces, dice.choice(len(faces), 300, replace=False), axis=0)


def laid(positions: np.ndarray, index: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A sphere of `bumpy_sphere` with UVs by longitude and latitude (V, 2) float32, cut along one meridian, whose points are
    there twice."""
    segments = int((index[:, 0] == 0).sum())
    first = 1 + np.arange((len(positions) - 2) // segments) * segments
    p = positions.astype(np.float64)
    u = np.mod(np.arctan2(p[:, 2], p[:, 0]) / (2 * np.pi), 1.0)
    uv = np.stack([u, np.arccos(np.clip(p[:, 1] / np.linalg.norm(p, axis=1), -1, 1)) / np.pi], axis=1)
    twin = np.full(len(positions), -1)
    twin[first] = len(positions) + np.arange(len(first))
    over = (np.ptp(u[index], axis=1) > 0.5)[:, None] & (u[index] < 0.5) & (twin[index] >= 0)
    uv = np.concatenate([uv, np.stack([np.ones(len(first)), uv[first, 1]], axis=1)])
    return (
        np.concatenate([positions, positions[first]]),
        np.where(over, twin[index], index).astype(np.uint32),
        (uv * 0.98 + 0.01).astype(np.float32),
    )


def write(path: Path, triangles: int, kind: str = "plain") -> int:
    """Write the GLB and return its number of triangles. kind: plain, messy, or laid (with UVs and an image)."""
    positions, index = messy_spheres(triangles) if kind == "messy" else bumpy_sphere(triangles)
    tree: dict = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": "buoy"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
    }
    chunks = [positions, index]
    if kind == "laid":
        positions, index, uv = laid(positions, index)
        shade = np.linspace(0, 255, 256).astype(np.uint8)
        picture = np.stack(np.broadcast_arrays(shade[:, None], shade[None, :], np.uint8(128), np.uint8(255)), axis=-1)
        out = io.BytesIO()
        Pillow.fromarray(np.ascontiguousarray(picture)).save(out, "PNG")
        image = np.frombuffer(out.getvalue(), np.uint8)
        chunks = [positions, index, uv, np.pad(image, (0, -len(image) % 4))]
        tree["meshes"][0]["primitives"][0].update(material=0, attributes={"POSITION": 0, "TEXCOORD_0": 2})
        tree["materials"] = [{"name": "paint", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}]
        tree["textures"], tree["images"] = [{"source": 0}], [{"bufferView": 3, "mimeType": "image/png"}]
    starts = np.cumsum([0, *(c.nbytes for c in chunks)])
    tree["bufferViews"] = [
        {"buffer": 0, "byteOffset": int(at), "byteLength": c.nbytes} for at, c in zip(starts, chunks, strict=False)
    ]
    tree["buffers"] = [{"byteLength": int(starts[-1])}]
    tree["accessors"] = [
        {
            "bufferView": 0,
            "componentType": 5126,
            "count": len(positions),
            "type": "VEC3",
            "min": positions.min(0).tolist(),
            "max": positions.max(0).tolist(),
        },
        {"bufferView": 1, "componentType": 5125, "count": index.size, "type": "SCALAR"},
    ]
    if kind == "laid":
        tree["accessors"].append({"bufferView": 2, "componentType": 5126, "count": len(positions), "type": "VEC2"})
    path.write_bytes(container(tree, b"".join(c.tobytes() for c in chunks)))
    return len(index)


if __name__ == "__main__":
    print(write(Path(sys.argv[1]), int(sys.argv[2])))
