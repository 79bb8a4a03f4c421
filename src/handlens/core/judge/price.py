"""What mends cost or save: the figures that a destination pays for, before and after."""

from __future__ import annotations

from ..kit.mend import Figure
from ..measures import Measures
from ..measures.drawing import draw_calls, texture_memory, triangles


def price(before: Measures, after: Measures) -> list[Figure]:
    """The drawing figures that differ between two readings of a model; none where drawing costs the same."""
    rows = [
        ("Parts", f"{len(before.parts):,}", f"{len(after.parts):,}"),
        ("Triangles", f"{triangles(before):,}", f"{triangles(after):,}"),
        ("Vertices the card gets", f"{_card_vertices(before):,}", f"{_card_vertices(after):,}"),
        ("Draw calls", f"{draw_calls(before):,}", f"{draw_calls(after):,}"),
        ("Meshes stored", f"{len(before.meshes):,}", f"{len(after.meshes):,}"),
        ("Texture memory", f"{texture_memory(before) / 2**20:,.1f} MiB", f"{texture_memory(after) / 2**20:,.1f} MiB"),
    ]
    return [Figure(what, a, b) for what, a, b in rows if a != b]


def _card_vertices(m: Measures) -> int:
    return sum(m.meshes[p.mesh].gpu_vertices for p in m.parts)
