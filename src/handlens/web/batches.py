"""Batches: many models against one rule sheet, on one board."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from flask import Response
from flask.views import MethodView
from flask_smorest import Blueprint
from sqlalchemy import update
from sqlalchemy.orm import Session

from ..core.present.reports import FORMATS, report_file
from ..core.route.stations import find_mend
from ..store.batches import board, laying, making
from ..store.batches.feeding import feed
from ..store.batches.handing import csv_of, package_files, reported
from ..store.database import session
from ..store.download import zip_of
from ..store.models import Batch, Model
from ..store.sheets import all_sheets
from . import schemas_batch as schemas
from .find import refuse, row
from .handoff import KINDS

blueprint = Blueprint("batches", __name__, url_prefix="/api/batches", description="Batches")


def _batch(db: Session, batch_id: int, locked: bool = False) -> Batch:
    return row(db, Batch, batch_id, "batch", locked=locked)


def _steered(batch_id: int, change: Any) -> dict[str, Any]:
    """A batch after something was changed of it, with what comes next begun."""
    with session() as db:
        change(db, _batch(db, batch_id, locked=True))
    _feed()
    with session() as db:
        return board.heading(db, _batch(db, batch_id))


def _feed() -> None:
    """Begin what comes next, in a transaction of its own: whoever feeds waits for rows that a change still holds."""
    with session() as db:
        feed(db)


@blueprint.route("")
class Batches(MethodView):
    @blueprint.response(200, schemas.Batches)
    def get(self) -> dict[str, Any]:
        """All batches, the newest first."""
        with session() as db:
            return {"batches": board.listed(db)}

    @blueprint.arguments(schemas.BatchWish)
    @blueprint.response(201, schemas.Batch)
    def post(self, wish: dict[str, Any]) -> dict[str, Any]:
        """Judge many models by one sheet."""
        with session() as db:
            sheet = next((x for x in all_sheets(db) if x.slug == wish["sheet"]), None)
            if sheet is None:
                refuse(422, f"There is no rule sheet {wish['sheet']}.")
            if wish["bench_too"]:
                db.execute(update(Model).where(Model.id.in_(wish["models"])).values(sheet=sheet.slug))
            batch = making.begin(db, wish["name"].strip(), sheet.slug, wish["models"])
            size = making.size(db, batch)
            if not size:
                refuse(422, "None of these models is on the shelf; choose some that are.")
            batch.name = batch.name or f"{size:,} {'model' if size == 1 else 'models'}"
            number = batch.id
        _feed()
        with session() as db:
            return board.heading(db, _batch(db, number))


@blueprint.route("/<int:batch_id>")
class OneBatch(MethodView):
    @blueprint.arguments(schemas.BatchQuery, location="query")
    @blueprint.response(200, schemas.BatchPage)
    def get(self, query: dict[str, Any], batch_id: int) -> dict[str, Any]:
        """A batch, and a page of its rows."""
        with session() as db:
            batch = _batch(db, batch_id)
            # Before the rows: where it says that all is done, each of them is.
            heading = board.heading(db, batch)
            rows, found = board.page(db, batch, query["show"], query["sort"], query["search"].strip(), query["first"])
            return {"batch": heading, "stations": board.by_station(db, batch), "rows": rows, "found": found}

    @blueprint.arguments(schemas.BatchModels)
    @blueprint.response(200, schemas.Added)
    def post(self, wish: dict[str, Any], batch_id: int) -> dict[str, Any]:
        """Take more models into a batch."""
        with session() as db:
            added = making.add(db, _batch(db, batch_id, locked=True), wish["models"])
        _feed()
        return {"added": added}

    @blueprint.response(204)
    def delete(self, batch_id: int) -> None:
        """Throw a batch away. Its models stay on the shelf as they are."""
        with session() as db:
            batch = _batch(db, batch_id, locked=True)
            making.end(db, batch)
            db.delete(batch)


#: How a batch is steered, by the word for it.
_STEERING = {"pause": making.pause, "go-on": making.go_on, "stop": making.end, "again": making.try_failed}


@blueprint.post(f"/<int:batch_id>/<any({', '.join(repr(how) for how in _STEERING)}):how>")
@blueprint.response(200, schemas.Batch)
def steer(batch_id: int, how: str) -> dict[str, Any]:
    """pause: begin nothing more, and do what is being done to its end. go-on: where it was paused or stopped. stop: give up what waits, and
    stop what is being done. again: try whatever failed."""
    return _steered(batch_id, _STEERING[how])


@blueprint.post("/<int:batch_id>/try")
@blueprint.arguments(schemas.TrialWish)
@blueprint.response(202, schemas.Batch)
def try_on_all(wish: dict[str, Any], batch_id: int) -> dict[str, Any]:
    """Play a recipe, the way to Fit, or one mend on copies of all models. Nothing is laid by itself."""
    models = wish.pop("models")
    if wish["kind"] == "recipe" and not wish["slips"]:
        refuse(422, "The recipe has no mend; choose one that has.")
    for slip in wish["slips"]:
        slip["params"] = find_mend(slip["mend"]).read(slip["params"])
    if wish["kind"] == "mend":
        find_mend(wish["mend"])

    def change(db: Session, batch: Batch) -> None:
        if models is None and wish["kind"] == "mend":
            chosen = making.ids(db, batch, board.models_with(db, batch, wish["check"], wish["mend"]))
        else:
            chosen = making.ids(db, batch, models)
        if not chosen:
            refuse(422, "None of these models is in the batch, or none is offered this mend.")
        laying.forget(db, batch)
        making.ask(db, batch, "try", wish, chosen)

    return _steered(batch_id, change)


@blueprint.route("/<int:batch_id>/tried")
class Tried(MethodView):
    @blueprint.arguments(schemas.KeepWish)
    @blueprint.response(200, schemas.Laying)
    def put(self, wish: dict[str, Any], batch_id: int) -> dict[str, Any]:
        """Put what was tried on the tapes of the models that it helps."""
        with session() as db:
            batch = _batch(db, batch_id, locked=True)
            done = laying.keep(db, batch, making.ids(db, batch, wish["models"]))
        _feed()
        return done._asdict()

    @blueprint.response(204)
    def delete(self, batch_id: int) -> None:
        """Throw away what was tried; the tapes are as they were."""
        with session() as db:
            laying.forget(db, _batch(db, batch_id, locked=True))


@blueprint.post("/<int:batch_id>/take-back")
@blueprint.response(200, schemas.Laying)
def take_back(batch_id: int) -> dict[str, Any]:
    """Take back what was put on tapes from here last, where nothing was changed on them since."""
    with session() as db:
        batch = _batch(db, batch_id, locked=True)
        done = laying.take_back(db, batch)
    _feed()
    return done._asdict()


@blueprint.get("/<int:batch_id>/troubles")
@blueprint.response(200, schemas.Troubles)
def troubles(batch_id: int) -> dict[str, Any]:
    """What models have in common: what several have first, then the gravest."""
    with session() as db:
        return {"troubles": board.troubles(db, _batch(db, batch_id))}


@blueprint.get("/<int:batch_id>/cell")
@blueprint.arguments(schemas.CellQuery, location="query")
@blueprint.response(200, schemas.CellFindings)
def cell(query: dict[str, Any], batch_id: int) -> dict[str, Any]:
    """What stands behind one cell of the board."""
    with session() as db:
        return {"findings": board.cell(db, _batch(db, batch_id), query["model"], query["station"])}


@blueprint.post("/<int:batch_id>/exports")
@blueprint.arguments(schemas.BatchExportWish)
@blueprint.response(202, schemas.Batch)
def export(wish: dict[str, Any], batch_id: int) -> dict[str, Any]:
    """Write all models for the batch's destination, each with its tape, and prove each."""
    models = wish.pop("models")

    def change(db: Session, batch: Batch) -> None:
        chosen = making.ids(db, batch, models)
        if not chosen:
            refuse(422, "None of these models is in the batch.")
        making.ask(db, batch, "export", wish, chosen)

    return _steered(batch_id, change)


