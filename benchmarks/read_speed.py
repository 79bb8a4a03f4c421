"""Reading: GLB against numpy and a JSON parser on the same arrays, OBJ against the reference library, and memory.

Run: PYTHONPATH=src python benchmarks/read_speed.py > benchmarks/read_speed.md
Each run is a process of its own that tells its best time of several and how far its memory rose over what imports took. Ratios from
one run on one machine; they are no test.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from make_model import bumpy_sphere, write

HERE = Path(__file__).parent
ROUNDS, REPEATS = 3, 2


def ours(path: str) -> object:
    from handlens.core import formats
    from handlens.core.packages import FilePackage

    return formats.read(FilePackage(Path(path)), Path(path).name)


def bare_glb(path: str) -> object:
    """The JSON, the arrays as they lie, and positions as doubles, which is what a scene holds."""
    import msgspec

    data = Path(path).read_bytes()
    length = int.from_bytes(data[12:16], "little")
    tree = msgspec.json.decode(data[20 : 20 + length])
    base = 28 + length
    views = tree["bufferViews"]
    positions = np.frombuffer(data, np.float32, tree["accessors"][0]["count"] * 3, base + views[0]["byteOffset"]).reshape(-1, 3)
    index = np.frombuffer(data, np.uint32, tree["accessors"][1]["count"], base + views[1]["byteOffset"])
    assert int(index.max()) < len(positions)
    return tree, positions.astype(np.float64), index.astype(np.int32), np.arange(len(index) // 3 + 1, dtype=np.int64) * 3


def reference_obj(path: str) -> object:
    import trimesh

    return trimesh.load(path, process=False)


READERS: dict[str, Callable[[str], object]] = {"ours": ours, "bare": bare_glb, "reference": reference_obj}


def memory(which: str) -> int:
    """Bytes of this process: VmRSS, what it has now, or VmHWM, the most so far (getrusage's would hold its parent's too)."""
    line_ = next(x for x in Path("/proc/self/status").read_text().splitlines() if x.startswith(which))
    return int(line_.split()[1]) * 1024


def child(which: str, path: str) -> None:
    small = Path(path).with_name(f"small{Path(path).suffix}")
    READERS[which](str(small))  # what is imported when first wanted is there before anything is timed
    before = memory("VmRSS")
    times = []
    for _ in range(REPEATS):
        began = time.perf_counter()
        kept = READERS[which](path)
        times.append(time.perf_counter() - began)
        del kept
    print(json.dumps([min(times), memory("VmHWM") - before]))


def run(which: str, path: Path) -> tuple[float, float]:
    out = subprocess.run([sys.executable, __file__, which, str(path)], capture_output=True, check=True, text=True).stdout
    seconds, risen = json.loads(out.splitlines()[-1])
    return seconds, risen


def obj(path: Path, triangles: int) -> int:
    """The same sphere as text; returns bytes of its arrays as a scene holds them."""
    positions, index = bumpy_sphere(triangles)
    lines = [f"v {x:.7g} {y:.7g} {z:.7g}" for x, y, z in positions.tolist()]
    lines += [f"f {a} {b} {c}" for a, b, c in (index + 1).tolist()]
    path.write_text("\n".join(lines) + "\n")
    return positions.size * 8 + index.size * 4 + len(index) * 8


def main() -> None:
    folder = Path(tempfile.mkdtemp())
    write(folder / "small.glb", 1000)
    obj(folder / "small.obj", 200_000)  # large enough for what a large one imports
    count = write(folder / "million.glb", 1_000_000)
    arrays = obj(folder / "million.obj", 1_000_000)
    print("# Reading: speed and memory\n\nMade by `benchmarks/read_speed.py`; one run, one machine, a process each.\n")
    print(f"{count:,} triangles, the best of {REPEATS} in each process, {ROUNDS} rounds in turn.\n")
    print("| | median ratio | wanted |\n|---|---|---|")
    glb = [(run("ours", folder / "million.glb"), run("bare", folder / "million.glb")) for _ in range(ROUNDS)]
    text = [(run("ours", folder / "million.obj"), run("reference", folder / "million.obj")) for _ in range(ROUNDS)]
    line("GLB: time ÷ the same arrays by numpy, and the JSON", [a[0] / b[0] for a, b in glb], "≤ 1.30")
    line("GLB: memory ÷ the scene's arrays", [a[1] / arrays for a, _ in glb], "< 6.00")
    line("OBJ: the reference library's time ÷ ours", [b[0] / a[0] for a, b in text], "≥ 5.00")
    line("OBJ: memory ÷ the scene's arrays", [a[1] / arrays for a, _ in text], "< 6.00")


def line(what: str, values: list[float], wanted: str) -> None:
    print(f"| {what} | {statistics.median(values):.2f} | {wanted} |")


if __name__ == "__main__":
    child(*sys.argv[1:]) if len(sys.argv) > 2 else main()
