"""One model of a report."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from ...words.figures import percent, plain
from ...words.json_tree import Json
from ...words.lengths import metres

#: Results from the worst on.
RESULTS = ("stop", "caution", "note")


@dataclass(frozen=True)
class Reported:
    """One model: its path, the sheet's name, and its report as JSON; or why it could not be read.

    fails_from: the result from which on a finding fails it. picture: a WebP of it. mends: what was done to it, as `mend --json` writes it.
    proof: of its last export, as `prove --json` writes it. answers: what destinations said to that, as `receive --json` writes it.
    """

    path: str
    sheet: str
    report: Json = field(default_factory=dict)
    error: str = ""
    fails_from: str = "stop"
    picture: bytes | None = None
    mends: Sequence[Json] = ()
    proof: Json | None = None
    answers: Sequence[Json] = ()

    def fails(self, finding: Json) -> bool:
        """Whether a finding fails the model: one that was waived, or known before, does not."""
        return (
            finding["waived"] is None
            and not finding.get("known")
            and RESULTS.index(finding["result"]) <= RESULTS.index(self.fails_from)
        )


def amount(value: Json | None) -> str:
    """A figure of a report in words: "9.4 mm", "24.6 %", "1,204 triangles"; empty for none."""
    if not value or value["value"] is None:
        return ""
    number, unit = value["value"], value["unit"]
    if isinstance(number, bool) or not isinstance(number, int | float):
        return str(number)
    if unit in ("m", "share"):
        return metres(number) if unit == "m" else percent(number)
    words = f"{number:,}" if isinstance(number, int) else plain(number)
    return words if unit in ("text", "count") else f"{words} {unit}"