def _download(name: str, data: bytes | Iterator[bytes], kind: str) -> Response:
    answer = Response(data, mimetype=kind)
    answer.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


@blueprint.get("/<int:batch_id>/csv")
@blueprint.response(200)
def as_csv(batch_id: int) -> Response:
    """The board as a table."""
    with session() as db:
        batch = _batch(db, batch_id)
        return _download(f"batch-{batch.id}.csv", csv_of(db, batch), "text/csv")


@blueprint.get("/<int:batch_id>/report<ending>")
@blueprint.response(200)
def as_report(batch_id: int, ending: str) -> Response:
    """What was found of all models, to hand on: .html, .pdf, .csv, .xml or .sarif."""
    if ending not in FORMATS:
        refuse(404, f"A report is written as {', '.join(FORMATS)}.")
    with session() as db:
        batch = _batch(db, batch_id)
        name, found = f"batch-{batch.id}{ending}", reported(db, batch, ending in (".html", ".pdf"))
    # Of hundreds that takes a while, for which nothing in the database need be open.
    return _download(name, report_file(name, found), KINDS[ending])


@blueprint.get("/<int:batch_id>/packages")
@blueprint.response(200)
def as_packages(batch_id: int) -> Response:
    """What was written of all models, a folder each, with the report and the table beside."""
    with session() as db:
        batch = _batch(db, batch_id)
        files, written = package_files(db, batch)
        if not files:
            refuse(409, "Nothing was written yet; export the models first.")
    return _download(f"batch-{batch_id}.zip", zip_of(files, written), "application/zip")
