"""Exports with their proofs."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from typing import Any
from urllib.parse import quote

from flask import Response
from flask_smorest import Blueprint

from ..core.formats.table import WRITERS
from ..store import contents, shelf
from ..store.database import session
from ..store.models import Export, Revision
from ..store.queue import want_export
from . import packed, schemas
from .find import refuse, row

blueprint = Blueprint("exports", __name__, url_prefix="/api", description="Exports and proofs")


@blueprint.post("/revisions/<int:revision_id>/exports")
@blueprint.arguments(schemas.ExportWish)
@blueprint.response(202, schemas.Export)
def begin(wish: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """Write the revision with its tape, then prove the file."""
    if wish["format"] not in WRITERS:
        refuse(422, f"The format {wish['format']} cannot be written; use one of: {', '.join(WRITERS)}.")
    with session() as db:
        revision = row(db, Revision, revision_id, "revision")
        model = revision.model
        export, _ = want_export(db, revision, shelf.slips_of(db, revision), wish["format"], model.sheet, shelf.aside_of(model))
        return _entry(db, export)


@blueprint.get("/exports/<int:export_id>")
@blueprint.response(200, schemas.Export)
def one(export_id: int) -> dict[str, Any]:
    """One export with its proof."""
    with session() as db:
        return _entry(db, row(db, Export, export_id, "export"))


def _entry(db: Any, export: Export) -> dict[str, Any]:
    revision = row(db, Revision, export.revision_id, "revision")
    return {
        "id": export.id,
        "revision": revision.id,
        "number": revision.number,
        "model": revision.model.name,
        "format": export.format,
        "sheet": export.sheet,
        "mends": len(export.tape),
        "state": export.state,
        "error": export.error,
        "proof": export.proof,
        "lost": export.lost,
        "files": [{"path": file.path, "bytes": file.content.bytes} for file in export.files],
        "download": _name(export) if export.files else None,
        "stage": export.stage_id is not None,
    }


def _name(export: Export) -> str:
    main = export.files[0].path
    return main if len(export.files) == 1 else f"{main.rpartition('.')[0]}_{export.format}.zip"


@blueprint.get("/exports/<int:export_id>/stage")
@blueprint.response(200)
def stage(export_id: int) -> Response:
    """The display copy of what was read back, kept where it differs from what was sent."""
    with session() as db:
        export = row(db, Export, export_id, "export")
        if export.stage_id is None:
            refuse(404, "What was read back does not differ, so there is nothing to lay beside.")
        content_id = export.stage_id
    return packed.display_copy(content_id)


@blueprint.get("/exports/<int:export_id>/download")
@blueprint.response(200)
def download(export_id: int) -> Response:
    """The file itself, or a zip where there are several."""
    with session() as db:
        export = row(db, Export, export_id, "export")
        if export.state != "done" or not export.files:
            refuse(404, "This export is not written yet.")
        name = _name(export)
        files = [(file.path, file.content_id) for file in export.files]
    body = contents.sent(files[0][1]) if len(files) == 1 else _zip(files)
    answer = Response(body, mimetype="application/octet-stream")
    answer.headers["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(name)}"
    return answer


class _Pipe(io.RawIOBase):
    """A place for zipfile to write to, from which pieces are taken as they come."""

    def __init__(self) -> None:
        self.held: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self.held.append(bytes(data))
        return len(data)

    def taken(self) -> Iterator[bytes]:
        held, self.held = self.held, []
        yield from held


def _zip(files: list[tuple[str, int]]) -> Iterator[bytes]:
    pipe = _Pipe()
    with session() as db, zipfile.ZipFile(pipe, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for path, content_id in files:
            with archive.open(zipfile.ZipInfo(path), "w", force_zip64=True) as f:
                for piece in contents.stream(db, content_id):
                    f.write(piece)
                    yield from pipe.taken()
            yield from pipe.taken()
    yield from pipe.taken()
