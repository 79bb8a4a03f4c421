"""Exports with their proofs."""

from __future__ import annotations

import os
from typing import Any
from urllib.parse import quote

import msgspec
from flask import Response
from flask_smorest import Blueprint
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.formats.table import WRITERS
from ..core.rules.export import ExportOptions
from ..store import contents, shelf
from ..store.database import session
from ..store.download import download_name, sent_as
from ..store.models import Asking, Export, Inspection, Job, Revision, Sending
from ..store.queue import want_asking, want_export, want_sending
from ..store.sheets import all_sheets, sheet_of
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
        whole = {"whole": True} if wish["whole"] else {}
        if whole and len(revision.files) < 2:
            refuse(422, "The model came as one file, which is its whole package; write it in a format.")
        own = [{**slip, "on": True} for slip in revision.branches.get(model.sheet, [])] if wish["branch"] else []
        tape, aside = [*shelf.slips_of(db, revision), *own], shelf.aside_of(db, model)
        export, _ = want_export(db, revision, tape, wish["format"], model.sheet, aside, _options(wish["options"]) | whole)
        return _entry(db, export)


@blueprint.post("/inspections/<int:inspection_id>/asking")
@blueprint.arguments(schemas.AskingWish)
@blueprint.response(200, schemas.Asking)
def asking(wish: dict[str, Any], inspection_id: int) -> dict[str, Any]:
    """What the model's destination would say to it if it were written so, and which files that were. Nothing is written."""
    begin = wish.pop("begin")
    if wish["format"] not in WRITERS:
        refuse(422, f"The format {wish['format']} cannot be written; use one of: {', '.join(WRITERS)}.")
    _options(wish["options"])
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        if inspection.state != "done":
            refuse(409, "The model is still being read.")
        model = row(db, Revision, inspection.revision_id, "revision").model
        by = [msgspec.to_builtins(sheet_of(db, model.sheet)), model.intent]
        branch = row(db, Revision, inspection.revision_id, "revision").branches.get(model.sheet, [])
        found = want_asking(db, inspection, {**wish, "sheet": model.sheet, **({"branch": branch} if branch else {})}, by, begin)
        if found is None:
            return {"id": None, "state": "none", "error": None, "job": None, "answer": None, "files": [], "picture": False}
        job = db.scalar(
            select(Job.id).where(Job.subject["asking"].as_integer() == found.id, Job.state.in_(["waiting", "running"])).limit(1)
        )
        return {
            "id": found.id,
            "state": found.state,
            "error": found.error,
            "job": job,
            "answer": found.answer,
            "files": found.files,
            "picture": found.picture_id is not None,
        }


@blueprint.get("/askings/<int:asking_id>/picture")
@blueprint.response(200)
def would_receive(asking_id: int) -> Response:
    """How the destination would draw what it were sent."""
    with session() as db:
        return _drawn(db, row(db, Asking, asking_id, "answer").picture_id)


@blueprint.get("/exports/<int:export_id>")
@blueprint.response(200, schemas.Export)
def one(export_id: int) -> dict[str, Any]:
    """One export with its proof."""
    with session() as db:
        return _entry(db, row(db, Export, export_id, "export"))


def _options(wished: dict[str, Any]) -> dict[str, Any]:
    """What is wished of one export, checked. Refuses what no export can be."""
    try:
        options = msgspec.convert(wished, ExportOptions)
    except msgspec.ValidationError as error:
        refuse(422, f"The model cannot be exported as asked: {error}.")
    if options.unstated_unit or options.unstated_axis:
        refuse(422, "What a format leaves unstated is the sheet's own unit and axis, and not for an export to say.")
    return wished


@blueprint.post("/exports/<int:export_id>/sendings")
@blueprint.arguments(schemas.SendingWish)
@blueprint.response(202, schemas.Sending)
def send(wish: dict[str, Any], export_id: int) -> dict[str, Any]:
    """Send an export to the stand-in for a sheet's destination, which answers after a while."""
    if not os.environ.get("HANDLENS_GATE"):
        refuse(409, "No gate was started with this Hand Lens; `./start` starts one.")
    with session() as db:
        export = row(db, Export, export_id, "export")
        if export.state != "done" or not export.files:
            refuse(409, "This export is not written yet.")
        if any(sending.state in ("waiting", "running") for sending in export.sendings):
            refuse(409, "This export is on its way already.")
        if wish["sheet"] not in {sheet.slug for sheet in all_sheets(db)}:
            refuse(422, f"There is no rule sheet {wish['sheet']}.")
        return _sending(want_sending(db, export, wish["sheet"], wish["variant"]))


@blueprint.get("/sendings/<int:sending_id>/picture")
@blueprint.response(200)
def received(sending_id: int) -> Response:
    """How the destination draws what it received."""
    with session() as db:
        return _drawn(db, row(db, Sending, sending_id, "sending").picture_id)


def _drawn(db: Session, content_id: int | None) -> Response:
    """A destination's picture of what it received."""
    if content_id is None:
        refuse(404, "The destination made no picture of it.")
    return Response(contents.read(db, content_id), mimetype="image/webp")


def _sending(sending: Sending) -> dict[str, Any]:
    return {
        "id": sending.id,
        "sheet": sending.sheet,
        "variant": sending.variant,
        "state": sending.state,
        "error": sending.error,
        "answer": sending.answer,
        "picture": sending.picture_id is not None,
        "created": sending.created,
    }


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
        "download": download_name(export) if export.files else None,
        "stage": export.stage_id is not None,
        "options": export.options,
        "created": export.created,
        "sendings": [_sending(sending) for sending in reversed(export.sendings)],
    }


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
        name = download_name(export)
        files = [(file.path, file.content_id) for file in export.files]
    answer = Response(sent_as(files), mimetype="application/octet-stream")
    answer.headers["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(name)}"
    return answer
