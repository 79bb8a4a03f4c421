"""Skin: how joints were bound, and the nodes above them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Finding, check, node_key, nodes, value
from ...kit.parts import unit_of
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from ...words.figures import about, plain, turn
from ...words.lengths import metres
from .checks_weights import Found, of_skin
from .messages import say
from .records import SkinMeasures, SkinOfModel
from .words import joints, key, names

#: A joint rests where it was bound within this share of its skin's size, and within so many degrees.
NEAR, NEAR_DEGREES = 1e-3, 0.5
#: A joint has the size that it was bound with within this, as a logarithm.
STRETCHED = 2e-3
#: Scales and turns of a rig that count as none.
STRAIGHT, STRAIGHT_DEGREES = 1e-4, 0.01


def off_joints(skin: SkinOfModel) -> list[int]:
    """Positions of joints that rest elsewhere than they were bound, the farthest first."""
    off = [k for k, j in enumerate(skin.joints) if not j.singular and (j.off > NEAR * skin.size or j.degrees > NEAR_DEGREES)]
    return sorted(off, key=lambda k: (-skin.joints[k].off, -skin.joints[k].degrees))


def moved_joints(skin: SkinOfModel, off: Sequence[int]) -> list[int]:
    """Positions of those that were moved themselves, against the joint above them, the farthest first; `off` where none stands out."""
    own = [k for k in off if skin.joints[k].own_off > NEAR * skin.size or skin.joints[k].own_degrees > NEAR_DEGREES]
    return sorted(own, key=lambda k: (-skin.joints[k].own_off, -skin.joints[k].own_degrees)) or list(off)


def _since(skin: SkinOfModel, off: Sequence[int], moved: Sequence[int]) -> str:
    """Which joints were moved, in words; the others only hang on them."""
    names = [skin.joints[k].name for k in moved[:3]]
    more = f" and {len(moved) - 3:,} more" if len(moved) > 3 else ""
    if len(moved) == len(off):
        return f"from {skin.joints[min(off)].name} on" if len(off) > 1 else f"namely {names[0]}"
    return f"since {', '.join(names)}{more} {'was' if len(moved) == 1 else 'were'} moved"


def stretched_joints(skin: SkinOfModel) -> list[int]:
    """Positions of joints that are scaled since they were bound where the joint above is not so by the same, the most first."""
    if not skin.matrices:
        return []
    own = lambda k: (
        np.array(skin.joints[k].stretch) / (np.array(skin.joints[skin.joints[k].up].stretch) if skin.joints[k].up >= 0 else 1.0)
    )
    by = {k: float(np.abs(np.log(own(k))).max()) for k, j in enumerate(skin.joints) if not j.singular}
    return sorted((k for k, x in by.items() if x > STRETCHED), key=lambda k: -by[k])


def times(axes: Sequence[float]) -> str:
    """A scale in words: one factor, or three where they differ."""
    low, high = min(axes), max(axes)
    return f"× {plain(high)}" if high - low <= 1e-3 * high else " × ".join(plain(x) for x in axes)


def rig_matters(skin: SkinOfModel, sheet: RuleSheet) -> tuple[bool, bool]:
    """Whether the scale and whether the turn above a skin's joints is one that the sheet does not take."""
    scaled = (abs(skin.rig.scale - 1) > STRAIGHT or skin.rig.axes is not None) and sheet.node_scale == "one"
    return scaled, skin.rig.degrees > STRAIGHT_DEGREES and sheet.node_rotation != "any"


