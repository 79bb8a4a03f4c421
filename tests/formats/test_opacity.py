"""Alpha that a material has from its own picture or from one beside it, through every format and every mend."""

import gc
import io
import json
import weakref
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image as Pillow

from handlens.core import formats
from handlens.core.display import display_copy
from handlens.core.formats.collada.materials import OPAQUE
from handlens.core.judge import judge
from handlens.core.limits import MendError
from handlens.core.machine.sections import Opened
from handlens.core.measures import collect
from handlens.core.proof import prove
from handlens.core.route.measuring import measure
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Image, Material, TextureInput
from handlens.core.surface.opacity import in_colour, mode_of
from handlens.core.surface.shine import in_one
from kit.cards import card, leaves, png, smoke
from kit.library import OBJ, picture
from kit.scenes import read_files

CUT, SOFT = leaves(48), smoke(48, 1)
MODED, UNMODED = ("glb", "gltf", "usda", "usdz"), ("obj", "dae")


def told(s):
    return {f.check for f in judge(measure(s), load_sheet(None), Intent()).findings if f.station == "See-through"}


def through(tmp_path, made, fmt, folder="x"):
    (tmp_path / folder).mkdir()
    return read_files(tmp_path / folder, formats.write(made, fmt, "leaf"), f"leaf.{fmt}")


def alpha_of(s, material=0):
    """(H, W) alpha of what a material shows, and how it is drawn."""
    painted, _ = in_colour(s)
    m = painted.materials[material]
    colour = next(t for t in m.inputs if t.role == "base-colour")
    return np.asarray(Pillow.open(io.BytesIO(painted.images[colour.image].bytes())).convert("RGBA"))[:, :, 3], mode_of(m)


def _pairs():
    """Each format read and written once and once more: what is read and what is written meet in one scene and nowhere else."""
    every = [*MODED, *UNMODED]
    return [(first, every[(k + step) % len(every)]) for k, first in enumerate(every) for step in (0, 1)]


@pytest.mark.parametrize(("first", "then"), _pairs())
def test_a_mended_leaf_stays_mended_in_whatever_it_is_written(first, then, tmp_path):
    """glTF has modes (2.0 §3.9.4), USD an opacity and its threshold, the others a picture for alpha: map_d, `transparent`."""
    for name, pixels, mode in (("cut", CUT, "mask"), ("soft", SOFT, "blend")):
        came = through(tmp_path, card(pixels), first, f"{name} came")
        assert "see-through.ignored" in told(came)
        mended = apply_mend(came, "see-through.set", {"mode": "auto"}).scene
        assert not told(mended)
        out = through(tmp_path, mended, then, f"{name} out")
        assert "see-through.ignored" not in told(out)
        alpha, drawn = alpha_of(out)
        assert np.array_equal(alpha, pixels[:, :, 3])
        # What has no modes comes back blended: its threshold is said to be lost before writing.
        assert drawn == (mode if then in MODED else "blend")
        said = [x for x in formats.what_is_lost(mended, then) if "threshold" in x]
        assert bool(said) == (mode == "mask" and then in UNMODED)
        assert [r for r in prove(mended, out).rows if r.result == "stop"] == []


@pytest.mark.parametrize("fmt", [*MODED, *UNMODED])
def test_solid_again(fmt, tmp_path):
    came = through(tmp_path, card(SOFT, "blend"), fmt, "came")
    assert alpha_of(came)[1] == "blend"
    solid = apply_mend(came, "see-through.set", {"mode": "opaque"}).scene
    assert alpha_of(through(tmp_path, solid, fmt, "out"))[1] == "opaque"
    with pytest.raises(MendError, match="that alpha mode already"):
        apply_mend(solid, "see-through.set", {"mode": "opaque"})


# --- a picture for alpha alone -------------------------------------------------------------------------------

LEAF, GREY = CUT[:, :, :3], CUT[:, :, 3]
LIBRARY = "newmtl leaf\nKd 1 1 1\nmap_Kd leaf.png\n{alpha}\n"


def leaf(tmp_path, alpha, **pictures):
    files = {"leaf.obj": OBJ, "leaf.mtl": LIBRARY.format(alpha=alpha), "leaf.png": picture(LEAF)} | pictures
    return read_files(tmp_path, files, "leaf.obj")


