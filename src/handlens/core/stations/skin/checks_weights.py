"""Skin: the weights of vertices."""

from __future__ import annotations

from collections.abc import Iterator

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Elements, Finding, Skipped, check, node_key, nodes, value
from ...declare.station_measures import reading
from ...kit.parts import unit_of
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from ...words.figures import about
from .measures import DUST, OWN
from .messages import say
from .records import CutFigures, SkinMeasures, WeightFigures

Found = Iterator[Finding | Skipped]


def measured(measures: Measures) -> SkinMeasures | None:
    """What was measured; None where there is something to measure, and that fell."""
    nothing = not measures.skins and not any(x.influences_max for x in measures.meshes)
    return SkinMeasures([], [], [], [], []) if nothing else OWN.of(measures)


#: A check that reads them.
of_skin = reading(measured, "the skin could not be measured")


def _finding(
    measures: Measures,
    figures: WeightFigures,
    count: int,
    title: str,
    name: str,
    *mends: Call,
    result: str = "",
    measured: object = None,
) -> Finding:
    """A finding on vertices of one part of which none is wanted."""
    return Finding(
        title,
        value(count, "count") if measured is None else measured,
        value(0, "count") if measured is None else value(1.0, "factor"),
        count,
        figures.name,
        figures.node,
        Elements("vertices", measures.array(f"skin:{figures.node}:{name}")),
        mends,
        key=node_key(measures, figures.node),
        result=result,
    )


def _of(mend: str, measures: Measures, figures: WeightFigures, **params: object) -> Call:
    return Call(mend, {**params, "parts": [node_key(measures, figures.node)]})


