"""A square with a material library."""

from __future__ import annotations

import io

from PIL import Image as Pillow

OBJ = "mtllib leaf.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nusemtl leaf\nf 1/1 2/2 3/3 4/4\n"


def picture(pixels, kind="PNG"):
    out = io.BytesIO()
    Pillow.fromarray(pixels).save(out, kind)
    return out.getvalue()
