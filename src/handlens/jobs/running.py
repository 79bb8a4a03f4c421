"""Running a job's child process: progress into the job's row, stopping at any moment, every end a sentence."""

from __future__ import annotations

import asyncio
import fcntl
import json
import logging
import os
import shutil
import signal
import stat
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from ..core import limits
from ..core.machine.confine import give_to_nobody
from ..store.batches.feeding import any_waiting, feed
from ..store.database import session
from ..store.models import Job
from ..store.queue import settle, settle_subject
from ..store.room import is_full
from .children import Child, Children

log = logging.getLogger("handlens.worker")
_POLL = 0.25
#: How often a job is begun whose child is killed.
TRIES = 3
#: Bytes that are free at the least where a child that ended without a word did not end for want of room.
_ROOM = 16 << 20
#: What a job's row says while the disk has no room for it.
WAITS_FOR_ROOM = "waiting for room: the disk is full"
#: Lays out what a child needs and makes its request.
Prepare = Callable[[Session, dict[str, Any], Path], dict[str, Any]]
#: Stores what a child made.
Keep = Callable[[Session, dict[str, Any], dict[str, Any], Path], None]


#: Keeps a part of a result as soon as it is there: told what the child said of it.
KeepPart = Callable[[Session, dict[str, Any], dict[str, Any], Path], None]

#: Hears what is being done and how far it is; answers whether to go on.
Report = Callable[[str, float], bool]
#: Does a job's work by itself: its subject, a folder of its own, and whom to tell.
Work = Callable[[dict[str, Any], Path, Report], dict[str, Any]]


class Stopped(Exception):
    """The user asked for the job to be stopped."""


class Killed(Exception):
    """The child was killed from outside, by the system or by someone; nothing that it did is kept."""


class FullDisk(Exception):
    """A disk has no room for what the job writes: it waits until there is some."""


class Failed(Exception):
    """The job cannot be done; the message is one sentence for the user."""


# --- running a child ----------------------------------------------------------------------------------

_children = Children()


async def dismiss() -> None:
    """Let go of what children come from: no more jobs are taken."""
    await _children.dismiss()


async def _child(job_id: int, folder: Path, request: dict[str, Any], parts: Mapping[str, KeepPart]) -> dict[str, Any]:
    """Run the child to its end and return its result. Raises Stopped, Failed or FullDisk."""
    out = folder / "out"
    for place in (out, folder / "tmp"):
        place.mkdir()
        give_to_nobody(place)
    (folder / "request.json").write_text(json.dumps({**request, "out": str(out)}))
    try:
        process = await _children.start(folder / "request.json")
    except OSError:
        # What children come from was killed at this very moment.
        raise Killed from None
    listener = asyncio.create_task(_listen(job_id, process, folder, parts))
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
    if (process.returncode != 0 or not (out / "result.json").exists()) and shutil.disk_usage(folder).free < _ROOM:
        raise FullDisk
    if process.returncode != 0 or not (out / "result.json").exists():
        log.error(
            "child of job %s ended with %s: %s",
            job_id,
            process.returncode,
            _tail(folder / "errors"),
        )
        if process.returncode == -signal.SIGKILL:
            raise Killed
        raise Failed(_why(process.returncode))
    result: dict[str, Any] = json.loads(left(folder, "out/result.json").read_text())
    if result.get("full"):
        raise FullDisk
    if "error" in result:
        raise Failed(result["error"])
    return result


def left(folder: Path, name: str) -> Path:
    """A file that a child left in its job's folder. Raises Failed where it is none, or lies elsewhere: a child that a damaged file took over
    may leave links, or name any path.

    name: relative to the folder, or a path below it.
    """
    path = folder / name
    steps = path.relative_to(folder).parts if path.is_relative_to(folder) else ("..",)
    here = folder
    for step in steps:
        here = here / step
        if step == ".." or here.is_symlink():
            raise Failed("What was made of the file does not lie where it belongs, so nothing of it was taken.")
    if not stat.S_ISREG(path.lstat().st_mode):
        raise Failed("What was made of the file is no plain file, so nothing of it was taken.")
    return path


def was_left(folder: Path, name: str) -> bool:
    """Whether a child left something of that name."""
    return os.path.lexists(folder / name)


def _tail(errors: Path) -> str:
    return errors.read_text(errors="replace")[-4000:] if errors.exists() else "nothing was said"


def _why(code: int | None) -> str:
    if code in (-signal.SIGXCPU, -signal.SIGKILL):
        return "The job used more time or memory than one job may, and was stopped; send the model in smaller pieces."
    return "The file made its reader stop unexpectedly, so nothing of it was taken; export it again, or in another format."


