"""Judging in a child process where the house has checks of its own: what they do, they do with limits and with nothing in reach."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import msgspec

from ..declare.check import OURS, origin_of
from ..machine.confine import give_to_nobody
from ..machine.native import in_child
from ..machine.sections import Sections
from ..measures import Measures
from ..route.house import FOLDERS, house_folders
from ..route.stations import all_checks
from ..rules import Intent, RuleSheet
from ..words.json_tree import Json
from .stored import StoredJudgement, judged, opened

_TASK = "present.in_child:judge_request"
#: Seconds that judging one model by one sheet may take there: ours take milliseconds.
_SECONDS = 30


def judged_in_child(where: Json, measures: bytes, sheet: RuleSheet, intent: Intent) -> tuple[StoredJudgement, dict[str, bytes]]:
    """As `kept.judged`, on stored measures; in a child where any check is not ours. Raises InputError where that has no end."""
    if all(origin_of(declared.run) == OURS for declared in all_checks()):
        return judged(where, Measures.from_bytes(measures), sheet, intent)
    with tempfile.NamedTemporaryFile(prefix="handlens-measures-") as file:
        file.write(measures)
        file.flush()
        give_to_nobody(Path(file.name))
        request = {"file": file.name, "where": where, "sheet": msgspec.to_builtins(sheet), "intent": msgspec.to_builtins(intent)}
        settings = {k: v for k, v in os.environ.items() if k == FOLDERS}
        answer = in_child(_TASK, request, "Judging by the house checks", _SECONDS, [file.name, *house_folders()], settings)
    made = answer.header
    return opened(made["kept"]), {digest: answer.bytes(*place) for digest, place in made["evidence"].items()}


def judge_request(request: Json) -> bytes:
    """What the child does: a container of what is kept, and of its evidence."""
    sheet, intent = msgspec.convert(request["sheet"], RuleSheet), msgspec.convert(request["intent"], Intent)
    kept, evidence = judged(request["where"], Measures.from_bytes(Path(request["file"]).read_bytes()), sheet, intent)
    out = Sections()
    places = {digest: (out.add(data), len(data)) for digest, data in evidence.items()}
    return out.file({"kept": msgspec.to_builtins(kept), "evidence": places})
