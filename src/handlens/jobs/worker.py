"""The worker: takes jobs off the queue and runs each in a child process that can be stopped at any moment."""

from __future__ import annotations

import asyncio
import json
import logging
import shutil
import signal
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import procrastinate
from sqlalchemy.orm import Session

from ..core import limits
from ..store import contents
from ..store.database import session
from ..store.models import Content, Drop, Export, ExportFile, Inspection, Job, Model, Revision, RevisionFile
from ..store.queue import connector_options, settle_subject, want_inspection

log = logging.getLogger("handlens.worker")
app = procrastinate.App(connector=procrastinate.PsycopgConnector(**connector_options()))
_POLL = 0.25


class Stopped(Exception):
    """The user asked for the job to be stopped."""


class Failed(Exception):
    """The job cannot be done; the message is one sentence for the user."""


# --- running a child ----------------------------------------------------------------------------------


async def _child(job_id: int, folder: Path, request: dict[str, Any]) -> dict[str, Any]:
    """Run the child to its end and return its result. Raises Stopped or Failed."""
    out = folder / "out"
    out.mkdir()
    (folder / "request.json").write_text(json.dumps({**request, "out": str(out)}))
    with (folder / "errors").open("wb") as errors:
        process = await asyncio.create_subprocess_exec(
            sys.executable, "-m", "handlens.jobs.child", str(folder / "request.json"),
            stdout=asyncio.subprocess.PIPE, stderr=errors, start_new_session=True,
        )  # fmt: skip
        listener = asyncio.create_task(_listen(job_id, process))
        try:
            async with asyncio.timeout(limits.CHILD_SECONDS):
                while True:
                    try:
                        await asyncio.wait_for(asyncio.shield(process.wait()), _POLL)
                        break
                    except TimeoutError:
                        if await asyncio.to_thread(_stop_wanted, job_id):
                            raise Stopped from None
        except TimeoutError:
            raise Failed(f"It took longer than {limits.CHILD_SECONDS // 60} minutes and was stopped.") from None
        finally:
            if process.returncode is None:
                process.kill()
            await process.wait()
            await listener
    result_file = out / "result.json"
    if process.returncode != 0 or not result_file.exists():
        log.error("child of job %s ended with %s: %s", job_id, process.returncode, (folder / "errors").read_text(errors="replace")[-4000:])
        raise Failed(_why(process.returncode))
    result: dict[str, Any] = json.loads(result_file.read_text())
    if "error" in result:
        raise Failed(result["error"])
    return result


def _why(code: int | None) -> str:
    if code in (-signal.SIGXCPU, -signal.SIGKILL):
        return "The job used more time or memory than one job may, and was stopped; send the model in smaller pieces."
    return "The file made its reader stop unexpectedly, so nothing of it was taken; export it again, or in another format."


async def _listen(job_id: int, process: asyncio.subprocess.Process) -> None:
    """Carry the child's progress lines into the job's row."""
    assert process.stdout is not None
    async for line in process.stdout:
        try:
            news = json.loads(line)
        except ValueError:
            continue
        await asyncio.to_thread(_progress, job_id, str(news.get("phase", "")), float(news.get("share", 0.0)))


def _progress(job_id: int, phase: str, share: float) -> None:
    with session() as s:
        job = s.get(Job, job_id)
        if job is not None and job.state == "running" and not job.stop_wanted:
            job.phase, job.share = phase, share


def _stop_wanted(job_id: int) -> bool:
    with session() as s:
        job = s.get(Job, job_id)
        return job is None or job.stop_wanted


# --- the frame around every task ----------------------------------------------------------------------


def _begin(job_id: int) -> dict[str, Any] | None:
    """Mark a job as running; None where it was stopped or is done already (a repeated delivery changes nothing)."""
    with session() as s:
        job = s.get(Job, job_id)
        if job is None or job.state not in ("waiting", "running"):
            return None
        job.state, job.phase = "running", "starting"
        settle_subject(s, job, "running", None)
        return dict(job.subject)


def _end(job_id: int, state: str, error: str | None = None) -> None:
    with session() as s:
        job = s.get(Job, job_id)
        if job is None:
            return
        job.state, job.error = state, error
        job.phase, job.share = {"done": "done", "failed": "failed", "cancelled": "stopped"}[state], 1.0
        if state != "done":
            settle_subject(s, job, state, error or "Stopped by you.")


async def _run(job_id: int, prepare: Callable[[Session, dict[str, Any], Path], dict[str, Any]], keep: Callable[[Session, dict[str, Any], dict[str, Any], Path], None]) -> None:
    subject = await asyncio.to_thread(_begin, job_id)
    if subject is None:
        return
    folder = Path(tempfile.mkdtemp(prefix="handlens-"))
    try:
        request = await asyncio.to_thread(_in_session, prepare, subject, folder)
        result = await _child(job_id, folder, request)
        await asyncio.to_thread(_in_session, keep, subject, result, folder)
        await asyncio.to_thread(_end, job_id, "done")
    except Stopped:
        await asyncio.to_thread(_end, job_id, "cancelled")
    except Failed as error:
        await asyncio.to_thread(_end, job_id, "failed", str(error))
    except Exception:
        log.exception("job %s failed", job_id)
        await asyncio.to_thread(_end, job_id, "failed", "Something in Hand Lens itself went wrong; the log says what. Try again.")
    finally:
        await asyncio.to_thread(shutil.rmtree, folder, True)


def _in_session(work: Callable[..., Any], *args: Any) -> Any:
    with session() as s:
        return work(s, *args)


# --- intake -------------------------------------------------------------------------------------------


@app.task(name="intake", queue="work")
async def intake(job_id: int) -> None:
    """Dropped files become models, or a model's next revision."""
    await _run(job_id, _lay_out_drop, _keep_models)


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
    stored: dict[str, Content] = {}
    for k, found in enumerate(result["models"]):
        model = s.get(Model, drop.model_id) if drop.model_id is not None and k == 0 else None
        if model is None:
            model = Model(name=display_name(found["main"]), demo=bool(subject.get("demo")), intent=subject.get("intent", {}))
            s.add(model)
            s.flush()
        number = max((r.number for r in model.revisions), default=0) + 1
        revision = Revision(model_id=model.id, number=number, main=found["main"])
        revision.model = model
        for path, place in found["files"].items():
            if place not in stored:
                stored[place] = contents.put_file(s, Path(place))
            revision.files.append(RevisionFile(path=path, content_id=stored[place].id))
        s.add(revision)
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
    await _run(job_id, _lay_out_inspection, _keep_inspection)


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
    await _run(job_id, _lay_out_export, _keep_export)


def _lay_out_export(s: Session, subject: dict[str, Any], folder: Path) -> dict[str, Any]:
    row = s.get(Export, subject["export"])
    revision = s.get(Revision, subject["revision"])
    if row is None or revision is None:
        raise Failed("The model was taken off the shelf.")
    stem = revision.main.rpartition("/")[2].rpartition(".")[0] or "model"
    return {"what": "export", "folder": str(_lay_out(s, revision, folder)), "main": revision.main, "tape": row.tape, "format": row.format, "stem": stem}


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


async def _serve() -> None:
    async with app.open_async():
        await app.run_worker_async(
            queues=["work"], concurrency=2, fetch_job_polling_interval=2.0, delete_jobs="successful",
            shutdown_graceful_timeout=3, update_heartbeat_interval=5, stalled_worker_timeout=20,
        )  # fmt: skip


def main() -> None:
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(levelname)s %(message)s")
    asyncio.run(_serve())


if __name__ == "__main__":
    main()
