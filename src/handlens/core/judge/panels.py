"""What the ledger shows for the stations from Pivots to Slots."""

from __future__ import annotations

from typing import Any

from ..kit.panel import figure, length, table
from ..kit.parts import first_parts, seen_from, unit_of
from ..limits import plural
from ..measures import Measures
from ..rules import Intent, RuleSheet
from ..scene.headings import heading
from ..stations.facing.checks import BACKS
from ..stations.pivots.checks import FAR, free_parts, spin, wanted
from ..words.anchors import ANCHORS
from ..words.figures import percent, percent_of, plain
from ..words.lengths import metres

SEEN_WORDS = {"outside": "outside", "inside": "inside", "both": "both sides", "inverted": "outside, inverted on purpose"}
_ORDER = ["stop", "caution", "note", "clear", None]


def _worst_first(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    return sorted(rows, key=lambda r: _ORDER.index(r["result"]))


def pivots_panel(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    unit, free = unit_of(m), free_parts(m)
    ought = {
        node: (name, ((at - to) ** 2).sum() ** 0.5) for node, _, name, at, to, _ in wanted(m, intent, m.up_axis or sheet.up_axis)
    }
    rows: list[dict[str, Any]] = []
    for p in free:
        named = ought.get(p.node)
        rows.append({
            "cells": {
                "part": p.name, "sweeps": metres(p.sweep * unit), "needs": metres(p.needed * unit), "spin": plain(spin(p)),
                "anchor": named[0].replace("-", " ") if named else "", "off": metres(named[1] * unit) if named else "",
            },
            "node": p.node, "result": "caution" if spin(p) > FAR else "clear", "spin": spin(p),
        })  # fmt: skip
    rows.sort(key=lambda r: -r["spin"])
    worst = max((spin(p) for p in free), default=1.0)
    off = max((x[1] for x in ought.values()), default=0.0)
    far = sum(spin(p) > FAR for p in free)
    anchored = intent.pivot in ANCHORS
    return {
        "about": "what each part turns about",
        "line": f"sweeps up to {plain(worst)} times" if free else "nothing is placed by its own node",
        "limit": f"{intent.pivot.replace('-', ' ')} wanted" if anchored and intent.pivot else f"at most {FAR:g} times",
        "meter": worst / FAR if free else None,
        "headline": [
            figure(plain(worst), "×", "widest sweep over what is needed", "caution" if worst > FAR else "clear"),
            figure(f"{far:,}", "", "parts swing far out", "caution" if far else "clear"),
            length(off * unit, "pivot to where it is wanted") if anchored else figure("–", "", "no pivot is named in the intent"),
        ],
        "tables": [table("By part", [("part", "Part", False), ("sweeps", "Sweeps", True), ("needs", "Needs", True), ("spin", "Times", True), ("anchor", "Wanted at", False), ("off", "Off by", True)], rows)],
    }  # fmt: skip


def facing_panel(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    names = {p.node: p for p in m.parts}
    rows, wrong, judged = [], 0.0, 0.0
    for f in m.facing:
        p = names[f.node]
        side = seen_from(intent, p.name)
        s = f.inside if side == "inside" else f.outside
        surface = m.meshes[p.mesh].surface
        if side in ("outside", "inside"):
            wrong, judged = wrong + s.wrong, judged + s.judged
        share = s.wrong / s.judged if s.judged > 0 else 0.0
        rows.append({
            "cells": {
                "part": p.name, "from": side, "away": f"{s.turned:,}" if side in ("outside", "inside") else "–", "share": percent(share) if side in ("outside", "inside") else "–",
                "sure": f"{100 * s.confidence:.0f} %" if s.judged > 0 else "–", "unsure": _percent(s.undecided, s), "winding": f"{surface.disagreeing:,}",
            },
            "node": f.node, "result": "stop" if s.turned and side in ("outside", "inside") else "caution" if surface.disagreeing else "clear",
        })  # fmt: skip
    away = sum(r["result"] == "stop" for r in rows)
    share = wrong / judged if judged > 0 else 0.0
    backs = m.walk.backs / m.walk.rays if m.walk and m.walk.rays else 0.0
    worst = heading(m.walk.worst, m.up_axis or sheet.up_axis) if m.walk and m.walk.worst and m.walk.backs else ""
    edges = sum(mesh.surface.disagreeing for _, mesh in first_parts(m))
    return {
        "about": "which way faces look, and what that hides",
        "line": f"{percent(share)} looks away" if m.facing else "too large for rays" if m.parts else "nothing to look at",
        "limit": f"seen from {SEEN_WORDS[intent.seen_from]}",
        "meter": None,
        "headline": [
            figure(percent_of(share), "%", "of the area looks away", "stop" if share > 0 else "clear"),
            figure(f"{away:,}", "", "parts with faces turned away", "stop" if away else "clear"),
            figure(percent_of(backs), "%", f"of looks meet a back{', most from ' + worst if worst else ''}", "caution" if backs > BACKS else "clear")
            if intent.seen_from == "outside"
            else figure("–", "", "not walked round: it is not seen from outside"),
            figure(f"{edges:,}", "", "edges wound against each other", "caution" if edges else "clear"),
        ],
        "tables": [table("By part", [("part", "Part", False), ("from", "Seen from", False), ("away", "Faces away", True), ("share", "Of its area", True), ("sure", "Sure", True), ("unsure", "Undecided", True), ("winding", "Edges", True)], _worst_first(rows))],
    }  # fmt: skip


def _percent(area: float, s: Any) -> str:
    whole = s.judged + s.undecided + s.hidden
    return percent(area / whole) if whole > 0 else "–"


def surface_panel(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    rows = []
    total = {"odd": 0, "open": 0, "spare": 0, "seams": 0}
    for p, mesh in first_parts(m):
        s = mesh.surface
        odd, spare = s.concave + s.crossing + s.bent, mesh.zero_area_faces + s.alike + (mesh.loose_points if mesh.faces else 0)
        total["odd"] += odd
        total["open"] += s.hole_count
        total["spare"] += spare
        total["seams"] += s.doubles[-1]
        unit = unit_of(m) * p.enlarges
        rows.append({
            "cells": {
                "part": p.name, "many": f"{sum(s.by_corners.values()):,}", "odd": f"{odd:,}", "spare": f"{spare:,}", "crowded": f"{s.crowded:,}",
                "open": f"{s.hole_count:,}", "largest": metres(s.holes[0] * unit) if s.holes else "", "seams": f"{s.doubles[-1]:,}",
            },
            "node": p.node, "result": "caution" if spare or s.doubles[-1] or s.concave or s.crossing or s.crowded else "note" if odd or s.hole_count else "clear",
        })  # fmt: skip
    return {
        "about": "polygons, seams, openings and leftovers",
        "line": f"{total['spare']:,} to clear away, {total['open']:,} open" if total["spare"] or total["open"] else "whole and clean",
        "limit": f"{total['seams']:,} rim points apart" if total["seams"] else None,
        "meter": None,
        "headline": [
            figure(f"{total['odd']:,}", "", "polygons that cut differently", "caution" if total["odd"] else "clear"),
            figure(f"{total['spare']:,}", "", "faces and points for nothing", "caution" if total["spare"] else "clear"),
            figure(f"{total['open']:,}", "", "openings", "note" if total["open"] else "clear"),
            figure(f"{total['seams']:,}", "", "rim points not joined", "caution" if total["seams"] else "clear"),
        ],
        "tables": [table("By mesh", [("part", "Part", False), ("many", "Over 4 corners", True), ("odd", "Cut differently", True), ("spare", "For nothing", True), ("crowded", "Crowded edges", True), ("open", "Openings", True), ("largest", "Largest", True), ("seams", "Apart", True)], _worst_first(rows))],
    }  # fmt: skip


def slots_panel(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    bare = sum(mesh.unassigned_faces for _, mesh in first_parts(m))
    unused = sum(x.defined and not x.used_by_faces for x in m.materials)
    equal = sum(x.same_as is not None for x in m.materials)
    empty = sum(i.image is None for x in m.materials for i in x.inputs)
    rows = []
    for k, x in enumerate(m.materials):
        odd = (
            not x.defined
            or x.same_as is not None
            or bool(x.out_of_range)
            or any(i.image is None or i.set_missing for i in x.inputs)
        )
        rows.append({
            "cells": {
                "material": x.name or f"material {k}", "faces": f"{x.used_by_faces:,}", "inputs": ", ".join(i.role.replace("-", " ") for i in x.inputs) or "–",
                "mode": x.alpha_mode or ("not stated" if x.drawn == "opaque" else x.drawn), "sides": "both" if x.double_sided else "one",
                "same": "" if x.same_as is None else m.materials[x.same_as].name or f"material {x.same_as}",
            },
            "result": "caution" if odd else "note" if not x.used_by_faces else "clear",
        })  # fmt: skip
    return {
        "about": "materials, and what is plugged into them",
        "line": plural(len(m.materials), "material") if m.materials else "no materials",
        "limit": f"{bare:,} faces without" if bare else None,
        "meter": None,
        "headline": [
            figure(f"{len(m.materials):,}", "", "materials"),
            figure(f"{bare:,}", "", "faces without one", "caution" if bare else "clear"),
            figure(f"{equal:,}", "", "say the same as another", "caution" if equal else "clear"),
            figure(f"{unused:,}", "", "used by no face", "note" if unused else "clear"),
            figure(f"{empty:,}", "", "inputs without an image", "caution" if empty else "clear"),
        ],
        "tables": [table("Materials", [("material", "Material", False), ("faces", "Faces", True), ("inputs", "Plugged in", False), ("mode", "See-through", False), ("sides", "Drawn from", False), ("same", "Same as", False)], _worst_first(rows))],
    }  # fmt: skip
