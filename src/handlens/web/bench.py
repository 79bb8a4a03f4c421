"""The Bench: one revision against one rule sheet, with its mend tape."""

from __future__ import annotations

import json
from typing import Any

from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.kit.naming import named_in, names_by
from ..core.measures import Measures
from ..core.measures.drawing import Drawing
from ..core.offers.trials import changes
from ..core.pipeline.writing import behind
from ..core.present.gauges import Gauge, gauges
from ..core.present.kinds import kinds
from ..core.present.ledger import recounted
from ..core.present.price import price
from ..core.present.report import with_waivers
from ..core.route.stations import find_mend
from ..core.route.tape import declared_unit
from ..core.rules import Intent, RuleSheet
from ..core.stations.arrival.services import changed_names, renamer
from ..core.words.calls import Call
from ..store import cards, shelf
from ..store.database import session
from ..store.models import Comparison, Export, Inspection, Job, Model, Revision
from ..store.queue import drop_overtaken, want_comparison, want_inspection, want_trials
from ..store.sheets import own_of, sheet_of
from . import schemas
from .find import refuse, row
from .inspections import measures_of

blueprint = Blueprint("bench", __name__, url_prefix="/api", description="The Bench")


@blueprint.get("/revisions/<int:revision_id>/bench")
@blueprint.response(200, schemas.Bench)
def bench(revision_id: int) -> dict[str, Any]:
    """Everything the Bench shows but for the stage. Where the tape as it stands was never read the state is "unread": asking for
    that is `read-again`, as looking changes nothing."""
    with session() as db:
        return _bench(db, row(db, Revision, revision_id, "revision"))


def _bench(db: Session, revision: Revision) -> dict[str, Any]:
    model = revision.model
    slips = shelf.slips_of(db, revision)
    inspection = shelf.inspection_of(db, revision, slips)
    # Read once: looking for what is done renews rows, and an inspection that ends meanwhile must not be half in the answer.
    state, error = (inspection.state, inspection.error) if inspection is not None else ("unread", None)
    done = shelf.all_done(db, model, inspection.id if inspection is not None and state != "done" else None)
    # A verdict stands while the rest is still drawn.
    judged = inspection is not None and (state == "done" or (state == "running" and inspection.source is not None))
    shown = inspection if judged else done.get(revision.id)
    sheet, intent = sheet_of(db, model.sheet), shelf.intent_of(model)
    reasons = shelf.reasons_of(model)
    reading = since = by_mends = None
    facts: dict[str, Any] = {}
    if shown is not None and shown.source is not None:
        kept = shelf.judgement(db, shown, sheet, intent)
        tree = with_waivers(kept.report, reasons)
        since = shelf.changes_since(db, revision, done, tree, sheet, intent)
        by_mends = shelf.changes_by_mends(db, revision, tree, sheet, intent) if shown.tape else None
        facts = tree["facts"]
        reading = {
            "inspection": shown.id,
            "stations": recounted(kept.ledger, tree),
            **{k: tree[k] for k in ("clear", "skipped", "verdict", "not_looked_at")},
            "findings": _with_waivers(model, tree["findings"]),
            "kinds": kinds(tree["findings"]),
            "lost": _lost(db, shown, sheet, intent),
            "measured": shown.measured,
            "offers": shown.offers,
        }
    job = _live_job(db, inspection) if inspection is not None else None
    export = db.scalar(
        select(Export).where(Export.revision_id == revision.id, Export.state == "done").order_by(Export.id.desc()).limit(1)
    )
    on = [x for x in slips if x.get("on", True)]
    written = None if export is None else ([(x["mend"], x["params"]) for x in export.tape], export.aside)
    ways_to_it = [[(x["mend"], x["params"]) for x in slips] for slips in (on, [*on, *revision.branches.get(sheet.slug, [])])]
    same = written is not None and written[0] in ways_to_it and written[1] == shelf.aside_of(db, model)
    return {
        "model": model.id,
        "name": model.name,
        "revision": _reference(revision, done),
        "revisions": [_reference(revision, done) for revision in model.revisions],
        "main": revision.main,
        "file_count": len(revision.files),
        "format": revision.main.rpartition(".")[2].lower(),
        "unit_metres": facts.get("unit_metres"),
        "up_axis": facts.get("up_axis"),
        "sheet": sheet.slug,
        "intent": model.intent,
        "state": state,
        "error": error,
        "job": job.id if job else None,
        "reading": reading,
        "picture": _picture(inspection, done.get(revision.id)),
        "stale": shown is not None and (inspection is None or shown.id != inspection.id),
        "since": since,
        "by_mends": by_mends,
        "tape": _tape(slips, inspection if state == "done" else None),
        "gauges": _gauges(shown, sheet),
        "branch": [{**slip, "on": True} for slip in revision.branches.get(sheet.slug, [])],
        "version": shelf.tape_version(db, revision),
        "can_undo": shelf.can_undo(revision),
        "can_redo": any(tape.number > revision.tape_at for tape in revision.tapes),
        "last_export": export.id if export is not None and same else None,
        "proved": bool(same and export is not None and export.proof and export.proof["proved"]),
    }


