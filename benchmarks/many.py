"""Many at once on one machine: how fast a thousand models are judged by one worker and by two, how long a person waits meanwhile, how fast
the Shelf answers with all of them on it, what memory it takes; and what comes of a batch whose workers are killed. Writes a page.

Run on a machine that does nothing else: python benchmarks/many.py [MODELS] [KILLS] > benchmarks/many.md
"""

from __future__ import annotations

import json
import os
import random
import re
import signal
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import quote, urlencode

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT / "tests")]
#: Port of the web server; the database's and the gate's are above it.
PORT = 9600
#: Seconds from one look at a batch to the next: looking takes processor time of its own, which the batch's workers lack.
LOOK_EVERY = 5.0
#: Seconds from one mend that the person at the Bench lays to the next.
PERSON_EVERY = 4.0


class Quay:
    """A Hand Lens of our own: a cluster, a web server and workers, each process under our hand."""

    def __init__(self, folder: Path, workers: int) -> None:
        from handlens.launch.cluster import Cluster, free_port

        self.cluster = Cluster(folder, free_port(PORT + 1))
        self.cluster.start()
        self.port = free_port(PORT)
        self.base = f"http://127.0.0.1:{self.port}"
        self.env = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "HANDLENS_DATABASE": self.cluster.url,
            "HANDLENS_DATA": str(folder),
            "HANDLENS_TRIES": "0",
            "HANDLENS_STALLED_SECONDS": "3",
            "HANDLENS_JOBS": str(workers),
        }
        self.log = (folder / "log.txt").open("ab")
        code = "from handlens.store.migrate import upgrade; from handlens.store.about import write_version; upgrade(); write_version()"
        subprocess.run([sys.executable, "-c", code], env=self.env, check=True)
        self.web = self._begin("handlens.web.serve", str(self.port))
        first = ["handlens.jobs.worker", "--at-once", "1"]
        self.commands = [first, *([*first, "--helper"] for _ in range(workers - 1))]
        self.workers = [self._begin(*command) for command in self.commands]
        while True:
            try:
                self.ask("GET", "/api/health")
                break
            except OSError:
                time.sleep(0.2)

    def _begin(self, *words: str) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            [sys.executable, "-m", *words], env=self.env, stdout=self.log, stderr=self.log, start_new_session=True
        )

    def kill(self, number: int) -> None:
        """Kill a worker as it is, and begin it again."""
        self.workers[number].kill()
        self.workers[number].wait()
        self.workers[number] = self._begin(*self.commands[number])

    def ask(self, method: str, path: str, body: object = None, raw: bytes | None = None):
        data = raw if raw is not None else None if body is None else json.dumps(body).encode()
        kind = "application/octet-stream" if raw is not None else "application/json"
        request = urllib.request.Request(self.base + path, data, {"Content-Type": kind}, method=method)
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.loads(answer.read() or b"{}")

    def drop(self, files: dict[str, bytes]) -> None:
        number = self.ask("POST", "/api/drops", {"model": None})["id"]
        for path, data in files.items():
            self.ask("PUT", f"/api/drops/{number}/files?path={quote(path)}", raw=data)
        self.ask("POST", f"/api/drops/{number}/close")

    def batch(self):
        found = self.ask("GET", "/api/batches")["batches"]
        return found[0] if found else None

    def rows(self, batch: int) -> list[dict]:
        out: list[dict] = []
        while True:
            page = self.ask("GET", f"/api/batches/{batch}?{urlencode({'sort': 'name', 'first': len(out)})}")
            out += page["rows"]
            if len(out) >= page["found"] or not page["rows"]:
                return out

    def memory(self) -> float:
        """Gibibytes that all its processes take, each one's share of what is shared counted once (proc(5): Pss)."""
        numbers = [self.web.pid, *(w.pid for w in self.workers), self.cluster.number or 0]
        found = subprocess.run(["ps", "-eo", "pid=,ppid="], capture_output=True, text=True).stdout.split()
        parent = dict(zip(map(int, found[::2]), map(int, found[1::2]), strict=True))
        every = {n for n in parent if any(above in numbers for above in _line(n, parent))}
        total = 0
        for n in every:
            try:
                text = Path(f"/proc/{n}/smaps_rollup").read_text()
            except OSError:
                continue
            total += int(re.search(r"^Pss:\s+(\d+)", text, re.M)[1])  # type: ignore[index]
        return total / 2**20

    def end(self) -> None:
        for process in (*self.workers, self.web):
            process.send_signal(signal.SIGTERM)
        for process in (*self.workers, self.web):
            process.wait(30)
        self.cluster.stop()
        self.log.close()


def _line(number: int, parent: dict[int, int]) -> Iterator[int]:
    while number > 1:
        yield number
        number = parent.get(number, 0)


