"""How fast images are judged, with flat memory; and what UVs add to the inspection of a million triangles.

Run: PYTHONPATH=src python benchmarks/picture_speed.py [images]
"""

from __future__ import annotations

import io
import resource
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image as Pillow

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
sys.path.insert(0, str(Path(__file__).parent))
from make_model import bumpy_sphere

from handlens.core.measures import collect
from handlens.core.scene import Image, Layer, Material, Mesh, Node, Scene, TextureInput

SIDE = 2_048


def picture(number: int) -> bytes:
    """A 2,048² PNG with alpha: smooth colours, noise and a cut-out, so that neither decoder nor histogram has it easy."""
    dice = np.random.default_rng(number)
    small = dice.integers(0, 255, (64, 64, 4)).astype(np.uint8)
    drawn = np.asarray(Pillow.fromarray(small).resize((SIDE, SIDE), Pillow.Resampling.BILINEAR)).copy()
    drawn[::2, ::2, :3] ^= 3
    drawn[:, :, 3] = np.where(drawn[:, :, 3] > 128, 255, 0)
    out = io.BytesIO()
    Pillow.fromarray(drawn).save(out, "PNG", compress_level=1)
    return out.getvalue()


def images(count: int) -> None:
    """Judge `count` pictures, of which eight are kept as bytes and used over and over; decoding is done for each."""
    files = [picture(k) for k in range(8)]
    decoded = time.perf_counter()
    for data in files:
        Pillow.open(io.BytesIO(data)).convert("RGBA")
    decoded = (time.perf_counter() - decoded) / len(files)
    peaks = []
    for part in (count // 10, count):
        scene = Scene(
            "glb", (), (), (), (), tuple(Image(f"image:{k}", f"{k}", f"{k}.png", "found", load=lambda k=k: files[k % 8]) for k in range(part))
        )  # fmt: skip
        began = time.perf_counter()
        collect(scene)
        took = time.perf_counter() - began
        peaks.append(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
    print(f"{count} images of {SIDE}²: {count / took:.1f} a second, {took / count / decoded:.2f} times decoding alone")
    print(
        f"peak memory after {count // 10}: {peaks[0]:,.0f} MiB, after {count}: {peaks[1]:,.0f} MiB, {peaks[1] / peaks[0]:.2f} times"
    )


def uvs() -> None:
    """A million triangles measured without and with a UV set that an image is laid on by."""
    positions, index = bumpy_sphere(1_000_000)
    p = positions.astype(np.float64)
    uv = np.stack([np.arctan2(p[:, 2], p[:, 0]) / (2 * np.pi) + 0.5, np.arccos(np.clip(p[:, 1], -1, 1)) / np.pi], 1)
    corners = index.reshape(-1).astype(np.int32)
    bare = Mesh("mesh:0", "ball", p, corners, np.arange(len(index) + 1, dtype=np.int64) * 3, np.zeros(len(index), np.int32), (0,))
    data = picture(0)
    image = Image("image:0", "paint", "paint.png", "found", load=lambda: data)
    paint = Material("material:0", "paint", inputs=(TextureInput("base-colour", ("x",), 0),), alpha_mode="opaque")
    took = []
    for made, pictures in ((bare, ()), (replace(bare, uvs=(Layer(uv, corners),)), (image,))):
        inputs = paint.inputs if pictures else ()
        scene = Scene(
            "glb",
            (Node("node:0", "ball", mesh=0),),
            (0,),
            (made,),
            (replace(paint, inputs=inputs),),
            pictures,
            unit_metres=1.0,
            up_axis="Y",
        )
        began = time.perf_counter()
        collect(scene)
        took.append(time.perf_counter() - began)
    print(
        f"1M triangles: with UVs, image, overlap, density and what the faces show {took[1] / took[0]:.2f} times the measuring without"
    )


if __name__ == "__main__":
    images(int(sys.argv[1]) if len(sys.argv) > 1 else 300)
    uvs()