def _with_waivers(model: Model, findings: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Findings of a report, those that are waived with by whom and when."""
    by_id = {waiver.finding: waiver for waiver in model.waivers}
    said = lambda f: by_id.get(f["id"]) if f["waived"] is not None else None
    return [
        {
            **finding,
            "waiver": None
            if (found := said(finding)) is None
            else {"by": found.by, "created": found.created, "number": found.number},
        }
        for finding in findings
    ]


def _picture(wanted: Inspection | None, done: Inspection | None) -> dict[str, Any] | None:
    """What is drawn: of the state that the tape asks for as soon as there is anything of it, else of the one that was read last."""
    of = wanted if wanted is not None and wanted.stage_id is not None and wanted.state in ("running", "done") else done
    if of is None or of.stage_id is None:
        return None
    return {"inspection": of.id, "content": of.stage_id, "coarse": of.coarse}


def _gauges(shown: Inspection | None, sheet: RuleSheet) -> list[Gauge]:
    """What is drawn against the sheet's limits, as it came and after each mend of the reading that is shown."""
    if shown is None or not shown.measured:
        return []
    titles = [find_mend(run["mend"]).title for run in shown.runs]
    return gauges(_costs(shown), shown.runs, titles, sheet)


def _lost(db: Session, shown: Inspection, sheet: RuleSheet, intent: Intent) -> dict[str, list[str]]:
    """What each format cannot hold, and which parts stay behind whatever the format."""
    own = own_of(db, sheet.slug)
    lost: dict[str, list[str]] = shown.lost.get(own.inherits if own is not None else sheet.slug, {})
    meant = sheet.meant(intent)
    if not any(part.role == "aside" for part in meant.parts.values()):
        return lost
    aside = [part.name for part in measures_of(shown).parts if meant.of_part(part.name).role == "aside"]
    return {name: [*behind(aside), *said] for name, said in lost.items()}


def _reference(revision: Revision, done: dict[int, Inspection]) -> dict[str, Any]:
    read = done.get(revision.id)
    return {"id": revision.id, "number": revision.number, "created": revision.created, "stage": read.id if read else None}


def _tape(slips: list[dict[str, Any]], inspection: Inspection | None) -> list[dict[str, Any]]:
    runs = iter(inspection.runs if inspection else [])
    played = [k for k, slip in enumerate(slips) if slip.get("on", True)]
    out = []
    for slip in slips:
        on = slip.get("on", True)
        run = next(runs, None) if on and inspection else None
        blocked = run.get("before") if run else None
        before = None if blocked is None else played[blocked]
        out.append({**slip, "on": on, "title": find_mend(slip["mend"]).title, "run": run, "before": before})
    return out


@blueprint.post("/revisions/<int:revision_id>/compare")
@blueprint.arguments(schemas.CompareWish)
@blueprint.response(200, schemas.Comparison)
def compare(wish: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """What differs from an earlier revision to this one, each with its tape as it stands. Ask again until it is done."""
    with session() as db:
        later, earlier = row(db, Revision, revision_id, "revision"), row(db, Revision, wish["earlier"], "revision")
        if earlier.model_id != later.model_id or earlier.id == later.id:
            refuse(422, "Only two revisions of one model can be compared.")
        read = [shelf.latest_done(db, r) for r in (earlier, later)]
        if read[0] is None or read[1] is None:
            refuse(409, "Both revisions must have been read before they can be compared.")
        made: Comparison = want_comparison(db, read[0], read[1])
        return {
            "earlier": earlier.number,
            "later": later.number,
            "state": made.state,
            "error": made.error,
            "rows": made.rows,
            "place": made.place,
        }


@blueprint.route("/revisions/<int:revision_id>/tape")
class Tape(MethodView):
    @blueprint.arguments(schemas.Tape)
    @blueprint.response(200, schemas.Bench)
    def put(self, tape: dict[str, Any], revision_id: int) -> dict[str, Any]:
        """Lay the whole tape anew; every slip is checked before any is kept."""
        slips = tape["slips"]
        for slip in slips:
            slip["params"] = find_mend(slip["mend"]).read(slip["params"])
        with session() as db:
            revision = _locked(db, revision_id)
            # The same wish twice is one wish, whoever else had it too.
            if shelf.slips_of(db, revision) != json.loads(json.dumps(slips)):
                _only_of(db, revision, tape["version"])
                shelf.change_tape(db, revision, slips)
                _keep_declared_unit(db, revision, slips)
            _renewed(db, revision, slips)
            return _bench(db, revision)


def _keep_declared_unit(db: Session, revision: Revision, slips: list[dict[str, Any]]) -> None:
    """What a slip says of the unit of a model that states none is kept as its intent, so that it is not asked again of the next revision."""
    model, unit = revision.model, declared_unit([Call(x["mend"], x["params"]) for x in slips if x.get("on", True)])
    raw = shelf.inspection_of(db, revision, [])
    if (
        unit is None
        or model.intent.get("unit")
        or raw is None
        or raw.measures is None
        or measures_of(raw).unit_metres is not None
    ):
        return
    model.intent = {**model.intent, "unit": unit}
    cards.renew(db, model)


@blueprint.post("/revisions/<int:revision_id>/try")
@blueprint.arguments(schemas.Tape)
@blueprint.response(200, schemas.Trial)
def try_out(tape: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """Read the revision with a tape that is not kept: to look before deciding. Ask again until the state is done."""
    slips = tape["slips"]
    for slip in slips:
        slip["params"] = find_mend(slip["mend"]).read(slip["params"])
    with session() as db:
        revision = row(db, Revision, revision_id, "revision")
        inspection, _ = want_inspection(db, revision, slips)
        verdict, cost, goes, comes = None, [], list[str](), list[str]()
        if inspection.state == "done":
            model = revision.model
            sheet, intent = sheet_of(db, model.sheet), shelf.intent_of(model)
            tree = shelf.judgement(db, inspection, sheet, intent).report
            verdict = with_waivers(tree, shelf.reasons_of(model))["verdict"]
            now = shelf.inspection_of(db, revision, shelf.slips_of(db, revision))
            if now is not None and now.state == "done":
                cost = price(_costs(now), _costs(inspection))
                goes, comes = changes(*(shelf.full_judgement(db, x, sheet, intent) for x in (now, inspection)))
        job = _live_job(db, inspection)
        return {
            "inspection": inspection.id,
            "state": inspection.state,
            "error": inspection.error,
            "job": job.id if job else None,
            "run": inspection.runs[-1] if inspection.runs else None,
            "verdict": verdict,
            "price": cost,
            "goes": goes,
            "comes": comes,
        }


def _costs(inspection: Inspection) -> Drawing:
    return Drawing(**(inspection.measured or {})["drawing"])


def _live_job(db: Session, inspection: Inspection) -> Job | None:
    wanted = (Job.subject["inspection"].as_integer() == inspection.id, Job.state.in_(["waiting", "running"]))
    return db.scalar(select(Job).where(*wanted).order_by(Job.id.desc()).limit(1))


def _locked(db: Session, revision_id: int) -> Revision:
    """The revision, with its tape to ourselves until the request ends."""
    return row(db, Revision, revision_id, "revision", locked=True)


def _only_of(db: Session, revision: Revision, version: int | None) -> None:
    """Refuse a change to another state of the tape than the one that was looked at."""
    if version is not None and version != shelf.tape_version(db, revision):
        refuse(
            409, "The tape was changed meanwhile, in another window or by someone else. Look at it as it is now, then repeat it."
        )


def _move(revision_id: int, step: int, version: int | None) -> dict[str, Any]:
    with session() as db:
        revision = _locked(db, revision_id)
        _only_of(db, revision, version)
        to = revision.tape_at + step
        if not (shelf.can_undo(revision) if step < 0 else any(tape.number == to for tape in revision.tapes)):
            refuse(409, "There is nothing to undo." if step < 0 else "There is nothing to redo.")
        revision.tape_at = to
        db.flush()
        _renewed(db, revision, shelf.slips_of(db, revision))
        return _bench(db, revision)


def _renewed(db: Session, revision: Revision, slips: list[dict[str, Any]]) -> None:
    """Ask for the reading of another state of the tape; where there is one the Shelf says so at once."""
    inspection, _ = want_inspection(db, revision, slips)
    drop_overtaken(db, revision, inspection)
    if inspection.state == "done":
        cards.renew(db, revision.model)
        want_trials(db, revision, inspection)


@blueprint.post("/revisions/<int:revision_id>/tape/undo")
@blueprint.arguments(schemas.TapeStep)
@blueprint.response(200, schemas.Bench)
def undo(wish: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """Go one step of the tape back."""
    return _move(revision_id, -1, wish["version"])


@blueprint.post("/revisions/<int:revision_id>/tape/redo")
@blueprint.arguments(schemas.TapeStep)
@blueprint.response(200, schemas.Bench)
def redo(wish: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """Go one step of the tape forward."""
    return _move(revision_id, 1, wish["version"])


@blueprint.post("/revisions/<int:revision_id>/read-again")
@blueprint.response(200, schemas.Bench)
def read_again(revision_id: int) -> dict[str, Any]:
    """Ask for the inspection that the tape wants: of a state that was never read, or again where it failed or was stopped."""
    with session() as db:
        revision = row(db, Revision, revision_id, "revision")
        inspection, _ = want_inspection(db, revision, shelf.slips_of(db, revision))
        want_trials(db, revision, inspection)
        return _bench(db, revision)


@blueprint.post("/revisions/<int:revision_id>/rename-preview")
@blueprint.arguments(schemas.Names)
@blueprint.response(200, schemas.NamePreview)
def rename_preview(wish: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """Which names a rename would change, before it is put on the tape."""
    into = renamer(wish["search"], wish["replace"], wish["pattern"])
    with session() as db:
        revision = row(db, Revision, revision_id, "revision")
        shown = shelf.latest_done(db, revision)
        measures = Measures.from_bytes(shown.measures) if shown is not None and shown.measures is not None else None
    names = dict.fromkeys(measures.names()) if measures else {}
    return {"changes": [{"old": old, "new": new} for old, new in changed_names(names, into)]}


@blueprint.post("/revisions/<int:revision_id>/naming-preview")
@blueprint.arguments(schemas.Naming)
@blueprint.response(200, schemas.NamePreview)
def naming_preview(wish: dict[str, Any], revision_id: int) -> dict[str, Any]:
    """What parts would be called by a pattern, before it is put on the tape."""
    with session() as db:
        shown = shelf.latest_done(db, row(db, Revision, revision_id, "revision"))
        measures = None if shown is None else measures_of(shown)
    if measures is None:
        return {"changes": []}
    things, taken = named_in(measures, wish["parts"])
    names = names_by(wish["pattern"], wish["start"], things, taken, measures.up_axis or "Y", measures.unit_metres or 1.0)
    return {"changes": [{"old": t.name, "new": new} for t, new in zip(things, names, strict=True) if t.name != new]}
