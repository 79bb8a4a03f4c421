"""One more mend on a long tape: played from its start, and from the kept scene. Ratios of one run on one machine.

Run: PYTHONPATH=src python benchmarks/tape_speed.py
"""

from __future__ import annotations

import io
import sys
import tempfile
import time
from contextlib import redirect_stdout
from pathlib import Path
from typing import Any

import numpy as np

from handlens.jobs import child

TAPE = [
    {"mend": "surface.triangulate", "params": {}},
    {"mend": "facing.normals", "params": {"angle": 30}},
    {"mend": "facing.turn", "params": {}},
]
LAST = {"mend": "size.scale", "params": {"factor": 0.01}}


def sheet(side: int) -> bytes:
    """A wavy sheet of side² quads, as OBJ."""
    x, y = np.meshgrid(np.arange(side + 1), np.arange(side + 1))
    z = np.sin(x / 5.0) * np.cos(y / 7.0)
    out = io.StringIO()
    np.savetxt(out, np.column_stack([x.ravel(), z.ravel(), y.ravel()]), "v %.6f %.6f %.6f")
    k = (np.arange(side)[:, None] * (side + 1) + np.arange(side) + 1).ravel()
    np.savetxt(out, np.column_stack([k, k + 1, k + side + 2, k + side + 1]), "f %d %d %d %d")
    return out.getvalue().encode()


def timed(request: dict[str, Any]) -> tuple[float, Any]:
    """Seconds of reading and mending, and what came of it."""
    began = time.perf_counter()
    with redirect_stdout(io.StringIO()):
        made = child._read_and_mend(request)
    assert all(r["applied"] for r in made.runs), made.runs
    return time.perf_counter() - began, made


def main() -> None:
    print(
        "# One more mend on a long tape\n\nMade by `benchmarks/tape_speed.py`; one run, one machine. A wavy sheet is cut into triangles, gets new"
    )
    print(
        "normals and is turned; then it is scaled. Where playing a tape took half a second or more its scene is kept, and the next mend goes on"
    )
    print("from there (`core/scene/stored.py`).\n")
    print(
        "| triangles | kept bytes to the file's | keeping, share of the tape | one more mend, share of all anew |\n|---|---|---|---|"
    )
    for side in map(int, sys.argv[1:] or ("60", "180", "500")):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "in").mkdir()
            data = sheet(side)
            (folder / "in/sheet.obj").write_bytes(data)
            request = {"folder": str(folder / "in"), "main": "sheet.obj", "tape": TAPE}
            tape, made = timed(request)
            began = time.perf_counter()
            child._WORTH = 0.0
            child._keep_scene(made, folder)
            keeping = time.perf_counter() - began
            longer = {**request, "tape": [*TAPE, LAST]}
            anew, _ = timed(longer)
            kept, _ = timed({**longer, "played": {"file": str(folder / "scene.bin"), "runs": made.runs}})
            size = (folder / "scene.bin").stat().st_size / len(data)
            print(f"| {2 * side * side:,} | {size:.2f} | {keeping / tape:.3f} | {kept / anew:.3f} |")


if __name__ == "__main__":
    main()