@pytest.mark.parametrize("then", MODED)
def test_colour_and_alpha_are_painted_into_one(then, tmp_path):
    s = leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(GREY)})
    out = through(tmp_path, s, then, "out")
    alpha, mode = alpha_of(out)
    assert np.array_equal(alpha, GREY)
    assert mode == "blend"
    shown = np.asarray(Pillow.open(io.BytesIO(out.images[0].bytes())).convert("RGB"))
    assert np.array_equal(shown, LEAF)
    assert len(s.images) == 2, "what came is left as it was"
    said = "The picture for the alpha of leaf is painted into its colour's: leaf_alpha.png."
    assert [said in formats.what_is_lost(s, name) for name in (*MODED, "dae", "obj")] == [True] * 5 + [False]


@pytest.mark.parametrize(
    ("alpha", "shape", "wanted"),
    [
        ("map_d shape.png", GREY, GREY),
        ("map_d -imfchan g shape.png", np.dstack([GREY * 0, GREY, GREY * 0]), GREY),
        ("map_d -imfchan b shape.png", np.dstack([GREY * 0, GREY * 0, GREY]), GREY),
        ("map_d -imfchan m shape.png", np.dstack([LEAF, GREY]), GREY),
        ("map_d shape.png", np.dstack([LEAF, GREY]), GREY),
        ("map_d -imfchan l shape.png", np.dstack([GREY, GREY, GREY, GREY * 0 + 255]), GREY),
    ],
)
def test_which_channel_is_alpha(alpha, shape, wanted, tmp_path):
    """Wavefront MTL, option -imfchan: r, g, b, m for matte, l for luminance (weights of ITU-R BT.709-6 §3.2)."""
    s = leaf(tmp_path, alpha, **{"shape.png": picture(np.ascontiguousarray(shape.astype(np.uint8)))})
    assert np.array_equal(alpha_of(s)[0], wanted)


@pytest.mark.parametrize("statement", ["map_d", "map_Pr"])
def test_sixteen_bits_of_grey_are_taken_by_their_high_byte(statement, tmp_path):
    deep = GREY.astype(np.uint16) * 257
    s = leaf(tmp_path, f"{statement} shape.png", **{"shape.png": picture(deep)})
    if statement == "map_d":
        assert np.array_equal(alpha_of(s)[0], GREY)
        assert collect(s).materials[0].alpha.mode == "mask"
        return
    packed, _ = in_one(s)
    slot = next(t for t in packed.materials[0].inputs if t.role == "metallic-roughness")
    assert np.array_equal(np.asarray(Pillow.open(io.BytesIO(packed.images[slot.image].bytes())))[:, :, 1], GREY)


def test_pictures_are_painted_once_a_scene(tmp_path):
    """Nine formats ask what would be lost, and the checks and the stage paint too."""
    s = leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(GREY)})
    first = in_colour(s)
    assert in_colour(s) is first
    assert in_colour(s.with_(main="x"))[0] is not first[0]


def test_no_scene_is_kept_for_having_been_asked_about(tmp_path):
    for make in (lambda: card(CUT), lambda: leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(GREY)})):
        made = make()
        there = weakref.ref(made)
        in_colour(made)
        in_one(made)
        del made
        gc.collect()
        assert there() is None


def test_pictures_larger_than_what_is_decoded_are_not_painted(tmp_path, monkeypatch):
    from handlens.core import limits

    monkeypatch.setattr(limits, "MAX_IMAGE_PIXELS", 100)
    s = leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(GREY)})
    assert in_colour(s)[1] == ["The image of the alpha of leaf cannot be opened, so it is left out."]


def test_luminance_weighs_as_the_eye_does(tmp_path):
    red = np.zeros((4, 4, 3), np.uint8)
    red[:, :, 0] = 255
    s = leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(red)})
    assert (alpha_of(s)[0] == round(255 * 0.2126)).all()


def test_the_larger_of_two_pictures_gives_the_size(tmp_path):
    small = leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(np.full((8, 8), 128, np.uint8))})
    assert alpha_of(small)[0].shape == GREY.shape
    (tmp_path / "other").mkdir()
    large = leaf(tmp_path / "other", "map_d shape.png", **{"shape.png": picture(np.kron(GREY, np.ones((2, 2), np.uint8)))})
    alpha, _ = alpha_of(large)
    assert alpha.shape == (2 * GREY.shape[0], 2 * GREY.shape[1])
    assert np.array_equal(alpha[::2, ::2], GREY)


def test_a_picture_named_twice_that_has_no_alpha_says_nothing(tmp_path):
    """Writers that name the colour's picture as that of alpha whatever it holds: common practice, no published source."""
    s = leaf(tmp_path, "map_d leaf.png")
    painted, lost = in_colour(s)
    assert (painted.materials[0].alpha_mode, lost) == ("opaque", [])
    # Where luminance is asked for in so many words, it is taken.
    (tmp_path / "other").mkdir()
    asked = leaf(tmp_path / "other", "map_d -imfchan l leaf.png")
    assert alpha_of(asked)[1] == "blend"


