"""The Bench: one revision against one rule sheet, with its mend tape."""

from __future__ import annotations

from typing import Any

from flask import Response, request
from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.checks import judge
from ..core.ledger import ledger
from ..core.measures import Measures
from ..core.mends import find_mend
from ..core.mends.arrival import changed_names, renamer
from ..core.report import with_waivers
from ..store import shelf
from ..store.database import session
from ..store.models import Export, Inspection, Job, Revision
from ..store.queue import want_inspection
from . import schemas
from .find import refuse, row

blueprint = Blueprint("bench", __name__, url_prefix="/api", description="The Bench")


@blueprint.get("/revisions/<int:revision_id>/bench")
@blueprint.response(200, schemas.Bench)
def bench(revision_id: int) -> dict[str, Any]:
    """Everything the Bench shows but for the stage. Asks for the inspection that the tape wants, if there is none."""
    with session() as s:
        return _bench(s, row(s, Revision, revision_id, "revision"))


def _bench(s: Session, revision: Revision) -> dict[str, Any]:
    model = revision.model
    slips = shelf.slips_of(s, revision)
    inspection = shelf.inspection_of(s, revision, slips)
    if inspection is None:
        inspection, _ = want_inspection(s, revision, slips)
    shown = inspection if inspection.state == "done" else shelf.latest_done(s, revision)
    sheet, intent = shelf.sheet_of(model.sheet), shelf.intent_of(model)
    reasons = shelf.reasons_of(model)
    reading = since = by_mends = None
    facts: dict[str, Any] = {}
    if shown is not None and shown.measures is not None:
        tree = with_waivers(shelf.judgement(s, shown, sheet, intent), reasons)
        since = shelf.changes_since(s, revision, tree, sheet, intent)
        by_mends = shelf.changes_by_mends(s, revision, tree, sheet, intent) if shown.tape else None
        measures = Measures.from_bytes(shown.measures)
        facts = tree["facts"]
        reading = {
            "inspection": shown.id,
            "stations": ledger(measures, sheet, intent, judge(measures, sheet, intent), reasons),
            **{k: tree[k] for k in ("findings", "clear", "skipped", "verdict")},
            "lost": shown.lost,
        }
    job = _live_job(s, inspection)
    export = s.scalar(
        select(Export).where(Export.revision_id == revision.id, Export.state == "done").order_by(Export.id.desc()).limit(1)
    )
    on = [x for x in slips if x.get("on", True)]
    same = export is not None and [(x["mend"], x["params"]) for x in export.tape] == [(x["mend"], x["params"]) for x in on]
    return {
        "model": model.id,
        "name": model.name,
        "revision": _reference(s, revision),
        "revisions": [_reference(s, r) for r in model.revisions],
        "main": revision.main,
        "file_count": len(revision.files),
        "format": revision.main.rpartition(".")[2].lower(),
        "unit_metres": facts.get("unit_metres"),
        "up_axis": facts.get("up_axis"),
        "sheet": sheet.slug,
        "intent": model.intent,
        "state": inspection.state,
        "error": inspection.error,
        "job": job.id if job else None,
        "reading": reading,
        "stale": shown is not None and shown.id != inspection.id,
        "since": since,
        "by_mends": by_mends,
        "tape": _tape(slips, inspection if inspection.state == "done" else None),
        "can_undo": revision.tape_at > 0,
        "can_redo": any(t.number > revision.tape_at for t in revision.tapes),
        "last_export": export.id if export is not None and same else None,
        "proved": bool(same and export is not None and export.proof and export.proof["proved"]),
    }


def _reference(s: Session, revision: Revision) -> dict[str, Any]:
    done = shelf.latest_done(s, revision)
    return {"id": revision.id, "number": revision.number, "created": revision.created, "stage": done.id if done else None}


def _tape(slips: list[dict[str, Any]], inspection: Inspection | None) -> list[dict[str, Any]]:
    runs = iter(inspection.runs if inspection else [])
    out = []
    for slip in slips:
        on = slip.get("on", True)
        out.append(
            {**slip, "on": on, "title": find_mend(slip["mend"]).title, "run": next(runs, None) if on and inspection else None}
        )
    return out


