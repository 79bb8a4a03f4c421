"""See-through: whether a material's mode fits the alpha of the image that it paints with."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Elements, Finding, Skipped, check, node_key, nodes, value
from ...declare.station_measures import reading
from ...kit.parts import for_materials
from ...measures import Measures
from ...measures.pictures import glows
from ...measures.records import AlphaFigures, ImageFigures, MaterialFigures
from ...rules import Intent, RuleSheet
from ...scene.headings import heading
from ...words.calls import Call
from ...words.figures import percent
from .measures import OWN
from .messages import say
from .records import SeeThroughMeasures

Found = Iterator[Finding | Skipped]

#: Share of what a material shows that must be see-through before anybody would see it.
SEEN = 0.002
#: Share of the looks at which the draw order is wrong from which it is told.
WRONG = 0.002
#: Filters of the standard that take the nearest texel (glTF 2.0 §5.27.1): 9728, or 9984 and 9986 with mips.
NEAREST = frozenset({9728, 9984, 9986})


def painted(measures: Measures) -> Iterator[tuple[int, MaterialFigures, ImageFigures]]:
    """Materials that faces use and that have a base colour image which could be opened."""
    for k, x in enumerate(measures.materials):
        i = next((i for i in x.inputs if i.role == "base-colour" and i.image is not None), None)
        if x.used_by_faces and i is not None and i.image is not None and measures.images[i.image].look is not None:
            yield k, x, measures.images[i.image]


def alpha_of(x: MaterialFigures, i: ImageFigures) -> AlphaFigures | None:
    """Alpha of a material's image, where its faces show any of what is see-through; None else."""
    assert i.look is not None
    own = x.alpha or i.look.alpha
    return None if own is None or (x.shown is not None and x.shown.see < SEEN and own.mode != "opaque") else own


def _has_alpha_input(x: MaterialFigures) -> bool:
    """Whether alpha has an input of its own."""
    return any(i.role == "alpha" and i.image is not None for i in x.inputs)


def _holds_else(alpha: AlphaFigures) -> bool:
    """Whether a channel of alpha holds something else: nothing of it is solid, and nothing is gone."""
    return alpha.histogram[-1] == 0 and alpha.gone < 0.001


def _one(k: int) -> Elements:
    return Elements("materials", np.array([k], np.int32))


def _name(x: MaterialFigures, k: int) -> str:
    return x.name or f"Material {k}"


def _reason(alpha: AlphaFigures) -> str:
    if alpha.mode == "blend":
        return f"{percent(alpha.fading)} of its pixels fade, away from any edge"
    return f"{percent(alpha.gone)} of its pixels are transparent, {percent(alpha.solid)} solid, the rest edges"


