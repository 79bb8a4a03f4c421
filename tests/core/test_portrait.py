"""The picture on the Shelf: what it shows is where it should be, in its own colours."""

import io
from dataclasses import replace

import numpy as np
from PIL import Image as Pillow

from handlens.core.display import display_copy
from handlens.core.display.portrait import HEIGHT, WIDTH, portrait
from handlens.core.scene import Material, Mesh
from kit.cards import CUT, card
from kit.pictures import png, textured
from kit.scenes import cube, mesh, rigged, scene

PAPER = np.array([0xF6, 0xF1, 0xE7])


def drawn(made):
    data = portrait(display_copy(made))
    picture = Pillow.open(io.BytesIO(data))
    assert (picture.format, picture.size) == ("WEBP", (WIDTH, HEIGHT))
    return np.asarray(picture.convert("RGB")).astype(int)


def inked(pixels):
    return np.abs(pixels - PAPER).sum(axis=2) > 40


def test_it_stands_near_the_lower_edge_whatever_its_size():
    for made in (cube(size=0.003), cube(size=900.0, at=(5000.0, 20.0, -7.0))):
        rows = np.flatnonzero(inked(drawn(scene(made))).any(axis=1))
        assert rows.max() > 0.93 * HEIGHT
        assert rows.min() < 0.1 * HEIGHT


def test_colours_are_the_materials_own():
    def hue(colour):
        pixels = drawn(scene(cube(), materials=(Material("m", "tar", base_colour=(*colour, 1.0), alpha_mode="opaque"),)))
        return pixels[HEIGHT // 2, WIDTH // 2]

    red, blue = hue((0.6, 0.05, 0.05)), hue((0.05, 0.05, 0.6))
    assert red[0] > 2 * red[2]
    assert blue[2] > 1.5 * blue[0]
    pictured = drawn(textured(png(colour=(20, 160, 40))))
    assert (np.argmax(pictured[inked(pictured)], axis=1) == 1).mean() > 0.8


def test_cut_outs_are_seen_through_and_so_is_glass():
    solid = drawn(scene(cube(), materials=(Material("m", "tar", base_colour=(0.1, 0.1, 0.1, 1.0), alpha_mode="opaque"),)))
    glass = drawn(scene(cube(), materials=(Material("m", "tar", base_colour=(0.1, 0.1, 0.1, 0.3), alpha_mode="blend"),)))
    assert glass[HEIGHT // 2, WIDTH // 2].sum() > solid[HEIGHT // 2, WIDTH // 2].sum() + 100
    leaf = inked(drawn(card(CUT)))
    whole = inked(drawn(textured(png())))
    assert leaf.sum() < 0.8 * whole.sum()


def test_nothing_to_draw_has_no_picture_and_broken_shapes_have_one():
    assert portrait(display_copy(scene(Mesh("m", "points", np.eye(3), points=np.arange(3, dtype=np.int32))))) is None
    torn = cube()
    assert inked(drawn(scene(replace(torn, positions=np.vstack([torn.positions[:-1], [[np.nan] * 3]]))))).any()
    assert inked(drawn(rigged(np.random.default_rng(2)))).any()
    assert inked(drawn(scene(mesh([[0, 0, 0], [1, 0, 0], [2, 0, 1e-9]], [[0, 1, 2]])))).any() in (True, False)
