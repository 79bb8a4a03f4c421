"""The queue's tasks: lay files out for the child, keep what it made."""

from __future__ import annotations

import base64
import json
import os
from pathlib import Path
from typing import Any

import msgspec
import procrastinate
from sqlalchemy import delete
from sqlalchemy.orm import Session

from ..core.limits import MANY_MODELS
from ..core.offers.way.records import Way
from ..gate import sending as sending_to
from ..store import cards, contents, shelf
from ..store.batches import making
from ..store.database import session
from ..store.download import download_name, sent_as
from ..store.lost_images import from_earlier, looked_at
from ..store.models import (
    Asking,
    Batch,
    Comparison,
    Curve,
    Drop,
    Export,
    ExportFile,
    Inspection,
    Judgement,
    Likeness,
    Model,
    Revision,
    RevisionFile,
    Sending,
    SoughtWay,
    Watch,
)
from ..store.queue import connector_options, want_inspection, want_trials
from ..store.sheets import sheet_of
from ..store.shelf import measured_before, names_before
from .running import Failed, Report, Stopped, left, run, run_here, was_left

#: Seconds without a heartbeat after which a worker counts as dead and its jobs are taken up again.
STALLED_SECONDS = float(os.environ.get("HANDLENS_STALLED_SECONDS", "20"))

app = procrastinate.App(connector=procrastinate.PsycopgConnector(**connector_options()))


# --- intake -------------------------------------------------------------------------------------------


@app.task(name="intake", queue="intake")
async def intake(job_id: int) -> None:
    """Dropped files become models, or a model's next revision."""
    await run(job_id, _lay_out_drop, _keep_models)


