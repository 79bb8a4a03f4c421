"""Skin: joints, how they were bound, and what hangs on them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

import numpy as np

from ...kit.check import Elements, Finding, Skipped, check, node_key, nodes, value
from ...kit.parts import unit_of
from ...limits import plural
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.calls import Call
from ...words.figures import about, plain, turn
from ...words.lengths import metres
from ...words.sides import other_side
from .checks_weights import Found, of_skin
from .records import JointFigures, SkinMeasures, SkinOfModel
from .template import placed

#: A joint rests where it was bound within this share of its skin's size, and within so many degrees.
NEAR, NEAR_DEGREES = 1e-3, 0.5
#: Scales and turns of a rig that count as none.
STRAIGHT, STRAIGHT_DEGREES = 1e-4, 0.01
#: Of a skin's size: lengths of joints that count as nothing.
NOTHING = 1e-6


def joints(m: Measures, skin: int, own: SkinOfModel, which: Iterable[int]) -> Elements:
    """Joints of a skin by their positions, drawn as their nodes."""
    chosen = list(which)
    return Elements(
        "joints", np.array(chosen, np.int32), skin=skin, drawn=np.array([own.joints[k].node for k in chosen], np.int32)
    )


def _names(found: list[JointFigures]) -> str:
    return ", ".join(j.name for j in found[:3]) + (" …" if len(found) > 3 else "")


def off_joints(s: SkinOfModel) -> list[int]:
    """Positions of joints that rest elsewhere than they were bound, the farthest first."""
    off = [k for k, j in enumerate(s.joints) if not j.singular and (j.off > NEAR * s.size or j.degrees > NEAR_DEGREES)]
    return sorted(off, key=lambda k: (-s.joints[k].off, -s.joints[k].degrees))


def rig_matters(s: SkinOfModel, sheet: RuleSheet) -> tuple[bool, bool]:
    """Whether the scale and whether the turn above a skin's joints is one that the sheet does not take."""
    scaled = abs(s.rig.scale - 1) > STRAIGHT and sheet.node_scale == "one"
    return scaled, s.rig.degrees > STRAIGHT_DEGREES and sheet.node_rotation != "any"