@check(
    "see-through.invisible",
    title="Completely transparent",
    result="stop",
    mends=("see-through.set",),
    explains={"hole": OFTEN, "see-through": OFTEN, "gone": BY_ITSELF},
)
def invisible(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Materials of opacity 0 that faces use.

    Why: the faces are loaded and never seen. Some programs write 0 for "no transparency" and mean solid.
    Measured: the material's opacity as its format defines it, under half a step of 8 bits, where it is not drawn solid in spite of it.
    Source: Wavefront MTL, statement d (1.0 is opaque); COLLADA 1.4.1, chapter 4, "Determining Transparency (Opacity)"; glTF 2.0 §3.9.4. That solid is often meant is common practice, no published source.
    """
    for k, x in enumerate(measures.materials):
        if x.used_by_faces and x.opacity < 0.5 / 255 and x.drawn != "opaque":
            yield Finding(
                say("see-through.invisible", material=_name(x, k), faces=x.used_by_faces),
                value(x.opacity, "factor"),
                value(1.0, "factor"),
                x.used_by_faces,
                elements=_one(k),
                key=_name(x, k),
                mends=for_materials(measures, [k], "see-through.set", mode="opaque"),
                result="note" if intent.kind == "effect" else "",
            )


@check(
    "see-through.ignored",
    title="Transparent pixels drawn solid",
    result="stop",
    mends=("see-through.set",),
    explains={"box": BY_ITSELF},
)
def ignored(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Opaque materials over an image of which the faces show see-through pixels.

    Why: leaves, lashes and flames come in as solid boxes, in whatever colour lies under the transparent pixels.
    Measured: alpha of every pixel of the image, and of 16,384 places on the faces that show it. A channel with nothing solid and nothing gone holds something else. A caution where the format cannot say how a material is drawn.
    Source: glTF 2.0 §3.9.4: in mode OPAQUE, the default, "the alpha value is ignored"; the limits are common practice.
    """
    for k, x, i in painted(measures):
        alpha = alpha_of(x, i)
        if (
            alpha is None
            or x.drawn != "opaque"
            or alpha.mode == "opaque"
            or (x.alpha_mode is None and _has_alpha_input(x))
            or _holds_else(alpha)
        ):
            continue
        yield Finding(
            say("see-through.ignored", material=_name(x, k), image=i.reference, reason=_reason(alpha)),
            value(x.alpha_mode or "not stated", "text"),
            value(alpha.mode, "text"),
            x.shown.samples if x.shown else None,
            elements=_one(k),
            key=_name(x, k),
            mends=for_materials(measures, [k], "see-through.set", mode="auto"),
            result="caution" if x.alpha_mode is None else "",
        )


@check("see-through.faint", title="A few faint pixels", result="note", explains={"see-through": BY_ITSELF})
def faint(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images of cut-out and blended materials that are solid but for a handful of pixels.

    Why: nothing is meant to be see-through; a destination that looks at the file alone may still draw it as if it were.
    Measured: pixels with alpha under 250, at most one in a thousand.
    Source: common practice, no published source.
    """
    for k, x, i in painted(measures):
        assert i.look is not None
        if x.drawn != "opaque" and i.look.alpha is not None and i.look.alpha.mode == "opaque" and i.look.alpha.stray:
            yield Finding(
                say("see-through.faint", image=i.reference, pixels=i.look.alpha.stray),
                value(i.look.alpha.stray, "count"),
                value(0, "count"),
                i.look.alpha.stray,
                elements=_one(k),
                key=_name(x, k),
            )


@check(
    "see-through.for-nothing",
    title="Transparency without transparent pixels",
    result="caution",
    mends=("see-through.set",),
    explains={"see-through": BY_ITSELF, "slow": OFTEN},
)
def for_nothing(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Materials that are cut out or blended although nothing of them is see-through.

    Why: blended surfaces are sorted and drawn last, over everything; masked ones lose the early depth test. All of it for
    nothing.
    Measured: the material's opacity, and the alpha of its image where the faces show it.
    Source: glTF 2.0 §3.9.4 (alpha coverage); the cost is common practice, no published source.
    """
    for k, x in enumerate(measures.materials):
        if not x.used_by_faces or x.drawn == "opaque" or x.opacity < 0.999:
            continue
        looks = [measures.images[i.image].look for i in x.inputs if i.role == "base-colour" and i.image is not None]
        if any(look is None for look in looks) or (_has_alpha_input(x) and x.alpha is None):
            continue  # what could not be opened may be see-through
        own = [x.alpha] if x.alpha else [look.alpha for look in looks if look is not None]
        if any(a is not None and a.mode != "opaque" for a in own) and (x.shown is None or x.shown.see >= SEEN):
            continue
        yield Finding(
            say("see-through.for-nothing", material=_name(x, k), blended=x.drawn == "blend"),
            value(x.drawn, "text"),
            value("opaque", "text"),
            x.used_by_faces,
            elements=_one(k),
            key=_name(x, k),
            mends=for_materials(measures, [k], "see-through.set", mode="opaque"),
        )


@check(
    "see-through.mode",
    title="Another alpha mode would suit",
    result="note",
    mends=("see-through.set",),
    explains={"box": OFTEN, "see-through": OFTEN},
)
def mode(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Blended materials over a cut-out, and cut-out ones over an image that fades.

    Why: a blended cut-out is sorted by part and flickers through itself, which a masked one would not; a masked fade has a hard,
    jagged edge.
    Measured: the image's alpha: two clusters, or a gradient away from any rim.
    Source: glTF 2.0 §3.9.4 (alpha coverage); Otsu 1979 for the threshold; the choice is common practice.
    """
    for k, x, i in painted(measures):
        alpha = alpha_of(x, i)
        if alpha is None or x.drawn == "opaque" or alpha.mode in ("opaque", x.drawn) or x.opacity < 0.999:
            continue
        yield Finding(
            say("see-through.mode", material=_name(x, k), blended=x.drawn == "blend", reason=_reason(alpha)),
            value(x.drawn, "text"),
            value(alpha.mode, "text"),
            None,
            elements=_one(k),
            key=_name(x, k),
            mends=for_materials(measures, [k], "see-through.set", mode="auto"),
            result="caution" if alpha.mode == "blend" else "",
        )


@check(
    "see-through.cut-off",
    title="Alpha threshold in the wrong place",
    result="caution",
    mends=("see-through.set",),
    explains={"box": SELDOM, "hole": SELDOM, "see-through": OFTEN},
)
def cut_off(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Cut-out materials whose threshold keeps or drops what another one would not.

    Why: thin leaves vanish, or an edge of background stays.
    Measured: pixels between the material's threshold and the one that parts the image's alpha best, over 2 % of them.
    Source: glTF 2.0 §3.9.4 (alphaCutoff, 0.5 by default); Otsu 1979.
    """
    for k, x, i in painted(measures):
        alpha = alpha_of(x, i)
        if alpha is None or x.alpha_mode != "mask" or alpha.cutoff is None:
            continue
        own = 0.5 if x.alpha_cutoff is None else x.alpha_cutoff
        low, high = sorted((own, alpha.cutoff))
        between = sum(n for step, n in enumerate(alpha.histogram) if low * 255 <= step * 8 + 4 < high * 255) / max(
            sum(alpha.histogram), 1
        )
        if between > 0.02 or own > 1.0:
            yield Finding(
                say("see-through.cut-off", material=_name(x, k), cutoff=own, between=between, better=alpha.cutoff),
                value(own, "factor"),
                value(alpha.cutoff, "factor"),
                None,
                elements=_one(k),
                key=_name(x, k),
                mends=for_materials(measures, [k], "see-through.set", mode="auto"),
            )


@check(
    "see-through.brightness",
    title="Brightness meant as alpha",
    result="caution",
    mends=("see-through.from-brightness",),
    explains={"box": BY_ITSELF},
)
def brightness(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images without alpha whose bright subject fades into black, shown by faces that reach into the black.

    Why: flames, sparks and glows come in on black boxes: they were made to be added to what lies behind them.
    Measured: rim and background all but black, a bright subject, and between them at least a twentieth of the pixels; black on the faces that show it.
    Source: ITU-R BT.709-6 §3 (luma) for what the brightness is; the rest is common practice, no published source.
    """
    for k, x, i in painted(measures):
        look = i.look
        assert look is not None
        if look.alpha is not None and look.alpha.mode != "opaque":
            continue
        black = x.shown.dark if x.shown is not None else look.dark
        if glows(look) and black > 0.15 and (x.drawn != "blend" or (look.alpha is None and x.alpha is None)):
            yield Finding(
                say("see-through.brightness", image=i.reference, material=_name(x, k)),
                value(black, "share"),
                value(0.0, "share"),
                look.sampled,
                elements=_one(k),
                key=_name(x, k),
                mends=for_materials(
                    measures, [k], "see-through.from-brightness", by="greatest" if x.emissive or not look.grey else "luma"
                ),
            )
    for k, x in enumerate(measures.materials):
        lit = next((i for i in x.inputs if i.role == "emissive" and i.image is not None), None)
        bare = not any(i.role == "base-colour" and i.image is not None for i in x.inputs)
        if lit is None or lit.image is None or not bare or not x.used_by_faces or x.drawn == "blend" or x.tint > 0.05:
            continue
        look = measures.images[lit.image].look
        if look is not None and look.alpha is None and glows(look):
            yield Finding(
                say("see-through.brightness.emissive", image=measures.images[lit.image].reference, material=_name(x, k)),
                value(look.dark, "share"),
                value(0.0, "share"),
                look.sampled,
                elements=_one(k),
                key=f"glow/{_name(x, k)}",
                mends=for_materials(measures, [k], "see-through.from-brightness", by="greatest"),
            )


@check(
    "see-through.premultiplied",
    title="Premultiplied colours",
    result="caution",
    mends=("see-through.divide",),
    explains={"box": OFTEN, "see-through": SELDOM},
)
def premultiplied(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Images whose colours were multiplied by their alpha already.

    Why: they are multiplied once more when drawn, so that everything that fades gets a dark fringe.
    Measured: no see-through pixel brighter than its alpha, although the picture is bright and at least 32 pixels fade.
    Source: glTF 2.0 §3.9.4: base colour is not premultiplied; Porter and Duff 1984.
    """
    for k, x, i in painted(measures):
        assert i.look is not None
        if i.look.alpha is not None and i.look.alpha.mode != "opaque" and i.look.alpha.premultiplied:
            yield Finding(
                say("see-through.premultiplied", image=i.reference),
                value("multiplied", "text"),
                value("plain", "text"),
                None,
                elements=_one(k),
                key=_name(x, k),
                mends=for_materials(measures, [k], "see-through.divide"),
            )


@check(
    "see-through.pixel-art",
    title="Pixel art that will be blurred",
    result="note",
    mends=("see-through.nearest",),
    explains={"blurred": BY_ITSELF},
)
def pixel_art(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Small pictures of few colours and hard steps, sampled with smoothing.

    Why: enlarged, each pixel bleeds into the next, and what was drawn crisp looks foggy.
    Measured: sides up to 64 pixels, 3 to 64 colours, hardly any small steps between neighbours, and no nearest sampling.
    Source: glTF 2.0 §5.27.1 (magnification filters); what pixel art is, is common practice, no published source.
    """
    for k, x, i in painted(measures):
        look = i.look
        assert look is not None
        small = max(i.width or 0, i.height or 0) <= 64 and look.colours is not None and 3 <= look.colours <= 64
        own = next(texture for texture in x.inputs if texture.role == "base-colour" and texture.image is not None)
        if small and look.soft_steps < 0.1 and own.sampler.get("magFilter") not in NEAREST:
            yield Finding(
                say("see-through.pixel-art", image=i.reference, width=i.width, height=i.height, colours=look.colours),
                value("smoothed", "text"),
                value("nearest", "text"),
                look.colours,
                elements=_one(k),
                key=_name(x, k),
                mends=for_materials(measures, [k], "see-through.nearest"),
            )


@check(
    "see-through.shadow",
    title="Shadow of blended materials",
    result="caution",
    held_to=("receiver.blended_shadow",),
    explains={"see-through": SELDOM},
)
def shadow(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Blended materials of which the intent says that they should cast a shadow, or none, and the destination does otherwise.

    Why: glass that throws a black shadow looks solid on the ground, and smoke or leaves without one float.
    Measured: the intent's wish against what the destination does with blended materials; cut-outs cast one wherever solid ones do.
    Source: Akenine-Möller et al. 2018, "Real-Time Rendering", section 7.4 (shadow maps hold one depth a texel, and no half of one).
    """
    wish, does = intent.see_through_shadow, sheet.receiver.blended_shadow
    blended = [x.name for x in measures.materials if x.used_by_faces and x.drawn == "blend"]
    if wish is None:
        yield Skipped(say("see-through.shadow.no-wish"))
    elif blended and does not in (wish, "as-wished"):
        names = ", ".join(blended[:3]) + (" …" if len(blended) > 3 else "")
        yield Finding(
            say("see-through.shadow", names=names, materials=len(blended), cast=does == "cast"),
            value(does, "text"),
            value(wish, "text"),
            len(blended),
        )


@check(
    "see-through.draw-order",
    title="Blended parts drawn in the wrong order",
    result="caution",
    held_to=("receiver.draw_order",),
    mends=("see-through.halve", "see-through.set"),
    explains={"see-through": BY_ITSELF},
    tolerance=0.02,
    of_pairs=True,
)
@reading(OWN.of, "the order of blended parts could not be measured")
def draw_order(own: SeeThroughMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Blended parts that enclose, wrap or pass through each other, or pieces of one part that do.

    Why: each is drawn whole, the one with the farther centre first. Where the nearer one lies behind, it is painted over what
    should cover it, and the picture jumps as one walks round.
    Measured: looks from 42 sides, 400 rays each: where two blended parts lie behind each other, whether the one drawn last is the nearer.
    Source: Akenine-Möller et al. 2018, "Real-Time Rendering", section 5.5 (transparency, sorting).
    """
    if sheet.receiver.draw_order == "by-surface":
        yield Skipped(say("see-through.draw-order.sorted", sheet=sheet.name))
        return
    if sheet.receiver.alpha != "as-material":
        yield Skipped(say("see-through.draw-order.no-blending", sheet=sheet.name))
        return
    names = {part.node: part.name for part in measures.parts}
    for order in own.draw_orders:
        if order.first not in names or order.second not in names:
            continue
        share = order.wrong / max(order.both, 1)
        if share <= WRONG:
            continue
        one, other = names[order.first], names[order.second]
        words = f"Pieces of {one} are" if order.first == order.second else f"{one} and {other} are"
        yield Finding(
            say(
                "see-through.draw-order", what=words, share=share, heading=heading(order.worst, measures.up_axis or sheet.up_axis)
            ),
            value(share, "share"),
            value(0.0, "share"),
            order.both,
            one,
            order.first,
            nodes(sorted({order.first, order.second})),
            (
                Call(
                    "see-through.halve",
                    {"parts": [node_key(measures, x) for x in dict.fromkeys((order.first, order.second))], "by": "best"},
                ),
            ),
            f"{node_key(measures, order.first)}/{node_key(measures, order.second)}",
            samples=order.both,
        )
