"""Reports to hand on: a page to read and print, a table, and what pipelines read. Each is made of the JSON report and of nothing else."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import PurePath

from ...limits import InputError
from .junit import junit
from .messages import say
from .page import page
from .pdf import pdf
from .reported import Reported
from .sarif import sarif
from .table import table

#: What is written, by the ending of the file that is asked for.
FORMATS: Mapping[str, Callable[[Sequence[Reported]], bytes]] = {
    ".html": page,
    ".pdf": pdf,
    ".csv": table,
    ".xml": junit,
    ".sarif": sarif,
}

__all__ = ["FORMATS", "Reported", "report_file"]


def report_file(name: str, reported: Sequence[Reported]) -> bytes:
    """The report of some models, of the kind that a file name asks for. Raises InputError for an ending that is none of them."""
    ending = PurePath(name).suffix.lower()
    if ending not in FORMATS:
        raise InputError(say("reports.unknown-report", name=name, formats=", ".join(FORMATS)))
    return FORMATS[ending](reported)
