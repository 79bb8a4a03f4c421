"""Placement: node transforms, distance from the origin, the ground."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from ...declare.check import BY_ITSELF, OFTEN, SELDOM, Finding, Skipped, check, node_key, nodes, value
from ...declare.station_measures import reading
from ...limits import plural
from ...measures import Measures
from ...measures.records import TOLERANCE, NodeFigures, is_scaled, is_uneven
from ...rules import Intent, RuleSheet
from ...scene.axes import AXIS_INDEX
from ...words.calls import Call
from ...words.figures import plain
from ...words.lengths import metres
from .measures import OWN
from .messages import say
from .records import NudgeFigures, PlacementMeasures

Found = Iterator[Finding | Skipped]

#: A scale counts as 1, and axes as equal, within this.
BAKE: tuple[Call, ...] = (Call("placement.bake", {}),)


def _rigged(measures: Measures) -> set[int]:
    """Joints and the nodes above them: their scale and turn are the Skin station's business."""
    by_index = {n.index: n for n in measures.nodes}
    out: set[int] = set()
    for n in measures.nodes:
        i = n.index if n.is_joint else -1
        while i >= 0 and i not in out:
            out.add(i)
            i = by_index[i].parent if i in by_index else -1
    return out


def above_parts(measures: Measures) -> set[int]:
    """Nodes that show a mesh or have one below them; what only holds a camera or a light may stand as it likes."""
    by_index = {n.index: n.parent for n in measures.nodes}
    out: set[int] = set()
    for part in measures.parts:
        i = part.node
        while i >= 0 and i not in out:
            out.add(i)
            i = by_index.get(i, -1)
    return out


def _names(found: list[NodeFigures]) -> str:
    return ", ".join(n.name for n in found[:3]) + (" …" if len(found) > 3 else "")


