"""Cards with pictures that have alpha."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
from PIL import Image as Pillow
from PIL import ImageDraw, ImageFilter

from handlens.core.scene import Image, Layer, Material, TextureInput
from kit.scenes import mesh, scene


def leaves(size, smooth=True, soft=0.0, seed=1):
    """Ellipses cut out of nothing, with a rim that is smoothed, hard, or blurred."""
    many = 4 if smooth else 1
    drawn = Pillow.new("L", (size * many, size * many), 0)
    pen, dice = ImageDraw.Draw(drawn), np.random.default_rng(seed)
    for _ in range(12):
        x, y = dice.uniform(0.15, 0.85, 2) * size * many
        w, h = dice.uniform(0.05, 0.14, 2) * size * many
        pen.ellipse([x - w, y - h, x + w, y + h], fill=255)
    alpha = drawn.resize((size, size), Pillow.Resampling.BOX) if many > 1 else drawn
    if soft:
        alpha = alpha.filter(ImageFilter.GaussianBlur(soft * size))
    return coloured(np.asarray(alpha), seed)


def coloured(alpha, seed=1):
    dice = np.random.default_rng(seed)
    rgb = dice.integers(90, 255, (*alpha.shape, 3))
    return np.dstack([rgb, alpha]).astype(np.uint8)


def smoke(size, seed):
    y, x = np.mgrid[-1 : 1 : size * 1j, -1 : 1 : size * 1j]
    alpha = 255 * np.clip(1 - np.hypot(x, y), 0, 1) ** (1 + seed % 3)
    return coloured(alpha.astype(np.uint8), seed)


def stray(size, count, seed, lowest=0):
    alpha = np.full((size, size), 255, np.uint8)
    dice = np.random.default_rng(seed)
    alpha.ravel()[dice.choice(alpha.size, count, replace=False)] = dice.integers(lowest, 250, count)
    return coloured(alpha, seed)


def png(pixels, mode=None):
    out = io.BytesIO()
    Pillow.fromarray(pixels if mode is None or mode == "RGBA" else pixels[:, :, :3]).save(out, "PNG")
    return out.getvalue()


def card(pixels, mode="opaque", cutoff=None, box=(0, 0, 1, 1), emissive=(0.0, 0.0, 0.0), sampler=None, opacity=1.0, rgb=False):
    """A card that shows a rectangle of a picture."""
    made = mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]], "card")
    u0, v0, u1, v1 = box
    uv = Layer(np.array([[u0, v1], [u1, v1], [u1, v0], [u0, v0]], np.float32), np.arange(4, dtype=np.int32))
    made = replace(made, uvs=(uv,), slot_materials=(0,))
    data = png(pixels, "RGB" if rgb else None)
    inputs = (TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), 0, sampler=sampler or {}),)
    m = Material("material:0", "leaf", (1.0, 1.0, 1.0, opacity), 0.0, 1.0, emissive, mode, cutoff, False, inputs)
    image = Image("image:0", "leaf.png", "leaf.png", "embedded", media_type="image/png", load=lambda: data)
    return scene(made, materials=(m,), images=(image,))


CUT, SOFT, SOLID = leaves(128), smoke(128, 1), stray(128, 4, 7)
