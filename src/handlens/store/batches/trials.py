"""What a mend, a recipe or a way did to a copy of one model of a batch, as its row keeps it."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from ...core.offers.better import brings_harm
from ...core.offers.trials import changes
from ...core.present.report import with_waivers
from .. import shelf
from ..models import Batch, BatchRow, Inspection, Model, SoughtWay
from ..sheets import sheet_of


def found_by_way(way: SoughtWay, sheet: str) -> dict[str, Any]:
    """What the way to Fit of one model comes to. sheet: slug of the destination that it was looked for."""
    tree = way.way or {}
    branch = next((b for b in tree.get("branches", []) if b["sheet"] == sheet), None)
    if branch is None:
        return {"slips": [], "verdict": None, "goes": [], "comes": [], "left": []}
    slips = [{"mend": s["mend"], "params": s["params"], "on": True} for s in (*tree["slips"], *branch["slips"])]
    after = branch["after"]
    return {
        "slips": slips,
        "verdict": {k: after[k] for k in ("stop", "caution", "note")} | {"unlooked": len(after.get("unlooked", []))},
        "goes": branch["goes"],
        "comes": branch["comes"],
        "left": [f"{left['title']}: {left['because']}" for left in branch["left"]],
        "asks": [question["asks"] for question in tree.get("questions", [])],
    }


def found_by_tape(db: Session, row: BatchRow, batch: Batch, tried: Inspection) -> dict[str, Any]:
    """What slips did that were played on a copy of one model and read. tried: that reading."""
    model = db.get_one(Model, row.model_id)
    sheet, intent = sheet_of(db, batch.sheet), shelf.intent_of(model)
    tree = with_waivers(shelf.judgement(db, tried, sheet, intent).report, shelf.reasons_of(model))
    before = db.get(Inspection, (row.trial or {})["inspection"])
    goes, comes, harms = list[str](), list[str](), False
    if before is not None and before.state == "done":
        judged = [shelf.full_judgement(db, x, sheet, intent) for x in (before, tried)]
        goes, comes = changes(*judged)
        harms = brings_harm(*judged)
    runs = tried.runs[-len((row.trial or {})["slips"]) :]
    return {
        "verdict": {**tree["verdict"], "unlooked": len(tree["not_looked_at"])},
        "goes": goes,
        "comes": comes,
        "harms": harms,
        "left": [run["because"] for run in runs if not run["applied"] and run["because"]],
    }
