"""Alpha decisions on pictures made from known recipes, and the mends that follow them."""

import numpy as np
import pytest
from PIL import Image as Pillow

from handlens.core import formats
from handlens.core.judge import judge
from handlens.core.limits import MendError
from handlens.core.measures import collect
from handlens.core.measures.alpha import alpha_figures
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.stations.see_through.mends import brightness_as_alpha
from kit.cards import CUT, SOFT, SOLID, card, coloured, leaves, smoke, stray


def glass(size, level):
    return coloured(np.full((size, size), level, np.uint8))


def nearly(size, level):
    return coloured(np.full((size, size), level, np.uint8))


def premultiplied(pixels):
    rgb = pixels[:, :, :3].astype(int) * pixels[:, :, 3:] // 255
    return np.dstack([rgb, pixels[:, :, 3]]).astype(np.uint8)


RECIPES = [
    *[(f"cut-out smoothed {s} {k}", leaves(s, seed=k), "mask") for s in (64, 128, 256) for k in (1, 2)],
    *[(f"cut-out hard {s}", leaves(s, smooth=False), "mask") for s in (16, 32, 64, 256)],
    *[(f"soft rim {k}", leaves(256, soft=s, seed=k), "blend") for k, s in enumerate((0.03, 0.05, 0.08))],
    *[(f"smoke {s} {k}", smoke(s, k), "blend") for s in (64, 256) for k in (0, 1, 2)],
    *[(f"glass {level}", glass(64, level), "blend") for level in (64, 128, 200)],
    *[(f"stray {s} {n}", stray(s, n, s), "opaque") for s, n in ((64, 3), (128, 10), (256, 40), (512, 100))],
    *[(f"stray faint {s}", stray(s, s // 16, s, 200), "opaque") for s in (128, 256)],
    *[(f"all but solid {v}", nearly(64, v), "opaque") for v in (251, 253, 254, 255)],
    *[(f"premultiplied cut-out {k}", premultiplied(leaves(128, seed=k)), "mask") for k in (3, 4, 5)],
    *[(f"premultiplied smoke {k}", premultiplied(smoke(128, k)), "blend") for k in (0, 1)],
]


def test_alpha_is_told_as_the_recipe_says():
    """At least 95 % of 37 labelled pictures, and not one of the opaque ones as see-through."""
    told = [(name, alpha_figures(p).mode, wanted) for name, p, wanted in RECIPES]
    wrong = [t for t in told if t[1] != t[2]]
    assert len(told) >= 30
    assert len(wrong) <= 0.05 * len(told), wrong
    assert not [t for t in wrong if t[2] == "opaque"]


def test_premultiplied_is_told_from_plain():
    assert [alpha_figures(p).premultiplied for name, p, _ in RECIPES if name.startswith("premultiplied")] == [True] * 5
    plain = [name for name, p, _ in RECIPES if not name.startswith("premultiplied") and alpha_figures(p).premultiplied]
    assert plain == []


def test_the_cut_off_is_the_default_unless_it_cuts_something():
    """glTF 2.0 §3.9.4: alphaCutoff is 0.5 by default. Two clusters at 40 and 140 of 255 are parted between them."""
    assert alpha_figures(leaves(64, smooth=False)).cutoff == 0.5
    # A twentieth of the pixels lies at 110: one half would halve nothing, so the threshold goes where it parts best.
    alpha = np.full((100, 100), 250, np.uint8)
    alpha[:40], alpha[40:45] = 10, 110
    figures = alpha_figures(coloured(alpha))
    assert figures.mode == "mask"
    assert figures.cutoff != 0.5
    assert 110 / 255 < figures.cutoff < 250 / 255


def told(s, sheet="realtime-engine"):
    return {f.check: f.result for f in judge(collect(s), load_sheet(sheet), Intent()).findings if f.station == "See-through"}


@pytest.mark.parametrize(
    ("made", "wanted"),
    [
        (card(CUT), {"see-through.ignored": "stop"}),
        (card(CUT, "mask"), {}),
        (card(CUT, "mask", 0.45), {}),
        (card(CUT, "blend"), {"see-through.mode": "note"}),
        (card(SOFT, "blend"), {}),
        (card(SOFT, "mask"), {"see-through.mode": "caution"}),
        (card(SOFT), {"see-through.ignored": "stop"}),
        (card(SOLID), {}),
        (card(SOLID, "blend"), {"see-through.faint": "note", "see-through.for-nothing": "caution"}),
        (card(SOLID, "blend", opacity=0.4), {"see-through.faint": "note"}),
        (card(CUT, None), {"see-through.ignored": "caution"}),
        (card(premultiplied(SOFT), "blend"), {"see-through.premultiplied": "caution"}),
    ],
)
def test_see_through_checks(made, wanted):
    """glTF 2.0 §3.9.4: OPAQUE ignores alpha, MASK compares it with the cut-off, BLEND composites."""
    assert told(made) == wanted


def test_pixels_that_no_face_shows_are_nobodys_trouble():
    half = CUT.copy()
    half[:, 64:, 3] = 255
    assert told(card(half)) == {"see-through.ignored": "stop"}
    assert told(card(half, box=(0.51, 0, 1, 1))) == {}
    # The same on the other side of a repeat: the standard's default wrapping (§3.8.4.4).
    assert told(card(half, box=(2.51, 0, 3, 1))) == {}
    # Held at the border, only the solid side's last column is shown.
    assert told(card(half, box=(2.0, 0, 3.0, 1), sampler={"wrapS": 33071})) == {}


def test_a_threshold_that_drops_what_is_meant():
    thin = leaves(128)
    thin[:, :, 3] = (thin[:, :, 3] * 0.8).astype(np.uint8)
    thin[thin[:, :, 3] > 190, 3] = 235
    assert "see-through.cut-off" not in told(card(thin, "mask"))
    assert told(card(thin, "mask", 0.95)) == {"see-through.cut-off": "caution"}


def glow(size=96, black=0.75):
    y, x = np.mgrid[-1 : 1 : size * 1j, -1 : 1 : size * 1j]
    heat = np.clip(1 - np.hypot(x, y) / black, 0, 1)
    return np.dstack([255 * heat, 180 * heat**1.5, 90 * heat**2, np.full_like(heat, 255)]).astype(np.uint8)


def test_brightness_is_offered_for_glows_alone():
    assert told(card(glow(), rgb=True)) == {"see-through.brightness": "caution"}
    # Baked pictures have black between their islands, but no face shows it, and nothing fades into it.
    atlas = np.zeros((96, 96, 4), np.uint8)
    atlas[10:60, 10:60] = (200, 160, 120, 255)
    atlas[:, :, 3] = 255
    assert told(card(atlas, box=(0.15, 0.15, 0.6, 0.6), rgb=True)) == {}
    assert told(card(atlas, rgb=True)) == {}


@pytest.mark.parametrize("by", ["luma", "greatest"])
def test_brightness_as_alpha_looks_the_same_over_black(by):
    """Colours times alpha are those that were there; luma by the weights of ITU-R BT.709-6 §3.2."""
    pixels = glow()
    made = brightness_as_alpha(pixels, by).astype(float)
    over_black = made[:, :, :3] * made[:, :, 3:] / 255
    if by == "greatest":
        assert np.abs(over_black - pixels[:, :, :3]).max() <= 1.0
    else:
        luma = pixels[:, :, :3].astype(float) @ [0.2126, 0.7152, 0.0722]
        assert np.abs(made[:, :, 3] - luma).max() <= 0.5
    grey = np.dstack([np.full((4, 4, 3), 77), np.full((4, 4), 255)]).astype(np.uint8)
    assert (brightness_as_alpha(grey, by) == [255, 255, 255, 77]).all()


def test_mends_settle_what_the_checks_tell():
    for made, mend, params in [
        (card(CUT), "see-through.set", {"mode": "auto"}),
        (card(SOFT), "see-through.set", {"mode": "auto", "materials": "leaf"}),
        (card(SOLID, "blend"), "see-through.set", {"mode": "auto"}),
        (card(glow(), rgb=True), "see-through.from-brightness", {"by": "greatest"}),
        (card(premultiplied(SOFT), "blend"), "see-through.divide", {}),
    ]:
        after = apply_mend(made, mend, params).scene
        assert set(told(after)) <= {"see-through.faint"}
        # The file that came is left as it is.
        assert made.images[0].bytes() in [i.bytes() for i in (*after.images, *made.images)]
    with pytest.raises(MendError, match="the alpha mode that its image needs"):
        apply_mend(card(CUT, "mask"), "see-through.set", {})


def test_the_mode_is_in_the_materials_own_description():
    after = apply_mend(card(CUT), "see-through.set", {}).scene.materials[0]
    assert after.alpha_mode == "mask"
    assert b'"alphaMode":"MASK"' in formats.write(scene_of(after), "gltf", "x")["x.gltf"]
    back = apply_mend(scene_of(after), "see-through.set", {"mode": "opaque"}).scene
    assert b"alphaMode" not in formats.write(back, "gltf", "x")["x.gltf"]


def scene_of(material):
    made = card(CUT)
    return made.with_(materials=(material,))


def test_pixel_art_is_told_and_sampled_plainly():
    plan = np.random.default_rng(5).integers(0, 4, (16, 16))
    art = np.array([[40, 40, 60, 255], [150, 60, 40, 255], [220, 200, 120, 255], [90, 140, 90, 255]], np.uint8)[plan]
    assert told(card(art)) == {"see-through.pixel-art": "note"}
    after = apply_mend(card(art), "see-through.nearest", {}).scene
    assert after.materials[0].inputs[0].sampler["magFilter"] == 9728  # NEAREST, glTF 2.0 §5.27.1
    assert told(after) == {}
    photograph = np.asarray(Pillow.fromarray(art[:, :, :3]).resize((64, 64), Pillow.Resampling.BICUBIC).convert("RGBA"))
    assert told(card(photograph)) == {}
