"""A batch as its board shows it: its sums, a page of its rows, and what several of its models have in common."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from sqlalchemy import ColumnElement, Integer, Select, cast, func, select, text
from sqlalchemy.orm import Session, defer

from ...core.route.stations import mends_by_id
from ..models import Batch, BatchRow, Export, Model, Revision, now
from .laying import helps
from .rows import station_slugs

#: Rows on a page.
PAGE = 100
#: Seconds over which it is counted how fast a batch goes.
_LATELY = 60
#: Kinds of trouble that are told, and models that each names.
_TROUBLES, _NAMES = 30, 6


def _count(name: str) -> ColumnElement[int]:
    return func.coalesce(cast(BatchRow.verdict[name].as_string(), Integer), 0)


_HELD = (_count("stop") + _count("unlooked")) > 0
_PROVED = Export.proof["proved"].as_boolean()
_JUDGED = BatchRow.verdict.is_not(None)
#: What may be asked for, by its name.
SHOW: dict[str, ColumnElement[bool]] = {
    "held": _JUDGED & _HELD,
    "cautions": _JUDGED & ~_HELD & (_count("caution") > 0),
    "fit": _JUDGED & ~_HELD & (_count("caution") == 0),
    "proved": _PROVED.is_(True),
    "waiting": BatchRow.state.in_(["waiting", "running"]),
    "failed": BatchRow.state.in_(["failed", "cancelled"]),
    "changed": _JUDGED & (BatchRow.verdict != BatchRow.first),
    "tried": BatchRow.trial.is_not(None),
}
_ORDER: dict[str, tuple[Any, ...]] = {
    "worst": (
        (BatchRow.state == "failed").desc(),
        (_count("stop") + _count("unlooked")).desc(),
        _count("caution").desc(),
        _count("note").desc(),
        Model.name,
    ),
    "name": (Model.name, Model.id),
    "arrival": (Model.id,),
    "age": (Model.touched.desc(), Model.id.desc()),
}
ORDERS = tuple(_ORDER)


def listed(db: Session) -> list[dict[str, Any]]:
    """All batches, the newest first, each with its sums."""
    return [heading(db, batch) for batch in db.scalars(select(Batch).order_by(Batch.id.desc()))]


def _rows(batch: Batch, *columns: Any) -> Select[Any]:
    chosen = select(*columns).select_from(BatchRow).join(Model, Model.id == BatchRow.model_id)
    return chosen.outerjoin(Export, Export.id == BatchRow.export_id).where(
        BatchRow.batch_id == batch.id, Model.taken_off.is_(None)
    )


def heading(db: Session, batch: Batch) -> dict[str, Any]:
    """A batch without its rows: how far it is, how many rows of each kind there are, and how long it takes yet."""
    kinds = [func.count().filter(which).label(name) for name, which in SHOW.items()]
    sums = [func.coalesce(func.sum(_count(name)), 0) for name in ("stop", "caution")]
    first = [func.coalesce(func.sum(cast(BatchRow.first[name].as_string(), Integer)), 0) for name in ("stop", "caution")]
    lately = func.count().filter(BatchRow.ended > now() - timedelta(seconds=_LATELY), BatchRow.ended > batch.began)
    told = db.execute(_rows(batch, func.count(), lately, *kinds, *sums, *first)).one()
    total, recent = told[0], told[1]
    count = dict(zip(SHOW, told[2 : 2 + len(SHOW)], strict=True))
    left = count["waiting"]
    over = max(min((now() - batch.began).total_seconds(), _LATELY), 1.0)
    running = batch.state == "running" and left > 0
    return {
        "id": batch.id,
        "name": batch.name,
        "sheet": batch.sheet,
        "state": "done" if batch.state == "running" and not left else batch.state,
        "step": batch.step,
        "wish": {k: v for k, v in batch.wish.items() if k != "slips"},
        "created": batch.created,
        "models": total,
        "count": count,
        "seconds_left": left * over / recent if running and recent else None,
        **dict(zip(("stops", "cautions", "first_stops", "first_cautions"), map(int, told[-4:]), strict=True)),
        "laid": db.scalar(_rows(batch, func.count(BatchRow.laid))) or 0,
    }


def by_station(db: Session, batch: Batch) -> dict[str, dict[str, int]]:
    """Stops and cautions of each station over all models of a batch, by its slug."""
    sums = [
        func.coalesce(func.sum(cast(BatchRow.stations[slug][name].as_string(), Integer)), 0)
        for slug in station_slugs()
        for name in ("stop", "caution")
    ]
    found = iter(db.execute(_rows(batch, *sums)).one())
    return {slug: {"stop": int(next(found)), "caution": int(next(found))} for slug in station_slugs()}


def page(db: Session, batch: Batch, show: str, sort: str, search: str, first: int) -> tuple[list[dict[str, Any]], int]:
    """A page of a batch's rows, and how many there are of that kind in all. show: all, or one of SHOW; sort: one of ORDERS."""
    wanted = _rows(batch, BatchRow, Model, Export.proof["proved"].as_boolean())
    if show != "all":
        wanted = wanted.where(SHOW[show])
    if search:
        wanted = wanted.where(Model.name.icontains(search, autoescape=True) | Model.folder.icontains(search, autoescape=True))
    found = db.scalar(select(func.count()).select_from(wanted.with_only_columns(BatchRow.id).subquery())) or 0
    # What was found of each is told cell by cell, to whoever asks.
    shown = wanted.options(defer(BatchRow.findings)).order_by(*_ORDER[sort], BatchRow.id)
    rows = db.execute(shown.offset(first).limit(PAGE)).all()
    ids = [model.id for _, model, _ in rows]
    newest = select(Revision.model_id, func.max(Revision.id)).where(Revision.model_id.in_(ids)).group_by(Revision.model_id)
    number = {row[0]: row[1] for row in db.execute(newest)}
    drawn = select(Revision.id, Revision.thumbnail_id).where(Revision.id.in_(number.values()))
    picture = {row[0]: row[1] for row in db.execute(drawn)}
    return [_entry(row, model, proved, number.get(model.id), picture) for row, model, proved in rows], found


