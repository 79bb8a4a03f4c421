"""Skin: joints, how they were bound, and what hangs on them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Finding, Skipped, check, node_key, nodes, value
from ...kit.parts import unit_of
from ...measures import Measures
from ...measures.records import is_uneven
from ...rules import Intent, RuleSheet
from ...rules.intent import APART
from ...words.calls import Call
from ...words.figures import plain
from ...words.lengths import metres
from ...words.sides import other_side
from .checks_weights import Found, of_skin
from .messages import say
from .records import SkinMeasures, SkinOfModel
from .template import placed
from .words import joints, key, names

#: Of a skin's size: lengths of joints that count as nothing.
NOTHING = 1e-6


@check(
    "skin.joint-count",
    title="Too many joints",
    result="caution",
    held_to=(
        "limits.joints_skin",
        "limits.joints_total",
    ),
    mends=("skin.remove-joints",),
    explains={"slow": OFTEN, "refused": BY_ITSELF},
)
@of_skin
def joint_count(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """More joints in a skin, or in all, than the destination takes.

    Why: past its limit it drops joints, draws the skin in pieces, or refuses it.
    Measured: joints of each skin, and different joints of all skins, against the sheet.
    Source: limits are the sheet's.
    """
    most, all_most = sheet.limits.joints_skin, sheet.limits.joints_total
    if most is None and all_most is None:
        yield Skipped(say("skin.no-limit", sheet=sheet.name))
        return
    for k, skin in enumerate(skins.skins):
        if most is not None and len(skin.joints) > most:
            yield Finding(
                say("skin.joint-count", skin=skin.name, joints=len(skin.joints)),
                value(len(skin.joints), "count"),
                value(most, "count"),
                len(skin.joints),
                skin.joints[0].name,
                skin.joints[0].node,
                joints(k, skin, range(len(skin.joints))),
                (Call("skin.remove-joints", {}),),
                key=key(k, skin),
            )
    total = len({j.node for skin in skins.skins for j in skin.joints})
    if all_most is not None and total > all_most:
        yield Finding(
            say("skin.joint-count.all", joints=total), value(total, "count"), value(all_most, "count"), total, key="all"
        )


@check("skin.idle", title="Joints without weights", result="note", mends=("skin.remove-joints",), explains={"tears": SELDOM})
@of_skin
def idle(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints of a skin that no vertex hangs on, neither on them nor on any joint below.

    Why: they count against the limit and are sent in every frame for nothing.
    Measured: vertices with a weight on the joint or below it; joints that another part hangs on are left out.
    Source: common practice, no published source.
    """
    parent = {n.index: n.parent for n in measures.nodes}
    for k, skin in enumerate(skins.skins):
        found = idle_joints(measures, skin, parent) if any(not j.carries for j in skin.joints) else []
        if found and any(j.carries for j in skin.joints):
            named = [skin.joints[i] for i in found]
            yield Finding(
                say("skin.idle", joints=len(found), names=names(named)),
                value(len(found), "count"),
                value(0, "count"),
                len(found),
                named[0].name,
                named[0].node,
                joints(k, skin, found),
                (Call("skin.remove-joints", {}),),
                key=key(k, skin),
            )


def idle_joints(measures: Measures, skin: SkinOfModel, parent: Mapping[int, int]) -> list[int]:
    """Positions of joints that carry nothing, with all that hangs on them. parent: of each node by its number."""
    busy = [j.carries > 0 for j in skin.joints]
    at = {j.node: k for k, j in enumerate(skin.joints)}
    for part in measures.parts:
        i = part.node
        while i >= 0 and not part.skinned:
            if i in at:
                busy[at[i]] = True
                break
            i = parent.get(i, -1)
    for k in range(len(skin.joints)):
        i = k
        while busy[k] and skin.joints[i].up >= 0 and not busy[skin.joints[i].up]:
            i = skin.joints[i].up
            busy[i] = True
    return [k for k, b in enumerate(busy) if not b]


