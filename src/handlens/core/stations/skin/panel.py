"""What the ledger shows for Skin."""

from __future__ import annotations

from ...declare.panel import Figure, Panel, Result, Row, Table, count, distance, length, number, row, table, worst_first
from ...kit.parts import unit_of
from ...limits import plural
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.figures import about, turn
from .checks_bind import off_joints
from .checks_joints import idle_joints
from .checks_weights import cut_to, measured
from .records import CutFigures, SkinMeasures, SkinOfModel, WeightFigures


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Skin, by measures, sheet and intent."""
    own = measured(measures)
    if own is None or (not own.parts and not own.skins):
        rigid = len(measures.parts)
        return Panel(
            "joints, weights and the pose they were bound in",
            "no skin: nothing is bound to joints",
            None,
            None,
            [Figure("0", "", "skins", None), Figure(f"{rigid:,}", "", "rigid part" if rigid == 1 else "rigid parts", None)],
            [],
            nothing=True,
        )
    unit, most = unit_of(measures), sheet.limits.influences_vertex
    off = max((skin.joints[k].off for skin in own.skins for k in off_joints(skin)[:1]), default=0.0)
    away = sum(len(off_joints(skin)) for skin in own.skins)
    bare = sum(part.bare for part in own.parts if part.skin is not None)
    heaviest = max((len(part.histogram) - 1 for part in own.parts if part.histogram), default=0)
    joints = len({j.node for skin in own.skins for j in skin.joints})
    too_many = most is not None and heaviest > most
    limit = sheet.limits.joints_skin
    return Panel(
        about="joints, weights and the pose they were bound in",
        line=f"up to {plural(heaviest, 'joint')} on a vertex",
        limit=f"{most}" if most is not None else None,
        meter=heaviest / most if most else None,
        headline=[
            length(off * unit, f"bind pose off · {plural(away, 'joint')}", "caution" if off else "clear"),
            Figure(f"{bare:,}", "", "vertices with no weight", "stop" if bare else "clear"),
            Figure(f"{heaviest}", "", "influences on one vertex", "caution" if too_many else "clear" if most else None),
            Figure(f"{joints:,}", "", "joints", "caution" if limit is not None and joints > limit else None),
        ],
        tables=[
            _joints(measures, own, unit),
            _parts(measures, own, sheet, unit),
            _counts(own, most),
            *([_cuts(own, unit)] if any(part.cuts for part in own.parts) else []),
        ],
    )


def _joints(measures: Measures, skins: SkinMeasures, unit: float) -> Table:
    rows: list[Row] = []
    seen: set[int] = set()
    parent = {n.index: n.parent for n in measures.nodes}
    for skin in skins.skins:
        off, idle = set(off_joints(skin)), set(idle_joints(measures, skin, parent))
        depths = _depths(skin)
        for k in _in_tree_order(skin):
            j = skin.joints[k]
            if j.node in seen:
                continue
            seen.add(j.node)
            result: Result = "stop" if j.singular else "caution" if k in off else "note" if k in idle else "clear"
            rows.append(
                row(
                    {
                        "joint": " " * (2 * min(depths[k], 12)) + ("└" if depths[k] else "") + j.name,
                        "vertices": count(j.carries),
                        "off": number(j.off * unit, about(j.off * unit) if j.off > 1e-9 * skin.size else "0 mm", "m"),
                        "turned": number(j.degrees, turn(j.degrees), "°"),
                        "length": distance(j.length * unit) if j.length is not None else "",
                    },
                    node=j.node,
                    result=result,
                )
            )
    return table(
        "joints",
        "By joint",
        [
            ("joint", "Joint", False),
            ("vertices", "Vertices", True),
            ("off", "Off bind pose", True),
            ("turned", "Turned", True),
            ("length", "Length", True),
        ],
        rows,
    )


def _depths(skin: SkinOfModel) -> list[int]:
    out = [-1] * len(skin.joints)
    for k in range(len(skin.joints)):
        way, i = [], k
        while i >= 0 and out[i] < 0:
            way.append(i)
            i = skin.joints[i].up
        depth = out[i] + 1 if i >= 0 else 0
        for joint in reversed(way):
            out[joint] = depth
            depth += 1
    return out


def _in_tree_order(skin: SkinOfModel) -> list[int]:
    below: dict[int, list[int]] = {}
    for k, j in enumerate(skin.joints):
        below.setdefault(j.up, []).append(k)
    out, stack = [], list(reversed(below.get(-1, [])))
    while stack:
        k = stack.pop()
        out.append(k)
        stack.extend(reversed(below.get(k, [])))
    return out


def _parts(measures: Measures, skins: SkinMeasures, sheet: RuleSheet, unit: float) -> Table:
    most = sheet.limits.influences_vertex
    rows = []
    for part in skins.parts:
        over = sum(part.histogram[most + 1 :]) if most is not None else 0
        bad = part.not_finite or part.beyond or (part.bare and part.skin is not None)
        worse = part.off_sum or part.negative or over or (part.weighted != (part.skin is not None))
        rows.append(
            row(
                {
                    "part": part.name,
                    "vertices": count(part.vertices),
                    "bare": count(part.bare) if part.weighted else number(part.vertices, "all"),
                    "off": count(part.off_sum + part.slightly_off),
                    "dust": count(part.dust),
                    "most": count(max(len(part.histogram) - 1, 0)),
                    "snap": number(part.bind_moves * unit, about(part.bind_moves * unit) if part.bind_moves else "0 mm", "m"),
                },
                node=part.node,
                result="stop" if bad else "caution" if worse else "note" if part.dust or part.slightly_off else "clear",
            )
        )
    return table(
        "parts",
        "By part",
        [
            ("part", "Part", False),
            ("vertices", "Vertices", True),
            ("bare", "No weight", True),
            ("off", "Sum off", True),
            ("dust", "Tiny", True),
            ("most", "Most", True),
            ("snap", "To bind pose", True),
        ],
        worst_first(rows),
    )


def _counts(skins: SkinMeasures, most: int | None) -> Table:
    longest = max((len(part.histogram) for part in skins.parts), default=0)
    totals = [sum(part.histogram[n] for part in skins.parts if n < len(part.histogram)) for n in range(longest)]
    rows = [
        row(
            {"influences": count(n), "vertices": count(total)},
            result="stop" if n == 0 and total else "caution" if most is not None and n > most and total else "clear",
            weight=float(total),
        )
        for n, total in enumerate(totals)
    ]
    return table(
        "influences", "Influences on a vertex", [("influences", "Influences", True), ("vertices", "Vertices", True)], rows
    )


def _cuts(skins: SkinMeasures, unit: float) -> Table:
    """The price of each limit, over all parts."""
    rows = []
    for most in sorted({cut.most for part in skins.parts for cut in part.cuts}):
        cuts = [price for part in skins.parts if (price := _exactly(part, most)) is not None]
        rows.append(
            row(
                {
                    "most": count(most),
                    "vertices": count(sum(cut.vertices for cut in cuts)),
                    "moves": number(
                        max(cut.farthest for cut in cuts) * unit, about(max(cut.farthest for cut in cuts) * unit), "m"
                    ),
                }
            )
        )
    return table(
        "cuts",
        "What a limit costs",
        [("most", "Keep", True), ("vertices", "Vertices cut", True), ("moves", "Moved at most", True)],
        rows,
    )


def _exactly(figures: WeightFigures, most: int) -> CutFigures | None:
    found = cut_to(figures, most)
    return found if found is not None and found.most == most else None
