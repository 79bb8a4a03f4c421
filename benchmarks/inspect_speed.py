"""Whole processes of `handlens inspect` beside a script on a general mesh library, shape by shape, in one run and one table.

Run: PYTHONPATH=src:benchmarks .venv-check/bin/python benchmarks/inspect_speed.py [ROUNDS] > benchmarks/inspect_speed.md
Both are started in alternation; figures are medians. They are no test: the work that is done is counted by tests/core/test_work.py.
"""

from __future__ import annotations

import math
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from bench_shapes import SHAPES, open_, twelve

HERE = Path(__file__).parent
ROUNDS = int(sys.argv[1]) if len(sys.argv) > 1 else 5
Took = tuple[float, float]


def run(*command: str) -> Took:
    """(wall seconds, peak MiB) of a whole process, its imports included."""
    began = time.perf_counter()
    pid = os.fork()
    if pid == 0:
        os.environ["PYTHONPATH"] = str(HERE.parent / "src")
        sink = os.open(os.devnull, os.O_WRONLY)
        os.dup2(sink, 1)
        os.dup2(sink, 2)
        os.execv(sys.executable, [sys.executable, *command])
    _, status, usage = os.wait4(pid, 0)
    assert os.waitstatus_to_exitcode(status) in (0, 1), command
    return time.perf_counter() - began, usage.ru_maxrss / 1024


def ours(model: Path, trying: str) -> Took:
    command = ("-m", "handlens", "inspect", str(model), "--json", str(model.with_suffix(".json")), "--try", trying)
    # The command forks: the child's memory is its own.
    return run(*command)


def peers(model: Path) -> Took:
    return run(str(HERE / "reference_load.py"), str(model))


def middle(rows: list[Took]) -> Took:
    return statistics.median(r[0] for r in rows), statistics.median(r[1] for r in rows)


def compared(name: str, words: str, make: Callable[[Path], None], folder: Path) -> str:
    model = folder / f"{name}.glb"
    make(model)
    rounds = [(ours(model, "none"), ours(model, "quick"), peers(model)) for _ in range(ROUNDS)]
    judged, tried, library = (middle([r[k] for r in rounds]) for k in range(3))
    return (
        f"| {words} | {judged[0]:.2f} | {tried[0]:.2f} | {library[0]:.2f} | **{judged[0] / library[0]:.2f}** | "
        f"{tried[0] / library[0]:.2f} | {judged[1] / library[1]:.2f} |"
    )


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    print("# `handlens inspect`: speed and memory\n")
    print(
        f"Made by `benchmarks/inspect_speed.py`: whole processes, medians of {ROUNDS} alternating rounds in one run on one machine"
    )
    print("of two cores. The library's script loads, welds, and tells adjacency, closedness, winding and pieces; the inspection")
    print("measures and judges all thirteen stations. *Tried* is with `--try quick`, the default; *judged* is without trials.\n")
    print("| shape | judged, s | tried, s | library, s | judged / library | tried / library | memory / library |")
    print("|---|---|---|---|---|---|---|")
    small = {"twelve": ("twelve triangles", twelve), "ten": ("10,000 triangles, open", lambda p: open_(p, 10_000))}
    some = {"hundred": ("100,000 triangles, open", lambda p: open_(p, 100_000))}
    for name, (words, make) in (small | some | SHAPES).items():
        print(compared(name, words, make, folder), flush=True)
    print("\n## Growth of the open shape, judged, less start-up\n")
    print("| triangles | seconds | ratio to 1M | n log n would be | MiB for each million |\n|---|---|---|---|---|")
    start = middle([ours(folder / "twelve.glb", "none") for _ in range(ROUNDS)])
    taken = {}
    for size in (100_000, 1_000_000, 2_000_000, 5_000_000):
        open_(folder / "grown.glb", size)
        took = middle([ours(folder / "grown.glb", "none") for _ in range(min(ROUNDS, 3))])
        taken[size] = took[0] - start[0], took[1] - start[1]
    for size, (seconds, memory) in taken.items():
        would = size * math.log(size) / (1_000_000 * math.log(1_000_000))
        print(f"| {size:,} | {seconds:.2f} | {seconds / taken[1_000_000][0]:.2f} | {would:.2f} | {memory / size * 1e6:,.0f} |")


if __name__ == "__main__":
    main()
