"""The child process that touches files from outside: limits on memory, time and output; a crash here is a sentence on screen.

Started as `python -m handlens.jobs.child` with a socket as standard input: imports what jobs need, then parts into a process for each
request that comes, which does that one job and ends. That one speaks JSON lines ({"phase", "share"}) into the pipe that came with the
request, writes errors beside the request and leaves result.json and further files in the request's `out` folder. Knows only the core.
"""

from __future__ import annotations

import contextlib
import errno
import gc
import importlib
import itertools
import json
import os
import pickle
import resource
import selectors
import signal
import socket
import sys
import time
import traceback
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import msgspec

from ..core import formats, limits, packages
from ..core.display import coarse, display_copy, reduced_copy
from ..core.display.portrait import portrait
from ..core.limits import InputError, MendError
from ..core.machine.blocks import use_threads
from ..core.machine.compiled_ahead import load_ahead
from ..core.machine.confine import confine
from ..core.machine.parent import end_with_parent
from ..core.measures import Measures
from ..core.measures.drawing import drawing
from ..core.offers.trials import with_trials
from ..core.offers.way import Wish, find_way
from ..core.packages import Package
from ..core.pipeline import inspecting
from ..core.pipeline.opening import open_main
from ..core.pipeline.packaged import packaged
from ..core.pipeline.writing import in_intended_unit, write_as
from ..core.present.report import source
from ..core.present.stored import judged
from ..core.proof import prove
from ..core.proof.in_place import in_place
from ..core.proof.revisions import differences, to_json
from ..core.receivers import answer
from ..core.route.stations import stations
from ..core.route.tape import apply_tape
from ..core.rules import Intent, RuleSheet, shipped
from ..core.rules.export import ExportOptions
from ..core.rules.intent import intent_from_json
from ..core.rules.sheet import sheet_from_json
from ..core.scene import Scene
from ..core.scene.stored import stored, taken_up
from ..core.stations.arrival.services import all_names
from ..core.stations.budget.services import curve
from ..core.surface.alike import ALIKE, hash_distance, look_hash
from ..core.words.calls import Call
from ..core.words.json_tree import Json
from .intake import intake
from .telling import come, tell

#: Seconds between two times that offers which were tried meanwhile are handed on.
_BETWEEN_OFFERS = 2.0
#: Images that look like a lost one which are told, over all that are lost.
_ALIKE_KEPT = 40


#: What the first jobs would load for themselves. Nothing here begins a thread: those that there are when a process parts are lost to it,
#: and one that is locked in later would not lock them in.
_LATER = (
    "PIL.Image",
    "embreex.rtcore_scene",
    "lxml.etree",
    "scipy.spatial",
    "handlens.core.geometry.embree",
    "handlens.core.display.portrait",
)


def main() -> None:
    """Part into a child for each request until whoever asks is gone."""
    formats.load("glb")
    with contextlib.suppress(InputError):
        stations()
    for name in _LATER:
        with contextlib.suppress(ImportError):
            importlib.import_module(name)
    end_with_parent(signal.SIGKILL)
    gc.freeze()
    line = socket.socket(fileno=os.dup(0))
    ended, wake = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
    signal.set_wakeup_fd(wake)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    with selectors.DefaultSelector() as listening:
        listening.register(line, selectors.EVENT_READ)
        listening.register(ended, selectors.EVENT_READ)
        while True:
            for key, _ in listening.select():
                if key.fd == ended:
                    os.read(ended, 1 << 16)
                    _tell_ended(line)
                elif not _part(line):
                    return


def _tell_ended(line: socket.socket) -> None:
    """Say of every child that has ended how it did."""
    with contextlib.suppress(ChildProcessError):
        while (found := os.waitpid(-1, os.WNOHANG))[0]:
            line.sendall(json.dumps({"number": found[0], "code": os.waitstatus_to_exitcode(found[1])}).encode() + b"\n")


