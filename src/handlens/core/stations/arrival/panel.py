"""What the ledger shows for Arrival."""

from __future__ import annotations

from ...kit.panel import Figure, Panel, Row, Table, table
from ...limits import plural
from ...measures import Measures
from ...measures.drawing import triangles
from ...rules import Intent, RuleSheet
from .checks import bare
from .checks_side_files import used_names


def panel(m: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    leftovers = m.cameras + m.lights + len(bare(m)) + sum(x.loose_edges for x in m.meshes)
    joints = sum(len(s.joints) for s in m.skins)
    materials = len(m.materials)
    counted = [
        ("Parts", len(m.parts)),
        ("Meshes", len(m.meshes)),
        ("Triangles", triangles(m)),
        ("Polygons", sum(x.faces for x in m.meshes)),
        ("Polygons over four corners", sum(x.faces_over_4 for x in m.meshes)),
        ("Vertices as stored", sum(x.vertices for x in m.meshes)),
        ("Loose edges", sum(x.loose_edges for x in m.meshes)),
        ("Loose points", sum(x.loose_points for x in m.meshes)),
        ("Materials", materials),
        ("Images", len(m.images)),
        ("Nodes", len(m.nodes)),
        ("Empty nodes", len(bare(m))),
        ("Hidden nodes", sum(n.hidden for n in m.nodes)),
        ("Cameras", m.cameras),
        ("Lights", m.lights),
        ("Skins", len(m.skins)),
        ("Joints", joints),
        ("Clips", len(m.clips)),
        ("Morph targets", sum(x.morphs for x in m.meshes)),
    ]
    left = {"Loose edges", "Loose points", "Empty nodes", "Hidden nodes", "Cameras", "Lights"}
    kept = [(what, f"{n:,}", "0" if what in left else "") for what, n in counted if n or what in left]
    half = (len(kept) + 1) // 2
    pairs = zip(kept[:half], [*kept[half:], ("", "", "")][:half], strict=True)
    keys = ("what", "count", "wanted", "what2", "count2", "wanted2")
    rows = [Row(cells=dict(zip(keys, (*one, *two), strict=True))) for one, two in pairs]
    columns = [("what", "What came", False), ("count", "Count", True), ("wanted", "Wanted", True)]
    columns += [("what2", "", False), ("count2", "Count", True), ("wanted2", "Wanted", True)]
    return Panel(
        about="what came in the box",
        line=f"{plural(len(m.parts), 'part')}, {plural(len(m.images), 'image') if m.images or not joints else plural(joints, 'joint')}",
        limit=f"{leftovers:,} left over" if leftovers else None,
        meter=None,
        headline=[
            Figure(f"{len(m.parts):,}", "", "parts"),
            Figure(f"{triangles(m):,}", "", "triangles"),
            Figure(f"{materials:,}", "", "materials"),
            Figure(f"{leftovers:,}", "", "left over", "note" if leftovers else "clear"),
        ],
        tables=[table("inventory", "Inventory", columns, rows), *_side_table(m)],
    )


def _side_table(m: Measures) -> list[Table]:
    """Names that text files beside the model use; nothing where there are none."""
    rows = used_names(m)
    columns = [
        ("text", "Says", False),
        ("means", "Is", False),
        ("how", "How", False),
        ("place", "Stands at", False),
        ("key", "Under", False),
    ]
    return [table("side-names", "Names in side files", columns, rows)] if rows else []
