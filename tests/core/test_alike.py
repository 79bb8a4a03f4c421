"""Whether pictures look alike."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from conftest import ROOT
from handlens.core.surface.alike import ALIKE, hash_distance, look_hash
from kit.pictures import png

PICTURES = sorted((ROOT / "docs" / "screenshots").glob("*.png"))[:6] + sorted((ROOT / "demo" / "models").rglob("board_front.png"))


def again(path, size, kind):
    out = io.BytesIO()
    with Image.open(path) as image:
        image.convert("RGB").resize(size).save(out, kind)
    return out.getvalue()


@pytest.mark.parametrize("path", PICTURES, ids=lambda path: path.name)
def test_a_picture_looks_like_itself_however_it_is_scaled_and_packed(path):
    known = look_hash(path.read_bytes())
    for size, kind in (((512, 512), "JPEG"), ((96, 96), "PNG"), ((300, 150), "WEBP")):
        assert hash_distance(known, look_hash(again(path, size, kind))) <= ALIKE, (size, kind)


def test_pictures_of_two_things_do_not():
    dice = np.random.default_rng(4)
    found = []
    for _ in range(30):
        out = io.BytesIO()
        Image.fromarray(dice.integers(0, 255, (9, 9, 3), np.uint8)).resize((120, 120)).save(out, "PNG")
        found.append(look_hash(out.getvalue()))
    apart = [hash_distance(a, b) for k, a in enumerate(found) for b in found[:k]]
    assert min(apart) > ALIKE


def test_what_is_no_picture_or_of_one_colour_has_no_look():
    assert look_hash(b"mud") is None
    assert look_hash(png((8, 8))) is None
