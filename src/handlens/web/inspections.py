"""What an inspection left behind: the display copy, where findings lie, what a receiver makes of it."""

from __future__ import annotations

from typing import Any

from flask import Response, request
from flask_smorest import Blueprint
from sqlalchemy.orm import Session

from ..core.display import marked
from ..core.judge import judge
from ..core.kit.check import Finding
from ..core.measures import Measures
from ..core.measures.slots import users_of
from ..core.receivers.log import log
from ..core.stations.see_through.sweep import sides
from ..store import contents, shelf
from ..store.database import session
from ..store.models import Inspection, Revision
from . import schemas
from .find import refuse, row

blueprint = Blueprint("inspections", __name__, url_prefix="/api/inspections", description="Inspections")


@blueprint.get("/<int:inspection_id>/stage")
@blueprint.response(200)
def stage(inspection_id: int) -> Response:
    """The binary display copy."""
    with session() as s:
        inspection = row(s, Inspection, inspection_id, "inspection")
        if inspection.stage_id is None:
            refuse(404, "The model has not been read yet.")
        content_id = inspection.stage_id

    answer = Response(contents.sent(content_id), mimetype="application/octet-stream")
    answer.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return answer


@blueprint.get("/<int:inspection_id>/elements")
@blueprint.response(200)
def elements(inspection_id: int) -> Response:
    """A finding's element indices as little-endian int32; edges as pairs, and for images the materials that use them, since
    those are what is drawn. Query: finding."""
    with session() as s:
        inspection = row(s, Inspection, inspection_id, "inspection")
        finding = _finding(s, inspection, request.args.get("finding", ""))
        elements = finding.elements
        assert elements is not None
        indices = elements.indices
        if elements.kind == "images":
            indices = users_of(measures_of(inspection), indices)
    return Response(indices.astype("<i4").tobytes(), mimetype="application/octet-stream")


@blueprint.get("/<int:inspection_id>/marks")
@blueprint.response(200)
def marks(inspection_id: int) -> Response:
    """Where a finding's elements lie on a part whose display copy is reduced: little-endian float32 triples. Query: finding."""
    with session() as s:
        inspection = row(s, Inspection, inspection_id, "inspection")
        finding = _finding(s, inspection, request.args.get("finding", ""))
        stored = inspection.full_stage_id or inspection.stage_id
        if stored is None or finding.node is None:
            refuse(404, "This finding marks nothing on one part of the model.")
        full = contents.read(s, stored)
    assert finding.elements is not None
    places = marked(full, finding.node, finding.elements.kind, finding.elements.indices)
    return Response(places.astype("<f4").tobytes(), mimetype="application/octet-stream")


@blueprint.get("/<int:inspection_id>/sides")
@blueprint.response(200, schemas.Sides)
def looked_from(inspection_id: int) -> dict[str, Any]:
    """The sides round two blended parts, in the order of a walk, each with the share of rays on which their draw order is wrong.
    Query: finding, one about a draw order."""
    with session() as s:
        inspection = row(s, Inspection, inspection_id, "inspection")
        finding = _finding(s, inspection, request.args.get("finding", ""))
        model = row(s, Revision, inspection.revision_id, "revision").model
        up = shelf.sheet_of(model.sheet).up_axis
        m = measures_of(inspection)
    assert finding.elements is not None
    two = set(finding.elements.indices.tolist())
    pair = next((d for d in m.draw_orders if {d.first, d.second} == two), None)
    if finding.check != "see-through.draw-order" or pair is None:
        refuse(404, "This finding is not about the order in which parts are drawn.")
    return {"sides": [side._asdict() for side in sides(pair, m.up_axis or up)]}


def _finding(s: Session, inspection: Inspection, wanted: str) -> Finding:
    """A finding that marks something, by its id; refuses where there is none."""
    model = row(s, Revision, inspection.revision_id, "revision").model
    found = judge(measures_of(inspection), shelf.sheet_of(model.sheet), shelf.intent_of(model)).findings
    finding = next((f for f in found if f.id == wanted), None)
    if finding is None or finding.elements is None:
        refuse(404, "This finding marks nothing on the model, or it is no longer there.")
    return finding


def measures_of(inspection: Inspection) -> Measures:
    if inspection.measures is None:
        refuse(404, "The model has not been read yet.")
    return Measures.from_bytes(inspection.measures)


@blueprint.get("/<int:inspection_id>/receiver")
@blueprint.arguments(schemas.ReceiverQuery, location="query")
@blueprint.response(200, schemas.ReceiverLog)
def receiver_log(query: dict[str, Any], inspection_id: int) -> dict[str, Any]:
    """What a sheet's receiver takes, leaves out and draws otherwise."""
    with session() as s:
        measures = measures_of(row(s, Inspection, inspection_id, "inspection"))
    return {"entries": log(measures, shelf.sheet_of(query["sheet"]).receiver)}
