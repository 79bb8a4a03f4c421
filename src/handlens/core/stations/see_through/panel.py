"""What the ledger shows for See-through."""

from __future__ import annotations

from ...declare.panel import Figure, Panel, Row, number, row, share, table, worst_first
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...words.figures import percent
from .checks import SEEN, WRONG, painted
from .measures import OWN
from .sweep import wrong_from


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of See-through, by measures, sheet and intent."""
    hidden = wrong = 0
    rows: list[Row] = []
    images = {k: i for k, _, i in painted(measures)}
    for k, x in enumerate(measures.materials):
        i = images.get(k)
        alpha = x.alpha or (i.look.alpha if i is not None and i.look is not None else None)
        seen = x.shown.see if x.shown is not None else alpha.see if alpha else 0.0
        wanted = (
            "blend"
            if x.opacity < 0.999 and x.drawn == "blend"
            else "opaque"
            if alpha is None or alpha.mode == "opaque" or seen < SEEN
            else alpha.mode
        )
        ignored = x.alpha_mode == "opaque" and wanted != "opaque"
        off = not ignored and x.drawn != "opaque" and x.opacity >= 0.999 and wanted != x.drawn
        hidden += ignored
        wrong += off
        if not x.used_by_faces or (alpha is None and x.drawn == "opaque"):
            continue
        rows.append(
            row(
                {
                    "material": x.name or f"material {k}",
                    "mode": _mode(x.alpha_mode or (None if x.drawn == "opaque" else x.drawn), x.alpha_cutoff),
                    "image": i.reference if i else "–",
                    "seen": share(seen)
                    if alpha
                    else number(1 - x.opacity, f"{percent(1 - x.opacity)} all over", "1")
                    if x.opacity < 0.999
                    else "nothing",
                    "fading": share(alpha.fading) if alpha else "–",
                    "wanted": _mode(wanted, alpha.cutoff if alpha else None),
                },
                result="stop" if ignored else "caution" if off else "clear",
            )
        )
    rows = worst_first(rows)
    names = {part.node: part.name for part in measures.parts}
    own = OWN.of(measures)
    order = [
        row(
            {
                "one": names[order.first],
                "other": names[order.second] if order.first != order.second else "its own pieces",
                "wrong": share(order.wrong / max(order.both, 1)),
                "from": wrong_from(order, measures.up_axis or sheet.up_axis),
            },
            node=order.outer,
            result="caution" if order.wrong > WRONG * order.both else "clear",
        )
        for order in (own.draw_orders if own is not None else ())
        if order.first in names and order.second in names
    ]
    blended = sum(x.drawn == "blend" and x.used_by_faces > 0 for x in measures.materials)
    popping = sum(r.result == "caution" for r in order)
    return Panel(
        about="what is seen through, and in which order it is drawn",
        line=f"{hidden:,} drawn solid"
        if hidden
        else f"{popping:,} in the wrong order"
        if popping
        else "nothing is see-through"
        if not rows
        else "drawn as the images ask",
        limit=f"{blended:,} blended" if blended else None,
        meter=None,
        headline=[
            Figure(f"{hidden:,}", "", "drawn solid over see-through pixels", "stop" if hidden else "clear"),
            Figure(f"{wrong:,}", "", "in another mode than suits", "caution" if wrong else "clear"),
            Figure(f"{blended:,}", "", "blended"),
            Figure(f"{popping:,}", "", "pairs in the wrong order", "caution" if popping else "clear"),
        ],
        tables=[
            table(
                "materials",
                "By material",
                [
                    ("material", "Material", False),
                    ("mode", "Drawn", False),
                    ("image", "Image", False),
                    ("seen", "See-through", True),
                    ("fading", "Fading", True),
                    ("wanted", "Asks for", False),
                ],
                rows,
            ),
            *(
                [
                    table(
                        "draw-order",
                        "Draw order",
                        [
                            ("one", "Part", False),
                            ("other", "And", False),
                            ("wrong", "Wrong", True),
                            ("from", "Wrong from", False),
                        ],
                        order,
                    )
                ]
                if order
                else []
            ),
        ],
    )


def _mode(mode: str | None, cutoff: float | None) -> str:
    return f"mask at {0.5 if cutoff is None else cutoff:g}" if mode == "mask" else mode or "not stated"
