"""The queue's tasks: lay files out for the child, keep what it made."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import procrastinate
from sqlalchemy.orm import Session

from ..store import contents
from ..store.models import Drop, Export, ExportFile, Inspection, Model, Revision, RevisionFile
from ..store.queue import connector_options, want_inspection
from .running import Failed, run

app = procrastinate.App(connector=procrastinate.PsycopgConnector(**connector_options()))


# --- intake -------------------------------------------------------------------------------------------


@app.task(name="intake", queue="work")
async def intake(job_id: int) -> None:
    """Dropped files become models, or a model's next revision."""
    await run(job_id, _lay_out_drop, _keep_models)


def _lay_out_drop(s: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    drop = s.get(Drop, subject["drop"])
    if drop is None or not drop.files:
        raise Failed("No file arrived; drop the model again.")
    source = folder / "in"
    for f in drop.files:
        contents.write_to(s, f.content_id, source / f.path)
    return {"what": "intake", "folder": str(source)}


def _keep_models(s: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    drop = s.get(Drop, subject["drop"])
    if drop is None:
        return
    places = dict.fromkeys(place for found in result["models"] for place in found["files"].values())
    stored = {place: contents.put_file(s, Path(place)) for place in places}
    for k, found in enumerate(result["models"]):
        model = s.get(Model, drop.model_id) if drop.model_id is not None and k == 0 else None
        if model is None:
            model = Model(
                name=display_name(found["main"]),
                demo=bool(subject.get("demo")),
                intent=subject.get("intent", {}),
                sheet=subject.get("sheet", "realtime-engine"),
            )
            s.add(model)
            s.flush()
        number = max((r.number for r in model.revisions), default=0) + 1
        revision = Revision(number=number, main=found["main"])
        model.revisions.append(revision)
        for path, place in found["files"].items():
            revision.files.append(RevisionFile(path=path, content_id=stored[place].id))
        s.flush()
        want_inspection(s, revision, [])
    s.delete(drop)
    s.flush()


def display_name(path: str) -> str:
    """A name for the label from a file name: "crab_pot.glb" becomes "Crab pot"."""
    stem = path.rpartition("/")[2].rpartition(".")[0].replace("_", " ").replace("-", " ").strip()
    return stem[:1].upper() + stem[1:] if stem else path


# --- inspect ------------------------------------------------------------------------------------------


@app.task(name="inspect", queue="work")
async def inspect(job_id: int) -> None:
    """Read, mend and measure a revision."""
    await run(job_id, _lay_out_inspection, _keep_inspection)


def _lay_out(s: Session, revision: Revision, folder: Path) -> Path:
    source = folder / "in"
    for f in revision.files:
        contents.write_to(s, f.content_id, source / f.path)
    return source


def _lay_out_inspection(s: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    inspection = s.get(Inspection, subject["inspection"])
    revision = s.get(Revision, subject["revision"])
    if inspection is None or revision is None:
        raise Failed("The model was taken off the shelf.")
    return {"what": "inspect", "folder": str(_lay_out(s, revision, folder)), "main": revision.main, "tape": inspection.tape}


def _keep_inspection(s: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    inspection = s.get(Inspection, subject["inspection"])
    if inspection is None:
        return
    inspection.measures = (folder / "out" / "measures.bin").read_bytes()
    inspection.stage_id = contents.put_file(s, folder / "out" / "stage.bin").id
    inspection.source, inspection.runs, inspection.seconds = result["source"], result["runs"], result["seconds"]
    inspection.lost, inspection.state, inspection.error = result["lost"], "done", None


# --- export -------------------------------------------------------------------------------------------


@app.task(name="export", queue="work")
async def export(job_id: int) -> None:
    """Write a revision with its mends, and prove the file."""
    await run(job_id, _lay_out_export, _keep_export)


def _lay_out_export(s: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    row = s.get(Export, subject["export"])
    revision = s.get(Revision, subject["revision"])
    if row is None or revision is None:
        raise Failed("The model was taken off the shelf.")
    stem = revision.main.rpartition("/")[2].rpartition(".")[0] or "model"
    return {
        "what": "export",
        "folder": str(_lay_out(s, revision, folder)),
        "main": revision.main,
        "tape": row.tape,
        "format": row.format,
        "stem": stem,
    }


def _keep_export(s: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    row = s.get(Export, subject["export"])
    if row is None:
        return
    for name in result["files"]:
        row.files.append(ExportFile(path=name, content_id=contents.put_file(s, folder / "out" / "files" / name).id))
    row.proof, row.lost, row.state = result["proof"], result["lost"], "done"


# --- keeping house ------------------------------------------------------------------------------------


@app.periodic(cron="*/1 * * * *")
@app.task(name="keep-house", queue="work", queueing_lock="keep-house", pass_context=True)
async def keep_house(context: procrastinate.JobContext, timestamp: int) -> None:
    """Take up again what a worker that died left behind."""
    for stalled in await app.job_manager.get_stalled_jobs():
        await app.job_manager.retry_job(stalled)
