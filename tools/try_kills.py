"""Kills parts of a running Hand Lens at random while models are dropped, mended and exported, then says what came of it.

Run: PYTHONPATH=src python tools/try_kills.py KILLS [SEED]. Prints one line a kill, and at the end whether every model was judged
exactly once, nothing was doubled, nothing is stuck, within 60 s of the last kill.
"""

from __future__ import annotations

import contextlib
import itertools
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections import Counter
from pathlib import Path

import psycopg

from handlens.jobs.running import TRIES

ROOT = Path(__file__).parents[1]
PORT = 8610
BASE = f"http://127.0.0.1:{PORT}"
TAPE = [{"mend": "arrival.rename", "params": {"search": "sail", "replace": "jib", "pattern": False}, "on": True}]


def ask(method: str, path: str, body: object = None, raw: bytes | None = None) -> dict:
    data = raw if raw is not None else None if body is None else json.dumps(body).encode()
    kind = "application/octet-stream" if raw is not None else "application/json"
    request = urllib.request.Request(BASE + path, data, {"Content-Type": kind}, method=method)
    with urllib.request.urlopen(request, timeout=20) as answer:
        return json.loads(answer.read() or b"{}")


class Ended(Exception):
    """The trial ended while a person still waited for an answer."""


def until(work, wanted: threading.Event):
    """Do something again until it works, as a patient person would."""
    while not wanted.is_set():
        try:
            return work()
        except (OSError, urllib.error.HTTPError, ValueError):
            time.sleep(0.3)
    raise Ended


def _parent(process: int) -> int:
    try:
        return int(Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[1])
    except OSError:
        return 0