@check("skin.broken", title="A skin that is not whole", result="stop")
def broken(m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins whose tables are too short, or that name joints which do not exist.

    Why: an importer refuses the file for it, or makes up what is missing: those joints then throw what they carry to another place.
    Measured: while reading: joints, bind matrices and weights against the counts that the file states.
    Source: glTF 2.0 §3.7.3.1: there must be as many bind matrices as joints, or more; elsewhere common practice, no published source.
    """
    bad = [p for p in m.problems if p.kind == "skin"]
    for k, p in enumerate(bad):
        yield Finding(p.text, value("too little", "text"), value("whole", "text"), 1, key=f"{p.where}-{k}")


@check("skin.flat-bind", title="Bind matrices that cannot be undone", result="stop", mends=("skin.bind-as-stored",))
@of_skin
def flat_bind(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints whose bind matrix turns a surface flat, holds no numbers, or is none that moves and turns.

    Why: what such a joint carries collapses to a plane or a point, and no receiver can work out where it was bound.
    Measured: the determinant of the upper three by three under a billionth of what its columns could make; entries that are not finite; a last row other than 0, 0, 0, 1.
    Source: glTF 2.0 §3.7.3.1: the fourth row of each matrix must be 0, 0, 0, 1; the determinant is common practice.
    """
    for k, s in enumerate(own.skins):
        bad = [i for i, j in enumerate(s.joints) if j.singular]
        if bad:
            named = [s.joints[i] for i in bad]
            yield Finding(
                f"{plural(len(bad), 'joint has a bind matrix', 'joints have bind matrices')} that cannot be undone: {_names(named)}",
                value(len(bad), "count"),
                value(0, "count"),
                len(bad),
                named[0].name,
                named[0].node,
                joints(m, k, s, bad),
                (Call("skin.bind-as-stored", {}),),
                key=_key(k, s),
            )


def _key(k: int, s: SkinOfModel) -> str:
    return f"{s.name}~{k}"


@check("skin.no-bind", title="No bind matrices", result="note", mends=("skin.bind-as-stored",))
@of_skin
def no_bind(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins that say nothing of where their joints were bound.

    Why: each joint then counts as bound at the origin of the mesh. Where it rests elsewhere, the whole surface is thrown off by that way.
    Measured: whether the skin has bind matrices; a caution where a joint carries something and rests off the mesh's origin.
    Source: glTF 2.0 §3.7.3.1: when they are not defined, each is the identity.
    """
    for k, s in enumerate(own.skins):
        if s.matrices or not s.joints:
            continue
        far = max((p.bind_moves for p in own.parts if p.skin == k), default=0.0)
        apart = far > NEAR * s.size
        where = f": its surface stands up to {metres(far * unit_of(m))} from where it was made" if apart else ""
        yield Finding(
            f"{s.name} has no bind matrices for its {plural(len(s.joints), 'joint')}{where}",
            value(0, "count"),
            value(len(s.joints), "count"),
            len(s.joints),
            s.joints[0].name,
            s.joints[0].node,
            joints(m, k, s, range(len(s.joints))),
            (Call("skin.bind-as-stored", {}),),
            key=_key(k, s),
            result="caution" if apart else "",
        )


@check(
    "skin.bind-offset",
    title="Rest and bind disagree",
    result="caution",
    mends=("skin.rebind", "skin.bind-as-stored", "skin.adopt-bind"),
)
@of_skin
def bind_offset(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints that rest elsewhere than where they were when the mesh was bound to them.

    Why: whatever goes back to the bind pose, on import or at the first key, snaps by that way; and a correction of the rig's scale multiplies it.
    Measured: where each joint rests against where its bind matrix says that it was, in the frame that most joints agree on: over a thousandth of the skeleton's size, or over half a degree. Where clips move the joints anyway and the rig is neither scaled nor turned, a note.
    Source: glTF 2.0 §3.7.3.1 (inverse bind matrices); the limit is common practice, no published source.
    """
    unit = unit_of(m)
    driven = {n.index for n in m.nodes if n.driven}
    for k, s in enumerate(own.skins):
        off = off_joints(s)
        if not off or not s.matrices:
            continue
        worst = s.joints[off[0]]
        moves = max((p.bind_moves for p in own.parts if p.skin == k), default=0.0)
        scaled = abs(s.rig.scale - 1) > STRAIGHT and s.rig.scale > 0
        grown = (
            f"; correcting the rig's scale of {plain(s.rig.scale)} makes that {metres(worst.off * unit / s.rig.scale)}"
            if scaled
            else ""
        )
        posed_by_clips = all(s.joints[i].node in driven for i in off)
        first = min(off)
        far = f"{about(worst.off * unit)} and {turn(max(s.joints[i].degrees for i in off))}"
        yield Finding(
            f"{plural(len(off), 'joint rests', 'joints rest')} up to {far} from where {'it was' if len(off) == 1 else 'they were'} bound, from {s.joints[first].name} on{grown}",
            value(worst.off * unit * 1000, "mm"),
            value(NEAR * s.size * unit * 1000, "mm"),
            len(off),
            worst.name,
            worst.node,
            joints(m, k, s, off),
            (
                Call("skin.rebind", {}),
                Call("skin.bind-as-stored", {}),
                Call("skin.adopt-bind", {}),
            ),
            key=_key(k, s),
            why=f"Going back to the bind pose moves the surface by up to {about(moves * unit)}." if moves else "",
            result="note" if posed_by_clips and not scaled and s.rig.degrees <= STRAIGHT_DEGREES else "",
        )


@check("skin.rig", title="The rig is scaled or turned", result="caution", mends=("skin.bake-rig",))
@of_skin
def rig(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes above the joints that are scaled or turned.

    Why: everything that hangs on the skeleton is scaled along, physics and linked parts jump by that factor, and whoever sets the rig to 1 throws the character across the room.
    Measured: what the nodes above the top joint make together: scale 1 within 1e-4, no turn within 0.01°; only what the sheet does not take.
    Source: common practice, no published source.
    """
    told: set[tuple[int, ...]] = set()
    for s in own.skins:
        scaled, turned = rig_matters(s, sheet)
        if not s.rig.nodes or tuple(s.rig.nodes) in told or not (scaled or turned):
            continue
        told.add(tuple(s.rig.nodes))
        words = [f"scaled by {plain(s.rig.scale)}"] if scaled else []
        words += [f"turned by {turn(s.rig.degrees)}"] if turned else []
        yield Finding(
            f"The rig {s.rig.names[-1]} is {' and '.join(words)} above its {plural(len(s.joints), 'joint')}",
            value(s.rig.scale, "factor") if scaled else value(round(s.rig.degrees, 3), "degrees"),
            value(1.0, "factor") if scaled else value(0.0, "degrees"),
            len(s.rig.nodes),
            s.rig.names[-1],
            s.rig.nodes[-1],
            nodes(s.rig.nodes),
            (Call("skin.bake-rig", {}),),
            key=node_key(m, s.rig.nodes[-1]),
        )


@check("skin.inverse", title="Parts that undo the rig", result="caution", mends=("skin.bake-rig",))
@of_skin
def inverse(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skinned parts whose own node carries the inverse of the rig's scale.

    Why: it looks right as long as both stand; as soon as one of them is set to 1, the part is larger or smaller by that factor.
    Measured: the scale of the part's node times that of the nodes between is 1 within 0.1 %, each being off by 1 % or more.
    Source: common practice, no published source.
    """
    names = {n.index: n.name for n in m.nodes}
    for x in own.inverses:
        yield Finding(
            f"{names[x.node]} × {plain(x.scale)} undoes {names[x.rig]} × {plain(x.above)}",
            value(x.scale, "factor"),
            value(1.0, "factor"),
            2,
            names[x.node],
            x.node,
            nodes([x.rig, x.node]),
            (Call("skin.bake-rig", {}),),
            key=node_key(m, x.node),
        )


@check("skin.own-transform", title="A skinned part with a transform of its own", result="note", mends=("placement.one-drive",))
@of_skin
def own_transform(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skinned parts whose own node stands elsewhere than at rest.

    Why: the standard says that it counts for nothing. A receiver that lets it count all the same shows the part that far away.
    Measured: how far the node's transform in the world would move the skinned surface, over a hundredth of its size.
    Source: glTF 2.0 §3.7.3.3: the transform of the skinned mesh node must be ignored.
    """
    found = [p for p in own.parts if p.skin is not None and p.own_moves > 0.01 * own.skins[p.skin].size]
    if not found:
        return
    worst = max(found, key=lambda p: p.own_moves)
    away = worst.own_moves * unit_of(m)
    words = (
        f"the node of {worst.name} count shows it" if len(found) == 1 else f"the nodes of {len(found):,} parts count shows them"
    )
    yield Finding(
        f"A receiver that lets {words} up to {metres(away)} off",
        value(away, "m"),
        value(0.0, "m"),
        len(found),
        worst.name,
        worst.node,
        nodes([p.node for p in found]),
        (Call("placement.one-drive", {"keep": "joints", "parts": [node_key(m, p.node) for p in found]}),),
    )


@check("skin.disagree", title="Skins bound otherwise to the same joints", result="caution", mends=("skin.rebind",))
@of_skin
def disagree(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins on one skeleton whose bind matrices contradict each other.

    Why: most receivers keep one bind pose a skeleton: the parts of the other skin then stand off, as a shirt that leaves its wearer.
    Measured: bind matrices of the joints that two skins share, through the one matrix that most agree on; off by more than a ten-thousandth of the skeleton's size.
    Source: glTF 2.0 §3.7.3.1; that receivers keep one bind pose is common practice, no published source.
    """
    for k, s in enumerate(own.skins):
        if s.disagrees is not None and s.joints:
            yield Finding(
                f"{s.name} binds joints {about(s.disagrees_by * unit_of(m))} from where {own.skins[s.disagrees].name} binds them",
                value(s.disagrees_by * unit_of(m) * 1000, "mm"),
                value(0.0, "mm"),
                len(s.joints),
                s.joints[0].name,
                s.joints[0].node,
                joints(m, k, s, range(len(s.joints))),
                (Call("skin.rebind", {}),),
                key=_key(k, s),
            )


@check("skin.shared", title="Several skins for the same joints", result="note", mends=("skin.merge-skins",))
@of_skin
def shared(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skins that name the very same joints and were bound alike.

    Why: joints are counted, sent and worked out once for each of them; some destinations take one skin a model.
    Measured: joints of each skin, and their bind matrices through the one matrix that most agree on.
    Source: common practice, no published source.
    """
    for k, s in enumerate(own.skins):
        if s.same is not None and s.disagrees is None and s.joints:
            yield Finding(
                f"{s.name} and {own.skins[s.same].name} are two skins for the same {plural(len(s.joints), 'joint')}",
                value(2, "count"),
                value(1, "count"),
                len(s.joints),
                s.joints[0].name,
                s.joints[0].node,
                joints(m, k, s, range(len(s.joints))),
                (Call("skin.merge-skins", {}),),
                key=_key(k, s),
            )


@check("skin.joint-count", title="Too many joints", result="caution", mends=("skin.remove-joints",))
@of_skin
def joint_count(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """More joints in a skin, or in all, than the destination takes.

    Why: past its limit it drops joints, draws the skin in pieces or refuses it.
    Measured: joints of each skin, and different joints of all skins, against the sheet.
    Source: limits are the sheet's.
    """
    most, all_most = sheet.limits.joints_skin, sheet.limits.joints_total
    if most is None and all_most is None:
        yield Skipped(f"{sheet.name} sets no limit")
        return
    for k, s in enumerate(own.skins):
        if most is not None and len(s.joints) > most:
            yield Finding(
                f"{s.name} has {plural(len(s.joints), 'joint')}",
                value(len(s.joints), "count"),
                value(most, "count"),
                len(s.joints),
                s.joints[0].name,
                s.joints[0].node,
                joints(m, k, s, range(len(s.joints))),
                (Call("skin.remove-joints", {}),),
                key=_key(k, s),
            )
    total = len({j.node for s in own.skins for j in s.joints})
    if all_most is not None and total > all_most:
        yield Finding(
            f"There are {plural(total, 'joint')} in all", value(total, "count"), value(all_most, "count"), total, key="all"
        )


@check("skin.idle", title="Joints that carry nothing", result="note", mends=("skin.remove-joints",))
@of_skin
def idle(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints of a skin that no vertex hangs on, neither on them nor on any joint below.

    Why: they count against the limit and are sent in every frame for nothing.
    Measured: vertices with a weight on the joint or below it; joints that another part hangs on are left out.
    Source: common practice, no published source.
    """
    for k, s in enumerate(own.skins):
        found = idle_joints(m, s)
        if found and any(j.carries for j in s.joints):
            named = [s.joints[i] for i in found]
            yield Finding(
                f"{plural(len(found), 'joint carries', 'joints carry')} nothing: {_names(named)}",
                value(len(found), "count"),
                value(0, "count"),
                len(found),
                named[0].name,
                named[0].node,
                joints(m, k, s, found),
                (Call("skin.remove-joints", {}),),
                key=_key(k, s),
            )


def idle_joints(m: Measures, s: SkinOfModel) -> list[int]:
    """Positions of joints that carry nothing, with all that hangs on them."""
    busy = [j.carries > 0 for j in s.joints]
    at = {j.node: k for k, j in enumerate(s.joints)}
    parent = {n.index: n.parent for n in m.nodes}
    for p in m.parts:
        i = p.node
        while i >= 0 and not p.skinned:
            if i in at:
                busy[at[i]] = True
                break
            i = parent.get(i, -1)
    for k in range(len(s.joints)):
        i = k
        while busy[k] and s.joints[i].up >= 0 and not busy[s.joints[i].up]:
            i = s.joints[i].up
            busy[i] = True
    return [k for k, b in enumerate(busy) if not b]


@check("skin.no-length", title="Joints without a length", result="note", mends=("skin.remove-joints",))
@of_skin
def no_length(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints that stand in the very place of the next, and joints other than the topmost in the rig's origin.

    Why: some importers make bones of the way from joint to joint and drop those without any, with all that they carried.
    Measured: distance to the nearest joint that hangs on it, and of joints below the top to the origin of the node above all, under a millionth of the skeleton's size.
    Source: common practice, no published source.
    """
    for k, s in enumerate(own.skins):
        short = [i for i, j in enumerate(s.joints) if j.length is not None and j.length <= NOTHING * s.size]
        at_origin = [i for i, j in enumerate(s.joints) if j.at_origin and j.up >= 0 and i not in short]
        found = short + at_origin
        if found:
            words = "in the very place of the next" if short else "in the rig's origin"
            named = [s.joints[i] for i in found]
            yield Finding(
                f"{plural(len(found), 'joint stands', 'joints stand')} {words}: {_names(named)}",
                value(0.0, "m"),
                value("a length", "text"),
                len(found),
                named[0].name,
                named[0].node,
                joints(m, k, s, found),
                key=_key(k, s),
            )


@check("skin.names-shared", title="Joints of the same name", result="caution", mends=("arrival.rename",))
@of_skin
def names_shared(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints of one skin that have the same name, or none.

    Why: clips and constraints find joints by name: they move the first, and the other stays behind.
    Measured: names of the joints of each skin, as the destination tells letters apart.
    Source: common practice, no published source.
    """
    named = {n.index: n.named for n in m.nodes}
    for k, s in enumerate(own.skins):
        word = (lambda x: x) if sheet.names.case_matters else str.casefold
        often = Counter(word(j.name) for j in s.joints)
        found = [i for i, j in enumerate(s.joints) if often[word(j.name)] > 1 or not named.get(j.node, True)]
        if found:
            which = [s.joints[i] for i in found]
            twins = any(often[word(j.name)] > 1 for j in which)
            yield Finding(
                f"{plural(len(found), 'joint has', 'joints have')} {'a name that another has too' if twins else 'no name'}: {_names(which)}",
                value(len(found), "count"),
                value(0, "count"),
                len(found),
                which[0].name,
                which[0].node,
                joints(m, k, s, found),
                key=_key(k, s),
                result="" if twins else "note",
            )


@check("skin.sides", title="Left and right differ", result="note")
@of_skin
def sides(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints of one side without a counterpart, and pairs whose weights differ where the surface is the same on both sides.

    Why: a pose that is mirrored there moves one side otherwise than the other, or not at all.
    Measured: names with left and right exchanged; weights of vertices that lie opposite each other, over 0.05, where four fifths of those looked at have one.
    Source: common practice, no published source.
    """
    for k, s in enumerate(own.skins):
        names = {j.name for j in s.joints}
        alone = [i for i, j in enumerate(s.joints) if (o := other_side(j.name)) is not None and o not in names]
        paired = any((o := other_side(n)) is not None and o in names for n in names)
        if alone and paired:
            which = [s.joints[i] for i in alone]
            yield Finding(
                f"{plural(len(alone), 'joint has', 'joints have')} no counterpart on the other side: {_names(which)}",
                value(len(alone), "count"),
                value(0, "count"),
                len(alone),
                which[0].name,
                which[0].node,
                joints(m, k, s, alone),
                key=_key(k, s),
            )
    called = {n.index: n.name for n in m.nodes}
    for x in own.sides:
        yield Finding(
            f"{called[x.left]} and {called[x.right]} weigh up to {plain(x.worst)} otherwise on mirrored vertices of {called[x.node]}",
            value(x.worst, "factor"),
            value(0.0, "factor"),
            x.vertices,
            called[x.node],
            x.node,
            nodes([x.left, x.right]),
            key=f"{node_key(m, x.node)}-{called[x.left]}",
            samples=x.samples,
        )


@check("skin.required", title="Joints that must be there", result="caution", mends=("skin.add-joints", "skin.rename-joints"))
@of_skin
def required(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Joints that the destination wants by name, in their order, each below the one that it names.

    Why: it finds the skeleton by these names: without them the character stands stiff or is refused.
    Measured: names of joints and of the nodes above them against the sheet's list and its other names; the parent of each. A name that only stands among the other names is told, as the destination's own is surer.
    Source: the sheet's list.
    """
    wanted = sheet.motion.skeleton
    if not wanted:
        yield Skipped(f"{sheet.name} wants no joints by name")
        return
    if intent.kind not in (None, "character"):
        yield Skipped(f"a {intent.kind} needs no such skeleton")
        return
    for k, s in enumerate(own.skins):
        if not s.joints:
            continue
        found = placed(m, s, wanted)
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
                    f"{plural(len(listed), 'joint that the destination wants is', 'joints that the destination wants are')} {what}: {', '.join(listed[:4])}",
                    value(len(wanted) - len(listed), "count"),
                    value(len(wanted), "count"),
                    len(listed),
                    s.joints[0].name,
                    s.joints[0].node,
                    joints(m, k, s, range(len(s.joints))),
                    () if mend is None else (mend,),
                    key=f"{_key(k, s)}-{what.partition(' ')[0]}",
                )


def _renames(wanted: list, found: list) -> str:  # type: ignore[type-arg]
    return ";".join(f"{at.name}={w.name}" for w, at in zip(wanted, found, strict=True) if at is not None and not at.by_name)


@check("skin.left-behind", title="Parts that no joint carries", result="caution", mends=("skin.bind-part", "skin.parent-part"))
@of_skin
def left_behind(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts that touch a skinned surface and hang on no joint.

    Why: at home a constraint may hold them there. Nothing of it is in the file: as soon as the character moves, they stay behind.
    Measured: parts that are neither skinned nor below a joint, no larger than the skinned surface and within a twentieth of its size of it, from vertex to vertex; the joint that carries the vertex nearest to it.
    Source: common practice, no published source.
    """
    called = {n.index: n.name for n in m.nodes}
    for x in own.loose:
        if intent.of_part(called[x.node]).role in ("aside", "stand-in"):
            continue
        to = {"joint": node_key(m, x.joint), "parts": [node_key(m, x.node)]}
        yield Finding(
            f"{called[x.node]} stays behind when {called[x.joint]} moves: no joint carries it",
            value(0, "count"),
            value(1, "count"),
            1,
            called[x.node],
            x.node,
            nodes([x.node]),
            (Call("skin.parent-part", to), Call("skin.bind-part", to)),
            key=node_key(m, x.node),
        )


@check("skin.rigid", title="Parts bound whole to one joint", result="note", mends=("skin.parent-part",))
@of_skin
def rigid(own: SkinMeasures, m: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skinned parts all of whose vertices hang on one joint with their whole weight.

    Why: it is a plain part on a joint told as a skin. One way of importing shows it where its bind matrix puts it, another as a part at its own node: the two differ by what its node stands off.
    Measured: the joints of all vertices, and how far the node's own transform would move the part.
    Source: common practice, no published source.
    """
    for p in own.parts:
        if p.skin is None or not 0 <= p.only_joint < len(own.skins[p.skin].joints):
            continue
        joint = own.skins[p.skin].joints[p.only_joint]
        off = f": taken as a plain part it stands {metres(p.own_moves * unit_of(m))} elsewhere" if p.own_moves > 1e-6 else ""
        yield Finding(
            f"{p.name} is bound whole to {joint.name}{off}",
            value(1, "count"),
            value("a part on its joint", "text"),
            p.vertices,
            p.name,
            p.node,
            nodes([p.node, joint.node]),
            (Call("skin.parent-part", {"joint": node_key(m, joint.node), "parts": [node_key(m, p.node)]}),),
            key=node_key(m, p.node),
        )
