"""What an inspection left behind: the display copy, where findings lie, what a receiver makes of it."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Response, request
from flask_smorest import Blueprint
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.display import marked, pulled
from ..core.measures import Measures
from ..core.present.report import with_waivers
from ..core.present.stored import Mark
from ..core.present.symptoms import Answer, explained
from ..core.present.tree import Tree, tree
from ..core.receivers.log import log
from ..core.stations.see_through.services import order_of, right_sectors, sides
from ..core.words.arrays import Array
from ..store import contents, shelf
from ..store.database import session
from ..store.models import Inspection, Job, Revision
from ..store.queue import want_curve
from ..store.sheets import sheet_of
from . import packed, schemas
from .find import refuse, row
from .structs import schema_of

blueprint = Blueprint("inspections", __name__, url_prefix="/api/inspections", description="Inspections")


@blueprint.get("/<int:inspection_id>/stage")
@blueprint.response(200)
def stage(inspection_id: int) -> Response:
    """The binary display copy."""
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        if inspection.stage_id is None:
            refuse(404, "The model has not been read yet.")
        content_id = inspection.stage_id
    answer = packed.display_copy(content_id)
    answer.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return answer


@blueprint.get("/<int:inspection_id>/elements")
@blueprint.response(200)
def elements(inspection_id: int) -> Response:
    """A finding's element indices as little-endian int32; edges as pairs, and for images the materials that use them, since
    those are what is drawn. Query: finding."""
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        _, mark = _marked(db, inspection, request.args.get("finding", ""))
        indices = shelf.evidence_of(db, inspection, [mark.drawn])[mark.drawn]
    return Response(indices, mimetype="application/octet-stream")


@blueprint.get("/<int:inspection_id>/marks")
@blueprint.response(200)
def marks(inspection_id: int) -> Response:
    """Where a finding's elements lie on a part whose display copy is reduced: little-endian float32 triples. Query: finding."""
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        finding, mark = _marked(db, inspection, request.args.get("finding", ""))
        stored = inspection.full_stage_id or inspection.stage_id
        if stored is None or finding["node"] is None:
            refuse(404, "This finding marks nothing on one part of the model.")
        full = contents.read(db, stored)
        indices = _indices(db, inspection, mark)
    places = marked(full, finding["node"], mark.kind, indices)
    return Response(places.astype("<f4").tobytes(), mimetype="application/octet-stream")


@blueprint.get("/<int:inspection_id>/sides")
@blueprint.response(200, schemas.Sides)
def looked_from(inspection_id: int) -> dict[str, Any]:
    """The sides round two blended parts, in the order of a walk, each with the share of rays on which their draw order is wrong,
    and the headings from which it is right. Query: finding, one about a draw order; or node, a part: it and what it is worst with."""
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        node = request.args.get("node", type=int)
        up = sheet_of(db, row(db, Revision, inspection.revision_id, "revision").model.sheet).up_axis
        measures = measures_of(inspection)
        if node is None:
            finding, mark = _marked(db, inspection, request.args.get("finding", ""))
            if finding["check"] != "see-through.draw-order":
                refuse(404, "This finding is not about the order in which parts are drawn.")
            two = set(_indices(db, inspection, mark).tolist())
        else:
            two = {node}
    pair = order_of(measures, two)
    if pair is None:
        # Most parts lie in nobody's way: that is an answer, and no mistake.
        return {"sides": [], "nodes": [], "right": [], "numbered": None}
    axis = measures.up_axis or up
    return {
        "sides": [side._asdict() for side in sides(pair, axis)],
        "nodes": [pair.first, pair.second],
        "right": right_sectors(pair.sides, axis),
        "numbered": None if pair.numbered is None else right_sectors(pair.numbered, axis),
    }


def _marked(db: Session, inspection: Inspection, wanted: str) -> tuple[dict[str, Any], Mark]:
    """A finding that marks something, by its id, and where it lies; refuses where there is none."""
    model = row(db, Revision, inspection.revision_id, "revision").model
    if inspection.measures is None:
        refuse(404, "The model has not been read yet.")
    kept = shelf.judgement(db, inspection, sheet_of(db, model.sheet), shelf.intent_of(model))
    finding = next((f for f in kept.report["findings"] if f["id"] == wanted), None)
    if finding is None or wanted not in kept.marks:
        refuse(404, "This finding marks nothing on the model, or it is no longer there.")
    return finding, kept.marks[wanted]


