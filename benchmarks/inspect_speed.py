"""Time and peak memory of `handlens inspect` against a script on the reference library, in alternation, and how time grows.

Run: PYTHONPATH=src python benchmarks/inspect_speed.py > benchmarks/inspect_speed.md
Figures are ratios from one run on one machine; they are no test.
"""

from __future__ import annotations

import os
import statistics
import sys
import tempfile
import time
from pathlib import Path

from make_model import write

HERE = Path(__file__).parent
ROUNDS = 5


def run(*command: str) -> tuple[float, float]:
    """(wall seconds, peak MiB) of a whole process, its imports included."""
    began = time.perf_counter()
    pid = os.fork()
    if pid == 0:
        os.environ["PYTHONPATH"] = str(HERE.parent / "src")
        sink = os.open(os.devnull, os.O_WRONLY)
        os.dup2(sink, 1)
        os.execv(sys.executable, [sys.executable, *command])
    _, status, usage = os.wait4(pid, 0)
    assert os.waitstatus_to_exitcode(status) in (0, 1), command
    return time.perf_counter() - began, usage.ru_maxrss / 1024


def ours(model: Path) -> tuple[float, float]:
    return run("-m", "handlens.cli", "inspect", str(model), "--json", str(model.with_suffix(".json")))


def against(model: Path, kind: str, words: str) -> None:
    """The whole inspection, all stations, beside the reference library's script."""
    count = write(model, 1_000_000, kind)
    pairs = [(ours(model), run(str(HERE / "reference_load.py"), str(model))) for _ in range(ROUNDS + 1)][1:]
    seconds, memory = [a[0] / b[0] for a, b in pairs], [a[1] / b[1] for a, b in pairs]
    print(f"## {count:,} triangles in GLB, {words}\n")
    print("Against load + weld + adjacency + closed + winding + pieces on the reference library.\n")
    print("| round | time ratio | memory ratio |\n|---|---|---|")
    for k, (s, m) in enumerate(zip(seconds, memory, strict=True), 1):
        print(f"| {k} | {s:.2f} | {m:.2f} |")
    print(
        f"| **median** | **{statistics.median(seconds):.2f}** | **{statistics.median(memory):.2f}** |\n\nWanted: at most 1.00 and 1.00.\n"
    )


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    print(
        "# `handlens inspect`: speed and memory\n\nMade by `benchmarks/inspect_speed.py`; one run, one machine, whole processes.\n"
    )
    against(folder / "million.glb", "plain", "one closed piece")
    against(
        folder / "laid.glb", "laid", "the same with a UV set and an image: overlap, islands, density and what the faces show too"
    )
    against(folder / "messy.glb", "messy", "20 pieces, 1 % of the faces turned, 300 holes")
    print("## Growth, time less start-up\n")
    print("| triangles | time ratio to 1M | per triangle, ratio to 1M | n log n would be |\n|---|---|---|---|")
    start = min(
        run("-c", "import handlens.cli, handlens.core.judge.report, handlens.core.pipeline.opening, numpy")[0] for _ in range(5)
    )
    times: dict[int, float] = {}
    for size in (10_000, 100_000, 1_000_000, 2_000_000, 4_000_000):
        model = folder / f"{size}.glb"
        n = write(model, size)
        times[n] = max(statistics.median(ours(model)[0] for _ in range(5)) - start, 1e-3)
    base_n = min(times, key=lambda n: abs(n - 1_000_000))
    import math

    for n, t in times.items():
        ratio = t / times[base_n]
        expected = n * math.log(n) / (base_n * math.log(base_n))
        print(f"| {n:,} | {ratio:.3f} | {ratio / (n / base_n):.2f} | {expected:.3f} |")
    print("\nSmall files are ruled by fixed costs (imports of checks, JSON); from 100k on growth is what matters.")


if __name__ == "__main__":
    main()
