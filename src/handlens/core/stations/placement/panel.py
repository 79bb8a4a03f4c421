"""What the ledger shows for Placement."""

from __future__ import annotations

import numpy as np

from ...declare.panel import Cell, Figure, Panel, Result, Row, Table, distance, length, number, row, share, table, worst_first
from ...measures import Measures
from ...measures.records import PartFigures, is_scaled
from ...rules import Intent, RuleSheet
from ...words.figures import plain
from ...words.lengths import metres
from .measures import OWN


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Placement, by measures, sheet and intent."""
    scaled = sum(is_scaled(n) for n in measures.nodes)
    turned = sum(n.angle > 0.01 for n in measures.nodes)
    unit = measures.unit_metres or 1.0
    gap = max((part.spacing for part in measures.parts), default=0.0) * unit * 1000
    away = 0.0
    if measures.bounds_min is not None and measures.bounds_max is not None:
        away = float(np.linalg.norm((np.array(measures.bounds_min) + np.array(measures.bounds_max)) / 2)) * unit
    limit = sheet.limits.float_spacing_mm
    spacing = {part.node: part for part in measures.parts}
    rows: list[Row] = []
    for n in measures.nodes:
        steps = spacing.get(n.index)
        off = is_scaled(n) or n.angle > 0.01
        if not (steps or off):
            continue
        own = steps.spacing * unit * 1000 if steps else None
        result: Result = "stop" if own is not None and own > limit else "caution" if off or (own or 0) > limit / 10 else "clear"
        rows.append(
            row(
                {
                    "part": n.name,
                    "scale": number(max(map(abs, n.scale)), _triple(n.scale), "1"),
                    "turn": number(n.angle, f"{plain(n.angle)}°", "°"),
                    "far": distance(steps.farthest * unit) if steps else "",
                    "gap": distance(own / 1000) if own is not None else "",
                    "share": _of_finest(measures, steps),
                },
                node=n.index,
                result=result,
            )
        )
    rows = worst_first(rows)
    return Panel(
        about="where it stands, and what its nodes carry",
        line=f"{scaled:,} scaled, {turned:,} turned" if scaled or turned else f"{metres(away)} from the origin",
        limit=f"{metres(gap / 1000)} steps" if gap > limit / 10 else "× 1, 0°",
        meter=gap / limit if np.isfinite(gap) else 1e9,
        headline=[
            Figure(f"{scaled:,}", "", "nodes scaled", "caution" if scaled else "clear"),
            Figure(f"{turned:,}", "", "nodes turned", "note" if turned else "clear"),
            length(away, "middle to origin"),
            length(
                gap / 1000, "steps of a 32-bit float there", "stop" if gap > limit else "caution" if gap > limit / 10 else "clear"
            ),
        ],
        tables=[
            table(
                "parts",
                "By part",
                [
                    ("part", "Part", False),
                    ("scale", "Scale", True),
                    ("turn", "Turn", True),
                    ("far", "Farthest", True),
                    ("gap", "Float steps", True),
                    ("share", "Of finest edge", True),
                ],
                rows,
            ),
            *_chain_table(measures),
            *_nudge_table(measures),
        ],
    )


def _of_finest(measures: Measures, part: PartFigures | None) -> Cell | str:
    """Steps of a 32-bit float where a part stands, as a share of its finest edges: at one, the shape is gone."""
    if part is None:
        return ""
    feature = measures.meshes[part.mesh].surface.feature * part.enlarges
    return share(part.spacing / feature) if feature > 0 else ""


def _chain_table(measures: Measures) -> list[Table]:
    """Chains of nodes whose scales are not 1, from the root down, with the running product; nothing where there are none."""
    by_index = {n.index: n for n in measures.nodes}
    inner = {n.parent for n in measures.nodes if is_scaled(n)}
    rows = []
    for n in measures.nodes:
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
        rows.append(
            row(
                {"chain": words, "running": number(float(products[-1]), " → ".join(plain(product) for product in products), "1")},
                node=n.index,
                result="caution" if abs(products[-1] - 1) < 1e-3 else "note",
            )
        )
    return (
        [table("chains", "Chains of scale", [("chain", "From the root down", False), ("running", "Running product", True)], rows)]
        if rows
        else []
    )


def _nudge_table(measures: Measures) -> list[Table]:
    """How far skinned parts travel with each group that is moved by one unit; nothing where no part is skinned."""
    names = {n.index: n.name for n in measures.nodes}
    own = OWN.of(measures)
    rows = [
        row(
            {
                "group": names[n.group],
                "part": names[n.part],
                "spec": number(n.high, plain(n.low) if n.low == n.high else f"{plain(n.low)} to {plain(n.high)}", "1"),
                "applied": number(n.applied, plain(n.applied), "1"),
                "joints": number(n.joints_within, f"{n.joints_within} of {n.joints}"),
            },
            node=n.part,
            result="clear" if abs(n.low - 1) < 1e-3 and abs(n.high - 1) < 1e-3 else "caution",
        )
        for n in (own.nudges if own is not None else ())
    ]
    columns = [
        ("group", "Moved by one", False),
        ("part", "Travels", False),
        ("spec", "By the rule", True),
        ("applied", "Node too", True),
        ("joints", "Joints there", True),
    ]
    return [table("nudges", "Nudge test", columns, rows)] if rows else []


def _triple(scale: list[float]) -> str:
    if max(scale) - min(scale) <= 1e-4 * max(map(abs, scale)):
        return plain(scale[0])
    return " × ".join(plain(s) for s in scale)
