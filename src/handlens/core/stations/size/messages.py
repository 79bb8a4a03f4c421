"""What Size says: findings, what a check skips and why, refusals of mends."""

from __future__ import annotations

from ...words.messages import Messages

say = Messages(
    {
        "size.undeclared-unit.fits": "The unit is not stated; read in metres it is {height} tall, as expected",
        "size.undeclared-unit": "The unit is not stated; read in metres it is {height} tall, {meaning}",
        "size.unit.not-stated": "the file states no unit",
        "size.unit": "The file's unit is {unit_metres:metres}, that of {sheet} {wanted}: × {factor:plain} at the import",
        "size.undeclared-up-axis": "The up axis is not stated; {sheet} will take {axis} as up",
        "size.up-axis.not-stated": "the file states no up axis",
        "size.up-axis": "{axis} is up in the file, {wanted} in {sheet}",
        "size.expected": "It is {height:metres} tall where {wanted:metres} is expected{as_if}{disagrees:?. The given dimensions disagree with each other|}",
        "size.expected.none": "no expected size is given",
        "size.expected.unit-first": "the unit is not stated, and a stated one would explain the size",
        "size.expected-parts": "{part} is {height:metres} tall where {wanted:metres} is expected",
        "size.character.not-asked": "it is asked of characters without an expected size",
        "size.character": "The character is {height:metres} tall",
        "size.extreme.not-asked": "it is asked where the unit is stated and no size is expected",
        "size.extreme": "Its largest side is {largest:metres}{more}",
        "size.scale.negative": "A negative factor would mirror the model; use a factor above 0.",
        "size.scale.stated": "The file states its unit already.",
        "size.up-axis.already": "{axis} is up already.",
    }
)
