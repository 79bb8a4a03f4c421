"""Skin: the weights of vertices."""

from __future__ import annotations

from collections.abc import Iterator

from ...kit.check import Elements, Finding, Skipped, check, node_key, nodes, value
from ...kit.own import reading
from ...kit.parts import unit_of
from ...limits import plural
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from ...words.figures import about, plain
from .measures import DUST, OWN
from .records import CutFigures, SkinMeasures, WeightFigures

Found = Iterator[Finding | Skipped]


def measured(m: Measures) -> SkinMeasures | None:
    """What was measured; None where there is something to measure, and that fell."""
    nothing = not m.skins and not any(x.influences_max for x in m.meshes)
    return SkinMeasures([], [], [], [], []) if nothing else OWN.of(m)


#: A check that reads them.
of_skin = reading(measured, "the skin could not be measured")


def _told(
    m: Measures, p: WeightFigures, count: int, title: str, name: str, *mends: Call, result: str = "", measured: object = None
) -> Finding:
    """A finding on vertices of one part of which none is wanted."""
    return Finding(
        title,
        value(count, "count") if measured is None else measured,
        value(0, "count") if measured is None else value(1.0, "factor"),
        count,
        p.name,
        p.node,
        Elements("vertices", m.array(f"skin:{p.node}:{name}")),
        mends,
        key=node_key(m, p.node),
        result=result,
    )


def _of(mend: str, m: Measures, p: WeightFigures, **params: object) -> Call:
    return Call(mend, {**params, "parts": [node_key(m, p.node)]})