@check("skin.uneven-joints", title="Non-uniformly scaled joints", result="caution")
@of_skin
def uneven_joints(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints stretched more along one axis than along another, with other joints below them.

    Why: what is attached to such a joint is sheared as soon as it turns, which no rotation, scale and translation can express;
    many destinations then scale it differently.
    Measured: lengths of the columns of each joint's local matrix, equal within 1e-4 of the largest.
    Source: common practice, no published source.
    """
    scales = {n.index: n for n in measures.nodes if n.is_joint and is_uneven(n)}
    told: set[int] = set()
    for k, skin in enumerate(skins.skins):
        above = {j.up for j in skin.joints}
        found = [i for i, j in enumerate(skin.joints) if i in above and j.node in scales and j.node not in told]
        if not found:
            continue
        told |= {skin.joints[i].node for i in found}
        sizes = {i: np.abs(scales[skin.joints[i].node].scale) for i in found}
        worst = skin.joints[max(found, key=lambda i: float(sizes[i].max() / max(sizes[i].min(), 1e-300)))]
        text = " × ".join(plain(abs(x)) for x in scales[worst.node].scale)
        yield Finding(
            say("skin.uneven-joints", joints=len(found), joint=worst.name, scale=text),
            value(text, "text"),
            value("1 × 1 × 1", "text"),
            len(found),
            worst.name,
            worst.node,
            joints(k, skin, found),
            key=key(k, skin),
        )


@check("skin.no-length", title="Joints without length", result="note", mends=("skin.remove-joints",))
@of_skin
def no_length(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints that stand in the very place of the next, and joints at the end of a chain in the rig's origin.

    Why: some importers make bones from joint to joint and drop those without length, with all that they carry.
    Measured: distance to the nearest joint that hangs on it, and of joints that none hangs on to the origin of the node above all, under a millionth of the skeleton's size.
    Source: common practice, no published source.
    """
    for k, skin in enumerate(skins.skins):
        short = [i for i, j in enumerate(skin.joints) if j.length is not None and j.length <= NOTHING * skin.size]
        at_origin = [i for i, j in enumerate(skin.joints) if j.at_origin and j.up >= 0 and j.length is None]
        found = short + at_origin
        if found:
            words = "in the very place of the next" if short else "in the rig's origin"
            named = [skin.joints[i] for i in found]
            yield Finding(
                say("skin.no-length", joints=len(found), where=words, names=names(named)),
                value(0.0, "m"),
                value("a length", "text"),
                len(found),
                named[0].name,
                named[0].node,
                joints(k, skin, found),
                key=key(k, skin),
            )


@check("skin.names-shared", title="Duplicate joint names", result="caution", mends=("arrival.rename",))
@of_skin
def names_shared(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints of one skin that have the same name, or none.

    Why: clips and constraints find joints by name: they move the first, and the other stays behind.
    Measured: names of the joints of each skin, as the destination tells letters apart.
    Source: common practice, no published source.
    """
    named = {n.index: n.named for n in measures.nodes}
    for k, skin in enumerate(skins.skins):
        word = (lambda x: x) if sheet.names.case_matters else str.casefold
        often = Counter(word(j.name) for j in skin.joints)
        found = [i for i, j in enumerate(skin.joints) if often[word(j.name)] > 1 or not named.get(j.node, True)]
        if found:
            which = [skin.joints[i] for i in found]
            twins = any(often[word(j.name)] > 1 for j in which)
            yield Finding(
                say("skin.names-shared", joints=len(found), shared=twins, names=names(which)),
                value(len(found), "count"),
                value(0, "count"),
                len(found),
                which[0].name,
                which[0].node,
                joints(k, skin, found),
                key=key(k, skin),
                result="" if twins else "note",
            )


@check("skin.sides", title="Left and right differ", result="note", follows=("skin.bare",), explains={"tears": SELDOM})
@of_skin
def sides(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints of one side without a counterpart, and pairs whose weights differ where the surface is the same on both sides.

    Why: a pose that is mirrored there moves one side otherwise than the other, or not at all.
    Measured: names with left and right exchanged; weights of vertices that lie opposite each other, over 0.05, where four fifths of those looked at have one.
    Source: common practice, no published source.
    """
    for k, skin in enumerate(skins.skins):
        there = {j.name for j in skin.joints}
        alone = [i for i, j in enumerate(skin.joints) if (opposite := other_side(j.name)) is not None and opposite not in there]
        paired = any((opposite := other_side(n)) is not None and opposite in there for n in there)
        if alone and paired:
            which = [skin.joints[i] for i in alone]
            yield Finding(
                say("skin.sides", joints=len(alone), names=names(which)),
                value(len(alone), "count"),
                value(0, "count"),
                len(alone),
                which[0].name,
                which[0].node,
                joints(k, skin, alone),
                key=key(k, skin),
            )
    called = {n.index: n.name for n in measures.nodes}
    for x in skins.sides:
        yield Finding(
            say("skin.sides.weights", left=called[x.left], right=called[x.right], difference=x.worst, part=called[x.node]),
            value(x.worst, "factor"),
            value(0.0, "factor"),
            x.vertices,
            called[x.node],
            x.node,
            nodes([x.left, x.right]),
            key=f"{node_key(measures, x.node)}-{called[x.left]}",
            samples=x.samples,
        )


@check(
    "skin.required",
    title="Missing joints",
    result="caution",
    held_to=("motion.skeleton",),
    mends=("skin.add-joints", "skin.rename-joints"),
    explains={"tears": SELDOM, "refused": BY_ITSELF},
)
@of_skin
def required(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints that the destination wants by name, in their order, each below the one that it names.

    Why: it finds the skeleton by these names: without them the character does not move or is refused.
    Measured: names of joints and of the nodes above them against the sheet's list and its other names; the parent of each. A name that only stands among the other names is told, as the destination's own is surer.
    Source: the sheet's list.
    """
    wanted = sheet.motion.skeleton
    if not wanted:
        yield Skipped(say("skin.required.none", sheet=sheet.name))
        return
    if intent.kind not in (None, "character"):
        yield Skipped(say("skin.required.other-kind", kind=intent.kind))
        return
    for k, skin in enumerate(skins.skins):
        if not skin.joints:
            continue
        found = placed(measures, skin, wanted)
        missing = [w.name for w, at in zip(wanted, found, strict=True) if at is None]
        other = [w.name for w, at in zip(wanted, found, strict=True) if at is not None and not at.by_name]
        astray = [w.name for w, at in zip(wanted, found, strict=True) if at is not None and at.astray]
        for what, listed, mend in (
            ("missing", missing, Call("skin.add-joints", {"joints": ";".join(missing)})),
            ("otherwise named", other, Call("skin.rename-joints", {"to": _renames(wanted, found)})),
            ("not where they belong", astray, None),
        ):
            if listed:
                yield Finding(
                    say("skin.required", joints=len(listed), what=what, names=", ".join(listed[:4])),
                    value(len(wanted) - len(listed), "count"),
                    value(len(wanted), "count"),
                    len(listed),
                    skin.joints[0].name,
                    skin.joints[0].node,
                    joints(k, skin, range(len(skin.joints))),
                    () if mend is None else (mend,),
                    key=f"{key(k, skin)}-{what.partition(' ')[0]}",
                )


def _renames(wanted: list, found: list) -> str:  # type: ignore[type-arg]
    return ";".join(f"{at.name}={w.name}" for w, at in zip(wanted, found, strict=True) if at is not None and not at.by_name)


@check(
    "skin.left-behind",
    title="Parts that follow no joint",
    result="caution",
    mends=("skin.bind-part", "skin.parent-part"),
    explains={"tears": BY_ITSELF},
)
@of_skin
def left_behind(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts that touch a skinned surface and hang on no joint.

    Why: a constraint may hold them in the scene that they come from. It is not in the file: as soon as the character moves, they
    stay behind.
    Measured: parts that are neither skinned nor below a joint, no larger than the skinned surface and within a twentieth of its size of it, from vertex to vertex; the joint that carries the vertex nearest to it.
    Source: common practice, no published source.
    """
    called = {n.index: n.name for n in measures.nodes}
    for x in skins.loose:
        if intent.of_part(called[x.node]).role in APART:
            continue
        to = {"joint": node_key(measures, x.joint), "parts": [node_key(measures, x.node)]}
        yield Finding(
            say("skin.left-behind", part=called[x.node], joint=called[x.joint]),
            value(0, "count"),
            value(1, "count"),
            1,
            called[x.node],
            x.node,
            nodes([x.node]),
            (Call("skin.parent-part", to), Call("skin.bind-part", to)),
            key=node_key(measures, x.node),
        )


@check("skin.rigid", title="Parts bound to a single joint", result="note", mends=("skin.parent-part",), explains={"tears": OFTEN})
@of_skin
def rigid(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skinned parts all of whose vertices hang on one joint with their whole weight.

    Why: it is a plain part on a joint, stored as a skin. One importer shows it where its bind matrix puts it, another at its own
    node; the two differ by the node's offset.
    Measured: the joints of all vertices, and how far the node's own transform would move the part.
    Source: common practice, no published source.
    """
    for part in skins.parts:
        if part.skin is None or not 0 <= part.only_joint < len(skins.skins[part.skin].joints):
            continue
        joint = skins.skins[part.skin].joints[part.only_joint]
        off = (
            f": taken as a plain part it stands {metres(part.own_moves * unit_of(measures))} elsewhere"
            if part.own_moves > 1e-6
            else ""
        )
        yield Finding(
            say("skin.rigid", part=part.name, joint=joint.name, more=off),
            value(1, "count"),
            value("a part on its joint", "text"),
            part.vertices,
            part.name,
            part.node,
            nodes([part.node, joint.node]),
            (Call("skin.parent-part", {"joint": node_key(measures, joint.node), "parts": [node_key(measures, part.node)]}),),
            key=node_key(measures, part.node),
        )