def _indices(db: Session, inspection: Inspection, mark: Mark) -> Array:
    return np.frombuffer(shelf.evidence_of(db, inspection, [mark.digest])[mark.digest], "<i4")


def measures_of(inspection: Inspection) -> Measures:
    """The stored measures of an inspection."""
    if inspection.measures is None:
        refuse(404, "The model has not been read yet.")
    return Measures.from_bytes(inspection.measures)


@blueprint.get("/<int:inspection_id>/pull")
@blueprint.arguments(schemas.PullQuery, location="query")
@blueprint.response(200, schemas.Pull)
def pull(query: dict[str, Any], inspection_id: int) -> dict[str, Any]:
    """What comes, what stays and what tears where a joint is turned about its own axes."""
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        if inspection.stage_id is None:
            refuse(404, "The model has not been read yet.")
        data = contents.read(db, inspection.stage_id)
    parts = pulled(data, query["joint"], (query["x"], query["y"], query["z"], query["w"]))
    if not parts:
        refuse(404, "This joint carries nothing that is drawn, or the model has too many triangles to be moved.")
    return {"parts": parts}


@blueprint.post("/<int:inspection_id>/curve")
@blueprint.arguments(schemas.CurveWish)
@blueprint.response(200, schemas.Curve)
def curve(wish: dict[str, Any], inspection_id: int) -> dict[str, Any]:
    """How far off some parts, all where none is named, lie at each count of triangles. Ask again until it is done."""
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        if inspection.state != "done":
            refuse(409, "The model must have been read before it can be measured how far it may be reduced.")
        made = want_curve(db, inspection, wish["parts"], wish["again"])
        job = db.scalar(
            select(Job.id).where(Job.subject["curve"].as_integer() == made.id, Job.state.in_(["waiting", "running"])).limit(1)
        )
        return {"state": made.state, "error": made.error, "job": job, "points": made.points}


@blueprint.get("/<int:inspection_id>/tree")
@blueprint.response(200, schema_of(Tree))
def node_tree(inspection_id: int) -> Tree:
    """The node tree, with what is said of each part and what it may be."""
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        model = row(db, Revision, inspection.revision_id, "revision").model
        return tree(measures_of(inspection), sheet_of(db, model.sheet).meant(shelf.intent_of(model)))


@blueprint.get("/<int:inspection_id>/causes")
@blueprint.arguments(schemas.CausesQuery, location="query")
@blueprint.response(200, schema_of(Answer))
def causes(query: dict[str, Any], inspection_id: int) -> Answer:
    """What of this model explains a look, what is wrong at a spot of it, or both; the best first, waived findings left out."""
    with session() as db:
        inspection = row(db, Inspection, inspection_id, "inspection")
        model = row(db, Revision, inspection.revision_id, "revision").model
        if inspection.measures is None:
            refuse(404, "The model has not been read yet.")
        kept = shelf.judgement(db, inspection, sheet_of(db, model.sheet), shelf.intent_of(model))
        tree = with_waivers(kept.report, shelf.reasons_of(model))
        node, face = query["node"], query["face"]
        here = {
            f["id"]: kept.marks[f["id"]]
            for f in tree["findings"]
            if face is not None and f["node"] == node and f["id"] in kept.marks and kept.marks[f["id"]].kind == "faces"
        }
        found = shelf.evidence_of(db, inspection, [mark.digest for mark in here.values()]) if here else {}
    hit = [id for id, mark in here.items() if (np.frombuffer(found[mark.digest], "<i4") == face).any()]
    return explained(tree["findings"], tree["clear"], query["symptom"], node, hit)


@blueprint.get("/<int:inspection_id>/receiver")
@blueprint.arguments(schemas.ReceiverQuery, location="query")
@blueprint.response(200, schemas.ReceiverLog)
def receiver_log(query: dict[str, Any], inspection_id: int) -> dict[str, Any]:
    """What a sheet's receiver takes, leaves out and draws otherwise."""
    with session() as db:
        measures = measures_of(row(db, Inspection, inspection_id, "inspection"))
    sheet = sheet_of(db, query["sheet"])
    return {"entries": log(measures, sheet.receiver, sheet.limits.influences_vertex)}
