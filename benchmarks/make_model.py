"""Make a closed, bumpy sphere of about a given number of triangles as a GLB: the model that the benchmarks read."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
from handlens.core.formats.gltf_write import container


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


def write(path: Path, triangles: int, messy: bool = False) -> int:
    """Write the GLB and return its number of triangles."""
    positions, index = messy_spheres(triangles) if messy else bumpy_sphere(triangles)
    body = positions.tobytes() + index.tobytes()
    tree = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0, "name": "buoy"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": len(positions), "type": "VEC3",
             "min": positions.min(0).tolist(), "max": positions.max(0).tolist()},
            {"bufferView": 1, "componentType": 5125, "count": index.size, "type": "SCALAR"},
        ],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": positions.nbytes},
            {"buffer": 0, "byteOffset": positions.nbytes, "byteLength": index.nbytes},
        ],
        "buffers": [{"byteLength": len(body)}],
    }  # fmt: skip
    path.write_bytes(container(tree, body))
    return len(index)


if __name__ == "__main__":
    print(write(Path(sys.argv[1]), int(sys.argv[2])))
