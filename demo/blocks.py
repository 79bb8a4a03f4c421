"""What the demo models are built of: meshes, materials and pictures, and writing them into their folders."""

from __future__ import annotations

import io
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image as Pillow
from PIL import ImageDraw

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
import shapes as sh
from handlens.core.display import shading_normals
from handlens.core.formats import write
from handlens.core.scene import Image, Layer, Material, Mesh, Scene, TextureInput

OUT = Path(__file__).parent / "models"


def mesh(number: int, name: str, solid: sh.Solid, material: int, uv: str = "") -> Mesh:
    """A mesh of one slot. uv: "" for none, "box" for the dominant plane, "round" for about the Y axis."""
    points, faces = solid
    corners = np.array([i for f in faces for i in f], np.int32)
    starts = np.concatenate([[0], np.cumsum([len(f) for f in faces])]).astype(np.int64)
    made = Mesh(
        id=f"mesh:{number}",
        name=name,
        positions=np.asarray(points, np.float64),
        corners=corners,
        starts=starts,
        slots=np.zeros(len(faces), np.int32),
        slot_materials=(material,),
    )
    made = replace(made, normals=shading_normals(made, made.positions))
    if not uv:
        return made
    p = made.positions[corners]
    if uv == "round":
        flat = np.stack([np.arctan2(p[:, 2], p[:, 0]) / (2 * np.pi) + 0.5, (p[:, 1] - p[:, 1].min()) / np.ptp(p[:, 1])], 1)
        # A face across the seam goes on past the image's end instead of back over all of it.
        face = np.repeat(np.arange(len(faces)), np.diff(starts))
        most = np.full(len(faces), -np.inf)
        np.maximum.at(most, face, flat[:, 0])
        flat[:, 0] += flat[:, 0] < most[face] - 0.5
    else:
        n = np.abs(made.normals.values[made.normals.index])
        drop = n.argmax(axis=1)
        flat = np.stack([np.where(drop == 0, p[:, 2], p[:, 0]), np.where(drop == 1, p[:, 2], p[:, 1])], 1) * 4
    values, index = np.unique(flat.astype(np.float32), axis=0, return_inverse=True)
    return replace(made, uvs=(Layer(values, index.reshape(-1).astype(np.int32)),))


def material(
    number: int,
    name: str,
    hex_colour: str,
    image: int | None = None,
    mode: str = "opaque",
    rough: float = 0.8,
    linear: bool = True,
) -> Material:
    """linear: glTF counts colours linearly, an OBJ's library as they are seen."""
    rgb = [int(hex_colour[k : k + 2], 16) / 255 for k in (0, 2, 4)]
    if linear:
        rgb = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in rgb]
    colour = (1.0, 1.0, 1.0, 1.0) if image is not None else (*rgb, 1.0)
    inputs = () if image is None else (TextureInput("base-colour", ("pbrMetallicRoughness", "baseColorTexture"), image),)
    source = {"pbrMetallicRoughness": {"baseColorFactor": list(colour), "metallicFactor": 0.0, "roughnessFactor": rough}}
    if mode != "opaque":
        source["alphaMode"] = mode.upper()
    return Material(
        f"material:{number}", name, colour, 0.0, rough, alpha_mode=mode, double_sided=False, inputs=inputs, source=source
    )


def picture(number: int, name: str, drawn: Pillow.Image) -> Image:
    out = io.BytesIO()
    drawn.save(out, "PNG", optimize=True)
    data = out.getvalue()
    return Image(f"image:{number}", name, name, "embedded", media_type="image/png", load=lambda: data)


def save(folder: str, scene: Scene, form: str, stem: str) -> list[str]:
    files = write(scene, form, stem)
    place = OUT / folder
    place.mkdir(parents=True, exist_ok=True)
    for old in place.iterdir():
        old.unlink()
    for name, data in files.items():
        (place / name).write_bytes(data)
    return list(files)


# --- pictures ---------------------------------------------------------------------------------------------


def wood(w: int, h: int, base: tuple[int, int, int]) -> Pillow.Image:
    y = np.arange(h)[:, None]
    x = np.arange(w)[None, :]
    grain = 10 * np.sin(y / 3.1 + 2 * np.sin(x / 41)) + 6 * np.sin(y / 1.3 + x / 90)
    return Pillow.fromarray(np.clip(np.array(base) + grain[..., None], 0, 255).astype(np.uint8))


def net() -> Pillow.Image:
    drawn = Pillow.new("RGBA", (128, 128), (150, 168, 132, 0))
    pen = ImageDraw.Draw(drawn)
    for k in range(-128, 256, 32):
        pen.line([(k, 0), (k + 128, 128)], fill=(122, 140, 108, 255), width=5)
        pen.line([(k + 128, 0), (k, 128)], fill=(122, 140, 108, 255), width=5)
    return drawn


def scale_board(size: int) -> Pillow.Image:
    drawn = Pillow.new("RGB", (size, size), (238, 228, 204))
    pen = ImageDraw.Draw(drawn)
    for k in range(40):
        y = size - k * size // 40
        pen.rectangle([0, y - size // 80, size * (5 if k % 10 == 0 else 3 if k % 5 == 0 else 2) // 8, y], fill=(38, 48, 52))
    return drawn


def paint(size: int) -> Pillow.Image:
    drawn = Pillow.new("RGB", (size, size), (110, 132, 106))
    pen = ImageDraw.Draw(drawn)
    for k in range(0, size, size // 16):
        pen.rectangle([0, k, size, k + size // 120], fill=(98, 119, 95))
    return drawn


def bands() -> Pillow.Image:
    drawn = Pillow.new("RGB", (64, 128), (178, 84, 66))
    ImageDraw.Draw(drawn).rectangle([0, 48, 64, 80], fill=(226, 212, 182))
    return drawn