def _part(line: socket.socket) -> bool:
    """Take one request and part into a child that does it; False where whoever asks is gone."""
    told, pipes, _, _ = socket.recv_fds(line, 1 << 16, 1)
    if not told or not pipes:
        return False
    if len(os.listdir("/proc/self/task")) > 1:
        raise RuntimeError("a thread was begun before the process parted")
    number = os.fork()
    if number:
        os.close(pipes[0])
        line.sendall(json.dumps({"number": number}).encode() + b"\n")
        return True
    code = 1
    try:
        signal.set_wakeup_fd(-1)
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        os.dup2(pipes[0], 1)
        # Nothing that was open before is the child's, and nothing of it is inherited.
        os.closerange(3, 1 << 16)
        os.dup2(os.open("/dev/null", os.O_RDONLY), 0)
        os.setsid()
        end_with_parent(signal.SIGKILL)
        code = work(Path(json.loads(told)))
        sys.stdout.flush()
    except BaseException:
        traceback.print_exc()
        raise
    finally:
        # Native libraries whose threads still stand are not taken down one by one, which can fall.
        os._exit(code)


def work(path: Path) -> int:
    """Do the one task of a request; returns the exit code. path: of the request."""
    os.dup2(os.open(path.with_name("errors"), os.O_WRONLY | os.O_CREAT, 0o600), sys.stderr.fileno())
    request = json.loads(path.read_text())
    resource.setrlimit(resource.RLIMIT_AS, (limits.CHILD_MEMORY_BYTES, limits.CHILD_MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (limits.CHILD_SECONDS, limits.CHILD_SECONDS))
    resource.setrlimit(resource.RLIMIT_FSIZE, (limits.MAX_PACKAGE_BYTES, limits.MAX_PACKAGE_BYTES))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    out = Path(request["out"])
    if request.get("one_of_many"):
        use_threads(1)
    load_ahead({p.name: p.stat().st_size for p in path.parent.rglob("*") if p.is_file()})
    try:
        # The house's own code lies elsewhere: it is loaded before this process locks itself in, and what is wrong with it is told.
        stations()
        confine([path.parent], [path.parent / "tmp", out])
        result = _WORK[request["what"]](request, out)
    except InputError as error:
        result = {"error": str(error)}
    except MemoryError:
        result = {"error": "The model asks for more memory than one job may use; send it in smaller pieces."}
    except OSError as error:
        if error.errno not in (errno.ENOSPC, errno.EDQUOT):
            raise
        result = {"full": True}
    (out / "result.json").write_text(json.dumps(result, allow_nan=False))
    return 0


# --- inspect, export ----------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Mended:
    """came: as it was read; None where the scene of an earlier job was taken up. runs: what each slip did. played: seconds that took."""

    package: Package
    scene: Scene
    runs: list[dict[str, Any]]
    came: Scene | None
    played: float


def _read_and_mend(request: dict[str, Any], phase: str = "reading") -> _Mended:
    """The scene of a request with its tape played, from where an earlier job left it where that is kept."""
    package = packages.FolderPackage(Path(request["folder"]))
    tape = [Call(x["mend"], x["params"]) for x in request["tape"]]
    tell(phase, 0.02)
    if request.get("played") and (taken := _taken_up(request["played"], tape, package)) is not None:
        return taken
    more = [("an earlier upload", packages.FolderPackage(Path(request["more"])))] if request.get("more") else []
    came = open_main(package, request["main"], more)
    tell("mending", 0.3)
    began = time.perf_counter()
    mended, runs = apply_tape(came, tape)
    seconds = time.perf_counter() - began
    if mended.beside:
        mended = mended.with_(former=all_names(came) | frozenset(request.get("former", ())))
    return _Mended(package, mended, [asdict(run) for run in runs], came, seconds)


def _taken_up(record: dict[str, Any], tape: list[Call], package: Package) -> _Mended | None:
    """The tape played on from a kept scene. None where that cannot tell what playing all of it would: which slip another takes what it
    needs away from, or what lies beside that was not there then.
    """
    before, rest = record["runs"], tape[len(record["runs"]) :]
    if any(mend == "textures.find" for mend, _ in rest):
        return None
    try:
        scene = taken_up(Path(record["file"]).read_bytes(), package.read)
    except pickle.UnpicklingError:
        return None
    tell("mending", 0.3)
    began = time.perf_counter()
    mended, runs = apply_tape(scene, rest)
    if not all(run.applied for run in runs):
        return None
    return _Mended(package, mended, [*before, *(asdict(run) for run in runs)], None, time.perf_counter() - began)


#: Seconds of playing a tape from which on its scene is kept, and the most bytes that are.
_WORTH, _MOST_BYTES = 0.5, 512 * 1024**2


def _keep_scene(mended: _Mended, out: Path) -> None:
    """Keep the mended scene where another job should not have to play the tape again."""
    if mended.came is None or mended.played < _WORTH or any(n.origin != "package" for n in mended.scene.beside):
        return
    data = stored(mended.scene, mended.came)
    if data is not None and len(data) <= _MOST_BYTES:
        (out / "scene.bin").write_bytes(data)


def inspect(request: dict[str, Any], out: Path) -> dict[str, Any]:
    """Read, mend, draw a first picture, measure, judge, and make the display copy: each is told of as soon as it is there. What is
    offered is tried by a job of its own."""
    began = time.perf_counter()
    made = _read_and_mend(request)
    mended = made.scene
    read = time.perf_counter()
    tell("drawing a first picture", 0.3)
    first = coarse(mended)
    drawn_first = display_copy(first)
    (out / "first.bin").write_bytes(drawn_first)
    come("picture", coarse=first is not mended)
    sketched = time.perf_counter()
    _keep_scene(made, out)
    earlier = Measures.from_bytes(Path(request["known"]).read_bytes()) if request.get("known") else None
    intent = intent_from_json(json.dumps(request["intent"]))
    step = lambda phase, share: tell(phase, 0.35 + 0.35 * share)
    inspected = inspecting.inspect(mended, shipped(), intent, earlier, step, "none")
    measures = inspected.measures
    (out / "measures.bin").write_bytes(measures.to_bytes())
    tell("judging", 0.7)
    where = source(made.package, request["main"], mended)
    verdict = {
        "judgements": {"intent": request["intent"], "made": _judge(where, measures, intent, out)},
        "source": where,
        "runs": made.runs,
        "measured": {"meshes": len(mended.meshes), "fresh": inspected.fresh, "drawing": msgspec.to_builtins(drawing(measures))},
    }
    (out / "verdict.json").write_text(json.dumps(verdict, allow_nan=False))
    come("verdict")
    began_drawing = time.perf_counter()
    tell("drawing", 0.75)
    full = drawn_first if first is mended else display_copy(mended, lambda share: tell("drawing", 0.75 + 0.13 * share))
    tell("drawing what is light enough for the stage", 0.88)
    reduced = reduced_copy(full)
    (out / "stage.bin").write_bytes(reduced or full)
    if reduced:
        (out / "full-stage.bin").write_bytes(full)
    come("drawing")
    tell("drawing it for the shelf", 0.93)
    picture = portrait(reduced or full)
    if picture:
        (out / "portrait.webp").write_bytes(picture)
    drawn = time.perf_counter() - began_drawing + sketched - read
    tell("asking what each format can hold", 0.95)
    lost = formats.lost_by_sheet(mended, {x.slug: x.writes for x in shipped()})
    tell("storing", 0.97)
    return {"lost": lost, "seconds": {"read": round(read - began, 3), **inspected.seconds, "draw": round(drawn, 3)}}


def _judge(where: Json, measures: Measures, intent: Intent, out: Path) -> dict[str, Any]:
    """What is to be kept of the judgement under each sheet, by its slug; the evidence is laid into the job's folder."""
    evidence: dict[str, bytes] = {}
    judgements = {}
    for sheet in shipped():
        kept, found = judged(where, measures, sheet, intent)
        judgements[sheet.slug] = msgspec.to_builtins(kept)
        evidence |= found
    (out / "evidence.bin").write_bytes(msgspec.msgpack.encode(evidence))
    return judgements


def try_offers(request: dict[str, Any], out: Path) -> dict[str, Any]:
    """Read, mend, and play what is offered on copies; what was measured already is not measured again."""
    made = _read_and_mend(request)
    intent = intent_from_json(json.dumps(request["intent"]))
    known = Measures.from_bytes(Path(request["known"]).read_bytes())
    where = source(made.package, request["main"], made.scene)
    several = itertools.count()
    last = time.monotonic()

    def arrived(measures: Measures) -> None:
        """Hand on what was found so far, now and then: somebody may be looking at it."""
        nonlocal last
        if time.monotonic() - last < _BETWEEN_OFFERS:
            return
        number = next(several)
        told = {"intent": request["intent"], "made": _judge(where, measures, intent, out)}
        (out / f"offers-{number}.json").write_text(json.dumps(told, allow_nan=False))
        come("offers", number=number)
        last = time.monotonic()

    step = lambda share: tell("trying what is offered", 0.35 + 0.6 * share)
    measures = with_trials(made.scene, known, shipped(), intent, progress=step, arrived=arrived)
    (out / "measures.bin").write_bytes(measures.to_bytes())
    tell("judging", 0.96)
    return {"judgements": {"intent": request["intent"], "made": _judge(where, measures, intent, out)}}


def export(request: dict[str, Any], out: Path) -> dict[str, Any]:
    """Read, mend, write, then open the written file afresh and compare."""

    mended = _read_and_mend(request)
    tell("writing", 0.4)
    sheet = sheet_from_json(json.dumps(request["rules"]), "The rule sheet")
    intent = sheet.meant(intent_from_json(json.dumps(request["intent"])))
    if request["whole"]:
        return _package_again(request, mended, sheet, intent, out)
    made = write_as(mended.scene, request["format"], request["stem"], _writes(sheet, request["options"]), intent)
    folder = _lay_out(made.files, out)
    tell("proving", 0.6)
    package, main = packages.FolderPackage(folder), next(iter(made.files))
    proof = made.proof(package, main)
    if not proof.proved:
        full = display_copy(made.read_back(package, main))
        (out / "read-back.bin").write_bytes(reduced_copy(full) or full)
    tell("storing", 0.95)
    return {"files": list(made.files), "lost": made.lost, "proof": proof.to_json(), "runs": mended.runs}


def ask(request: dict[str, Any], out: Path) -> dict[str, Any]:
    """Read, mend, write into memory, and let the destination look at that; nothing of what was written is kept."""
    mended = _read_and_mend(request)
    tell("writing", 0.4)
    sheet = sheet_from_json(json.dumps(request["rules"]), "The rule sheet")
    intent = sheet.meant(intent_from_json(json.dumps(request["intent"])))
    made = write_as(mended.scene, request["format"], request["stem"], _writes(sheet, request["options"]), intent)
    tell("asking the destination", 0.6)
    said = answer(made.files, sheet, request["variant"])
    if said.picture:
        (out / "received.webp").write_bytes(said.picture)
    files = [{"path": path, "bytes": len(data)} for path, data in made.files.items()]
    return {"answer": said.to_json(), "files": files}


def way(request: dict[str, Any], out: Path) -> dict[str, Any]:
    """Read, mend, and look for the tape that makes the model fit. The measures that are known are taken over as far as they hold."""
    mended = _read_and_mend(request)
    sheets = [sheet_from_json(json.dumps(sheet), "The rule sheet") for sheet in request["sheets"]]
    intent = intent_from_json(json.dumps(request["intent"]))
    wish = Wish(request["goal"], request["prefer"], frozenset(request["waived"]), frozenset(request["intent"]))
    known = Measures.from_bytes(Path(request["known"]).read_bytes())
    found = find_way(mended.scene, sheets, intent, wish, known, lambda phase, share: tell(phase, 0.1 + 0.85 * share))
    if found.picture:
        (out / "way.webp").write_bytes(found.picture)
    return {"way": msgspec.to_builtins(found.way)}


def _package_again(request: dict[str, Any], mended: _Mended, sheet: RuleSheet, intent: Intent, out: Path) -> dict[str, Any]:
    """The package that a model came in, with what was mended in its place; then opened afresh and compared."""
    before = mended.came if mended.came is not None else open_main(mended.package, request["main"])
    scene = in_intended_unit(mended.scene, intent)
    options = ExportOptions(unstated_unit=sheet.unit, unstated_axis=sheet.up_axis)
    because = [run["mend"] for run in mended.runs if run["applied"]]
    made = packaged(mended.package, request["main"], before, scene, because, options)
    folder = _lay_out(made.files, out)
    tell("proving", 0.6)
    read = open_main(packages.FolderPackage(folder), made.main)
    proof = prove(scene, read, options)
    if not proof.proved:
        full = display_copy(read)
        (out / "read-back.bin").write_bytes(reduced_copy(full) or full)
    tell("storing", 0.95)
    lost = formats.what_is_lost(scene, made.main.rpartition(".")[2], options)
    return {"files": list(made.files), "lost": lost, "proof": proof.to_json(), "runs": mended.runs}


def _lay_out(files: Mapping[str, bytes], out: Path) -> Path:
    """Files of an export in a folder of the job's, which is returned."""
    folder = out / "files"
    folder.mkdir()
    for name, data in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)
    return folder


