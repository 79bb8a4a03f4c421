"""Small scenes with painted pictures, and a pentagon."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
from PIL import Image as Picture

from handlens.core.scene import Image, Layer, Material, Scene, TextureInput
from kit.scenes import cube, mesh, scene, triangles_of


def rope_png() -> bytes:
    out = io.BytesIO()
    Picture.new("RGBA", (4, 4), (200, 120, 40, 128)).save(out, "PNG")
    return out.getvalue()


def _with_layers(**more):
    """A cube of triangles with layers of its own on every corner."""
    made = triangles_of(cube())
    index = np.arange(len(made.corners), dtype=np.int32)
    spread = np.random.default_rng(3).random((len(index), 4)).astype(np.float32)
    layers = {
        "uvs": tuple(Layer(np.ascontiguousarray(spread[:, k : k + 2]), index) for k in range(more.get("uv_sets", 1))),
        "normals": Layer(spread[:, :3] / np.linalg.norm(spread[:, :3], axis=1, keepdims=True), index)
        if more.get("normals")
        else None,
        "colours": (Layer(np.ascontiguousarray(spread[:8, :3]), made.corners),) if more.get("colours") else (),
    }
    return replace(made, **layers)


def painted_scene(**material) -> Scene:
    picture = Image("image:0", "rope", "rope.png", "embedded", None, "image/png", rope_png)
    slot = TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), 0, **material.pop("slot", {}))
    return scene(_with_layers(), materials=(Material("m", "rope", inputs=(slot,), **material),), images=(picture,))


PENTAGON = mesh([[0, 0, 0], [2, 0, 0], [2, 1, 0], [1, 2, 0], [0, 1, 0]], [[0, 1, 2, 3, 4]], "sign")