def _command(process: int) -> str:
    try:
        return Path(f"/proc/{process}/cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
    except OSError:
        return ""


class Starter:
    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.process: subprocess.Popen | None = None
        #: How often the child of some job was killed while this one was under way.
        self.met: Counter[int] = Counter()

    def start(self) -> None:
        command = [sys.executable, "-m", "handlens.launch", "--data", str(self.folder), "--port", str(PORT), "--no-demo"]
        log = (self.folder / "starts.txt").open("ab")
        self.process = subprocess.Popen(
            command, cwd=ROOT, stdout=log, stderr=log, env={**os.environ, "PYTHONPATH": str(ROOT / "src")}
        )

    def processes(self, word: str) -> list[int]:
        """Processes of this very Hand Lens, by a word of their command: others may run on the machine."""
        own, waiting = [], [self.process.pid]
        while waiting:
            told = subprocess.run(["pgrep", "-P", str(waiting.pop())], capture_output=True, text=True).stdout.split()
            own += [int(x) for x in told]
            waiting += [int(x) for x in told]
        return [n for n in own if word in _command(n)]

    def url(self) -> str:
        return f"postgresql://handlens@/handlens?host={self.folder}/database/sockets&port={PORT + 1}&passfile={self.folder}/database-secret"

    def _under_way(self) -> set[int] | None:
        """Jobs under way, None where the database does not answer just now."""
        try:
            with psycopg.connect(self.url(), connect_timeout=2) as c:
                return {row[0] for row in c.execute("SELECT id FROM job WHERE state = 'running'")}
        except psycopg.Error:
            return None

    def kill_child(self) -> bool:
        """Kill a job's child, but never one job's for the last time that it is tried: such a job is rightly told as failed."""
        before = self._under_way()
        if before is None or any(self.met[job] >= TRIES - 1 for job in before) or not self.kill("child"):
            return False
        self.met.update(before | (self._under_way() or set()))
        return True

    def kill(self, what: str) -> bool:
        words = {
            "worker": "handlens.jobs.worker",
            "child": "handlens.jobs.child",
            "web": f"handlens.web.serve {PORT}",
            "database": f"-D {self.folder}/database",
        }
        if what == "start":
            numbers = [self.process.pid]
        elif what == "child":
            # Of these processes one is what the others are parted from, and has no job.
            parents = self.processes(words[what])
            numbers = [n for n in parents if _parent(n) in parents][:1]
        else:
            numbers = self.processes(words[what])[:1]
        for number in numbers:
            try:
                os.kill(number, signal.SIGKILL)
            except ProcessLookupError:
                return False
        if what == "start":
            self.process.wait()
            self.start()
        elif self.process.poll() is not None:
            print("    the start command had ended by itself; it is started again", flush=True)
            self.start()
        return bool(numbers)


def person(number: int, ended: threading.Event, made: dict[str, int], exported: list[int]) -> None:
    """Drops models one after another; lays a mend on each, and asks for an export."""
    with contextlib.suppress(Ended):
        for k in itertools.count():
            if ended.is_set():
                return
            name = f"boat_{number}_{k}"
            data = f"o sail_{number}_{k}\nv 0 0 0\nv 1 0 0\nv 0 1 {k + 1}.{number}\nf 1 2 3\n".encode()

            def drop(name=name, data=data) -> None:
                drop = ask("POST", "/api/drops", {})["id"]
                ask("PUT", f"/api/drops/{drop}/files?path={name}.obj", raw=data)
                made[name] = drop

            until(drop, ended)

            def close(name=name) -> None:
                try:
                    ask("POST", f"/api/drops/{made[name]}/close", {})
                except urllib.error.HTTPError as error:
                    if error.code != 404:  # the drop became a model meanwhile
                        raise

            until(close, threading.Event())
            shown = name.replace("_", " ").capitalize()

            def entry(shown=shown):
                found = [
                    m for m in ask("GET", f"/api/shelf?search={urllib.request.quote(shown)}")["models"] if m["name"] == shown
                ]
                if not found or found[0]["state"] != "done":
                    raise ValueError
                return found[0]

            revision = until(entry, ended)["revision"]
            until(lambda revision=revision: ask("PUT", f"/api/revisions/{revision}/tape", {"slips": TAPE}), ended)
            exported.append(
                until(lambda revision=revision: ask("POST", f"/api/revisions/{revision}/exports", {"format": "glb"}), ended)["id"]
            )


def judged(url: str) -> dict[str, int]:
    """What there is too much or too little of; all nought where all is well."""
    with psycopg.connect(url, options="-c search_path=public,queue") as c:
        one = lambda sql: c.execute(sql).fetchone()[0]
        return {
            "jobs under way": one("SELECT count(*) FROM job WHERE state IN ('waiting', 'running')"),
            "jobs that failed": one("SELECT count(*) FROM job WHERE state = 'failed'"),
            "queue entries left": one("SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing')"),
            "readings not done": one("SELECT count(*) FROM inspection WHERE state <> 'done'"),
            "names of several models": one("SELECT count(*) FROM (SELECT name FROM model GROUP BY name HAVING count(*) > 1) x"),
            "models without one bare reading": one(
                "SELECT count(*) FROM revision r WHERE (SELECT count(*) FROM inspection i WHERE i.revision_id = r.id AND i.tape = '[]') <> 1"
            ),
            "readings not judged by each of six sheets once": one(
                "SELECT count(*) FROM inspection i WHERE (SELECT count(*) FROM judgement j WHERE j.inspection_id = i.id) <> 6"
            ),
            "models without a card": one(
                "SELECT count(*) FROM model m WHERE NOT EXISTS (SELECT 1 FROM card WHERE model_id = m.id AND inspection_id IS NOT NULL)"
            ),
            "exports not done": one("SELECT count(*) FROM export WHERE state <> 'done'"),
            "exports without just one file": one(
                "SELECT count(*) FROM export e WHERE (SELECT count(*) FROM export_file f WHERE f.export_id = e.id) <> 1"
            ),
            "revisions over one": one("SELECT count(*) FROM revision WHERE number > 1"),
        }


def main(kills: int, seed: int) -> int:
    dice = random.Random(seed)
    with tempfile.TemporaryDirectory(prefix="handlens-kills-") as name:
        os.chmod(name, 0o755)
        folder = Path(name)
        starter = Starter(folder)
        starter.start()
        never = threading.Event()
        until(lambda: ask("GET", "/api/health"), never)
        ended, made, exported = threading.Event(), {}, []
        people = [threading.Thread(target=person, args=(n, ended, made, exported), daemon=True) for n in range(4)]
        for p in people:
            p.start()
        done = 0
        while done < kills:
            time.sleep(dice.uniform(0.2, 3.0))
            what = dice.choice(["start", "worker", "worker", "child", "child", "web", "database"])
            if starter.kill_child() if what == "child" else starter.kill(what):
                done += 1
                print(f"{done:4} {what:9} {len(made):5} dropped {len(exported):5} exports asked for", flush=True)
        last = time.monotonic()
        ended.set()
        for p in people:
            p.join(60)
        url = starter.url()
        found: dict[str, int] = {"nothing": 1}
        while any(found.values()) and time.monotonic() - last < 60:
            time.sleep(0.5)
            try:
                found = judged(url)
            except psycopg.OperationalError:
                continue
        took = time.monotonic() - last
        with psycopg.connect(url) as c:
            models = c.execute("SELECT count(*) FROM model").fetchone()[0]
            for kind, error in c.execute("SELECT kind, error FROM job WHERE state = 'failed'"):
                print(f"  failed: {kind}: {error}")
        print(
            f"{kills} kills, {len(made)} drops, {models} models, {len(exported)} exports; settled {took:.0f} s after the last kill"
        )
        print(
            "\n".join(f"  {n:5} {what}" for what, n in found.items() if n) or "  nothing doubled, nothing stuck, each judged once"
        )
        starter.process.terminate()
        starter.process.wait(60)
        if any(found.values()):
            print((folder / "log.txt").read_text()[-3000:])
        return 1 if any(found.values()) else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1))
