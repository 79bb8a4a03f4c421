"""What the ledger shows for Budget."""

from __future__ import annotations

from ...declare.panel import Cell, Figure, Panel, Result, Row, count, number, row, share, table
from ...measures import Measures
from ...measures.drawing import draw_calls, draw_calls_of, texture_memory, triangles
from ...rules import Intent, RuleSheet
from .checks import by_slot, triangles_of_copies
from .measures import OWN


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Budget, by measures, sheet and intent."""
    total, calls, memory = triangles(measures), draw_calls(measures), texture_memory(measures)
    vertices = sum(measures.meshes[part.mesh].gpu_vertices for part in measures.parts)
    lim = sheet.limits
    largest = max((measures.meshes[part.mesh].triangles for part in measures.parts), default=0)
    rows: list[Row] = []
    for part in measures.parts:
        mesh = measures.meshes[part.mesh]
        rows.append(
            row(
                {
                    "part": part.name,
                    "triangles": count(mesh.triangles),
                    "share": share(mesh.triangles / total) if total else "–",
                    "vertices": count(mesh.gpu_vertices),
                    "calls": count(draw_calls_of(mesh)),
                },
                node=part.node,
                result=_over(mesh.triangles, lim.triangles_mesh),
                weight=mesh.triangles,
            )
        )
    rows.sort(key=lambda r: -r.weight)
    meters = [total / lim.triangles_total] if lim.triangles_total else []
    meters += [largest / lim.triangles_mesh] if lim.triangles_mesh else []
    limits: list[tuple[str, Cell, Cell | str, Cell | str, Result | None]] = [
        (
            "Triangles in all",
            count(total),
            _at_most(lim.triangles_total),
            count(triangles_of_copies(measures, intent)),
            _over(total, lim.triangles_total),
        ),
        ("Triangles, largest mesh", count(largest), _at_most(lim.triangles_mesh), "", _over(largest, lim.triangles_mesh)),
        ("GPU vertices", count(vertices), "", count(vertices * intent.copies), None),
        ("Draw calls", count(calls), _at_most(lim.draw_calls), count(calls * intent.copies), _over(calls, lim.draw_calls)),
        (
            "Texture memory",
            number(memory, f"{memory / 2**20:,.1f} MiB", "byte"),
            ""
            if lim.texture_memory_bytes is None
            else number(lim.texture_memory_bytes, f"{lim.texture_memory_bytes / 2**20:,.0f} MiB", "byte"),
            "shared",
            _over(memory, lim.texture_memory_bytes),
        ),
    ]
    wanted = [row({"what": what, "measured": a, "wanted": b, "copies": c}, result=r) for what, a, b, c, r in limits]
    copies = "× 1" if intent.copies == 1 else f"× {intent.copies:,} copies"
    return Panel(
        about="what it costs to draw",
        line=f"{total:,} triangles",
        limit=_limit(lim.triangles_total) or "no limit",
        meter=max(meters, default=None),
        headline=[
            Figure(f"{total:,}", "", "triangles", _over(total, lim.triangles_total)),
            Figure(f"{vertices:,}", "", "GPU vertices"),
            Figure(f"{calls:,}", "", "draw calls", _over(calls, lim.draw_calls)),
            Figure(f"{memory / 2**20:,.1f}", "MiB", "textures loaded", _over(memory, lim.texture_memory_bytes)),
        ],
        tables=[
            table(
                "sheet",
                "Against the sheet",
                [("what", "What", False), ("measured", "Measured", True), ("wanted", "At most", True), ("copies", copies, True)],
                wanted,
            ),
            table(
                "parts",
                "By part",
                [
                    ("part", "Part", False),
                    ("triangles", "Triangles", True),
                    ("share", "Share", True),
                    ("vertices", "Vertices", True),
                    ("calls", "Draws", True),
                ],
                rows,
            ),
            table(
                "free",
                "Redundant triangles",
                [("what", "Redundant", False), ("triangles", "Triangles", True), ("share", "Share", True)],
                _for_nothing(measures, intent, total),
            ),
            table(
                "slots",
                "By slot",
                [
                    ("slot", "Slot", False),
                    ("faces", "Faces", True),
                    ("calls", "Draws", True),
                    ("saved", "Saved by joining", True),
                ],
                [
                    row(
                        {
                            "slot": s.name,
                            "faces": count(s.faces),
                            "calls": count(s.calls),
                            "saved": count(s.saved) if s.saved else "–",
                        },
                        material=s.material if s.material >= 0 else None,
                        weight=s.calls,
                    )
                    for s in by_slot(measures)
                ],
            ),
        ],
    )


def _for_nothing(measures: Measures, intent: Intent, total: int) -> list[Row]:
    """What reducing can begin with, over all times that meshes are shown; none where there is nothing."""
    own = OWN.of(measures)
    freed = {mesh.mesh: mesh.freed for mesh in own.meshes} if own is not None else {}
    see_through = any(x.used_by_faces and x.drawn in ("mask", "blend") for x in measures.materials)
    outside = intent.seen_from == "outside" and not see_through
    counted = [
        ("coplanar", sum(freed.get(part.mesh, 0) for part in measures.parts)),
        ("degenerate", sum(measures.meshes[part.mesh].zero_area_faces for part in measures.parts)),
        ("duplicate", sum(measures.meshes[part.mesh].surface.alike for part in measures.parts)),
        ("never seen", sum(figures.unseen_triangles for figures in measures.facing) if outside else 0),
    ]
    return [
        row({"what": what, "triangles": count(n), "share": share(n / total)}, id=what, weight=n)
        for what, n in counted
        if n and total
    ]


def _over(count: float, limit: float | None) -> Result | None:
    return None if limit is None else "caution" if count > limit else "clear"


def _at_most(n: int | None) -> Cell | str:
    return "" if n is None else count(n)


def _limit(n: int | None) -> str:
    return "" if n is None else f"{n:,}"