def _entry(
    row: BatchRow, model: Model, proved: bool | None, revision: int | None, picture: dict[int, int | None]
) -> dict[str, Any]:
    trial = row.trial
    found = trial if trial is not None and "verdict" in trial else None
    return {
        "model": model.id,
        "name": model.name,
        "folder": model.folder,
        "revision": revision,
        "thumbnail": picture.get(revision) if revision is not None else None,
        "step": row.step,
        "state": row.state,
        "error": row.error,
        "verdict": row.verdict,
        "changed": row.verdict is not None and row.verdict != row.first,
        "stations": row.stations,
        "proved": proved,
        "export": row.export_id,
        "trial": found
        and {
            "verdict": found["verdict"],
            "helps": helps(row),
            "slips": [_title(slip["mend"]) for slip in found["slips"]],
            **{k: found.get(k, []) for k in ("goes", "comes", "left", "asks")},
        },
    }


def _title(mend: str) -> str:
    """What a mend is called; its id where this version has none of that name, as what a row keeps may be of an earlier one."""
    known = mends_by_id().get(mend)
    return known.title if known is not None else mend


_TROUBLE = text(
    """
    SELECT f->>'check' AS check, max(CASE f->>'result' WHEN 'stop' THEN 2 ELSE 1 END) AS worst,
           count(DISTINCT m.id) AS models, count(*) AS findings, (array_agg(DISTINCT m.name ORDER BY m.name))[1:8] AS names
    FROM batch_row r JOIN model m ON m.id = r.model_id, jsonb_array_elements(r.findings) f
    WHERE r.batch_id = :batch AND m.taken_off IS NULL
    GROUP BY 1 ORDER BY count(DISTINCT m.id) > 1 DESC, 2 DESC, 3 DESC, 4 DESC, 1 LIMIT :most
    """
)
_REMEDIES = text(
    """
    SELECT f->>'check' AS check, c->>'mend' AS mend, count(DISTINCT r.model_id) AS models
    FROM batch_row r JOIN model m ON m.id = r.model_id, jsonb_array_elements(r.findings) f, jsonb_array_elements(f->'mends') c
    WHERE r.batch_id = :batch AND m.taken_off IS NULL
    GROUP BY 1, 2 ORDER BY 3 DESC, 2
    """
)


def troubles(db: Session, batch: Batch) -> list[dict[str, Any]]:
    """What is wrong with models of a batch by its check, what several have first, then the gravest: which models, and which mends are offered for how
    many of them."""
    offered: dict[str, list[dict[str, Any]]] = {}
    known = mends_by_id()
    for row in db.execute(_REMEDIES, {"batch": batch.id}):
        offered.setdefault(row.check, []).append(
            {
                "mend": row.mend,
                "title": _title(row.mend),
                "models": row.models,
                "safe": row.mend in known and known[row.mend].safe,
            }
        )
    return [
        {
            "check": row.check,
            "result": "stop" if row.worst == 2 else "caution",
            "models": row.models,
            "findings": row.findings,
            "names": row.names[:_NAMES],
            "mends": offered.get(row.check, []),
        }
        for row in db.execute(_TROUBLE, {"batch": batch.id, "most": _TROUBLES})
    ]


def cell(db: Session, batch: Batch, model: int, station: str) -> list[dict[str, Any]]:
    """What stands behind one cell of the board: stops and cautions of a model at a station. station: its slug."""
    row = db.scalar(select(BatchRow).where(BatchRow.batch_id == batch.id, BatchRow.model_id == model))
    found = row.findings if row is not None else []
    here = [f for f in found if f["check"].partition(".")[0] == station and f.get("stands_for_itself", True)]
    return sorted(here, key=lambda f: f["result"] != "stop")


def models_with(db: Session, batch: Batch, check: str, mend: str) -> list[int]:
    """Ids of the models of a batch that have a finding of a check for which a mend is offered."""
    wanted = [{"check": check, "mends": [{"mend": mend}]}]
    return list(db.scalars(select(BatchRow.model_id).where(BatchRow.batch_id == batch.id, BatchRow.findings.contains(wanted))))
