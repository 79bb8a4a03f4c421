"""How a batch would go with 1 to 64 workers: simulated from service times that are measured here, and held against 1 and 2 real workers.

Each worker takes a job, has its files laid out (the database), has its child work (its own core), keeps the result (the worker, then the
database), and feeds the batch (one at a time, whoever it is). The database has so many cores; what asks for it waits in line. Run on a
machine that does nothing else: python benchmarks/scale.py [MODELS] > benchmarks/scale.md
"""

from __future__ import annotations

import heapq
import os
import random
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "benchmarks")]
TICKS = os.sysconf("SC_CLK_TCK")


@dataclass(frozen=True)
class Served:
    """Seconds that one model takes: of its child, of its worker, of the database, of feeding; and how much jobs differ, as a share."""

    child: float
    worker: float
    database: float
    feed: float
    spread: float = 0.3


@dataclass
class Line:
    """What serves so many at once, in the order in which they ask. free: when each of its places is."""

    places: int
    free: list[float] = field(default_factory=list)

    def serve(self, now: float, seconds: float) -> float:
        """When what asks now is served."""
        if len(self.free) < self.places:
            begun = now
        else:
            begun = max(now, heapq.heappop(self.free))
        heapq.heappush(self.free, begun + seconds)
        return begun + seconds


def simulated(workers: int, served: Served, models: int, database_cores: int, cores: int | None = None) -> float:
    """Models a second. cores: that workers share, where they are on one machine with the database; each has its own else."""
    dice = random.Random(1)
    database, feeding = Line(database_cores), Line(1)
    shared = Line(cores) if cores is not None else None
    if shared is not None:
        database = shared
    # Events in the order of time: each worker asks for its next step when the one before is done.
    events = [(0.0, k, 0) for k in range(workers)]
    heapq.heapify(events)
    begun, end = 0, 0.0
    while events:
        now, worker, step = heapq.heappop(events)
        end = max(end, now)
        if step == 0:
            if begun == models:
                continue
            begun += 1
            done = database.serve(now, served.database / 2)
        elif step == 1:
            seconds = served.child * max(0.1, dice.gauss(1, served.spread))
            done = shared.serve(now, seconds) if shared is not None else now + seconds
        elif step == 2:
            done = shared.serve(now, served.worker) if shared is not None else now + served.worker
        elif step == 3:
            done = database.serve(now, served.database / 2)
        else:
            done = feeding.serve(now, served.feed)
        heapq.heappush(events, (done, worker, (step + 1) % 5))
    return models / end


def spent(number: int) -> tuple[float, float]:
    """Processor seconds of a process, and of its children that have ended (proc(5), stat)."""
    fields = Path(f"/proc/{number}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / TICKS, (int(fields[13]) + int(fields[14])) / TICKS


def measured(workers: int, models: dict[str, bytes]) -> tuple[float, Served]:
    """Models a second of real workers, and the service times of one model there."""
    import psycopg
    from many import quay, wait_for_batch

    with quay(workers) as q:
        q.drop(models)
        wait_for_batch(q)
        nurseries = lambda: [n for w in q.workers for n in below(w.pid)]
        server = lambda: sum(sum(spent(n)) for n in [q.cluster.number or 0, *below(q.cluster.number or 0)])
        while not nurseries():
            time.sleep(0.05)
        before = [sum(spent(w.pid)[0] for w in q.workers), server(), sum(spent(n)[1] for n in nurseries())]
        first, began = q.batch(), time.monotonic()
        while (now := q.batch())["state"] != "done":
            time.sleep(1)
        seconds = time.monotonic() - began
        count = first["count"]["waiting"] - now["count"]["waiting"]
        after = [sum(spent(w.pid)[0] for w in q.workers), server(), sum(spent(n)[1] for n in nurseries())]
        worker, database, child = ((y - x) / count for x, y in zip(before, after, strict=True))
        for process in q.workers:
            process.terminate()
            process.wait(30)
        from many import forget

        forget(q)
        os.environ["HANDLENS_DATABASE"] = q.cluster.url
        from handlens.store.batches.feeding import feed
        from handlens.store.database import engine, session

        fed = 0.0
        for again in range(4):
            began = time.monotonic()
            with session() as db:
                rows = feed(db)
            # The first one loads what all need.
            fed += (time.monotonic() - began) / max(rows, 1) / 3 if again else 0.0
            with psycopg.connect(q.cluster.url, options="-c search_path=public,queue") as c:
                c.execute("UPDATE job SET state = 'done' WHERE state = 'waiting'")
                c.execute("UPDATE batch_row SET state = 'done' WHERE state = 'running'")
        engine().dispose()
        engine.cache_clear()
        return count / seconds, Served(child, worker, database, fed)


def below(number: int) -> list[int]:
    """Processes that a process began and that still run."""
    out = []
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            if int((entry / "stat").read_text().rpartition(")")[2].split()[1]) == number:
                out.append(int(entry.name))
        except OSError:
            continue
    return out


def main() -> None:
    from many import small

    count = int(sys.argv[1]) if len(sys.argv) > 1 else 80
    cores = len(os.sched_getaffinity(0))
    models = small(count)
    found = {workers: measured(workers, models) for workers in (1, 2)}
    served = found[1][1]
    print(f"# Workers, simulated\n\nMade by `benchmarks/scale.py {count}` on {cores} cores.\n")
    print(
        f"Of one small model: child {served.child:.3f} s, worker {served.worker:.3f} s, database {served.database:.3f} s, feeding {served.feed:.3f} s.\n"
    )
    print("| workers | real, models a second | simulated on the same cores | off by |\n|---|---|---|---|")
    for workers, (rate, _) in found.items():
        told = simulated(workers, served, 2000, cores, cores)
        print(f"| {workers} | {rate:.2f} | {told:.2f} | {100 * (told / rate - 1):+.0f} % |")
    print("\nWith a core for each worker, as on machines of their own, and a database of 2, 8 and 32 cores: models a second.\n")
    print("| workers | 2 | 8 | 32 |\n|---|---|---|---|")
    for workers in (1, 2, 4, 8, 16, 32, 64):
        cells = [f"{simulated(workers, served, 4000, database):.1f}" for database in (2, 8, 32)]
        print(f"| {workers} | {' | '.join(cells)} |")
    slow = Served(10 * served.child, 2 * served.worker, 2 * served.database, served.feed)
    print("\nThe same with models whose children take ten times as long.\n\n| workers | 2 | 8 | 32 |\n|---|---|---|---|")
    for workers in (1, 8, 64):
        cells = [f"{simulated(workers, slow, 2000, database):.1f}" for database in (2, 8, 32)]
        print(f"| {workers} | {' | '.join(cells)} |")


if __name__ == "__main__":
    main()
