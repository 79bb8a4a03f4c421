"""What the ledger shows for Slots."""

from __future__ import annotations

from ...declare.panel import Figure, Panel, count, row, table, worst_first
from ...kit.parts import first_parts
from ...limits import plural
from ...measures import Measures
from ...rules import Intent, RuleSheet


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Slots, by measures, sheet and intent."""
    bare = sum(mesh.unassigned_faces for _, mesh in first_parts(measures))
    unused = sum(x.defined and not x.used_by_faces for x in measures.materials)
    equal = sum(x.same_as is not None for x in measures.materials)
    empty = sum(i.image is None for x in measures.materials for i in x.inputs)
    rows = []
    for k, x in enumerate(measures.materials):
        odd = (
            not x.defined
            or x.same_as is not None
            or bool(x.out_of_range)
            or any(i.image is None or i.set_missing for i in x.inputs)
        )
        rows.append(
            row(
                {
                    "material": x.name or f"material {k}",
                    "faces": count(x.used_by_faces),
                    "inputs": ", ".join(i.role.replace("-", " ") for i in x.inputs) or "–",
                    "mode": x.alpha_mode or ("not stated" if x.drawn == "opaque" else x.drawn),
                    "sides": "both" if x.double_sided else "one",
                    "same": "" if x.same_as is None else measures.materials[x.same_as].name or f"material {x.same_as}",
                },
                result="caution" if odd else "note" if not x.used_by_faces else "clear",
                material=k,
            )
        )
    return Panel(
        about="materials, and what is plugged into them",
        line=plural(len(measures.materials), "material") if measures.materials else "no materials",
        limit=f"{bare:,} faces without one" if bare else None,
        meter=None,
        headline=[
            Figure(f"{len(measures.materials):,}", "", "materials"),
            Figure(f"{bare:,}", "", "faces without one", "caution" if bare else "clear"),
            Figure(f"{equal:,}", "", "say the same as another", "caution" if equal else "clear"),
            Figure(f"{unused:,}", "", "used by no face", "note" if unused else "clear"),
            Figure(f"{empty:,}", "", "inputs without an image", "caution" if empty else "clear"),
        ],
        tables=[
            table(
                "materials",
                "Materials",
                [
                    ("material", "Material", False),
                    ("faces", "Faces", True),
                    ("inputs", "Plugged in", False),
                    ("mode", "See-through", False),
                    ("sides", "Drawn from", False),
                    ("same", "Same as", False),
                ],
                worst_first(rows),
            )
        ],
    )
