"""What Pivots says: findings, what a check skips and why, refusals of mends."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "pivots.anchor": "The pivot of {part} is {away:metres} from its {anchor}",
        "pivots.far": "{parts:# part swings|parts swing} far out: turned about its pivot, {part} sweeps {factor:plain} times the circle that it needs",
        "pivots.far.together": "All pivots lie in one point: turned about it, {part} sweeps {factor:plain} times the circle that it needs",
        "pivots.height": "The pivot of {part} is {distance:metres} {above:?above|below} it",
        "pivots.set.already": "These pivots are there already.",
        "pivots.set.moved": "These parts are joints, or are turned by a clip about the pivot that they have.",
        "pivots.set.none": "There are no parts with a pivot to set.",
        "pivots.set.left": "{parts:# part keeps its pivot|parts keep their pivots}: joints, or parts that a clip turns about it.",
        "pivots.no-point": "pivots.set: with anchor=point, at must be three numbers as in 0;1.5;0.",
    }
)