def test_alpha_that_is_solid_all_over_is_not_blended(tmp_path):
    s = leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(np.full((8, 8), 255, np.uint8))})
    assert alpha_of(s)[1] == "opaque"


def test_alpha_without_a_colour_is_white(tmp_path):
    text = "newmtl leaf\nKd 0.2 0.6 0.1\nmap_d shape.png\n"
    s = read_files(tmp_path, {"leaf.obj": OBJ, "leaf.mtl": text, "shape.png": picture(GREY)}, "leaf.obj")
    painted, _ = in_colour(s)
    colour = painted.materials[0].inputs[0]
    pixels = np.asarray(Pillow.open(io.BytesIO(painted.images[colour.image].bytes())))
    assert (pixels[:, :, :3] == 255).all()
    assert np.array_equal(pixels[:, :, 3], GREY)
    assert painted.materials[0].base_colour[:3] == (0.2, 0.6, 0.1)


def test_materials_that_share_pictures_share_the_painted_one(tmp_path):
    text = LIBRARY.format(alpha="map_d shape.png") + LIBRARY.format(alpha="map_d shape.png").replace("leaf\nKd 1", "leaf2\nKd 0")
    s = read_files(
        tmp_path, {"leaf.obj": OBJ, "leaf.mtl": text, "leaf.png": picture(LEAF), "shape.png": picture(GREY)}, "leaf.obj"
    )
    painted, _ = in_colour(s)
    assert len(painted.images) == 3
    assert len({t.image for m in painted.materials for t in m.inputs}) == 1


@pytest.mark.parametrize("broken", [None, b"no picture"])
def test_alpha_that_cannot_be_opened_is_said_and_not_drawn(broken, tmp_path):
    s = leaf(tmp_path, "map_d shape.png", **({"shape.png": broken} if broken else {}))
    painted, lost = in_colour(s)
    assert lost == ["The image of the alpha of leaf cannot be opened, so it is left out."]
    assert painted.materials[0].alpha_mode == "opaque"
    assert lost[0] in formats.what_is_lost(s, "glb")
    document = json.loads(formats.write(s, "gltf", "leaf")["leaf.gltf"])
    assert "alphaMode" not in document["materials"][0]


def test_alpha_that_is_laid_on_otherwise_is_said():
    made = card(CUT)
    m = made.materials[0]
    other = TextureInput("alpha", ("transparent",), 0, uv_set=1)
    s = made.with_(materials=(replace(m, alpha_mode=None, inputs=(*m.inputs, other)),), format="dae")
    assert in_colour(s)[1] == ["The alpha of leaf is laid on in another way than its colour, so it is left out."]


def test_a_file_of_the_same_format_keeps_both_pictures(tmp_path):
    s = leaf(tmp_path, "map_d -imfchan g shape.png", **{"shape.png": picture(np.dstack([GREY] * 3))})
    out = formats.write(s, "obj", "leaf")
    assert b"map_d -imfchan g shape.png" in out["leaf.mtl"]
    assert out["shape.png"] == s.images[1].bytes()


def test_auto_goes_by_the_picture_of_alpha(tmp_path):
    """The colour's own picture is solid: alone it would ask for opaque, and the leaf would be a box again."""
    s = leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(GREY)})
    mended = apply_mend(s, "see-through.set", {"mode": "auto"})
    whole = apply_mend(card(CUT), "see-through.set", {"mode": "auto"}).scene.materials[0]
    assert [f.before for f in mended.figures] == ["blend"]
    out = through(tmp_path, mended.scene, "glb", "out")
    assert (out.materials[0].alpha_mode, out.materials[0].alpha_cutoff) == ("mask", whole.alpha_cutoff)
    assert np.array_equal(alpha_of(out)[0], GREY)


def test_the_stage_draws_the_painted_picture(tmp_path):
    s = leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(GREY)})
    drawn = Opened(display_copy(s))
    m = drawn.header["materials"][0]
    image = drawn.header["images"][m["image"]]
    assert (m["alphaMode"], image["alpha"]) == ("blend", True)
    pixels = np.asarray(Pillow.open(io.BytesIO(drawn.bytes(image["at"], image["bytes"]))))
    assert np.array_equal(pixels[:, :, 3], GREY)