@check("skin.broken", title="Incomplete skin", result="stop", explains={"tears": OFTEN, "refused": BY_ITSELF})
def broken(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins whose tables are too short, or that name joints which do not exist.

    Why: an importer refuses the file for it, or makes up what is missing, and those joints then throw what they carry elsewhere.
    Measured: while reading: joints, bind matrices and weights against the counts that the file states.
    Source: glTF 2.0 §3.7.3.1: there must be as many bind matrices as joints, or more; elsewhere common practice, no published source.
    """
    bad = [problem for problem in measures.problems if problem.kind == "skin"]
    for k, listed in enumerate(bad):
        yield Finding(
            say("skin.broken", what=listed.text),
            value("too little", "text"),
            value("whole", "text"),
            1,
            key=f"{listed.where}-{k}",
        )


@check(
    "skin.outside",
    title="Joints outside the scene",
    result="stop",
    mends=("skin.into-scene",),
    explains={"tears": OFTEN, "refused": BY_ITSELF},
)
@of_skin
def outside(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins of parts that are shown, with joints that hang in no scene.

    Why: a reader takes what the scene holds: those joints are missing, and what they carry stays behind, goes to the origin, or
    the file is refused.
    Measured: joints of each skin that is used in the scene, against the nodes that hang on the scene's roots.
    Source: glTF 2.0 §3.7.3.1: all joints of a skin that a node of a scene refers to must belong to the same scene.
    """
    for k, skin in enumerate(skins.skins):
        if skin.outside:
            first = skin.joints[skin.outside[0]]
            carries = sum(skin.joints[i].carries for i in skin.outside)
            yield Finding(
                say(
                    "skin.outside",
                    joints=len(skin.outside),
                    skin=skin.name,
                    joint=first.name,
                    carries=say("skin.outside.carries", joints=len(skin.outside), vertices=carries) if carries else "",
                ),
                value(len(skin.outside), "count"),
                value(0, "count"),
                len(skin.outside),
                first.name,
                first.node,
                joints(k, skin, skin.outside),
                (Call("skin.into-scene", {}),),
                key=key(k, skin),
                result="" if carries else "caution",
            )


@check(
    "skin.root",
    title="Skeleton root that is not above all joints",
    result="caution",
    mends=("skin.name-root",),
    explains={"tears": OFTEN},
)
@of_skin
def root(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins that name a node as the root of their skeleton which not all of their joints hang on.

    Why: a reader that starts at the root does not find the others, and leaves what they carry without a skin; a strict one
    refuses the file.
    Measured: every joint's way up against the node that the skin names.
    Source: glTF 2.0 §5.28.2 (skin.skeleton): it must be the closest common root of the joints, or a node above it.
    """
    called = {n.index: n.name for n in measures.nodes}
    for k, skin in enumerate(skins.skins):
        if skin.root is not None:
            yield Finding(
                say("skin.root", skin=skin.name, root=called.get(skin.root, f"node {skin.root}"), joints=len(skin.joints)),
                value(called.get(skin.root, ""), "text"),
                value("a node that all joints hang on", "text"),
                1,
                called.get(skin.root, ""),
                skin.root,
                nodes([skin.root]),
                (Call("skin.name-root", {}),),
                key=key(k, skin),
            )


@check(
    "skin.flat-bind",
    title="Bind matrices that cannot be inverted",
    result="stop",
    mends=("skin.bind-as-stored",),
    explains={"gone": OFTEN, "beside": OFTEN},
)
@of_skin
def flat_bind(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints whose bind matrix turns a surface flat, holds no numbers, or is none that moves and turns.

    Why: what such a joint carries collapses to a plane or a point, and no receiver can tell where it was bound.
    Measured: the determinant of the upper three by three under a billionth of what its columns could make; entries that are not finite; a last row other than 0, 0, 0, 1.
    Source: glTF 2.0 §3.7.3.1: the fourth row of each matrix must be 0, 0, 0, 1; the determinant is common practice.
    """
    for k, skin in enumerate(skins.skins):
        bad = [i for i, j in enumerate(skin.joints) if j.singular]
        if bad:
            named = [skin.joints[i] for i in bad]
            yield Finding(
                say("skin.flat-bind", joints=len(bad), names=names(named)),
                value(len(bad), "count"),
                value(0, "count"),
                len(bad),
                named[0].name,
                named[0].node,
                joints(k, skin, bad),
                (Call("skin.bind-as-stored", {}),),
                key=key(k, skin),
            )


@check(
    "skin.no-bind",
    title="No bind matrices",
    result="note",
    mends=("skin.bind-as-stored",),
    explains={"jumps": SELDOM, "beside": BY_ITSELF},
)
@of_skin
def no_bind(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins that say nothing of where their joints were bound.

    Why: each joint then counts as bound at the origin of the mesh. Where it rests elsewhere, the whole surface is displaced by
    that distance.
    Measured: whether the skin has bind matrices; a caution where a joint carries something and rests off the mesh's origin.
    Source: glTF 2.0 §3.7.3.1: when they are not defined, each is the identity.
    """
    moves: dict[int | None, float] = {}
    for part in skins.parts:
        moves[part.skin] = max(moves.get(part.skin, 0.0), part.bind_moves)
    for k, skin in enumerate(skins.skins):
        if skin.matrices or not skin.joints:
            continue
        far = moves.get(k, 0.0)
        apart = far > NEAR * skin.size
        where = f": its surface stands up to {metres(far * unit_of(measures))} from where it was made" if apart else ""
        yield Finding(
            say("skin.no-bind", skin=skin.name, joints=len(skin.joints), where=where),
            value(0, "count"),
            value(len(skin.joints), "count"),
            len(skin.joints),
            skin.joints[0].name,
            skin.joints[0].node,
            joints(k, skin, range(len(skin.joints))),
            (Call("skin.bind-as-stored", {}),),
            key=key(k, skin),
            result="caution" if apart else "",
        )


@check(
    "skin.bind-offset",
    title="Rest pose differs from the bind pose",
    result="caution",
    mends=("skin.rebind", "skin.bind-as-stored", "skin.adopt-bind"),
    follows_in_model=("skin.bind-scale",),
    explains={"jumps": OFTEN, "beside": OFTEN},
)
@of_skin
def bind_offset(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints that rest elsewhere than where they were when the mesh was bound to them.

    Why: whatever returns to the bind pose, on import or at the first key, jumps by that distance; correcting the rig's scale
    multiplies it.
    Measured: where each joint rests against where its bind matrix says that it was, in the frame that most joints agree on: over a thousandth of the skeleton's size, or over half a degree. Where clips move the joints anyway and the rig is neither scaled nor turned, a note.
    Source: glTF 2.0 §3.7.3.1 (inverse bind matrices); the limit is common practice, no published source.
    """
    unit = unit_of(measures)
    driven = {n.index for n in measures.nodes if n.driven}
    for k, skin in enumerate(skins.skins):
        off = off_joints(skin)
        if not off or not skin.matrices:
            continue
        worst = skin.joints[off[0]]
        moves = max((part.bind_moves for part in skins.parts if part.skin == k), default=0.0)
        scaled = abs(skin.rig.scale - 1) > STRAIGHT and skin.rig.scale > 0
        grown = (
            f"; correcting the rig's scale of {plain(skin.rig.scale)} makes that {metres(worst.off * unit / skin.rig.scale)}"
            if scaled
            else ""
        )
        posed_by_clips = all(skin.joints[i].node in driven for i in off)
        moved = moved_joints(skin, off)
        lead = skin.joints[moved[0]]
        far = f"{about(worst.off * unit)} and {turn(max(skin.joints[i].degrees for i in off))}"
        yield Finding(
            say("skin.bind-offset", joints=len(off), distance=far, since=_since(skin, off, moved), more=grown),
            value(worst.off * unit * 1000, "mm"),
            value(NEAR * skin.size * unit * 1000, "mm"),
            len(off),
            lead.name,
            lead.node,
            joints(k, skin, list(dict.fromkeys([*moved, *off]))),
            (
                Call("skin.rebind", {}),
                Call("skin.bind-as-stored", {}),
                Call("skin.adopt-bind", {}),
            ),
            key=key(k, skin),
            why=f"Going back to the bind pose moves the surface by up to {about(moves * unit)}." if moves else "",
            result="note" if posed_by_clips and not scaled and skin.rig.degrees <= STRAIGHT_DEGREES else "",
        )


@check(
    "skin.bind-scale",
    title="Joints scaled since they were bound",
    result="caution",
    mends=("skin.rebind", "skin.bind-as-stored", "skin.adopt-bind"),
    explains={"jumps": OFTEN, "beside": OFTEN},
)
@of_skin
def bind_scale(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints that rest at another size than they had when the mesh was bound to them.

    Why: the surface around them is enlarged or pinched by that factor, and jumps back when the pose is reset.
    Measured: how long each joint's own axes are at rest against what its bind matrix says that they were, in the frame that most joints agree on; over 0.2 %, and of a chain only the joint where it begins.
    Source: glTF 2.0 §3.7.3.1 (inverse bind matrices); the limit is common practice, no published source.
    """
    for k, skin in enumerate(skins.skins):
        found = stretched_joints(skin)
        if not found:
            continue
        worst = skin.joints[found[0]]
        moves = max((part.bind_moves for part in skins.parts if part.skin == k), default=0.0) * unit_of(measures)
        most = max(worst.stretch, key=lambda x: abs(np.log(x)))
        yield Finding(
            say(
                "skin.bind-scale",
                joints=len(found),
                joint=worst.name,
                scale=times(worst.stretch),
                moves=say("skin.bind-scale.moves", moves=moves) if moves > 0 else "",
            ),
            value(most, "factor"),
            value(1.0, "factor"),
            len(found),
            worst.name,
            worst.node,
            joints(k, skin, found),
            (Call("skin.rebind", {}), Call("skin.bind-as-stored", {}), Call("skin.adopt-bind", {})),
            key=key(k, skin),
        )


@check(
    "skin.rig",
    title="The rig is scaled or turned",
    result="caution",
    mends=("skin.bake-rig",),
    explains={"jumps": OFTEN, "beside": OFTEN, "size": OFTEN, "lies": OFTEN},
)
@of_skin
def rig(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes above the joints that are scaled or turned.

    Why: everything attached to the skeleton is scaled with it, physics and linked parts jump by that factor, and setting the rig
    to 1 throws the character across the room.
    Measured: what the nodes above the top joint make together: scale 1 within 1e-4, no turn within 0.01°; only what the sheet does not take.
    Source: common practice, no published source.
    """
    told: set[tuple[int, ...]] = set()
    for skin in skins.skins:
        scaled, turned = rig_matters(skin, sheet)
        if not skin.rig.nodes or tuple(skin.rig.nodes) in told or not (scaled or turned):
            continue
        told.add(tuple(skin.rig.nodes))
        words = (
            [f"scaled by {plain(skin.rig.scale)}" if skin.rig.axes is None else f"scaled unevenly, {times(skin.rig.axes)},"]
            if scaled
            else []
        )
        words += [f"turned by {turn(skin.rig.degrees)}"] if turned else []
        yield Finding(
            say("skin.rig", rig=skin.rig.names[-1], how=" and ".join(words), joints=len(skin.joints)),
            value(skin.rig.scale, "factor") if scaled else value(round(skin.rig.degrees, 3), "degrees"),
            value(1.0, "factor") if scaled else value(0.0, "degrees"),
            len(skin.rig.nodes),
            skin.rig.names[-1],
            skin.rig.nodes[-1],
            nodes(skin.rig.nodes),
            (Call("skin.bake-rig", {}),),
            key=node_key(measures, skin.rig.nodes[-1]),
        )


@check(
    "skin.inverse",
    title="Parts that undo the rig",
    result="caution",
    mends=("skin.bake-rig",),
    follows_in_model=("skin.rig",),
    explains={"beside": BY_ITSELF},
)
@of_skin
def inverse(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skinned parts whose own node carries the inverse of the rig's scale.

    Why: it looks right as long as both stay; as soon as one of them is set to 1, the part is larger or smaller by that factor.
    Measured: the scale of the part's node times that of the nodes between is 1 within 0.1 %, each being off by 1 % or more.
    Source: common practice, no published source.
    """
    called = {n.index: n.name for n in measures.nodes}
    for x in skins.inverses:
        yield Finding(
            say("skin.inverse", node=called[x.node], scale=x.scale, rig=called[x.rig], rig_scale=x.above),
            value(x.scale, "factor"),
            value(1.0, "factor"),
            2,
            called[x.node],
            x.node,
            nodes([x.rig, x.node]),
            (Call("skin.bake-rig", {}),),
            key=node_key(measures, x.node),
        )


@check(
    "skin.own-transform",
    title="A skinned part with a transform of its own",
    result="note",
    mends=("placement.one-drive",),
    follows_in_model=(
        "skin.rig",
        "skin.inverse",
        "placement.double-move",
    ),
    explains={"jumps": SELDOM, "beside": BY_ITSELF},
)
@of_skin
def own_transform(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skinned parts whose own node stands elsewhere than at rest.

    Why: by the standard it has no effect. A receiver that applies it all the same shows the part that far away.
    Measured: how far the node's transform in the world would move the skinned surface, over a hundredth of its size.
    Source: glTF 2.0 §3.7.3.3: the transform of the skinned mesh node must be ignored.
    """
    found = [part for part in skins.parts if part.skin is not None and part.own_moves > 0.01 * skins.skins[part.skin].size]
    if not found:
        return
    worst = max(found, key=lambda p: p.own_moves)
    away = worst.own_moves * unit_of(measures)
    words = (
        f"the node of {worst.name} count shows it" if len(found) == 1 else f"the nodes of {len(found):,} parts count shows them"
    )
    yield Finding(
        say("skin.own-transform", what=words, distance=away),
        value(away, "m"),
        value(0.0, "m"),
        len(found),
        worst.name,
        worst.node,
        nodes([p.node for p in found]),
        (Call("placement.one-drive", {"keep": "joints", "parts": [node_key(measures, p.node) for p in found]}),),
    )


@check(
    "skin.disagree",
    title="Skins with different bind poses on the same joints",
    result="caution",
    mends=("skin.rebind",),
    explains={"beside": BY_ITSELF, "tears": OFTEN},
)
@of_skin
def disagree(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins on one skeleton whose bind matrices contradict each other.

    Why: most receivers keep one bind pose for a skeleton: the parts of the other skin are then displaced, like a shirt that
    leaves its wearer.
    Measured: bind matrices of the joints that two skins share, through the one matrix that most agree on; off by more than a ten-thousandth of the skeleton's size.
    Source: glTF 2.0 §3.7.3.1; that receivers keep one bind pose is common practice, no published source.
    """
    for k, skin in enumerate(skins.skins):
        if skin.disagrees is not None and skin.joints:
            yield Finding(
                say(
                    "skin.disagree",
                    skin=skin.name,
                    distance=skin.disagrees_by * unit_of(measures),
                    other=skins.skins[skin.disagrees].name,
                ),
                value(skin.disagrees_by * unit_of(measures) * 1000, "mm"),
                value(0.0, "mm"),
                len(skin.joints),
                skin.joints[0].name,
                skin.joints[0].node,
                joints(k, skin, range(len(skin.joints))),
                (Call("skin.rebind", {}),),
                key=key(k, skin),
            )


@check(
    "skin.shared",
    title="Several skins for the same joints",
    result="note",
    mends=("skin.merge-skins",),
    explains={"tears": SELDOM},
    revealed=True,
)
@of_skin
def shared(skins: SkinMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins that name the very same joints and were bound alike.

    Why: the joints are counted, sent and computed once for each of them; some destinations take one skin for a model.
    Measured: joints of each skin, and their bind matrices through the one matrix that most agree on.
    Source: common practice, no published source.
    """
    for k, skin in enumerate(skins.skins):
        if skin.same is not None and skin.disagrees is None and skin.joints:
            yield Finding(
                say("skin.shared", skin=skin.name, other=skins.skins[skin.same].name, joints=len(skin.joints)),
                value(2, "count"),
                value(1, "count"),
                len(skin.joints),
                skin.joints[0].name,
                skin.joints[0].node,
                joints(k, skin, range(len(skin.joints))),
                (Call("skin.merge-skins", {}),),
                key=key(k, skin),
            )
