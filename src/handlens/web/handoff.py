"""Handing a model on: what was sent last and what became of it, what lies there now, and reports to send along."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from flask import Response
from flask_smorest import Blueprint
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.limits import InputError
from ..core.measures import Measures
from ..core.present.report import with_waivers
from ..core.present.reports import FORMATS, Reported, report_file
from ..core.words.patterns import compiled
from ..store import contents, shelf
from ..store.database import session
from ..store.models import Content, Export, Inspection, Revision, RevisionFile
from ..store.sheets import sheet_of
from . import schemas
from .find import refuse, row

blueprint = Blueprint("handoff", __name__, url_prefix="/api", description="Handing a model on")
#: Exports that are told of, the newest first.
_TOLD = 6
KINDS = {
    ".html": "text/html",
    ".pdf": "application/pdf",
    ".csv": "text/csv",
    ".xml": "application/xml",
    ".sarif": "application/sarif+json",
}


@blueprint.get("/revisions/<int:revision_id>/handoff")
@blueprint.response(200, schemas.Handoff)
def handoff(revision_id: int) -> dict[str, Any]:
    """What was written of a model last, whether it has changed since, and what destinations answered."""
    with session() as db:
        revision = row(db, Revision, revision_id, "revision")
        exports = _exports(db, revision)
        on = [(x["mend"], x["params"]) for x in shelf.slips_of(db, revision) if x.get("on", True)]
        newest = revision.model.revisions[-1].id
        return {"sent": [_sent(db, export, revision, on, newest) for export in exports[:_TOLD]]}


def _exports(db: Session, revision: Revision) -> list[Export]:
    """The exports of a model that are done, the newest first."""
    of = [r.id for r in revision.model.revisions]
    return list(db.scalars(select(Export).where(Export.revision_id.in_(of), Export.state == "done").order_by(Export.id.desc())))


def _branch(revision: Revision, sheet: str) -> list[tuple[str, Any]]:
    """What a destination alone needs beyond the tape."""
    return [(x["mend"], x["params"]) for x in revision.branches.get(sheet, [])]


def _sent(db: Session, export: Export, revision: Revision, on: list[Any], newest: int) -> dict[str, Any]:
    number = next(r.number for r in revision.model.revisions if r.id == export.revision_id)
    changed = []
    if export.revision_id != newest:
        changed.append("a later revision came")
    elif [(x["mend"], x["params"]) for x in export.tape] not in (on, [*on, *_branch(revision, export.sheet)]):
        changed.append("the mends are others by now")
    if export.aside != shelf.aside_of(db, revision.model):
        changed.append("other parts stay behind")
    answered = next((sending for sending in reversed(export.sendings) if sending.answer is not None), None)
    return {
        "export": export.id,
        "number": number,
        "format": export.format,
        "sheet": export.sheet,
        "created": export.created,
        "proved": bool(export.proof and export.proof["proved"]),
        "changed": changed,
        "accepted": answered.answer["accepted"] if answered is not None and answered.answer else None,
        "answered": answered.sheet if answered is not None else None,
        "files": _packing(db, export),
    }


def _packing(db: Session, export: Export) -> list[dict[str, Any]]:
    """The files of an export and of what came, by path: the same bytes, other ones, new, or left behind."""
    came = {
        file.path: file.content for file in db.scalars(select(RevisionFile).where(RevisionFile.revision_id == export.revision_id))
    }
    known = {content.sha256 for content in came.values()}
    out = []
    for file in export.files:
        before = came.get(file.path)
        state = "same" if file.content.sha256 in known else "changed" if before is not None else "new"
        out.append({"path": file.path, "bytes": file.content.bytes, "state": state})
    written, kept = {file.path for file in export.files}, {file.content.sha256 for file in export.files}
    out += [
        {"path": path, "bytes": content.bytes, "state": "left-behind"}
        for path, content in came.items()
        if path not in written and content.sha256 not in kept
    ]
    return out


@blueprint.get("/exports/<int:export_id>/known")
@blueprint.response(200, schemas.KnownFiles)
def known(export_id: int) -> dict[str, Any]:
    """Digests of the files of an export, and of what lay under their paths in earlier exports and revisions of the model: what lies at a
    destination is held against them where it lies, and need not be sent here."""
    with session() as db:
        export = row(db, Export, export_id, "export")
        revision = row(db, Revision, export.revision_id, "revision")
        numbers = {r.id: r.number for r in revision.model.revisions}
        files = [{"path": file.path, "sha256": file.content.sha256} for file in export.files]
        earlier = [
            {"path": file.path, "sha256": file.content.sha256, "number": numbers[other.revision_id]}
            for other in _exports(db, revision)
            if other.id != export.id
            for file in other.files
        ]
        rows = select(RevisionFile.path, Content.sha256, RevisionFile.revision_id).join(Content)
        earlier += [
            {"path": path, "sha256": digest, "number": numbers[of]}
            for path, digest, of in db.execute(rows.where(RevisionFile.revision_id.in_(numbers)))
        ]
        return {"files": files, "earlier": earlier}


@blueprint.get("/revisions/<int:revision_id>/report<ending>")
@blueprint.response(200)
def report(revision_id: int, ending: str) -> Response:
    """The report of a revision as its tape stands, to hand on: .html, .pdf, .csv, .xml or .sarif."""
    if ending not in FORMATS:
        refuse(404, f"A report is written as {', '.join(FORMATS)}.")
    with session() as db:
        revision = row(db, Revision, revision_id, "revision")
        inspection = shelf.inspection_of(db, revision, shelf.slips_of(db, revision))
        if inspection is None or inspection.state != "done":
            refuse(409, "The model is still being read; the report is there once that is done.")
        name, reported = f"{revision.main.rpartition('/')[2].rpartition('.')[0]}{ending}", _reported(db, revision, inspection)
    try:
        body = report_file(name, [reported])
    except InputError as error:
        refuse(409, str(error))
    answer = Response(body, mimetype=KINDS[ending])
    answer.headers["Content-Disposition"] = f"attachment; filename*=UTF-8''{quote(name)}"
    return answer


def _reported(db: Session, revision: Revision, inspection: Inspection) -> Reported:
    model = revision.model
    sheet = sheet_of(db, model.sheet)
    tree = with_waivers(shelf.judgement(db, inspection, sheet, shelf.intent_of(model)).report, shelf.reasons_of(model))
    exports = [export for export in _exports(db, revision) if export.revision_id == revision.id]
    pairs = lambda tape: [(x["mend"], x["params"]) for x in tape]
    on = pairs(inspection.tape)
    last = next((export for export in exports if pairs(export.tape) in (on, [*on, *_branch(revision, export.sheet)])), None)
    answers = [] if last is None else [{**sending.answer, "sheet": sending.sheet} for sending in last.sendings if sending.answer]
    picture = None if revision.thumbnail_id is None else contents.read(db, revision.thumbnail_id)
    return Reported(
        revision.main,
        sheet.name,
        tree,
        picture=picture,
        mends=inspection.runs,
        proof=last.proof if last else None,
        answers=answers,
    )


@blueprint.post("/revisions/<int:revision_id>/names-met")
@blueprint.arguments(schemas.PatternWish)
@blueprint.response(200, schemas.NamesMet)
def names_met(wish: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """Which names of a model a sheet's pattern meets: allowed characters of all names, or a pattern of those of materials."""
    with session() as db:
        revision = row(db, Revision, revision_id, "revision")
        done = shelf.latest_done(db, revision)
        if done is None or done.measures is None:
            refuse(409, "The model is still being read.")
        measures = Measures.from_bytes(done.measures)
    materials = [material.name for material in measures.materials]
    names = materials if wish["of"] == "materials" else [*(part.name for part in measures.parts), *materials]
    expression = compiled(wish["pattern"] if wish["of"] == "materials" else f"[{wish['pattern']}]*", "The pattern")
    distinct = list(dict.fromkeys(names))
    missed = [name for name in distinct if not expression.fullmatch(name)]
    return {"names": len(distinct), "missed": missed}