@pytest.mark.parametrize(
    ("opaque", "wanted"), [("A_ONE", GREY), ("A_ZERO", 255 - GREY), ("RGB_ONE", None), ("RGB_ZERO", None), ("", GREY)]
)
def test_what_see_through_means_in_collada(opaque, wanted, tmp_path):
    """COLLADA 1.5, chapter 4, "Determining Transparency (Opacity)": alpha or luminance, and whether one or nought is solid."""
    made = card(CUT)
    image = Image(
        "image:1",
        "s",
        "s.png",
        "embedded",
        media_type="image/png",
        load=lambda: png(np.dstack([CUT[:, :, 3]] * 3 + [CUT[:, :, 3]])),
    )
    alpha = TextureInput("alpha", ("transparent",), 1, channel=OPAQUE[opaque or "A_ONE"])
    m = replace(made.materials[0], alpha_mode=None, source={}, inputs=(*made.materials[0].inputs, alpha))
    s = made.with_(materials=(m,), images=(*made.images, image), format="dae", linear=False)
    if wanted is None:
        wanted = GREY if opaque == "RGB_ONE" else 255 - GREY
    assert np.abs(alpha_of(s)[0].astype(int) - wanted).max() <= 1
    back = through(tmp_path, s, "dae")
    assert next(t for t in back.materials[0].inputs if t.role == "alpha").channel == OPAQUE[opaque or "A_ONE"]


def test_usd_keeps_the_channel_of_its_opacity(tmp_path):
    """An opacity that is read from the alpha of the colour's picture, written again, is not read from red."""
    for name, pixels, mode in (("cut", CUT, "mask"), ("soft", SOFT, "blend")):
        once = through(
            tmp_path,
            card(pixels, mode, 0.4 if mode == "mask" else None, opacity=0.5 if mode == "blend" else 1.0),
            "usda",
            f"{name} once",
        )
        twice = through(tmp_path, once, "usda", f"{name} twice")
        for s in (once, twice):
            assert next(t for t in s.materials[0].inputs if t.role == "alpha").channel == "a"
            assert np.array_equal(alpha_of(s)[0], pixels[:, :, 3])
            assert s.materials[0].alpha_mode == mode
        assert twice.materials[0].base_colour[3] == once.materials[0].base_colour[3] == (0.5 if mode == "blend" else 1.0)


def test_what_has_no_alpha_stays_the_very_same():
    made = card(CUT, "mask")
    assert in_colour(made)[0] is made
    assert mode_of(Material("m", "tar")) == "opaque"
    assert mode_of(Material("m", "tar", base_colour=(1, 1, 1, 0.5))) == "blend"
    assert mode_of(Material("m", "tar", base_colour=(1, 1, 1, 0.5), alpha_mode="opaque")) == "opaque"


# --- and what the checks make of it --------------------------------------------------------------------------


def test_a_leaf_with_a_picture_for_alpha_is_judged_as_it_will_be_drawn(tmp_path):
    s = leaf(tmp_path, "map_d shape.png", **{"shape.png": picture(GREY)})
    m = collect(s).materials[0]
    assert (m.alpha_mode, m.drawn, m.alpha.mode) == (None, "blend", "mask")
    assert m.shown.see == pytest.approx((GREY < 250).mean(), abs=0.02)
    assert told(s) == {"see-through.mode"}, "blended where it comes to, though a cut-out would do"
    assert told(apply_mend(s, "see-through.set", {"mode": "auto"}).scene) == set()


@pytest.mark.parametrize("shape", [None, b"no picture"])
def test_nothing_is_said_of_alpha_that_nobody_can_look_at(shape, tmp_path):
    s = leaf(tmp_path, "map_d shape.png", **({"shape.png": shape} if shape else {}))
    assert told(s) == set()


def test_a_stage_that_blends_for_nothing_is_told(tmp_path):
    solid = np.dstack([LEAF, np.full(GREY.shape, 255, np.uint8)])
    for fmt in ("glb", "usda"):
        assert told(through(tmp_path, card(solid, "blend"), fmt, fmt)) == {"see-through.for-nothing"}


def test_an_opacity_in_a_material_library_is_blended_where_it_goes(tmp_path):
    """Two panes of glass, one in the other: their order is told although OBJ itself has no order."""
    from kit.scenes import cube, scene

    glass = Material("m", "glass", base_colour=(1, 1, 1, 0.4))
    panes = scene(cube("outer", 4.0, (-2, -2, -2)), cube("inner", 1.0, (-0.2, -0.5, -0.5)), materials=(glass,), format="obj")
    panes = panes.with_(meshes=tuple(replace(m, slot_materials=(0,)) for m in panes.meshes))
    assert "see-through.draw-order" in told(through(tmp_path, panes, "obj"))
    assert "see-through.draw-order" not in told(
        through(tmp_path, panes.with_(materials=(Material("m", "brass"),)), "obj", "solid")
    )