@check(
    "placement.scale",
    title="Node scale is not 1",
    result="caution",
    held_to=("node_scale",),
    mends=("placement.bake",),
    explains={"beside": SELDOM, "size": OFTEN, "refused": OFTEN},
)
def scale(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes whose own scale is even on all axes but not 1.

    Why: the scale is passed on to everything linked below, to physics shapes and to animations, and the size jumps there.
    Measured: length of each column of the local matrix, 1 within 1e-4.
    Source: common practice, no published source.
    """
    if sheet.node_scale == "any":
        yield Skipped(say("placement.scale.any", sheet=sheet.name))
        return
    rigged = _rigged(measures)
    found = [n for n in measures.nodes if is_scaled(n) and not is_uneven(n) and not n.mirrored and n.index not in rigged]
    if found:
        worst = max(found, key=lambda n: abs(np.log(max(abs(n.scale[0]), 1e-300))))
        factor = max(worst.scale, key=lambda s: abs(s - 1))
        yield Finding(
            say("placement.scale", nodes=len(found), names=_names(found)),
            value(factor, "factor"),
            value(1.0, "factor"),
            len(found),
            worst.name,
            worst.index,
            nodes([n.index for n in found]),
            BAKE,
        )


@check(
    "placement.uneven-scale",
    title="Non-uniform node scale",
    result="caution",
    mends=("placement.bake",),
    explains={"jumps": OFTEN, "size": SELDOM},
)
def uneven(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes stretched more along one axis than along another.

    Why: whatever rotates below such a node is sheared, round colliders are not round, and normals are lit wrongly.
    Measured: lengths of the columns of the local matrix, equal within 1e-4 of the largest.
    Source: common practice, no published source.
    """
    rigged = _rigged(measures)
    found = [n for n in measures.nodes if is_uneven(n) and n.index not in rigged]
    if found:
        worst = max(found, key=lambda n: max(map(abs, n.scale)) / max(min(map(abs, n.scale)), 1e-300))
        text = " × ".join(plain(abs(s)) for s in worst.scale)
        yield Finding(
            say("placement.uneven-scale", nodes=len(found), names=_names(found)),
            value(text, "text"),
            value("1 × 1 × 1", "text"),
            len(found),
            worst.name,
            worst.index,
            nodes([n.index for n in found]),
            BAKE,
        )


@check(
    "placement.mirrored",
    title="Mirrored nodes",
    result="caution",
    mends=("placement.bake",),
    explains={"hole": OFTEN, "inside-out": BY_ITSELF, "lies": OFTEN, "refused": OFTEN},
)
def mirrored(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes with a negative scale.

    Why: a mirror turns the winding of everything below it, so a destination that does not allow for it shows the insides.
    Measured: the sign of the determinant of the local matrix.
    Source: glTF 2.0 §3.7.4: the winding order follows the sign of the determinant of the node's global transform.
    """
    found = [n for n in measures.nodes if n.mirrored]
    if found:
        yield Finding(
            say("placement.mirrored", nodes=len(found), names=_names(found)),
            value(-1.0, "factor"),
            value(1.0, "factor"),
            len(found),
            found[0].name,
            found[0].index,
            nodes([n.index for n in found]),
            BAKE,
        )


@check(
    "placement.rotation",
    title="Rotation left on nodes",
    result="caution",
    held_to=("node_rotation",),
    mends=("placement.bake",),
    explains={"beside": SELDOM, "lies": BY_ITSELF},
)
def rotation(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Nodes that are turned: by quarter turns, as an axis change leaves behind, or at all where the sheet wants none.

    Why: a script that sets the rotation to zero there lays the part on its side, and linked parts swing about the wrong axis.
    Measured: angle of the local rotation, zero within 0.01°.
    Source: common practice, no published source.
    """
    if sheet.node_rotation == "any":
        yield Skipped(say("placement.rotation.any", sheet=sheet.name))
        return
    rigged = _rigged(measures)
    shown = above_parts(measures)
    turned = [
        n for n in measures.nodes if n.angle > 0.01 and n.index not in rigged and n.kind in ("mesh", "group") and n.index in shown
    ]
    found = turned if sheet.node_rotation == "zero" else [n for n in turned if n.quarter_turn]
    if found:
        worst = max(found, key=lambda n: n.angle)
        yield Finding(
            say("placement.rotation", nodes=len(found), names=_names(found)),
            value(round(worst.angle, 3), "degrees"),
            value(0.0, "degrees"),
            len(found),
            worst.name,
            worst.index,
            nodes([n.index for n in found]),
            BAKE,
        )


@check(
    "placement.collapsed",
    title="Scaled to zero",
    result="stop",
    mends=("placement.restore-scale", "arrival.remove-parts"),
    explains={"gone": BY_ITSELF, "size": OFTEN},
)
def collapsed(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts whose node, or one above it, is scaled to nothing along an axis or altogether.

    Why: they are loaded and never seen; whatever needs a size or a direction from them gets none.
    Measured: greatest and least length of the columns of the part's world matrix, under a millionth of the greatest of any part. A clip may scale them up: then it is a note.
    Source: glTF 2.0 §3.5.3: a node all of whose scale is zero need not be drawn; the limit is common practice.
    """
    whole = max((part.enlarges for part in measures.parts), default=0.0)
    gone = [part for part in measures.parts if part.shrinks <= 1e-6 * whole or not part.enlarges > 0]
    if not gone:
        return
    by_index = {n.index: n for n in measures.nodes}
    parent = {n.index: n.parent for n in measures.nodes}
    grown = all(any(by_index[i].driven for i in _above(parent, part.node) if i in by_index) for part in gone)
    flat = all(part.enlarges > 0 for part in gone)
    listed = ", ".join(part.name for part in gone[:3]) + (" …" if len(gone) > 3 else "")
    parts = [node_key(measures, part.node) for part in gone]
    yield Finding(
        say("placement.collapsed", collapsed=len(gone), parts=len(measures.parts), flat=flat, names=listed),
        value(0.0, "factor"),
        value(1.0, "factor"),
        len(gone),
        gone[0].name,
        gone[0].node,
        nodes([part.node for part in gone]),
        (Call("placement.restore-scale", {"parts": parts}), Call("arrival.remove-parts", {"parts": parts})),
        result="note" if grown else "",
    )


@check(
    "placement.inverse-pair",
    title="Scales that cancel each other",
    result="caution",
    mends=("placement.bake",),
    explains={"jumps": OFTEN, "beside": OFTEN, "size": SELDOM},
)
def inverse_pair(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """A node scaled by some factor above another scaled by its inverse, so that the whole looks right.

    Why: as soon as something is linked between them, or one of them is reset, it jumps by that factor.
    Measured: the running product of scales down each chain; a pair counts where both are off by 1 % or more and the product is 1 within 0.1 %.
    Source: common practice, no published source.
    """
    by_index = {n.index: n for n in measures.nodes}
    for n in measures.nodes:
        own = abs(n.scale[0])
        if not is_scaled(n) or is_uneven(n) or abs(own - 1) < 0.01:
            continue
        product, up = own, n.parent
        while up in by_index:
            above = by_index[up]
            factor = abs(above.scale[0])
            product *= factor
            if not is_uneven(above) and abs(factor - 1) >= 0.01 and abs(product - 1) < 1e-3:
                yield Finding(
                    say("placement.inverse-pair", group=above.name, scale=factor, node=n.name, inverse=own),
                    value(factor, "factor"),
                    value(1.0, "factor"),
                    2,
                    n.name,
                    n.index,
                    nodes([above.index, n.index]),
                    BAKE,
                    key=node_key(measures, n.index),
                )
                break
            up = above.parent


@check(
    "placement.shear",
    title="Sheared transform",
    result="caution",
    mends=("placement.bake",),
    explains={"jumps": OFTEN, "beside": OFTEN, "lies": SELDOM},
)
def shear(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts whose world matrix is slanted: an uneven scale above a turned child.

    Why: translation, rotation and scale cannot express it, so a destination that splits the matrix changes the shape.
    Measured: greatest |cosine| between two columns of the world matrix, 0 within 1e-4.
    Source: glTF 2.0 §3.5.3: a matrix must be decomposable to translation, rotation and scale.
    """
    parts = {part.node for part in measures.parts}
    found = [n for n in measures.nodes if n.world_shear > TOLERANCE and n.index in parts]
    if found:
        worst = max(found, key=lambda n: n.world_shear)
        lean = float(np.degrees(np.arcsin(min(worst.world_shear, 1.0))))
        yield Finding(
            say("placement.shear", parts=len(found), names=_names(found)),
            value(round(lean, 3), "degrees"),
            value(0.0, "degrees"),
            len(found),
            worst.name,
            worst.index,
            nodes([n.index for n in found]),
            BAKE,
        )


@check(
    "placement.far",
    title="Far from the origin",
    result="stop",
    held_to=("limits.float_spacing_mm",),
    mends=("placement.home",),
    explains={"striped": OFTEN, "gone": OFTEN, "jumps": SELDOM, "beside": OFTEN},
)
def far(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Parts that stand, or whose vertices or nodes are stored, where neighbouring 32-bit floats are further apart than the sheet allows.

    Why: positions there can only be multiples of that gap, so the surface shimmers and splinters as the camera moves. Moving the
    node far one way and the vertices far the other way does not help: each number is rounded by itself.
    Measured: the gap between 32-bit floats at the part's farthest coordinate in the world, among its stored vertices, and at the translation of each node above it, in millimetres; over a tenth of the limit is a caution.
    Source: IEEE 754-2019, binary32: 24 significant bits.
    """
    unit = 1.0 if measures.unit_metres is None else measures.unit_metres
    limit = sheet.limits.float_spacing_mm
    bad = [part for part in measures.parts if part.spacing * unit * 1000 > limit / 10]
    names = {n.index: n.name for n in measures.nodes}
    for where in ("world", "stored", "link"):
        found = [p for p in bad if p.coarse == where]
        if not found:
            continue
        worst = max(found, key=lambda p: p.spacing)
        gap = worst.spacing * unit * 1000
        away = metres(worst.distance * unit)
        many = len(found) > 1
        words = {
            "world": f"{plural(len(found), 'part stands', 'parts stand')} up to {away} out",
            "stored": f"The vertices of {f'{len(found):,} parts' if many else worst.name} lie up to {away} from {'their' if many else 'its'} own pivot",
            "link": f"{names.get(worst.coarse_node, worst.name)} is {away} from what it hangs on",
        }[where]
        damage = "; what was finer is rounded away already" if any(p.rounded for p in found) else ""
        yield Finding(
            say("placement.far", where=words, step=gap / 1000, more=damage),
            value(gap, "mm"),
            value(limit, "mm"),
            len(found),
            worst.name,
            worst.node,
            nodes([p.node for p in found]),
            (Call("placement.home", {}),),
            key="" if where == "world" else where,
            result="" if gap > limit else "caution",
        )


@check(
    "placement.ground",
    title="Not standing on the ground",
    result="note",
    held_to=("ground",),
    follows_in_model=("placement.far",),
    explains={"beside": OFTEN, "lies": SELDOM},
)
def ground(measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """The lowest point is above or below the ground plane, for things whose pivot belongs at the base.

    Why: placed on the floor by its pivot, it floats or sinks in.
    Measured: lowest world coordinate along the up axis, 0 within 1 % of the height and 5 mm.
    Source: common practice, no published source.
    """
    if measures.bounds_min is None or measures.bounds_max is None:
        return
    if sheet.ground == "any" and intent.pivot != "base-centre":
        yield Skipped(say("placement.ground.not-asked", sheet=sheet.name))
        return
    if intent.pivot not in (None, "base-centre") or intent.kind == "effect":
        yield Skipped(say("placement.ground.hangs"))
        return
    axis = AXIS_INDEX[measures.up_axis or sheet.up_axis]
    unit = 1.0 if measures.unit_metres is None else measures.unit_metres
    low = measures.bounds_min[axis] * unit
    height = (measures.bounds_max[axis] - measures.bounds_min[axis]) * unit
    if abs(low) > max(0.01 * height, 0.005):
        words = "above" if low > 0 else "below"
        yield Finding(say("placement.ground", distance=abs(low), side=words), value(low, "m"), value(0.0, "m"))


@check(
    "placement.double-move",
    title="Moved twice, or left behind",
    result="caution",
    mends=("placement.one-drive",),
    follows_in_model=("skin.rig",),
    explains={"jumps": BY_ITSELF, "beside": BY_ITSELF},
)
@reading(OWN.of, "how far parts travel could not be measured")
def double_move(own: PlacementMeasures, measures: Measures, sheet: RuleSheet, intent: Intent) -> Found:
    """Skinned parts that travel other than one unit when a group is moved by one unit.

    Why: a skinned part is moved by its joints. Below a group that is moved, it stays behind where the joints hang elsewhere, and
    a receiver that also applies the part's own node moves it twice.
    Measured: the nudge test: each group above a skinned part, and the roots of its joints, moved by one unit along each axis; travel of every vertex by the specification's rule, and by that of a receiver that applies the node too. Where the joints carry it whole, it is told only if the part's own node or one above it is moved, turned, scaled or animated, so that receivers show different things.
    Source: glTF 2.0 §3.7.3.3: only the joint transforms are applied to a skinned mesh; the transform of its own node must be ignored.
    """
    names = {n.index: n.name for n in measures.nodes}
    parent = {n.index: n.parent for n in measures.nodes}
    above: dict[int, set[int]] = {}
    worst: dict[int, NudgeFigures] = {}
    for n in own.nudges:
        behind = n.low < 0.999 or n.high > 1.001
        # Above a part, a group ought to carry it; of groups elsewhere only those count that tear it.
        if n.part not in above:
            above[n.part] = _above(parent, n.part)
        inside = n.group in above[n.part]
        counts = behind if inside else (n.high > 0.001 and n.low < 0.999)
        if counts or (inside and abs(n.applied - 1) > 0.001):
            now = worst.get(n.part)
            # Beside its joints in a group at rest, as rigs are usually laid out, all receivers show the same.
            if not counts and not n.off:
                continue
            if now is None or (counts, n.applied) > (now.low < 0.999 or now.high > 1.001, now.applied):
                worst[n.part] = n
    # Where some vertex hangs on no joint, the joints alone would leave it behind.
    bare = {part.node for part in measures.parts if measures.meshes[part.mesh].unweighted}
    carried = [node_key(measures, part) for part in worst if part not in bare]
    stuck = [node_key(measures, part) for part in worst if part in bare]
    for part, n in worst.items():
        group, name = names[n.group], names[part]
        behind = n.low < 0.999 or n.high > 1.001
        if behind and n.joints_within == 0:
            title = say("placement.double-move.behind", part=name, group=group, joints=n.joints)
        elif behind:
            title = say(
                "placement.double-move.partly",
                part=name,
                low=n.low,
                high=n.high,
                group=group,
                within=n.joints_within,
                joints=n.joints,
            )
        else:
            title = say("placement.double-move", part=name, factor=n.applied, group=group)
        yield Finding(
            title,
            value(n.low if behind else n.applied, "units"),
            value(1.0, "units"),
            1,
            name,
            part,
            nodes([part, n.group]),
            # To be moved by its node alone costs a part its skin: that is no equal way, and only offered where there is no other.
            (
                Call(
                    "placement.one-drive",
                    {"keep": "node", "parts": stuck} if part in bare else {"keep": "joints", "parts": carried},
                ),
            ),
            key=node_key(measures, part),
        )


def _above(parent: Mapping[int, int], node: int) -> set[int]:
    out = {node}
    while (node := parent.get(node, -1)) >= 0:
        out.add(node)
    return out