#: Seconds between two words of progress that are written down: a small model is read before anybody could read them.
_BETWEEN_WORDS = 0.3
#: Seconds in which nothing is said of a job that nobody looks at, as one of many.
_UNSEEN_SECONDS = 1.0


async def _listen(job_id: int, process: Child, folder: Path, parts: Mapping[str, KeepPart]) -> None:
    """Carry the child's progress lines into the job's row, and keep what comes before the rest."""
    last = 0.0 if parts else time.monotonic() + _UNSEEN_SECONDS
    async for line in process.lines:
        try:
            news = json.loads(line)
        except ValueError:
            continue
        if (keep := parts.get(str(news.get("come")))) is not None:
            await asyncio.to_thread(_keep_part, job_id, keep, news, folder)
        elif "phase" in news and time.monotonic() - last >= _BETWEEN_WORDS:
            last = time.monotonic()
            await asyncio.to_thread(_progress, job_id, str(news["phase"]), float(news.get("share", 0.0)))


def _keep_part(job_id: int, keep: KeepPart, news: dict[str, Any], folder: Path) -> None:
    """Keep a part of a result while its job goes on; what goes wrong with that is left to the end, which keeps all of it."""
    try:
        with session() as db:
            job = db.get(Job, job_id)
            if job is not None and job.state == "running" and not job.stop_wanted:
                keep(db, dict(job.subject), news, folder)
    except Exception:
        log.warning("a part of job %s could not be kept yet", job_id, exc_info=True)


def _progress(job_id: int, phase: str, share: float) -> None:
    with session() as db:
        job = db.get(Job, job_id)
        if job is not None and job.state == "running" and not job.stop_wanted:
            job.phase, job.share = phase, share


def _stop_wanted(job_id: int) -> bool:
    with session() as db:
        job = db.get(Job, job_id)
        return job is None or job.stop_wanted


# --- the frame around every task ----------------------------------------------------------------------


def _begin(job_id: int) -> dict[str, Any] | None:
    """Mark a job as running; None where it was stopped or is done already (a repeated delivery changes nothing)."""
    with session() as db:
        job = db.get(Job, job_id, with_for_update=True)
        if job is None or job.state not in ("waiting", "running"):
            return None
        if job.stop_wanted:
            settle(db, job, "cancelled", "Stopped by you.")
            return None
        job.state, job.phase, job.share = "running", "starting", 0.0
        settle_subject(db, job, "running", None)
        return dict(job.subject)


def _end(job_id: int, state: str, error: str | None = None) -> None:
    with session() as db:
        job = db.get(Job, job_id, with_for_update=True)
        if job is not None and job.state == "running":
            settle(db, job, state, error)


def _keep(job_id: int, keep: Keep, result: dict[str, Any], folder: Path) -> None:
    """Store a result and end the job, both or neither; where another delivery ended it first, nothing is stored twice."""
    with session() as db:
        job = db.get(Job, job_id, with_for_update=True)
        if job is None or job.state != "running":
            return
        keep(db, dict(job.subject), result, folder)
        settle(db, job, "done")


def _wait_for_room(job_id: int) -> None:
    """Back to waiting: whoever keeps house puts it on the queue again once there is room."""
    with session() as db:
        job = db.get(Job, job_id, with_for_update=True)
        if job is not None and job.state == "running":
            job.state, job.phase, job.share = "waiting", WAITS_FOR_ROOM, 0.0
            settle_subject(db, job, "waiting", None)


async def run(
    job_id: int,
    prepare: Prepare,
    keep: Keep,
    parts: Mapping[str, KeepPart] | None = None,
) -> None:
    """Run a job from its row to its end: `prepare` lays files out and makes the request, `keep` stores the result. parts: keep what
    the child says has come before the rest, by what it calls that."""
    subject = await asyncio.to_thread(_begin, job_id)
    if subject is None:
        return
    # Nobody looks at one of many while it is read: it is kept when all of it is there.
    early = {} if "batch" in subject else parts or {}
    try:
        await _to_the_end(job_id, subject, prepare, keep, early)
    finally:
        if "batch" in subject or "drop" in subject:
            # What waits in its batch comes next, while this worker is still warm.
            await asyncio.to_thread(feed_batches)


def feed_batches() -> None:
    """Carry what ended over to its batches, and put on the queue what comes next; what goes wrong with that is done by whoever keeps house."""
    try:
        with session() as db:
            if any_waiting(db):
                feed(db)
    except Exception:
        log.warning("batches could not be fed", exc_info=True)