@check(
    "skin.not-finite",
    title="Weights that are not numbers",
    result="stop",
    mends=("skin.normalise",),
    explains={"tears": BY_ITSELF, "refused": OFTEN},
)
@of_skin
def not_finite(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices with a weight that is not a number or is infinite.

    Why: such a vertex has no place: it is not drawn, or drags its faces across the whole picture.
    Measured: every stored weight.
    Source: glTF 2.0 §3.6.2.2: accessor values must be finite; §3.7.3.3.
    """
    for part in skins.parts:
        if part.not_finite:
            title = say("skin.not-finite", vertices=part.not_finite, part=part.name)
            yield _finding(measures, part, part.not_finite, title, "not-finite", _of("skin.normalise", measures, part))


@check(
    "skin.beyond",
    title="Weights for missing joints",
    result="stop",
    mends=("skin.drop-beyond",),
    explains={"tears": BY_ITSELF, "refused": OFTEN},
)
@of_skin
def beyond(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices that name a joint which their skin does not have.

    Why: a strict importer refuses the file; a lenient one takes some other matrix, and the vertex flies off.
    Measured: joint numbers against the number of joints of the skin; a caution where the weight is 0, so that it moves nothing.
    Source: glTF 2.0 §3.7.3.3: joint indices refer to the skin's list of joints, and are 0 where the weight is.
    """
    for problem in measures.problems:
        if problem.kind == "skin-index":
            yield Finding(
                say("skin.beyond.table", what=problem.text),
                value("past the last joint", "text"),
                value("0 where the weight is 0", "text"),
                1,
                key=problem.where,
                why="A reader that looks the joint up before it looks at the weight falls there. What is written from here names no such joint.",
                result="caution",
            )
    for part in skins.parts:
        if part.beyond and part.skin is not None:
            have = len(skins.skins[part.skin].joints)
            title = say("skin.beyond", vertices=part.beyond, joint=part.beyond_joint, part=part.name, joints=have)
            yield _finding(measures, part, part.beyond, title, "beyond", _of("skin.drop-beyond", measures, part))


@check(
    "skin.negative",
    title="Negative weights",
    result="caution",
    mends=("skin.normalise",),
    explains={"tears": OFTEN, "refused": OFTEN},
)
@of_skin
def negative(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices with a weight below 0.

    Why: such a vertex goes the other way when its joint turns, and formats that hold weights as shares cannot hold it.
    Measured: every stored weight.
    Source: glTF 2.0 §3.7.3.3: weights must be non-negative.
    """
    for part in skins.parts:
        if part.negative:
            title = say("skin.negative", vertices=part.negative, part=part.name, least=part.least)
            yield _finding(measures, part, part.negative, title, "negative", _of("skin.normalise", measures, part))


@check(
    "skin.bare",
    title="Vertices without weights",
    result="stop",
    mends=("skin.fill", "skin.bind-part"),
    explains={"gone": SELDOM, "tears": BY_ITSELF},
)
@of_skin
def bare(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices of a skinned part that no joint carries.

    Why: they stay in place, or fall to the origin, when everything else moves: the surface tears there.
    Measured: vertices whose weights are all 0, on parts that have a skin. Where none at all has any, it is told as such.
    Source: glTF 2.0 §3.7.3.3: skinned vertices are placed by their joints alone.
    """
    for part in skins.parts:
        if part.skin is None or not part.weighted or not part.bare:
            continue
        whole = part.bare == part.vertices
        title = say("skin.bare.all", part=part.name) if whole else say("skin.bare", vertices=part.bare, part=part.name)
        yield _finding(measures, part, part.bare, title, "bare", *(() if whole else (_of("skin.fill", measures, part),)))


@check(
    "skin.sums",
    title="Weights do not sum to 1",
    result="caution",
    mends=("skin.normalise",),
    explains={"tears": BY_ITSELF, "refused": SELDOM},
)
@of_skin
def sums(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices whose weights sum to more or less than 1.

    Why: one receiver normalises them, another does not: there the vertex is drawn towards the origin, or past where it belongs.
    Measured: the sum over each vertex, off by more than 0.01; by more than 0.001 is a note, which is what steps of a byte leave behind. Vertices without any weight are told apart.
    Source: glTF 2.0 §3.7.3.3: the sum should be as close as possible to 1.
    """
    for part in skins.parts:
        mend = _of("skin.normalise", measures, part)
        if part.off_sum:
            title = say("skin.sums", vertices=part.off_sum, part=part.name, worst=part.worst_sum)
            yield _finding(measures, part, part.off_sum, title, "off-sum", mend, measured=value(part.worst_sum, "factor"))
        elif part.slightly_off:
            title = say("skin.sums.slightly", vertices=part.slightly_off, part=part.name, difference=abs(part.worst_sum - 1))
            yield _finding(
                measures,
                part,
                part.slightly_off,
                title,
                "slightly",
                mend,
                result="note",
                measured=value(part.worst_sum, "factor"),
            )


def cut_to(figures: WeightFigures, most: int) -> CutFigures | None:
    """What keeping at most so many influences does to a part, by the nearest limit below that was measured."""
    return next((cut for cut in reversed(figures.cuts) if cut.most <= most), None)


@check(
    "skin.influences",
    title="Too many influences on a vertex",
    result="caution",
    held_to=("limits.influences_vertex",),
    mends=("skin.limit",),
    explains={"tears": BY_ITSELF, "refused": BY_ITSELF},
)
@of_skin
def influences(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices that more joints carry than the destination takes.

    Why: it drops the surplus, often the last ones in the file and not the smallest, and the surface dents there.
    Measured: weights above 0 on each vertex, over the sheet's limit. What the cut would move, heaviest ones kept: at most so far, over poses in which one joint is turned by 60°.
    Source: linear blend skinning, glTF 2.0 §3.7.3.3; limits are the sheet's.
    """
    most = sheet.limits.influences_vertex
    if most is None:
        yield Skipped(say("skin.no-limit", sheet=sheet.name))
        return
    for part in skins.parts:
        over = sum(part.histogram[most + 1 :])
        if not over:
            continue
        cut = cut_to(part, most)
        price = "" if cut is None else f"; keeping {most} moves them by {about(cut.farthest * unit_of(measures))} at most"
        yield Finding(
            say("skin.influences", vertices=over, influences=len(part.histogram) - 1, part=part.name, more=price),
            value(len(part.histogram) - 1, "count"),
            value(most, "count"),
            over,
            part.name,
            part.node,
            Elements("vertices", measures.array(f"skin:{part.node}:influences")[:over]),
            (_of("skin.limit", measures, part, influences=most),),
            key=node_key(measures, part.node),
            samples=cut.samples if cut is not None and cut.samples < cut.vertices else None,
        )


@check("skin.dust", title="Tiny weights", result="note", mends=("skin.prune",), explains={"tears": OFTEN})
@of_skin
def dust(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Weights too small to move anything that could be seen.

    Why: they take the place of weights that count where only so many are allowed, and cost time for each vertex in each frame.
    Measured: weights above 0 and under 0.001; what leaving them out would move, over poses in which one joint is turned by 60°.
    Source: common practice, no published source.
    """
    for part in skins.parts:
        if part.dust:
            title = say("skin.dust", vertices=part.dust, under=DUST, part=part.name, moves=part.dust_moves * unit_of(measures))
            yield _finding(measures, part, part.dust, title, "dust", _of("skin.prune", measures, part, under=DUST))


@check("skin.repeated", title="A joint twice on one vertex", result="note", mends=("skin.normalise",), explains={"tears": OFTEN})
@of_skin
def repeated(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices that have two weights for the same joint.

    Why: one receiver adds them, another takes the last: the sum is then no longer 1.
    Measured: joint numbers on each vertex.
    Source: glTF 2.0 §3.7.3.3: joints must not contain more than one non-zero weight for a given vertex.
    """
    for part in skins.parts:
        if part.repeated:
            title = say("skin.repeated", vertices=part.repeated, part=part.name)
            yield _finding(measures, part, part.repeated, title, "repeated", _of("skin.normalise", measures, part))


@check(
    "skin.unused-weights",
    title="Weights without a skin, or a skin without weights",
    result="caution",
    explains={"tears": BY_ITSELF},
)
@of_skin
def unused_weights(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts with weights that no skin uses, and parts that name a skin but have no weights.

    Why: such a part stands still while the rest moves, and a strict importer refuses it.
    Measured: weights of the mesh against the skin of the node.
    Source: glTF 2.0 §3.7.3.3: a node with a skin has a mesh whose primitives have joints and weights.
    """
    for part in skins.parts:
        if part.weighted == (part.skin is not None):
            continue
        lacks = "weights for its joints, but names no skin" if part.weighted else "a skin, but no weights"
        yield Finding(
            say("skin.unused-weights", part=part.name, what=lacks),
            value("weights alone" if part.weighted else "skin alone", "text"),
            value("both", "text"),
            part.vertices,
            part.name,
            part.node,
            nodes([part.node]),
            (_of("skin.drop-weights", measures, part),),
            key=node_key(measures, part.node),
        )
