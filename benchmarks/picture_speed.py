"""How fast images are judged, with flat memory.

Run: PYTHONPATH=src python benchmarks/picture_speed.py [images]
"""

from __future__ import annotations

import io
import resource
import sys
import time
from pathlib import Path

import numpy as np
from PIL import Image as Pillow

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))
from handlens.core.measures import collect
from handlens.core.scene import Image, Scene

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
            "glb",
            (),
            (),
            (),
            (),
            tuple(Image(f"image:{k}", f"{k}", f"{k}.png", "found", load=lambda k=k: files[k % 8]) for k in range(part)),
        )
        began = time.perf_counter()
        collect(scene)
        took = time.perf_counter() - began
        peaks.append(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
    print("# Pictures: speed and memory\n\nMade by `benchmarks/picture_speed.py`; one run, one machine.\n\n| | |\n|---|---|")
    print(
        f"| {count} images of {SIDE:,}², PNG with alpha | {count / took:.1f} a second; {took / count / decoded:.2f} times decoding alone |"
    )
    print(f"| peak memory after {count}, over that after {count // 10} | {peaks[1] / peaks[0]:.2f} |")
    print("\nPictures are decoded one at a time and let go. What UVs add is in `inspect_speed.md`.")


if __name__ == "__main__":
    images(int(sys.argv[1]) if len(sys.argv) > 1 else 300)
