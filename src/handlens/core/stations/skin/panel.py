"""What the ledger shows for Skin."""

from __future__ import annotations

from ...kit.panel import Figure, Panel, Result, Row, Table, length, table, worst_first
from ...kit.parts import unit_of
from ...limits import plural
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.figures import about, turn
from ...words.lengths import metres
from .checks_bind import off_joints
from .checks_joints import idle_joints
from .checks_weights import cut_to, measured
from .records import CutFigures, SkinMeasures, SkinOfModel, WeightFigures


def panel(m: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    own = measured(m)
    if own is None or (not own.parts and not own.skins):
        rigid = len(m.parts)
        return Panel(
            "joints, weights and the pose they were bound in",
            "no skin: nothing is bound to joints",
            None,
            None,
            [Figure("0", "", "skins", None), Figure(f"{rigid:,}", "", "rigid part" if rigid == 1 else "rigid parts", None)],
            [],
        )
    unit, most = unit_of(m), sheet.limits.influences_vertex
    off = max((s.joints[k].off for s in own.skins for k in off_joints(s)[:1]), default=0.0)
    away = sum(len(off_joints(s)) for s in own.skins)
    bare = sum(p.bare for p in own.parts if p.skin is not None)
    heaviest = max((len(p.histogram) - 1 for p in own.parts if p.histogram), default=0)
    joints = len({j.node for s in own.skins for j in s.joints})
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
            _joints(m, own, unit),
            _parts(m, own, sheet, unit),
            _counts(own, most),
            *([_cuts(own, unit)] if any(p.cuts for p in own.parts) else []),
        ],
    )


def _joints(m: Measures, own: SkinMeasures, unit: float) -> Table:
    rows: list[Row] = []
    seen: set[int] = set()
    parent = {n.index: n.parent for n in m.nodes}
    for s in own.skins:
        off, idle = set(off_joints(s)), set(idle_joints(m, s, parent))
        depths = _depths(s)
        for k in _in_tree_order(s):
            j = s.joints[k]
            if j.node in seen:
                continue
            seen.add(j.node)
            result: Result = "stop" if j.singular else "caution" if k in off else "note" if k in idle else "clear"
            rows.append(
                Row(
                    cells={
                        "joint": " " * (2 * min(depths[k], 12)) + ("└" if depths[k] else "") + j.name,
                        "vertices": f"{j.carries:,}",
                        "off": about(j.off * unit) if j.off > 1e-9 * s.size else "0 mm",
                        "turned": turn(j.degrees),
                        "length": metres(j.length * unit) if j.length is not None else "",
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


def _depths(s: SkinOfModel) -> list[int]:
    out = [-1] * len(s.joints)
    for k in range(len(s.joints)):
        way, i = [], k
        while i >= 0 and out[i] < 0:
            way.append(i)
            i = s.joints[i].up
        depth = out[i] + 1 if i >= 0 else 0
        for w in reversed(way):
            out[w] = depth
            depth += 1
    return out


def _in_tree_order(s: SkinOfModel) -> list[int]:
    below: dict[int, list[int]] = {}
    for k, j in enumerate(s.joints):
        below.setdefault(j.up, []).append(k)
    out, stack = [], list(reversed(below.get(-1, [])))
    while stack:
        k = stack.pop()
        out.append(k)
        stack.extend(reversed(below.get(k, [])))
    return out


def _parts(m: Measures, own: SkinMeasures, sheet: RuleSheet, unit: float) -> Table:
    most = sheet.limits.influences_vertex
    rows = []
    for p in own.parts:
        over = sum(p.histogram[most + 1 :]) if most is not None else 0
        bad = p.not_finite or p.beyond or (p.bare and p.skin is not None)
        worse = p.off_sum or p.negative or over or (p.weighted != (p.skin is not None))
        rows.append(
            Row(
                cells={
                    "part": p.name,
                    "vertices": f"{p.vertices:,}",
                    "bare": f"{p.bare:,}" if p.weighted else "all",
                    "off": f"{p.off_sum + p.slightly_off:,}",
                    "dust": f"{p.dust:,}",
                    "most": f"{max(len(p.histogram) - 1, 0)}",
                    "snap": about(p.bind_moves * unit) if p.bind_moves else "0 mm",
                },
                node=p.node,
                result="stop" if bad else "caution" if worse else "note" if p.dust or p.slightly_off else "clear",
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


def _counts(own: SkinMeasures, most: int | None) -> Table:
    longest = max((len(p.histogram) for p in own.parts), default=0)
    totals = [sum(p.histogram[n] for p in own.parts if n < len(p.histogram)) for n in range(longest)]
    rows = [
        Row(
            cells={"influences": f"{n}", "vertices": f"{c:,}"},
            result="stop" if n == 0 and c else "caution" if most is not None and n > most and c else "clear",
            weight=float(c),
        )
        for n, c in enumerate(totals)
    ]
    return table(
        "influences", "Influences on a vertex", [("influences", "Influences", True), ("vertices", "Vertices", True)], rows
    )


def _cuts(own: SkinMeasures, unit: float) -> Table:
    """The price of each limit, over all parts."""
    rows = []
    for most in sorted({c.most for p in own.parts for c in p.cuts}):
        cuts = [c for p in own.parts if (c := _exactly(p, most)) is not None]
        rows.append(
            Row(
                cells={
                    "most": f"{most}",
                    "vertices": f"{sum(c.vertices for c in cuts):,}",
                    "moves": about(max(c.farthest for c in cuts) * unit),
                }
            )
        )
    return table(
        "cuts",
        "What a limit costs",
        [("most", "Keep", True), ("vertices", "Vertices cut", True), ("moves", "Moved at most", True)],
        rows,
    )


def _exactly(p: WeightFigures, most: int) -> CutFigures | None:
    found = cut_to(p, most)
    return found if found is not None and found.most == most else None