@contextmanager
def quay(workers: int) -> Iterator[Quay]:
    with tempfile.TemporaryDirectory(prefix="handlens-many-") as name:
        os.chmod(name, 0o755)
        made = Quay(Path(name), workers)
        try:
            yield made
        finally:
            made.end()


def small(count: int) -> dict[str, bytes]:
    """So many small models, each in a folder of its own, no two the same."""
    from handlens.core import formats
    from kit.scenes import cube, scene

    out = {}
    for k in range(count):
        made = scene(cube(f"crate_{k:04d}", 0.5 + k / 2000))
        out[f"crates/{k // 100:02d}/crate_{k:04d}/crate_{k:04d}.glb"] = formats.write(made, "glb", "x")["x.glb"]
    return out


def defective(count: int) -> dict[str, bytes]:
    """So many models with seeded defects."""
    from handlens.core import formats
    from kit.defects import seeded

    return {f"props/prop_{k:03d}/prop_{k:03d}.glb": formats.write(seeded(k)[0], "glb", "x")["x.glb"] for k in range(count)}


def wait_for_batch(q: Quay) -> dict:
    while (batch := q.batch()) is None:
        time.sleep(0.1)
    return batch


def throughput(models: dict[str, bytes], workers: int) -> dict:
    """A batch judged by so many workers, nobody else at work."""
    with quay(workers) as q:
        load = os.getloadavg()[0]
        q.drop(models)
        wait_for_batch(q)
        began, memory = time.monotonic(), []
        while (now := q.batch())["state"] != "done":
            memory.append(q.memory())
            print(f"{workers} workers: {now['models'] - now['count']['waiting']} of {now['models']}", file=sys.stderr, flush=True)
            # Nearer towards the end, so that it is not overlooked for seconds.
            time.sleep(LOOK_EVERY if now["count"]["waiting"] > 20 else 0.25)
        seconds = time.monotonic() - began
        answers = shelf(q) if workers > 1 else []
        return {
            "workers": workers,
            "models": now["models"] - now["count"]["waiting"],
            "seconds": seconds,
            "memory": memory,
            "load": load,
            "shelf": answers,
        }


def meanwhile(models: dict[str, bytes]) -> list[float]:
    """How long each mend that somebody lays at a Bench waits, while two workers judge a batch."""
    with quay(2) as q:
        q.drop({"bench_crate.glb": next(iter(small(1).values()))})
        while not (entry := next(iter(q.ask("GET", "/api/shelf")["models"]), None)) or entry["state"] != "done":
            time.sleep(0.1)
        q.drop(models)
        wait_for_batch(q)
        waits: list[float] = []
        while q.batch()["state"] != "done":
            waits.append(person(q, entry["revision"], len(waits) + 1))
            print(f"at the Bench: {waits[-1]:.2f} s", file=sys.stderr, flush=True)
            time.sleep(PERSON_EVERY)
        return waits


def person(q: Quay, revision: int, number: int) -> float:
    """Seconds from laying a mend at a Bench until it is being read."""
    rename = {"mend": "arrival.rename", "params": {"search": "crate", "replace": f"box{number}", "pattern": False}, "on": True}
    began = time.monotonic()
    state = q.ask("PUT", f"/api/revisions/{revision}/tape", {"slips": [rename], "version": None})["state"]
    while state == "waiting":
        time.sleep(0.03)
        state = q.ask("GET", f"/api/revisions/{revision}/bench")["state"]
    return time.monotonic() - began


def shelf(q: Quay) -> list[float]:
    """Seconds of many looks at the Shelf, searched, filtered and sorted in turn."""
    asked = [
        {},
        {"search": "crate_07"},
        {"search": "nothing like it"},
        {"show": "held"},
        {"sort": "verdict", "sheet": "ar-viewing"},
    ]
    asked += [
        {"folder": "crates/03/crate_0300"},
        {"sort": "name", "first": 600},
        {"age": "today", "sort": "size"},
        {"search": "scale"},
    ]
    seconds = []
    for _ in range(10):
        for query in asked:
            began = time.monotonic()
            q.ask("GET", f"/api/shelf?{urlencode(query)}")
            seconds.append(time.monotonic() - began)
    return seconds


def results(q: Quay, batch: int) -> dict[str, object]:
    return {r["name"]: [r["verdict"], r["stations"], r["state"]] for r in q.rows(batch)}