def _writes(sheet: RuleSheet, wished: dict[str, Any]) -> ExportOptions:
    """How a sheet has files written, with what was wished for this one export in its place. Raises InputError."""
    try:
        return msgspec.structs.replace(sheet.writes, **{k: getattr(msgspec.convert(wished, ExportOptions), k) for k in wished})
    except msgspec.ValidationError as error:
        raise InputError(f"The model cannot be exported as asked: {error}.") from error


def reduction_curve(request: dict[str, Any], out: Path) -> dict[str, Any]:
    """Read a revision with its mends, and measure how far off it lies at each count of triangles."""
    mended = _read_and_mend(request)
    tell("reducing", 0.4)
    try:
        points = curve(mended.scene, request["parts"], lambda share: tell("reducing and measuring", 0.4 + 0.55 * share))
    except MendError as error:
        raise InputError(str(error)) from error
    return {"points": msgspec.to_builtins(points)}


def compare(request: dict[str, Any], out: Path) -> dict[str, Any]:
    """Read two revisions, each with its mends, and say what differs."""

    earlier = _read_and_mend(request["earlier"], "reading the earlier revision").scene
    later = _read_and_mend(request["later"], "reading the later revision").scene
    tell("comparing", 0.6)
    return {"rows": to_json(differences(earlier, later)), "place": msgspec.to_builtins(in_place(earlier, later))}


def look(request: dict[str, Any], out: Path) -> dict[str, Any]:
    """Say which images look like others: each of `before` against all of `files`."""
    wanted = {reference: look_hash(Path(file).read_bytes()) for reference, file in request["before"].items()}
    rows = []
    for number, file in enumerate(request["files"]):
        tell("looking at images", number / len(request["files"]))
        there = look_hash(Path(file["file"]).read_bytes())
        for reference, known in wanted.items():
            if known is not None and there is not None and (bits := hash_distance(known, there)) <= ALIKE:
                rows.append({"reference": reference, "path": file["path"], "content": file["content"], "bits": bits})
    rows.sort(key=lambda row: row["bits"])
    return {"rows": rows[:_ALIKE_KEPT]}


#: What a child can be asked for.
_WORK: dict[str, Callable[[dict[str, Any], Path], dict[str, Any]]] = {
    "intake": intake,
    "inspect": inspect,
    "try": try_offers,
    "export": export,
    "ask": ask,
    "way": way,
    "compare": compare,
    "curve": reduction_curve,
    "look": look,
}


if __name__ == "__main__":
    main()
