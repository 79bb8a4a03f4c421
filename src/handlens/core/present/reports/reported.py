"""One model of a report."""

from __future__ import annotations

from dataclasses import dataclass, field

from ...words.json_tree import Json

#: Results from the worst on.
RESULTS = ("stop", "caution", "note")


@dataclass(frozen=True)
class Reported:
    """One model: its path, the sheet's name, and its report as JSON; or why it could not be read.

    fails_from: the result from which on a finding fails it. picture: a WebP of it.
    """

    path: str
    sheet: str
    report: Json = field(default_factory=dict)
    error: str = ""
    fails_from: str = "stop"
    picture: bytes | None = None

    def fails(self, finding: Json) -> bool:
        """Whether a finding fails the model: one that was waived does not."""
        return finding["waived"] is None and RESULTS.index(finding["result"]) <= RESULTS.index(self.fails_from)


def amount(value: Json | None) -> str:
    """A figure of a report in words: "9.4 mm"; empty for none."""
    if not value or value["value"] is None:
        return ""
    number = value["value"]
    words = f"{number:,.6g}" if isinstance(number, int | float) and not isinstance(number, bool) else str(number)
    return words if value["unit"] in ("text", "count") else f"{words} {value['unit']}"