def killed(models: dict[str, bytes], kills: int, seed: int = 7) -> dict:
    """A batch undisturbed, and one whose workers are killed at random; what differs between them."""
    with quay(2) as q:
        q.drop(models)
        batch = wait_for_batch(q)["id"]
        while q.batch()["state"] != "done":
            time.sleep(0.5)
        wanted = results(q, batch)
    dice = random.Random(seed)
    with quay(2) as q:
        q.drop(models)
        batch = wait_for_batch(q)["id"]
        began, count = time.monotonic(), 0
        while count < kills:
            time.sleep(dice.uniform(1.5, 4.0))
            q.kill(dice.randrange(2))
            count += 1
            now = q.batch()
            if now["state"] == "done" and count < kills:
                # It went faster than the kills came: it is judged anew from where nothing is known.
                forget(q)
            print(f"kill {count}: {now['models'] - now['count']['waiting']} of {now['models']}", file=sys.stderr, flush=True)
        while q.batch()["state"] != "done":
            time.sleep(0.5)
        found = results(q, batch)
        return {"kills": count, "seconds": time.monotonic() - began, "wanted": wanted, "found": found, **counted(q)}


def forget(q: Quay) -> None:
    """Throw every reading away, so that the batch begins again."""
    import psycopg

    with psycopg.connect(q.cluster.url, options="-c search_path=public,queue") as c:
        c.execute(
            "UPDATE batch_row SET state = 'waiting', inspection_id = NULL, verdict = NULL, first = NULL, findings = '[]', stations = '{}'"
        )
        c.execute("DELETE FROM inspection")


def counted(q: Quay) -> dict[str, int]:
    """What the database holds too often, or not at all."""
    import psycopg

    with psycopg.connect(q.cluster.url, options="-c search_path=public,queue") as c:
        one = lambda sql: c.execute(sql).fetchone()[0]
        return {
            "not judged once": one(
                "SELECT count(*) FROM revision r WHERE (SELECT count(*) FROM inspection i WHERE i.revision_id = r.id AND i.state = 'done') <> 1"
            ),
            "judged twice": one(
                "SELECT count(*) FROM (SELECT 1 FROM judgement GROUP BY inspection_id, sheet HAVING count(*) > 1) x"
            ),
            "stuck jobs": one("SELECT count(*) FROM job WHERE state IN ('waiting', 'running')"),
            "failed jobs": one("SELECT count(*) FROM job WHERE state = 'failed'"),
        }


def percentile(values: list[float], share: float) -> float:
    return sorted(values)[min(len(values) - 1, int(share * len(values)))]


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    kills = int(sys.argv[2]) if len(sys.argv) > 2 else 200
    models = small(count)
    # What one worker does in a minute it does in the next one, too: a part of them is enough for that.
    few = dict(list(models.items())[: max(30, count * 3 // 10)])
    runs = [throughput(few, 1), throughput(models, 2)]
    waits = meanwhile(few)
    rate = [run["models"] / run["seconds"] for run in runs]
    print(f"# Many at once\n\nMade by `benchmarks/many.py {count} {kills}` on {len(os.sched_getaffinity(0))} cores.\n")
    print("| workers | models | models a second | ratio | memory, first quarter | last quarter | load before |")
    print("|---|---|---|---|---|---|---|")
    for run, each in zip(runs, rate, strict=True):
        quarter = max(1, len(run["memory"]) // 4)
        cells = [
            str(run["workers"]),
            str(run["models"]),
            f"{each:.2f}",
            f"{each / rate[0]:.2f}",
            f"{max(run['memory'][:quarter]):.2f} GiB",
            f"{max(run['memory'][-quarter:]):.2f} GiB",
            f"{run['load']:.2f}",
        ]
        print(f"| {' | '.join(cells)} |")
    print(
        f"\nA mend that somebody lays at a Bench every {PERSON_EVERY:.0f} s, while two workers judge a batch of {len(few)}: begun after "
        f"{statistics.median(waits):.2f} s at the median, {max(waits):.2f} s at most ({len(waits)} mends).\n"
    )
    answers = runs[1]["shelf"]
    print(
        f"The Shelf with {runs[1]['models']:,} models, nine questions ten times each: median {statistics.median(answers):.3f} s, "
        f"95 % within {percentile(answers, 0.95):.3f} s, at most {max(answers):.3f} s.\n"
    )
    if kills:
        told = killed(defective(300), kills)
        odd = [name for name, result in told["wanted"].items() if told["found"].get(name) != result]
        print(f"## {told['kills']} kills in a batch of {len(told['wanted'])}\n")
        print(f"Over {told['seconds']:.0f} s a worker was killed every 1.5 to 4 s, and begun again at once.\n")
        print("| | |\n|---|---|")
        print(f"| models whose result differs from an undisturbed run's | {len(odd)} |")
        for what in ("not judged once", "judged twice", "stuck jobs", "failed jobs"):
            print(f"| {what} | {told[what]} |")


if __name__ == "__main__":
    main()
