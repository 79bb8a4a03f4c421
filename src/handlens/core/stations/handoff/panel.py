"""What the ledger shows for Handoff."""

from __future__ import annotations

from ...declare.panel import Cell, Figure, Panel, Result, Row, number, row, table
from ...formats.table import BY_NAME
from ...limits import plural
from ...measures import Measures
from ...rules import Intent, RuleSheet
from .measures import OWN
from .records import PackageFile

_MIB = 2**20


def panel(measures: Measures, sheet: RuleSheet, intent: Intent) -> Panel:
    """The ledger's line, headline and table of Handoff, by measures, sheet and intent."""
    own = OWN.of(measures)
    files = [] if own is None else own.files
    total = 0 if own is None else own.bytes
    limit, most = sheet.limits.package_bytes, sheet.limits.files
    size, unit = _size(total).rsplit(" ", 1)
    headline = [
        Figure(f"{len(files):,}", "", "files came" if len(files) != 1 else "file came", _result(len(files), most)),
        Figure(size, unit, "in all", _result(total, limit)),
        Figure(BY_NAME[sheet.format].name.upper(), "", "the destination's format"),
    ]
    columns = [("path", "File", False), ("role", "Role", False), ("bytes", "Size", True)]
    rows = [_row(file, sheet) for file in files]
    return Panel(
        about="the files that are sent",
        line=f"{plural(len(files), 'file')}, {_size(total)}",
        limit=None if limit is None else _size(limit),
        meter=total / limit if limit else None,
        headline=headline,
        tables=[table("files", "Files as they came", columns, rows)] if rows else [],
    )


def _row(file: PackageFile, sheet: RuleSheet) -> Row:
    size = Cell("not known") if file.bytes is None else number(file.bytes, _size(file.bytes), "byte")
    over = file.bytes is not None and sheet.limits.file_bytes is not None and file.bytes > sheet.limits.file_bytes
    return row({"path": file.path, "role": file.role.replace("-", " "), "bytes": size}, result="caution" if over else None)


def _result(amount: int, limit: int | None) -> Result | None:
    return None if limit is None else "clear" if amount <= limit else "caution"


def _size(amount: int) -> str:
    return f"{amount / _MIB:,.1f} MiB" if amount >= _MIB else f"{amount / 1024:,.1f} KiB" if amount >= 1024 else f"{amount:,} B"
