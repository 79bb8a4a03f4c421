"""What the ledger shows for each inspected station: one line, headline figures, and a table with measured beside wanted."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection
from typing import Any

import numpy as np

from ..kit.check import STATIONS
from ..kit.panel import figure, length, table
from ..limits import plural
from ..measures import Measures
from ..measures.records import PartFigures
from ..rules import Intent, RuleSheet
from ..rules.sheet import UNIT_WORDS
from ..stations.arrival.checks import bare
from ..stations.arrival.checks_side_files import used_names
from ..stations.budget.checks import draw_calls, draw_calls_of, texture_memory, triangles, triangles_of_copies
from ..stations.placement.checks import is_scaled, is_uneven
from ..stations.size.checks import can_judge, explanations, size_metres, wanted_ratio
from ..words.figures import percent, plain
from ..words.lengths import metres
from . import Judgement, things_of
from .panels import facing_panel, pivots_panel, slots_panel, surface_panel
from .panels_pictures import see_through_panel, textures_panel


def ledger(
    m: Measures, sheet: RuleSheet, intent: Intent, judgement: Judgement, waived: Collection[str] = ()
) -> list[dict[str, Any]]:
    """One entry a station, in order. `inspected` is false where no check looks at it yet; waived: ids that do not count."""
    panels: dict[str, Callable[[Measures, RuleSheet, Intent], dict[str, Any]]] = {
        "Arrival": _arrival,
        "Size": _size,
        "Placement": _placement,
        "Pivots": pivots_panel,
        "Facing": facing_panel,
        "Surface": surface_panel,
        "Slots": slots_panel,
        "Textures": textures_panel,
        "See-through": see_through_panel,
        "Budget": _budget,
    }
    out = []
    for number, name in enumerate(STATIONS, 1):
        counts = {"stop": 0, "caution": 0, "note": 0}
        for f in judgement.findings:
            if f.station == name and f.id not in waived:
                counts[f.result] += 1
        entry: dict[str, Any] = {
            "number": number,
            "name": name,
            "slug": name.lower(),
            "inspected": name in panels,
            "counts": counts,
        }
        if name in panels:
            entry |= panels[name](things_of(m, intent) if name in ("Size", "Budget") else m, sheet, intent)
            _add_keys(m, entry["tables"])
        else:
            entry["line"] = "not exported yet" if name == "Handoff" else "not inspected yet"
        out.append(entry)
    return out


def _add_keys(m: Measures, tables: list[dict[str, Any]]) -> None:
    """Gives each row of a part the key by which mends name it."""
    counts = Counter(n.name for n in m.nodes)
    names = {n.index: n.name if counts[n.name] == 1 else f"{n.name}~{n.index}" for n in m.nodes}
    for shown in tables:
        for r in shown["rows"]:
            if r.get("node") in names:
                r["key"] = names[r["node"]]


def _arrival(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    leftovers = m.cameras + m.lights + len(bare(m)) + sum(x.loose_edges for x in m.meshes)
    joints = sum(len(s.joints) for s in m.skins)
    materials = len(m.materials)
    counted = [
        ("Parts", len(m.parts)), ("Meshes", len(m.meshes)), ("Triangles", triangles(m)),
        ("Polygons", sum(x.faces for x in m.meshes)), ("Polygons over four corners", sum(x.faces_over_4 for x in m.meshes)),
        ("Vertices as stored", sum(x.vertices for x in m.meshes)), ("Loose edges", sum(x.loose_edges for x in m.meshes)),
        ("Loose points", sum(x.loose_points for x in m.meshes)), ("Materials", materials), ("Images", len(m.images)),
        ("Nodes", len(m.nodes)), ("Empty nodes", len(bare(m))), ("Hidden nodes", sum(n.hidden for n in m.nodes)),
        ("Cameras", m.cameras), ("Lights", m.lights), ("Skins", len(m.skins)), ("Joints", joints), ("Clips", len(m.clips)),
        ("Morph targets", sum(x.morphs for x in m.meshes)),
    ]  # fmt: skip
    left = {"Loose edges", "Loose points", "Empty nodes", "Hidden nodes", "Cameras", "Lights"}
    kept = [(what, f"{n:,}", "0" if what in left else "") for what, n in counted if n or what in left]
    half = (len(kept) + 1) // 2
    pairs = zip(kept[:half], [*kept[half:], ("", "", "")][:half], strict=True)
    keys = ("what", "count", "wanted", "what2", "count2", "wanted2")
    rows = [{"cells": dict(zip(keys, (*one, *two), strict=True))} for one, two in pairs]
    columns = [("what", "What came", False), ("count", "Count", True), ("wanted", "Wanted", True)]
    columns += [("what2", "", False), ("count2", "Count", True), ("wanted2", "Wanted", True)]
    return {
        "about": "what came in the box",
        "line": f"{plural(len(m.parts), 'part')}, {plural(len(m.images), 'image')}"
        + (f", {plural(joints, 'joint')}" if joints else ""),
        "limit": f"{leftovers:,} left over" if leftovers else None,
        "meter": None,
        "headline": [
            figure(f"{len(m.parts):,}", "", "parts"),
            figure(f"{triangles(m):,}", "", "triangles"),
            figure(f"{materials:,}", "", "materials"),
            figure(f"{leftovers:,}", "", "left over", "note" if leftovers else "clear"),
        ],
        "tables": [table("Inventory", columns, rows), *_side_table(m)],
    }


def _side_table(m: Measures) -> list[dict[str, Any]]:
    """Names that text files beside the model use; nothing where there are none."""
    rows = used_names(m)
    columns = [
        ("text", "Says", False),
        ("means", "Is", False),
        ("how", "How", False),
        ("place", "Stands at", False),
        ("key", "Under", False),
    ]
    return [table("Names in side files", columns, rows)] if rows else []


def _size(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    size = size_metres(m)
    axis = {"X": 0, "Y": 1, "Z": 2}[m.up_axis or sheet.up_axis]
    wanted = wanted_ratio(m, sheet, intent)
    ranked = explanations(m, sheet, intent)
    tall = size[axis] if size else 0.0
    fits = wanted is not None and abs(np.log(wanted[0])) <= np.log1p(sheet.size_tolerance)
    judged = can_judge(intent)
    best = ranked[0] if ranked and judged else None
    shown, unit = metres(tall).rsplit(" ", 1) if size else ("–", "")
    expected = metres(tall * wanted[0]).rsplit(" ", 1) if wanted else ["not given", ""]
    headline = [
        figure(
            shown,
            unit,
            "tall, read in metres" if m.unit_metres is None else "tall",
            None if wanted is None else "clear" if fits else "stop",
        ),
        figure(expected[0], expected[1], "expected"),
    ]
    if best is not None:
        headline.append(
            figure(
                f"× {plain(best.factor)}",
                "",
                f"likeliest factor, gives {metres(best.gives[axis])}",
                "clear" if best.fits else None,
            )
        )
    readings = [
        {
            "cells": {
                "reading": "Unit",
                "file": "not stated" if m.unit_metres is None else metres(m.unit_metres),
                "there": UNIT_WORDS[sheet.unit],
                "turn": "?" if m.unit_metres is None else f"× {plain(m.unit_metres / sheet.unit_metres)}",
            }
        },
        {
            "cells": {
                "reading": "Up axis",
                "file": m.up_axis or "not stated",
                "there": sheet.up_axis,
                "turn": "?" if m.up_axis is None else "none" if m.up_axis == sheet.up_axis else "90° about X",
            }
        },
    ]
    if size:
        readings.append(
            {"cells": {"reading": "Size X, Y, Z", "file": " × ".join(metres(v) for v in size), "there": "", "turn": ""}}
        )
    factors = [
        {
            "cells": {
                "factor": f"× {plain(e.factor)}",
                "words": e.words,
                "gives": metres(e.gives[axis]),
                **({"fit": _fit(e.gives[axis], tall * wanted[0] if wanted else None, e.fits)} if judged else {}),
            },
            "result": "clear" if e.fits and judged else None,
            "mend": _scale_call(m, sheet, e.factor),
        }
        for e in ranked[:6]
    ]
    columns = [
        ("reading", "Reading", False),
        ("file", "The file", False),
        ("there", "Destination", False),
        ("turn", "On the way", True),
    ]
    return {
        "about": "how big it will stand, and which way up",
        "line": f"{metres(tall)} tall" if size else "nothing to measure",
        "limit": f"{metres(tall * wanted[0])}" if wanted else "no size given",
        "meter": 1 / wanted[0] if wanted else None,
        "headline": headline,
        "tables": [
            table("Readings", columns, readings),
            table("What would explain it", [("factor", "Factor", False), ("words", "What would explain it", False), ("gives", "Gives", True), *([("fit", "Fit", True)] if judged else [])], factors),
        ],
    }  # fmt: skip


def _scale_call(m: Measures, sheet: RuleSheet, factor: float) -> dict[str, Any] | None:
    """The call that takes a factor for true: where no unit is stated, it is stated by it, in the destination's own."""
    if m.unit_metres is None:
        return {"mend": "size.scale", "params": {"factor": factor / sheet.unit_metres, "unit": sheet.unit}}
    return {"mend": "size.scale", "params": {"factor": factor}} if factor != 1 else None


