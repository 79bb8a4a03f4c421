"""By what a report was judged, and a finding's title as a message with its figures apart, for programs that group or translate."""

from __future__ import annotations

import hashlib
import re

import msgspec

from ... import __version__
from ..declare.check import Finding
from ..rules import Intent, RuleSheet
from ..words.json_tree import Json
from ..words.messages import Text

#: A figure in a sentence: digits with commas between thousands and a point before decimals, or a power of ten.
_FIGURE = re.compile(r"(?<![\w.,])-?\d+(?:,\d{3})*(?:\.\d+)?(?:e[+-]?\d+)?(?![\w]|[.,]\d)")


def judged_by(sheet: RuleSheet, intent: Intent) -> Json:
    """The `judged_by` object of the contract: another one means that the same model may be judged otherwise."""
    return {
        "sheet": sheet.slug,
        "sheet_version": sheet.version,
        "sheet_sha256": hashlib.sha256(msgspec.json.encode(sheet, order="deterministic")).hexdigest(),
        "intent": msgspec.to_builtins(intent),
        "tool": f"Hand Lens {__version__}",
    }


def message_of(finding: Finding) -> tuple[str, dict[str, str]]:
    """(message, args): the title with the part's name and every figure taken out. `message.format(**args)` is the title.

    The figures are as people read them; in a title that is no message of ours, in the order in which they stand: n0, n1 and so on.
    """
    if isinstance(finding.title, Text):
        return finding.title.form, dict(finding.title.args)
    args: dict[str, str] = {}
    pieces = finding.title.split(finding.part) if finding.part else [finding.title]
    out = []
    for piece in pieces:
        made, at = [], 0
        for found in _FIGURE.finditer(piece):
            args[f"n{len(args)}"] = found[0]
            made += [_escaped(piece[at : found.start()]), f"{{n{len(args) - 1}}}"]
            at = found.end()
        out.append("".join([*made, _escaped(piece[at:])]))
    if len(pieces) > 1:
        args["part"] = finding.part or ""
    return "{part}".join(out), args


def _escaped(text: str) -> str:
    return text.replace("{", "{{").replace("}", "}}")
