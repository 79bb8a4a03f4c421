"""What the ledger shows for Arrival."""

from __future__ import annotations

from ...declare.panel import Cell, Figure, Panel, Table, count, row, table
from ...limits import plural
from ...measures import Measures
from ...measures.drawing import triangles
from ...rules import Intent, RuleSheet
from .checks import bare
from .checks_side_files import used_names


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Arrival, by measures, sheet and intent."""
    leftovers = measures.cameras + measures.lights + len(bare(measures)) + sum(x.loose_edges for x in measures.meshes)
    joints = sum(len(skin.joints) for skin in measures.skins)
    materials = len(measures.materials)
    counted = [
        ("Parts", len(measures.parts)),
        ("Meshes", len(measures.meshes)),
        ("Triangles", triangles(measures)),
        ("Polygons", sum(x.faces for x in measures.meshes)),
        ("Polygons over four corners", sum(x.faces_over_4 for x in measures.meshes)),
        ("Vertices as stored", sum(x.vertices for x in measures.meshes)),
        ("Loose edges", sum(x.loose_edges for x in measures.meshes)),
        ("Loose points", sum(x.loose_points for x in measures.meshes)),
        ("Materials", materials),
        ("Images", len(measures.images)),
        ("Nodes", len(measures.nodes)),
        ("Empty nodes", len(bare(measures))),
        ("Hidden nodes", sum(n.hidden for n in measures.nodes)),
        ("Cameras", measures.cameras),
        ("Lights", measures.lights),
        ("Skins", len(measures.skins)),
        ("Joints", joints),
        ("Clips", len(measures.clips)),
        ("Morph targets", sum(x.morphs for x in measures.meshes)),
    ]
    left = {"Loose edges", "Loose points", "Empty nodes", "Hidden nodes", "Cameras", "Lights"}
    kept: list[tuple[str, Cell | str, Cell | str]] = [
        (what, count(n), count(0) if what in left else "") for what, n in counted if n or what in left
    ]
    half = (len(kept) + 1) // 2
    pairs = zip(kept[:half], [*kept[half:], ("", "", "")][:half], strict=True)
    keys = ("what", "count", "wanted", "what2", "count2", "wanted2")
    rows = [row(dict(zip(keys, (*one, *two), strict=True))) for one, two in pairs]
    columns = [("what", "In the file", False), ("count", "Count", True), ("wanted", "Wanted", True)]
    columns += [("what2", "", False), ("count2", "Count", True), ("wanted2", "Wanted", True)]
    return Panel(
        about="what is in the file",
        line=f"{plural(len(measures.parts), 'part')}, {plural(len(measures.images), 'image') if measures.images or not joints else plural(joints, 'joint')}",
        limit=f"{leftovers:,} left over" if leftovers else None,
        meter=None,
        headline=[
            Figure(f"{len(measures.parts):,}", "", "parts"),
            Figure(f"{triangles(measures):,}", "", "triangles"),
            Figure(f"{materials:,}", "", "materials"),
            Figure(f"{leftovers:,}", "", "left over", "note" if leftovers else "clear"),
        ],
        tables=[table("inventory", "Inventory", columns, rows), *_side_table(measures)],
    )


def _side_table(measures: Measures) -> list[Table]:
    """Names that text files beside the model use; nothing where there are none."""
    rows = used_names(measures)
    columns = [
        ("text", "Says", False),
        ("means", "Is", False),
        ("how", "How", False),
        ("place", "Stands at", False),
        ("key", "Under", False),
    ]
    return [table("side-names", "Names in side files", columns, rows)] if rows else []