def _fit(gives: float, wanted: float | None, fits: bool) -> str:
    if fits:
        return "fits"
    if wanted is None:
        return "unlikely"
    ratio = gives / wanted if wanted else 0.0
    return f"{plain(ratio)}× too tall" if ratio > 1 else "too short" if ratio == 0 else f"{plain(1 / ratio)}× too short"


def _placement(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    scaled = sum(is_scaled(n) for n in m.nodes)
    turned = sum(n.angle > 0.01 for n in m.nodes)
    unit = m.unit_metres or 1.0
    gap = max((p.spacing for p in m.parts), default=0.0) * unit * 1000
    away = 0.0
    if m.bounds_min is not None and m.bounds_max is not None:
        away = float(np.linalg.norm((np.array(m.bounds_min) + np.array(m.bounds_max)) / 2)) * unit
    limit = sheet.limits.float_spacing_mm
    spacing = {p.node: p for p in m.parts}
    rows: list[dict[str, Any]] = []
    for n in m.nodes:
        p = spacing.get(n.index)
        off = is_scaled(n) or n.angle > 0.01
        if not (p or off):
            continue
        own = p.spacing * unit * 1000 if p else None
        result = "stop" if own is not None and own > limit else "caution" if off or (own or 0) > limit / 10 else "clear"
        rows.append({
            "cells": {
                "part": n.name, "scale": _triple(n.scale), "turn": f"{plain(n.angle)}°",
                "far": metres(p.farthest * unit) if p else "", "gap": metres(own / 1000) if own is not None else "", "share": _of_finest(m, p),
            },
            "node": n.index, "result": result, "uneven": is_uneven(n), "mirrored": n.mirrored,
        })  # fmt: skip
    rows.sort(key=lambda r: ["stop", "caution", "clear"].index(r["result"]))
    return {
        "about": "where it stands, and what its nodes carry",
        "line": f"{scaled:,} scaled, {turned:,} turned" if scaled or turned else f"{metres(away)} from the origin",
        "limit": f"{metres(gap / 1000)} steps" if gap > limit / 10 else "× 1, 0°",
        "meter": gap / limit if np.isfinite(gap) else 1e9,
        "headline": [
            figure(f"{scaled:,}", "", "nodes scaled", "caution" if scaled else "clear"),
            figure(f"{turned:,}", "", "nodes turned", "note" if turned else "clear"),
            length(away, "middle to origin"),
            length(gap / 1000, "steps of a 32-bit float there", "stop" if gap > limit else "caution" if gap > limit / 10 else "clear"),
        ],
        "tables": [table("By part", [("part", "Part", False), ("scale", "Scale", True), ("turn", "Turn", True), ("far", "Farthest", True), ("gap", "Float steps", True), ("share", "Of finest edge", True)], rows), *_chain_table(m), *_nudge_table(m)],
    }  # fmt: skip


def _of_finest(m: Measures, p: PartFigures | None) -> str:
    """Steps of a 32-bit float where a part stands, as a share of its finest edges: at one, the shape is gone."""
    if p is None:
        return ""
    feature = m.meshes[p.mesh].surface.feature * p.enlarges
    return percent(p.spacing / feature) if feature > 0 else ""


def _chain_table(m: Measures) -> list[dict[str, Any]]:
    """Chains of nodes whose scales are not 1, from the root down, with the running product; nothing where there are none."""
    by_index = {n.index: n for n in m.nodes}
    inner = {n.parent for n in m.nodes if is_scaled(n)}
    rows = []
    for n in m.nodes:
        if not is_scaled(n) or n.index in inner:
            continue
        chain, up = [n], n.parent
        while up in by_index:
            chain.append(by_index[up])
            up = by_index[up].parent
        scaled = [x for x in reversed(chain) if is_scaled(x)]
        if len(scaled) < 2:
            continue
        products = np.cumprod([abs(x.scale[0]) for x in scaled])
        words = " → ".join(f"{x.name} × {plain(abs(x.scale[0]))}" for x in scaled)
        rows.append({
            "cells": {"chain": words, "running": " → ".join(plain(p) for p in products)},
            "node": n.index, "result": "caution" if abs(products[-1] - 1) < 1e-3 else "note",
        })  # fmt: skip
    return (
        [table("Chains of scale", [("chain", "From the root down", False), ("running", "Running product", True)], rows)]
        if rows
        else []
    )


def _nudge_table(m: Measures) -> list[dict[str, Any]]:
    """How far skinned parts travel with each group that is moved by one unit; nothing where no part is skinned."""
    names = {n.index: n.name for n in m.nodes}
    rows = [
        {
            "cells": {
                "group": names[n.group], "part": names[n.part], "spec": plain(n.low) if n.low == n.high else f"{plain(n.low)} to {plain(n.high)}",
                "applied": plain(n.applied), "joints": f"{n.joints_within} of {n.joints}",
            },
            "node": n.part, "result": "clear" if abs(n.low - 1) < 1e-3 and abs(n.high - 1) < 1e-3 else "caution",
        }
        for n in m.nudges
    ]  # fmt: skip
    columns = [("group", "Moved by one", False), ("part", "Travels", False), ("spec", "By the rule", True), ("applied", "Node too", True), ("joints", "Joints there", True)]  # fmt: skip
    return [table("Nudge test", columns, rows)] if rows else []


def _triple(scale: list[float]) -> str:
    if max(scale) - min(scale) <= 1e-4 * max(map(abs, scale)):
        return plain(scale[0])
    return " × ".join(plain(s) for s in scale)


def _budget(m: Measures, sheet: RuleSheet, intent: Intent) -> dict[str, Any]:
    count, calls, memory = triangles(m), draw_calls(m), texture_memory(m)
    vertices = sum(m.meshes[p.mesh].gpu_vertices for p in m.parts)
    lim = sheet.limits
    largest = max((m.meshes[p.mesh].triangles for p in m.parts), default=0)
    over = lambda n, limit: None if limit is None else "caution" if n > limit else "clear"
    rows: list[dict[str, Any]] = []
    for p in m.parts:
        mesh = m.meshes[p.mesh]
        rows.append({
            "cells": {
                "part": p.name, "triangles": f"{mesh.triangles:,}", "share": percent(mesh.triangles / count) if count else "–",
                "vertices": f"{mesh.gpu_vertices:,}", "calls": f"{draw_calls_of(mesh):,}",
            },
            "node": p.node, "result": over(mesh.triangles, lim.triangles_mesh), "size": mesh.triangles,
        })  # fmt: skip
    rows.sort(key=lambda r: -r["size"])
    meters = [count / lim.triangles_total] if lim.triangles_total else []
    meters += [largest / lim.triangles_mesh] if lim.triangles_mesh else []
    wanted = [
        {"cells": {"what": what, "measured": a, "wanted": b, "copies": c}, "result": r}
        for what, a, b, c, r in [
            ("Triangles in all", f"{count:,}", _limit(lim.triangles_total), f"{triangles_of_copies(m, intent):,}", over(count, lim.triangles_total)),
            ("Triangles, largest mesh", f"{largest:,}", _limit(lim.triangles_mesh), "", over(largest, lim.triangles_mesh)),
            ("Vertices the card gets", f"{vertices:,}", "", f"{vertices * intent.copies:,}", None),
            ("Draw calls", f"{calls:,}", _limit(lim.draw_calls), f"{calls * intent.copies:,}", over(calls, lim.draw_calls)),
            ("Texture memory", f"{memory / 2**20:,.1f} MiB", "" if lim.texture_memory_bytes is None else f"{lim.texture_memory_bytes / 2**20:,.0f} MiB", "shared", over(memory, lim.texture_memory_bytes)),
        ]
    ]  # fmt: skip
    copies = "× 1" if intent.copies == 1 else f"× {intent.copies:,} copies"
    return {
        "about": "what it costs to draw",
        "line": f"{count:,} triangles",
        "limit": _limit(lim.triangles_total) or "no limit",
        "meter": max(meters, default=None),
        "headline": [
            figure(f"{count:,}", "", "triangles", over(count, lim.triangles_total)),
            figure(f"{vertices:,}", "", "vertices, split"),
            figure(f"{calls:,}", "", "draw calls", over(calls, lim.draw_calls)),
            figure(f"{memory / 2**20:,.1f}", "MiB", "textures loaded", over(memory, lim.texture_memory_bytes)),
        ],
        "tables": [
            table("Against the sheet", [("what", "What", False), ("measured", "Measured", True), ("wanted", "At most", True), ("copies", copies, True)], wanted),
            table("By part", [("part", "Part", False), ("triangles", "Triangles", True), ("share", "Share", True), ("vertices", "Vertices", True), ("calls", "Draws", True)], rows),
        ],
    }  # fmt: skip


def _limit(n: int | None) -> str:
    return "" if n is None else f"{n:,}"