@check("skin.not-finite", title="Weights that are no numbers", result="stop", mends=("skin.normalise",))
@of_skin
def not_finite(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices with a weight that is not a number or is infinite.

    Why: such a vertex stands nowhere: it is not drawn, or tears its faces across the whole picture.
    Measured: every stored weight.
    Source: glTF 2.0 §3.6.2.2: accessor values must be finite; §3.7.3.3.
    """
    for p in own.parts:
        if p.not_finite:
            title = f"{plural(p.not_finite, 'vertex has', 'vertices have')} a weight that is no number on {p.name}"
            yield _told(m, p, p.not_finite, title, "not-finite", _of("skin.normalise", m, p))


@check("skin.beyond", title="Weights for joints that are not there", result="stop", mends=("skin.drop-beyond",))
@of_skin
def beyond(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices that name a joint which their skin does not have.

    Why: a strict importer refuses the file; a lenient one reads a matrix of something else, and the vertex flies off.
    Measured: joint numbers against the number of joints of the skin; a caution where the weight is 0, so that it moves nothing.
    Source: glTF 2.0 §3.7.3.3: joint indices refer to the skin's list of joints, and are 0 where the weight is.
    """
    for problem in m.problems:
        if problem.kind == "skin-index":
            yield Finding(
                problem.text,
                value("past the last joint", "text"),
                value("0 where the weight is 0", "text"),
                1,
                key=problem.where,
                why="A reader that looks the joint up before it looks at the weight falls there. What is written from here names no such joint.",
                result="caution",
            )
    for p in own.parts:
        if p.beyond and p.skin is not None:
            have = len(own.skins[p.skin].joints)
            title = f"{plural(p.beyond, 'vertex names', 'vertices name')} joint {p.beyond_joint:,} on {p.name}, but its skin has {have:,}"
            yield _told(m, p, p.beyond, title, "beyond", _of("skin.drop-beyond", m, p))


@check("skin.negative", title="Negative weights", result="caution", mends=("skin.normalise",))
@of_skin
def negative(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices with a weight below 0.

    Why: such a vertex goes the other way when its joint turns, and formats that hold weights as shares cannot hold it.
    Measured: every stored weight.
    Source: glTF 2.0 §3.7.3.3: weights must be non-negative.
    """
    for p in own.parts:
        if p.negative:
            title = f"{plural(p.negative, 'vertex has', 'vertices have')} a negative weight on {p.name}, down to {plain(p.least)}"
            yield _told(m, p, p.negative, title, "negative", _of("skin.normalise", m, p))


@check("skin.bare", title="Vertices without a weight", result="stop", mends=("skin.fill", "skin.bind-part"))
@of_skin
def bare(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices of a skinned part that no joint carries.

    Why: they stay where they are, or fall to the origin, when everything else moves: the surface tears there.
    Measured: vertices whose weights are all 0, on parts that have a skin. Where none at all has any, it is told as such.
    Source: glTF 2.0 §3.7.3.3: skinned vertices are placed by their joints alone.
    """
    for p in own.parts:
        if p.skin is None or not p.weighted or not p.bare:
            continue
        whole = p.bare == p.vertices
        title = (
            f"No vertex of {p.name} has a weight"
            if whole
            else f"{plural(p.bare, 'vertex', 'vertices')} of {p.name} {'holds' if p.bare == 1 else 'hold'} still: no joint carries {'it' if p.bare == 1 else 'them'}"
        )
        yield _told(m, p, p.bare, title, "bare", *(() if whole else (_of("skin.fill", m, p),)))


@check("skin.sums", title="Weights do not sum to 1", result="caution", mends=("skin.normalise",))
@of_skin
def sums(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices whose weights sum to more or less than 1.

    Why: one receiver brings them to 1, another does not: there the vertex is drawn towards the origin or past where it belongs.
    Measured: the sum over each vertex, off by more than 0.01; by more than 0.001 is a note, which is what steps of a byte leave behind. Vertices without any weight are told apart.
    Source: glTF 2.0 §3.7.3.3: the sum should be as close as possible to 1.
    """
    for p in own.parts:
        mend = _of("skin.normalise", m, p)
        if p.off_sum:
            title = f"{plural(p.off_sum, 'vertex has', 'vertices have')} weights that do not sum to 1 on {p.name}: {plain(p.worst_sum)} at worst"
            yield _told(m, p, p.off_sum, title, "off-sum", mend, measured=value(p.worst_sum, "factor"))
        elif p.slightly_off:
            title = f"Weights of {plural(p.slightly_off, 'vertex', 'vertices')} on {p.name} miss a sum of 1 by up to {plain(abs(p.worst_sum - 1))}"
            yield _told(m, p, p.slightly_off, title, "slightly", mend, result="note", measured=value(p.worst_sum, "factor"))


def cut_to(p: WeightFigures, most: int) -> CutFigures | None:
    """What keeping at most so many influences does to a part, by the nearest limit below that was measured."""
    return next((c for c in reversed(p.cuts) if c.most <= most), None)


@check("skin.influences", title="Too many influences on a vertex", result="caution", mends=("skin.limit",))
@of_skin
def influences(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices that more joints carry than the destination takes.

    Why: it drops what is too much, often the last ones in the file and not the lightest, and the surface dents where they were.
    Measured: weights above 0 on each vertex, over the sheet's limit. What the cut would move, heaviest ones kept: at most so far, over poses in which one joint is turned by 60°.
    Source: linear blend skinning, glTF 2.0 §3.7.3.3; limits are the sheet's.
    """
    most = sheet.limits.influences_vertex
    if most is None:
        yield Skipped(f"{sheet.name} sets no limit")
        return
    for p in own.parts:
        over = sum(p.histogram[most + 1 :])
        if not over:
            continue
        cut = cut_to(p, most)
        price = "" if cut is None else f"; keeping {most} moves them by {about(cut.farthest * unit_of(m))} at most"
        yield Finding(
            f"{plural(over, 'vertex has', 'vertices have')} up to {len(p.histogram) - 1} influences on {p.name}{price}",
            value(len(p.histogram) - 1, "count"),
            value(most, "count"),
            over,
            p.name,
            p.node,
            Elements("vertices", m.array(f"skin:{p.node}:influences")[:over]),
            (_of("skin.limit", m, p, influences=most),),
            key=node_key(m, p.node),
            samples=cut.samples if cut is not None and cut.samples < cut.vertices else None,
        )


@check("skin.dust", title="Dust weights", result="note", mends=("skin.prune",))
@of_skin
def dust(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Weights too small to move anything that could be seen.

    Why: they take places of those that count where only so many are allowed, and cost time at each vertex in each frame.
    Measured: weights above 0 and under 0.001; what leaving them out would move, over poses in which one joint is turned by 60°.
    Source: common practice, no published source.
    """
    for p in own.parts:
        if p.dust:
            title = f"{plural(p.dust, 'vertex has', 'vertices have')} weights under {DUST:g} on {p.name}, which move {about(p.dust_moves * unit_of(m))} at most"
            yield _told(m, p, p.dust, title, "dust", _of("skin.prune", m, p, under=DUST))


@check("skin.repeated", title="A joint twice on one vertex", result="note", mends=("skin.normalise",))
@of_skin
def repeated(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Vertices that have two weights for the same joint.

    Why: one receiver adds them, another takes the last: the sum is then no longer 1.
    Measured: joint numbers on each vertex.
    Source: glTF 2.0 §3.7.3.3: joints must not contain more than one non-zero weight for a given vertex.
    """
    for p in own.parts:
        if p.repeated:
            title = f"{plural(p.repeated, 'vertex names', 'vertices name')} a joint twice on {p.name}"
            yield _told(m, p, p.repeated, title, "repeated", _of("skin.normalise", m, p))


@check("skin.unused-weights", title="Weights without a skin, or a skin without weights", result="caution")
@of_skin
def unused_weights(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts with weights that no skin uses, and parts that name a skin but have no weights.

    Why: such a part stands still while the rest moves, and a strict importer refuses it.
    Measured: weights of the mesh against the skin of the node.
    Source: glTF 2.0 §3.7.3.3: a node with a skin has a mesh whose primitives have joints and weights.
    """
    for p in own.parts:
        if p.weighted == (p.skin is not None):
            continue
        lacks = "weights for its joints, but names no skin" if p.weighted else "a skin, but no weights"
        yield Finding(
            f"{p.name} has {lacks}",
            value("weights alone" if p.weighted else "skin alone", "text"),
            value("both", "text"),
            p.vertices,
            p.name,
            p.node,
            nodes([p.node]),
            (_of("skin.drop-weights", m, p),),
            key=node_key(m, p.node),
        )