async def _to_the_end(job_id: int, subject: dict[str, Any], prepare: Prepare, keep: Keep, parts: Mapping[str, KeepPart]) -> None:
    try:
        for left in reversed(range(TRIES)):
            try:
                await _once(job_id, subject, prepare, keep, parts)
                break
            except Killed:
                # Once may be chance; what kills every try is the job itself.
                if not left:
                    raise Failed(_why(-signal.SIGKILL)) from None
    except Stopped:
        await asyncio.to_thread(_end, job_id, "cancelled")
    except FullDisk:
        await asyncio.to_thread(_wait_for_room, job_id)
    except (Failed, limits.InputError) as error:
        await asyncio.to_thread(_end, job_id, "failed", str(error))
    except OperationalError:
        # The database went away: the job stays as it is, and is put on the queue again by whoever keeps house then.
        raise
    except Exception:
        log.exception("job %s failed", job_id)
        await asyncio.to_thread(_end, job_id, "failed", "Something in Hand Lens itself went wrong; the log says what. Try again.")


async def run_here(job_id: int, work: Work, keep: Keep) -> None:
    """Run a job that opens nothing of what came from outside, and so needs no child. work: does it, in a thread, and makes the result."""
    subject = await asyncio.to_thread(_begin, job_id)
    if subject is None:
        return

    ended = threading.Event()

    def report(phase: str, share: float) -> bool:
        # A worker that is told to stop cannot end the thread: it ends itself, at the next word.
        if ended.is_set():
            return False
        _progress(job_id, phase, share)
        return not _stop_wanted(job_id)

    folder = Path(tempfile.mkdtemp(prefix="job-", dir=work_folder()))
    try:
        result = await asyncio.to_thread(work, subject, folder, report)
        await asyncio.to_thread(_keep, job_id, keep, result, folder)
    except Stopped:
        await asyncio.to_thread(_end, job_id, "cancelled")
    except Failed as error:
        await asyncio.to_thread(_end, job_id, "failed", str(error))
    except OperationalError:
        raise
    except Exception as error:
        if is_full(error):
            await asyncio.to_thread(_wait_for_room, job_id)
        else:
            log.exception("job %s failed", job_id)
            words = "Something in Hand Lens itself went wrong; the log says what. Try again."
            await asyncio.to_thread(_end, job_id, "failed", words)
    finally:
        ended.set()
        await asyncio.to_thread(shutil.rmtree, folder, True)


async def _once(job_id: int, subject: dict[str, Any], prepare: Prepare, keep: Keep, parts: Mapping[str, KeepPart]) -> None:
    """One try, in a folder of its own. Raises Stopped, Failed, FullDisk or Killed."""
    folder = Path(tempfile.mkdtemp(prefix="job-", dir=work_folder()))
    try:
        give_to_nobody(folder)
        request = await asyncio.to_thread(_in_session, prepare, subject, folder)
        request["one_of_many"] = "batch" in subject
        result = await _child(job_id, folder, request, parts)
        await asyncio.to_thread(_keep, job_id, keep, result, folder)
    except Exception as error:
        if is_full(error):
            raise FullDisk from error
        raise
    finally:
        await asyncio.to_thread(shutil.rmtree, folder, True)


@contextmanager
def _work_place() -> Iterator[Path]:
    """The folder of all workers of this machine, to oneself for a moment: what one makes there is not cleared by another before it is locked."""
    data = os.environ.get("HANDLENS_DATA")
    place = Path(data) / "work" if data else Path(tempfile.gettempdir()) / f"handlens-work-{os.geteuid()}"
    place.mkdir(mode=0o711, exist_ok=True)
    if place.is_symlink() or place.stat().st_uid != os.geteuid():
        raise OSError(f"{place} belongs to somebody else; take it away, or name another place for the data.")
    lock = os.open(place, os.O_RDONLY | os.O_DIRECTORY)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield place
    finally:
        os.close(lock)


#: This worker's own folder, and what keeps others from clearing it away.
_own: tuple[Path, int] | None = None


def work_folder() -> Path:
    """Where this worker's jobs lay out their files: a folder of its own, locked for as long as the process lives."""
    global _own
    if _own is None:
        with _work_place() as place:
            folder = Path(tempfile.mkdtemp(prefix="worker-", dir=place))
            folder.chmod(0o711)
            lock = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
            fcntl.flock(lock, fcntl.LOCK_EX)
            _own = folder, lock
    return _own[0]


def clear_left() -> None:
    """Clear what workers of this machine left that are gone: the kernel lets go of a lock with the process that held it."""
    with _work_place() as place:
        for left in place.iterdir():
            if left.is_symlink() or not left.is_dir():
                left.unlink(missing_ok=True)
                continue
            lock = os.open(left, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                shutil.rmtree(left, ignore_errors=True)
            except BlockingIOError:
                continue
            finally:
                os.close(lock)


def _in_session(work: Callable[..., Any], *args: Any) -> Any:
    with session() as db:
        return work(db, *args)