def _lay_out_drop(db: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    drop = db.get(Drop, subject["drop"])
    if drop is None or not drop.files:
        raise Failed("No file arrived; drop the model again.")
    source = folder / "in"
    for file in drop.files:
        contents.write_to(db, file.content_id, source / file.path)
    return {"what": "intake", "folder": str(source)}


def _keep_models(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    drop = db.get(Drop, subject["drop"], with_for_update=True)
    if drop is None:
        return
    places = dict.fromkeys(place for found in result["models"] for place in found["files"].values())
    stored = {place: contents.put_file(db, left(folder, place)) for place in places}
    batch = _batch_of(db, subject, result)
    for k, found in enumerate(result["models"]):
        model = db.get(Model, drop.model_id) if drop.model_id is not None and k == 0 else None
        if model is None or model.taken_off is not None:
            model = Model(
                name=display_name(found.get("name") or found["main"]),
                demo=bool(subject.get("demo")),
                intent=subject.get("intent", {}),
                sheet=batch.sheet if batch is not None else subject.get("sheet", "realtime-engine"),
                folder=_folder_of(found),
            )
            db.add(model)
            db.flush()
        number = max((revision.number for revision in model.revisions), default=0) + 1
        if "watch" in subject and k == 0:
            _remember(db, subject, model)
        revision = Revision(number=number, main=found["main"])
        model.revisions.append(revision)
        for path, place in found["files"].items():
            revision.files.append(RevisionFile(path=path, content_id=stored[place].id))
        db.flush()
        if batch is None:
            want_inspection(db, revision, [])
        elif not making.add(db, batch, [model.id]):
            making.ask(db, batch, "judge", {}, making.ids(db, batch, [model.id]))
        cards.renew(db, model)
    db.delete(drop)
    db.flush()


def _batch_of(db: Session, subject: dict[str, Any], result: dict[str, Any]) -> Batch | None:
    """The batch that what came belongs to: its watch's, or one of its own where so much came that nobody looks at each of them."""
    watch = db.get(Watch, subject["watch"]) if "watch" in subject else None
    if watch is not None and watch.batch_id is not None:
        return db.get(Batch, watch.batch_id)
    models = result["models"]
    if len(models) < MANY_MODELS or subject.get("demo"):
        return None
    folders = {_folder_of(found).partition("/")[0] for found in models}
    name = folders.pop() if len(folders) == 1 else ""
    return making.begin(db, name or f"{len(models):,} models", subject.get("sheet", "realtime-engine"), [])


#: Letters of a folder's name that are kept.
_FOLDER = 200


def _folder_of(found: dict[str, Any]) -> str:
    """The package that a model came in: its archive, or the folder that it lay in; empty for a file alone."""
    archive = str(found.get("archive") or "").rpartition("/")[2]
    return "/".join(x for x in (archive, str(found["main"]).rpartition("/")[0]) if x)[:_FOLDER]


def _remember(db: Session, subject: dict[str, Any], model: Model) -> None:
    """The model that a watched file became, so that its next save becomes that one's next revision."""
    watch = db.get(Watch, subject["watch"], with_for_update=True)
    if watch is not None:
        watch.models = {**watch.models, subject["path"]: {**watch.models.get(subject["path"], {}), "model": model.id}}


def display_name(path: str) -> str:
    """A name for the label from a file name: "crab_pot.glb" becomes "Crab pot"."""
    stem = path.rpartition("/")[2].rpartition(".")[0].replace("_", " ").replace("-", " ").strip()
    return stem[:1].upper() + stem[1:] if stem else path


# --- inspect ------------------------------------------------------------------------------------------


@app.task(name="inspect", queue="work")
async def inspect(job_id: int) -> None:
    """Read, mend and measure a revision."""
    await run(job_id, _lay_out_inspection, _keep_inspection, _BEFORE_THE_REST)


def _lay_out(db: Session, revision: Revision, tape: list[dict[str, Any]], folder: Path) -> dict[str, Any]:
    """What a child needs to read a revision and play a tape: its files, and what a lost image may be where the tape looks for it."""
    source = folder / "in"
    for file in revision.files:
        contents.write_to(db, file.content_id, source / file.path)
    request: dict[str, Any] = {"folder": str(source), "main": revision.main, "tape": tape}
    if any(slip["mend"] == "textures.find" for slip in tape):
        for path, content in from_earlier(db, revision).items():
            contents.write_to(db, content, folder / "more" / path)
            request["more"] = str(folder / "more")
    played = shelf.played_before(db, revision, tape)
    if played is not None and played.scene_id is not None:
        contents.write_to(db, played.scene_id, folder / "played.bin")
        request["played"] = {"file": str(folder / "played.bin"), "runs": played.runs}
    return request


def _lay_out_inspection(db: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    inspection = db.get(Inspection, subject["inspection"])
    revision = db.get(Revision, subject["revision"])
    if inspection is None or revision is None:
        raise Failed("The model was taken off the shelf.")
    request = {"what": "inspect", **_lay_out(db, revision, inspection.tape, folder)}
    request["former"] = names_before(db, revision)
    request["intent"] = revision.model.intent
    known = measured_before(db, revision)
    if known is not None:
        (folder / "known.bin").write_bytes(known)
        request["known"] = str(folder / "known.bin")
    return request


def _keep_picture(db: Session, subject: dict[str, Any], news: dict[str, Any], folder: Path) -> None:
    """The first picture, which of a large model is a coarse one."""
    inspection = db.get(Inspection, subject["inspection"])
    if inspection is not None and inspection.state != "done":
        inspection.stage_id = contents.put_file(db, left(folder, "out/first.bin")).id
        inspection.coarse = bool(news.get("coarse"))


def _keep_verdict(db: Session, subject: dict[str, Any], news: dict[str, Any], folder: Path) -> None:
    """What was measured and judged, which stands while the rest is still drawn."""
    inspection = db.get(Inspection, subject["inspection"])
    if inspection is None or inspection.state == "done":
        return
    told = json.loads(left(folder, "out/verdict.json").read_text())
    inspection.measures = left(folder, "out/measures.bin").read_bytes()
    inspection.measured, inspection.source = told["measured"], told["source"]
    inspection.runs, inspection.offers = told["runs"], "none"
    db.flush()
    # Of a reading that was begun once more: what was kept of the first time is of the same model.
    db.execute(delete(Judgement).where(Judgement.inspection_id == inspection.id))
    shelf.keep_judgements(db, inspection, told["judgements"])
    _keep_evidence(db, inspection, folder)


def _keep_evidence(db: Session, inspection: Inspection, folder: Path) -> None:
    data = left(folder, "out/evidence.bin").read_bytes()
    shelf.keep_evidence(db, inspection, msgspec.msgpack.decode(data, type=dict[str, bytes]))


def _keep_drawing(db: Session, subject: dict[str, Any], news: dict[str, Any], folder: Path) -> None:
    """The display copy, and the whole one of a model that is reduced for the stage."""
    inspection = db.get(Inspection, subject["inspection"])
    if inspection is None or inspection.state == "done":
        return
    inspection.stage_id = contents.put_file(db, left(folder, "out/stage.bin")).id
    full = was_left(folder, "out/full-stage.bin")
    inspection.full_stage_id = contents.put_file(db, left(folder, "out/full-stage.bin")).id if full else None
    inspection.coarse = False


#: What is kept of a reading before all of it is there, by what its child calls it.
_BEFORE_THE_REST = {"picture": _keep_picture, "verdict": _keep_verdict, "drawing": _keep_drawing}


def _keep_inspection(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    inspection = db.get(Inspection, subject["inspection"])
    if inspection is None:
        return
    if inspection.source is None:
        _keep_verdict(db, subject, {}, folder)
    _keep_drawing(db, subject, {}, folder)
    if was_left(folder, "out/scene.bin"):
        shelf.keep_scene(db, inspection, contents.put_file(db, left(folder, "out/scene.bin")).id)
    inspection.lost, inspection.seconds = result["lost"], result["seconds"]
    inspection.state, inspection.error = "done", None
    db.flush()
    revision = db.get_one(Revision, inspection.revision_id)
    drawn = was_left(folder, "out/portrait.webp")
    revision.thumbnail_id = contents.put_file(db, left(folder, "out/portrait.webp")).id if drawn else None
    if revision.model.revisions[-1].id == revision.id:
        cards.renew(db, revision.model)
    if "batch" not in subject:
        # What a batch reads nobody looks at yet: its offers are tried when somebody does.
        want_trials(db, revision, inspection)


# --- try ----------------------------------------------------------------------------------------------


@app.task(name="try", queue="work")
async def try_offers(job_id: int) -> None:
    """Play what a finished inspection offers on copies of its model."""
    await run(job_id, _lay_out_trials, _keep_trials, {"offers": _keep_some_trials})


def _lay_out_trials(db: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    inspection = db.get(Inspection, subject["trying"])
    revision = db.get(Revision, subject["revision"])
    if inspection is None or revision is None or inspection.measures is None:
        raise Failed("The model was taken off the shelf.")
    (folder / "known.bin").write_bytes(inspection.measures)
    return {
        "what": "try",
        **_lay_out(db, revision, inspection.tape, folder),
        "intent": revision.model.intent,
        "known": str(folder / "known.bin"),
    }


def _keep_some_trials(db: Session, subject: dict[str, Any], news: dict[str, Any], folder: Path) -> None:
    """What was found of some offers while the rest is still tried. The findings are those of before, and so is their evidence."""
    inspection = db.get(Inspection, subject["trying"], with_for_update=True)
    if inspection is None or inspection.state != "done" or inspection.offers == "done":
        return
    told = json.loads(left(folder, f"out/offers-{int(news['number'])}.json").read_text())
    db.execute(delete(Judgement).where(Judgement.inspection_id == inspection.id))
    shelf.keep_judgements(db, inspection, told)


def _keep_trials(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    inspection = db.get(Inspection, subject["trying"], with_for_update=True)
    if inspection is None or inspection.state != "done":
        return
    inspection.measures, inspection.offers = left(folder, "out/measures.bin").read_bytes(), "done"
    # What was judged before offers what was found to do nothing: it is judged anew by the measures that know.
    db.execute(delete(Judgement).where(Judgement.inspection_id == inspection.id))
    shelf.keep_judgements(db, inspection, result["judgements"])
    _keep_evidence(db, inspection, folder)


# --- compare ------------------------------------------------------------------------------------------


@app.task(name="compare", queue="work")
async def compare(job_id: int) -> None:
    """Say what differs between two inspections."""
    await run(job_id, _lay_out_comparison, _keep_comparison)


def _lay_out_comparison(db: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    row = db.get(Comparison, subject["comparison"])
    sides = {"earlier": db.get(Inspection, row.earlier_id), "later": db.get(Inspection, row.later_id)} if row else {}
    request: dict[str, Any] = {"what": "compare"}
    for side, inspection in sides.items():
        revision = db.get(Revision, inspection.revision_id) if inspection else None
        if inspection is None or revision is None:
            break
        request[side] = _lay_out(db, revision, inspection.tape, folder / side)
    if "later" not in request:
        raise Failed("The model was taken off the shelf.")
    return request


def _keep_comparison(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    row = db.get(Comparison, subject["comparison"])
    if row is not None:
        row.rows, row.place, row.state, row.error = result["rows"], result["place"], "done", None


# --- curve --------------------------------------------------------------------------------------------


@app.task(name="curve", queue="work")
async def curve(job_id: int) -> None:
    """Measure how far off a model lies at each count of triangles."""
    await run(job_id, _lay_out_curve, _keep_curve)


def _lay_out_curve(db: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    row = db.get(Curve, subject["curve"])
    inspection = db.get(Inspection, row.inspection_id) if row else None
    revision = db.get(Revision, subject["revision"])
    if row is None or inspection is None or revision is None:
        raise Failed("The model was taken off the shelf.")
    return {"what": "curve", **_lay_out(db, revision, inspection.tape, folder), "parts": row.parts}


def _keep_curve(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    row = db.get(Curve, subject["curve"])
    if row is not None:
        row.points, row.state, row.error = result["points"], "done", None


# --- look ---------------------------------------------------------------------------------------------


@app.task(name="look", queue="work")
async def look(job_id: int) -> None:
    """Find images that look like those that a revision misses."""
    await run(job_id, _lay_out_look, _keep_look)


def _lay_out_look(db: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    row = db.get(Likeness, subject["likeness"])
    revision = db.get(Revision, subject["revision"])
    if row is None or revision is None:
        raise Failed("The model was taken off the shelf.")
    before, files = looked_at(db, revision)
    place = lambda content: folder / "in" / str(content)
    for content in {*before.values(), *files.values()}:
        contents.write_to(db, content, place(content))
    return {
        "what": "look",
        "before": {reference: str(place(content)) for reference, content in before.items()},
        "files": [{"path": path, "content": content, "file": str(place(content))} for path, content in files.items()],
    }


def _keep_look(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    row = db.get(Likeness, subject["likeness"])
    if row is not None:
        row.rows, row.state, row.error = result["rows"], "done", None


# --- export -------------------------------------------------------------------------------------------


@app.task(name="export", queue="work")
async def export(job_id: int) -> None:
    """Write a revision with its mends, and prove the file."""
    await run(job_id, _lay_out_export, _keep_export)


def _lay_out_export(db: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    row = db.get(Export, subject["export"])
    revision = db.get(Revision, subject["revision"])
    if row is None or revision is None:
        raise Failed("The model was taken off the shelf.")
    return {
        "what": "export",
        **_lay_out(db, revision, row.tape, folder),
        "format": row.format,
        "rules": msgspec.to_builtins(sheet_of(db, row.sheet)),
        "options": {key: value for key, value in row.options.items() if key != "whole"},
        "whole": bool(row.options.get("whole")),
        "intent": revision.model.intent,
        "stem": _stem(revision),
    }


def _stem(revision: Revision) -> str:
    """What the file that is written is called, but for its ending."""
    return revision.main.rpartition("/")[2].rpartition(".")[0] or "model"


def _keep_export(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    row = db.get(Export, subject["export"])
    if row is None:
        return
    for name in result["files"]:
        row.files.append(ExportFile(path=name, content_id=contents.put_file(db, left(folder, f"out/files/{name}")).id))
    there = was_left(folder, "out/read-back.bin")
    row.stage_id = contents.put_file(db, left(folder, "out/read-back.bin")).id if there else None
    row.proof, row.lost, row.state = result["proof"], result["lost"], "done"


# --- ask ----------------------------------------------------------------------------------------------


@app.task(name="ask", queue="work")
async def ask(job_id: int) -> None:
    """Write a revision with its mends for a destination to look at, and keep what it says and nothing of what was written."""
    await run(job_id, _lay_out_asking, _keep_asking)


def _lay_out_asking(db: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    row = db.get(Asking, subject["asking"])
    inspection = db.get(Inspection, row.inspection_id) if row else None
    revision = db.get(Revision, subject["revision"])
    if row is None or inspection is None or revision is None:
        raise Failed("The model was taken off the shelf.")
    rules = sheet_of(db, row.wish["sheet"])
    return {
        "what": "ask",
        **_lay_out(db, revision, [*inspection.tape, *row.wish.get("branch", [])], folder),
        **row.wish,
        "rules": msgspec.to_builtins(rules),
        "intent": revision.model.intent,
        "stem": _stem(revision),
    }


def _keep_asking(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    row = db.get(Asking, subject["asking"])
    if row is None:
        return
    there = was_left(folder, "out/received.webp")
    row.picture_id = contents.put_file(db, left(folder, "out/received.webp")).id if there else None
    row.answer, row.files, row.state, row.error = result["answer"], result["files"], "done", None


# --- way ----------------------------------------------------------------------------------------------


@app.task(name="way", queue="work")
async def way(job_id: int) -> None:
    """Look for the tape that makes a revision with its mends fit."""
    await run(job_id, _lay_out_way, _keep_way)


def _lay_out_way(db: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    row = db.get(SoughtWay, subject["way"])
    inspection = db.get(Inspection, row.inspection_id) if row else None
    revision = db.get(Revision, subject["revision"])
    if row is None or inspection is None or revision is None or inspection.measures is None:
        raise Failed("The model was taken off the shelf.")
    (folder / "known.bin").write_bytes(inspection.measures)
    return {
        "what": "way",
        **_lay_out(db, revision, inspection.tape, folder),
        "known": str(folder / "known.bin"),
        "sheets": [msgspec.to_builtins(sheet_of(db, slug)) for slug in row.wish["sheets"]],
        "goal": row.wish["goal"],
        "prefer": row.wish["prefer"],
        "waived": list(shelf.reasons_of(revision.model)),
        "intent": revision.model.intent,
    }


def _keep_way(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    row = db.get(SoughtWay, subject["way"])
    if row is None:
        return
    there = was_left(folder, "out/way.webp")
    row.picture_id = contents.put_file(db, left(folder, "out/way.webp")).id if there else None
    row.way, row.state, row.error = msgspec.to_builtins(msgspec.convert(result["way"], Way)), "done", None


# --- send ---------------------------------------------------------------------------------------------


@app.task(name="send", queue="send")
async def send(job_id: int) -> None:
    """Send an export to a destination's gate, and keep its answer."""
    await run_here(job_id, _send, _keep_answer)


def _send(subject: dict[str, Any], folder: Path, report: Report) -> dict[str, Any]:
    with session() as db:
        sending = db.get(Sending, subject["sending"])
        export = db.get(Export, sending.export_id) if sending is not None else None
        if sending is None or export is None or not export.files:
            raise Failed("What was to be sent is not there any more.")
        sheet, variant = msgspec.to_builtins(sheet_of(db, sending.sheet)), sending.variant
        name = download_name(export)
        files = [(file.path, file.content_id) for file in export.files]
    package = folder / "package"
    with package.open("wb") as out:
        for piece in sent_as(files):
            out.write(piece)
    try:
        return sending_to.send(os.environ.get("HANDLENS_GATE", ""), package, name, sheet, variant, report)
    except sending_to.Stopped:
        raise Stopped from None
    except sending_to.Refused as error:
        raise Failed(str(error)) from error
    except sending_to.Away:
        raise Failed(f"The gate did not answer for {sending_to.AWAY / 60:.0f} minutes. Try again when it is there.") from None


def _keep_answer(db: Session, subject: dict[str, Any], result: dict[str, Any], folder: Path) -> None:
    row = db.get(Sending, subject["sending"])
    if row is not None:
        picture = base64.b64decode(result.pop("picture", ""))
        row.picture_id = contents.put_bytes(db, picture, "The picture").id if picture else None
        row.answer, row.state, row.error = result, "done", None
