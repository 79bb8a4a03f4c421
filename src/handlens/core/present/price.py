"""What mends cost or save: the figures that a destination pays for, before and after."""

from __future__ import annotations

from ..declare.mend import Figure
from ..measures.drawing import Drawing

_MIB = 2**20


def price(before: Drawing, after: Drawing) -> list[Figure]:
    """The drawing figures that differ between two readings of a model; none where drawing costs the same."""
    memory = lambda d: f"{d.texture_memory / _MIB:,.1f} MiB"
    counts = [
        ("Parts", "parts"),
        ("Triangles", "triangles"),
        ("GPU vertices", "card_vertices"),
        ("Draw calls", "draw_calls"),
        ("Meshes stored", "meshes"),
    ]
    rows = [(what, f"{getattr(before, name):,}", f"{getattr(after, name):,}") for what, name in counts]
    return [Figure(*row) for row in [*rows, ("Texture memory", memory(before), memory(after))] if row[1] != row[2]]
