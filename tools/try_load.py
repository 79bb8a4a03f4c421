"""Fifty people on a Shelf of a thousand models while the queue is full: what they wait, what fails, what memory the web server takes.

Run: PYTHONPATH=src python tools/try_load.py [MINUTES] [PEOPLE] [MODELS]
"""

from __future__ import annotations

import os
import random
import statistics
import sys
import tempfile
import threading
import time
from collections import Counter, defaultdict
from pathlib import Path

import try_kills
from try_kills import BASE, Starter, ask, until

DEMO = Path(__file__).parents[1] / "demo" / "models"


def memory_mib(process: int) -> float:
    text = Path(f"/proc/{process}/status").read_text()
    return int(text.split("VmRSS:")[1].split()[0]) / 1024


def fill(models: int) -> None:
    """Put models on the Shelf: the demo's and small ones of our own, each another."""
    some = [p for p in DEMO.glob("*/*.glb") if p.stat().st_size < 400_000]
    for k in range(models):
        drop = ask("POST", "/api/drops", {})["id"]
        if k % 10 == 0:
            file = some[k // 10 % len(some)]
            ask("PUT", f"/api/drops/{drop}/files?path={file.stem}_{k}.glb", raw=file.read_bytes())
        else:
            text = f"o plank_{k}\nv 0 0 0\nv {1 + k / 1000} 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n"
            ask("PUT", f"/api/drops/{drop}/files?path=plank_{k}.obj", raw=text.encode())
        ask("POST", f"/api/drops/{drop}/close", {})


def person(seed: int, ended: threading.Event, waits: dict[str, list[float]], failed: Counter) -> None:
    dice = random.Random(seed)

    def timed(kind: str, method: str, path: str, body: object = None):
        began = time.perf_counter()
        try:
            return ask(method, path, body)
        except Exception as error:
            failed[f"{kind}: {error}"] += 1
            return None
        finally:
            waits[kind].append(time.perf_counter() - began)

    while not ended.is_set():
        first = dice.choice([0, 0, 0, 60, 300])
        page = timed("shelf", "GET", f"/api/shelf?first={first}&search={dice.choice(['', '', 'plank', 'heron'])}")
        if page and page["models"]:
            revision = dice.choice(page["models"])["revision"]
            bench = timed("bench", "GET", f"/api/revisions/{revision}/bench")
            if bench and dice.random() < 0.15:
                # Work for the queue: a mend on the tape, so a reading anew.
                name = f"n{dice.randrange(10**6)}"
                slip = {"mend": "arrival.rename", "params": {"search": "p", "replace": name, "pattern": False}, "on": True}
                timed("tape", "PUT", f"/api/revisions/{revision}/tape", {"slips": [slip]})
        ended.wait(dice.uniform(2, 6))


def main(minutes: float, people: int, models: int) -> int:
    with tempfile.TemporaryDirectory(prefix="handlens-load-") as name:
        os.chmod(name, 0o755)
        starter = Starter(Path(name))
        starter.start()
        until(lambda: ask("GET", "/api/health"), threading.Event())
        began = time.monotonic()
        fill(models)
        print(f"{models} models dropped in {time.monotonic() - began:.0f} s", flush=True)
        # The crowd comes while the queue is full, and stays until after it is empty.
        reading = lambda: ask("GET", "/api/shelf")["totals"]
        web = starter.processes(f"handlens.web.serve {try_kills.PORT}")[0]
        ended, waits, failed = threading.Event(), defaultdict(list), Counter()
        crowd = [threading.Thread(target=person, args=(k, ended, waits, failed), daemon=True) for k in range(people)]
        for p in crowd:
            p.start()
        held = []
        for _ in range(int(minutes * 6)):
            time.sleep(10)
            held.append(memory_mib(web))
            if len(held) % 6 == 0:
                totals = reading()
                print(f"  minute {len(held) // 6}: {totals['models']} models, {totals['reading']} still being read", flush=True)
        ended.set()
        for p in crowd:
            p.join(30)
        for kind, seconds in sorted(waits.items()):
            ordered = sorted(seconds)
            at = lambda share, ordered=ordered: ordered[min(int(share * len(ordered)), len(ordered) - 1)]
            print(
                f"{kind:6} {len(ordered):6} asked, p50 {statistics.median(ordered) * 1000:6.0f} ms, p95 {at(0.95) * 1000:6.0f} ms, most {ordered[-1] * 1000:6.0f} ms"
            )
        print(
            f"failed: {dict(failed) or 'nothing'}; memory of the web server: {', '.join(f'{m:.0f}' for m in held[:: max(len(held) // 8, 1)])} MiB"
        )
        print(f"at {BASE}, {os.cpu_count()} cores")
        starter.process.terminate()
        starter.process.wait(60)
        return 1 if failed else 0


if __name__ == "__main__":
    given = sys.argv[1:]
    sys.exit(
        main(float(given[0]) if given else 10, int(given[1]) if len(given) > 1 else 50, int(given[2]) if len(given) > 2 else 1000)
    )