@blueprint.get("/inspections/<int:inspection_id>/elements")
@blueprint.response(200)
def elements(inspection_id: int) -> Response:
    """A finding's element indices as little-endian int32; edges as pairs. Query: finding."""
    wanted = request.args.get("finding", "")
    with session() as s:
        inspection = row(s, Inspection, inspection_id, "inspection")
        if inspection.measures is None:
            refuse(404, "The model has not been read yet.")
        model = row(s, Revision, inspection.revision_id, "revision").model
        measures = Measures.from_bytes(inspection.measures)
        found = judge(measures, shelf.sheet_of(model.sheet), shelf.intent_of(model)).findings
    finding = next((f for f in found if f.id == wanted), None)
    if finding is None or finding.elements is None:
        refuse(404, "This finding marks nothing on the model, or it is no longer there.")
    return Response(finding.elements.indices.astype("<i4").tobytes(), mimetype="application/octet-stream")


@blueprint.route("/revisions/<int:revision_id>/tape")
class Tape(MethodView):
    @blueprint.arguments(schemas.Tape)
    @blueprint.response(200, schemas.Bench)
    def put(self, tape: dict[str, Any], revision_id: int) -> dict[str, Any]:
        """Lay the whole tape anew; every slip is checked before any is kept."""
        slips = tape["slips"]
        for slip in slips:
            slip["params"] = find_mend(slip["mend"]).read(slip["params"])
        with session() as s:
            revision = row(s, Revision, revision_id, "revision")
            shelf.change_tape(s, revision, slips)
            want_inspection(s, revision, slips)
            return _bench(s, revision)


@blueprint.post("/revisions/<int:revision_id>/try")
@blueprint.arguments(schemas.Tape)
@blueprint.response(200, schemas.Trial)
def try_out(tape: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """Read the revision with a tape that is not kept: to look before deciding. Ask again until the state is done."""
    slips = tape["slips"]
    for slip in slips:
        slip["params"] = find_mend(slip["mend"]).read(slip["params"])
    with session() as s:
        revision = row(s, Revision, revision_id, "revision")
        inspection, _ = want_inspection(s, revision, slips)
        verdict = None
        if inspection.state == "done":
            model = revision.model
            tree = shelf.judgement(s, inspection, shelf.sheet_of(model.sheet), shelf.intent_of(model))
            verdict = with_waivers(tree, shelf.reasons_of(model))["verdict"]
        job = _live_job(s, inspection)
        return {
            "inspection": inspection.id,
            "state": inspection.state,
            "error": inspection.error,
            "job": job.id if job else None,
            "run": inspection.runs[-1] if inspection.runs else None,
            "verdict": verdict,
        }


def _live_job(s: Session, inspection: Inspection) -> Job | None:
    wanted = (Job.subject["inspection"].as_integer() == inspection.id, Job.state.in_(["waiting", "running"]))
    return s.scalar(select(Job).where(*wanted).order_by(Job.id.desc()).limit(1))


def _move(revision_id: int, step: int) -> dict[str, Any]:
    with session() as s:
        revision = row(s, Revision, revision_id, "revision")
        to = revision.tape_at + step
        if to < 0 or (step > 0 and not any(t.number == to for t in revision.tapes)):
            refuse(409, "There is nothing to undo." if step < 0 else "There is nothing to redo.")
        revision.tape_at = to
        s.flush()
        want_inspection(s, revision, shelf.slips_of(s, revision))
        return _bench(s, revision)


@blueprint.post("/revisions/<int:revision_id>/tape/undo")
@blueprint.response(200, schemas.Bench)
def undo(revision_id: int) -> dict[str, Any]:
    return _move(revision_id, -1)


@blueprint.post("/revisions/<int:revision_id>/tape/redo")
@blueprint.response(200, schemas.Bench)
def redo(revision_id: int) -> dict[str, Any]:
    return _move(revision_id, 1)


@blueprint.post("/revisions/<int:revision_id>/read-again")
@blueprint.response(200, schemas.Bench)
def read_again(revision_id: int) -> dict[str, Any]:
    """Try an inspection again that failed or was stopped."""
    with session() as s:
        revision = row(s, Revision, revision_id, "revision")
        want_inspection(s, revision, shelf.slips_of(s, revision))
        return _bench(s, revision)


@blueprint.post("/revisions/<int:revision_id>/rename-preview")
@blueprint.arguments(schemas.Names)
@blueprint.response(200, schemas.NamePreview)
def rename_preview(wish: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """Which names a rename would change, before it is put on the tape."""
    into = renamer(wish["search"], wish["replace"], wish["pattern"])
    with session() as s:
        revision = row(s, Revision, revision_id, "revision")
        shown = shelf.latest_done(s, revision)
        measures = Measures.from_bytes(shown.measures) if shown is not None and shown.measures is not None else None
    names = dict.fromkeys(measures.names()) if measures else {}
    return {"changes": [{"old": old, "new": new} for old, new in changed_names(names, into)]}
