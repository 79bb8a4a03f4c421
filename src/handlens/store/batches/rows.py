"""What a batch says of one of its models: kept when the model is judged, so that a board of hundreds is one question."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from ...core.present.kinds import stands_under_its_like
from ...core.present.ledger import recounted
from ...core.present.report import with_waivers
from ...core.route.stations import stations
from .. import shelf
from ..models import Batch, BatchRow, Inspection, Model, Revision, now
from ..sheets import sheet_of

#: Findings of one model that a batch keeps; one with more is told by its counts.
_FINDINGS = 200


def renew(db: Session, model: Model, revision: Revision, reading: Inspection | None) -> None:
    """Judge a model anew for every batch that it is in. reading: of its newest revision as its tape stands, or None while there is none."""
    if reading is None or reading.state != "done":
        return
    rows = select(BatchRow, Batch.sheet).join(Batch, Batch.id == BatchRow.batch_id).where(BatchRow.model_id == model.id)
    # In one order, so that two who renew the same model never wait for each other.
    for row, slug in db.execute(rows.order_by(BatchRow.id).with_for_update(of=BatchRow)).all():
        fill(db, row, slug, model, revision, reading)
        if row.step == "judge" and row.state == "running":
            row.state, row.error, row.ended = "done", None, now()


def fill(db: Session, row: BatchRow, slug: str, model: Model, revision: Revision, reading: Inspection) -> None:
    """Keep in a row what a reading says under a sheet. slug: the sheet's."""
    judged = shelf.judgement(db, reading, sheet_of(db, slug), shelf.intent_of(model))
    tree = with_waivers(judged.report, shelf.reasons_of(model))
    if row.trial is not None and row.trial.get("tape_key") != reading.tape_key:
        # What was tried was tried on another state of the tape.
        row.trial = None
    if row.inspection_id != reading.id:
        # What was written before was of another state of it.
        row.export_id = None
    row.inspection_id, row.revision_id = reading.id, revision.id
    row.verdict = {**tree["verdict"], "unlooked": len(tree["not_looked_at"])}
    row.first = row.first or row.verdict
    row.stations = _by_station(judged.ledger, tree)
    by_id = {f["id"]: f for f in tree["findings"] if f["waived"] is None}
    row.findings = [
        {
            **{k: f[k] for k in ("id", "check", "result", "title", "part")},
            # The same on another part is counted once, and told by the one that stands for it.
            "stands_for_itself": not stands_under_its_like(f, by_id),
            "mends": [{k: call[k] for k in ("mend", "params")} for call in f["mends"]],
        }
        for f in tree["findings"]
        if f["waived"] is None and f["result"] != "note"
    ][:_FINDINGS]


def _by_station(ledger: list[Any], tree: dict[str, Any]) -> dict[str, Any]:
    """Counts of each station by its slug; "nothing" where the model has nothing for it to look at."""
    waived = [f["station"] for f in tree["findings"] if f["waived"] is not None]
    unlooked = set(tree["not_looked_at"])
    out = {}
    for entry in recounted(ledger, tree):
        counts = entry.counts
        out[entry.slug] = {
            "stop": counts.stop,
            "caution": counts.caution,
            "note": counts.note,
            "waived": waived.count(entry.name),
            "nothing": entry.nothing,
            "unlooked": entry.name in unlooked,
        }
    return out


def station_slugs() -> list[str]:
    """Slugs of all stations in the order of the route."""
    return [station.slug for station in stations()]
