"""What the ledger shows for Size."""

from __future__ import annotations

import numpy as np

from ...declare.panel import Cell, Figure, Panel, distance, number, row, table
from ...measures import Measures
from ...rules import Intent, RuleSheet
from ...rules.export import UNIT_WORDS
from ...scene.axes import AXIS_INDEX
from ...words.calls import Call
from ...words.figures import plain
from ...words.lengths import metres
from .checks import can_judge, explanations, size_metres, wanted_ratio


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and tables of Size, by measures, sheet and intent."""
    size = size_metres(measures)
    axis = AXIS_INDEX[measures.up_axis or sheet.up_axis]
    wanted = wanted_ratio(measures, sheet, intent)
    ranked = explanations(measures, sheet, intent)
    tall = size[axis] if size else 0.0
    fits = wanted is not None and abs(np.log(wanted[0])) <= np.log1p(sheet.size_tolerance)
    judged = can_judge(intent)
    best = ranked[0] if ranked and judged else None
    shown, unit = metres(tall).rsplit(" ", 1) if size else ("–", "")
    expected = metres(tall * wanted[0]).rsplit(" ", 1) if wanted else ["not given", ""]
    headline = [
        Figure(
            shown,
            unit,
            "tall, read in metres" if measures.unit_metres is None else "tall",
            None if wanted is None else "clear" if fits else "stop",
        ),
        Figure(expected[0], expected[1], "expected"),
    ]
    if best is not None:
        headline.append(
            Figure(
                f"× {plain(best.factor)}",
                "",
                f"likely, gives {metres(best.gives[axis])}",
                "clear" if best.fits else None,
            )
        )
    readings = [
        row(
            {
                "reading": "Unit",
                "file": "not stated" if measures.unit_metres is None else metres(measures.unit_metres),
                "there": UNIT_WORDS[sheet.unit],
                "turn": "?"
                if measures.unit_metres is None
                else number(
                    measures.unit_metres / sheet.unit_metres, f"× {plain(measures.unit_metres / sheet.unit_metres)}", "1"
                ),
            }
        ),
        row(
            {
                "reading": "Up axis",
                "file": measures.up_axis or "not stated",
                "there": sheet.up_axis,
                "turn": "?"
                if measures.up_axis is None
                else "none"
                if measures.up_axis == sheet.up_axis
                else number(90, "90° about X", "°"),
            }
        ),
    ]
    if size:
        readings.append(row({"reading": "Size X, Y, Z", "file": " × ".join(metres(v) for v in size), "there": "", "turn": ""}))
    factors = [
        row(
            {
                "factor": number(e.factor, f"× {plain(e.factor)}", "1"),
                "words": e.words,
                "gives": distance(e.gives[axis]),
                **({"fit": _fit(e.gives[axis], tall * wanted[0] if wanted else None, e.fits)} if judged else {}),
            },
            result="clear" if e.fits and judged else None,
            mend=_scale_call(measures, sheet, e.factor),
        )
        for e in ranked[:6]
    ]
    columns = [
        ("reading", "Reading", False),
        ("file", "The file", False),
        ("there", "Destination", False),
        ("turn", "On the way", True),
    ]
    return Panel(
        about="how big it will stand, and which way up",
        line=f"{metres(tall)} tall" if size else "nothing to measure",
        limit=f"{metres(tall * wanted[0])}" if wanted else "no size given",
        meter=1 / wanted[0] if wanted else None,
        headline=headline,
        tables=[
            table("readings", "Readings", columns, readings),
            table(
                "explanations",
                "What would explain it",
                [
                    ("factor", "Factor", False),
                    ("words", "What would explain it", False),
                    ("gives", "Gives", True),
                    *([("fit", "Fit", True)] if judged else []),
                ],
                factors,
            ),
        ],
    )


def _scale_call(measures: Measures, sheet: RuleSheet, factor: float) -> Call | None:
    """The call that takes a factor for true: where no unit is stated, it is stated by it, in the destination's own."""
    if measures.unit_metres is None:
        return Call("size.scale", {"factor": factor / sheet.unit_metres, "unit": sheet.unit})
    return Call("size.scale", {"factor": factor}) if factor != 1 else None


def _fit(gives: float, wanted: float | None, fits: bool) -> Cell | str:
    if fits:
        return "fits"
    if wanted is None:
        return "unlikely"
    ratio = gives / wanted if wanted else 0.0
    if ratio == 0:
        return "too short"
    return number(ratio, f"{plain(ratio)}× too tall" if ratio > 1 else f"{plain(1 / ratio)}× too short", "1")
