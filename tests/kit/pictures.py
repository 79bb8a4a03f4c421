"""Pictures made for tests, and a board that they are laid on."""

import io
from dataclasses import replace

import numpy as np
from PIL import Image as Pillow

from handlens.core.scene import Image, Layer, Material, TextureInput
from kit.scenes import mesh, scene


def png(size=(64, 64), colour=(120, 90, 60), kind="PNG", noise=0):
    pixels = np.full((size[1], size[0], 3), colour, np.uint8)
    if noise:
        pixels = (pixels + np.random.default_rng(noise).integers(0, 60, pixels.shape)).astype(np.uint8)
    out = io.BytesIO()
    Pillow.fromarray(pixels).save(out, kind)
    return out.getvalue()


def textured(data, role="base-colour", name="paint.png", size=1.0, more=()):
    made = mesh([[0, 0, 0], [size, 0, 0], [size, size, 0], [0, size, 0]], [[0, 1, 2, 3]], "board")
    uv = Layer(np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32), np.arange(4, dtype=np.int32))
    paths = {
        "base-colour": ("pbrMetallicRoughness", "baseColorTexture"),
        "normal": ("normalTexture",),
        "emissive": ("emissiveTexture",),
        "occlusion": ("occlusionTexture",),
    }
    all_of = [(data, role, name), *more]
    images = tuple(Image(f"image:{k}", n, n, "embedded", n, load=lambda d=d: d) for k, (d, _, n) in enumerate(all_of))
    inputs = tuple(TextureInput(r, paths[r], k) for k, (_, r, _) in enumerate(all_of))
    m = Material("material:0", "paint", inputs=inputs, alpha_mode="opaque", double_sided=False)
    return scene(replace(made, uvs=(uv,), slot_materials=(0,)), materials=(m,), images=images)
