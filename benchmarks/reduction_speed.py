"""How long reducing takes beside the library's call alone, and the curve of a part. Run: PYTHONPATH=src python benchmarks/reduction_speed.py"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np
import trimesh

from handlens.core.reduction.collapse import Reducer
from handlens.core.reduction.flat import freed_by_merging, merged_flat
from handlens.core.reduction.subdivision import coarser
from handlens.core.route.tape import apply_mend
from handlens.core.scene import Mesh, Node, Scene
from handlens.core.stations.budget.curve import curve


def ring(n: int) -> Mesh:
    """A wavy ring of n² triangles, points shared, without UVs or normals."""
    made = trimesh.creation.torus(1, 0.3, n, n // 2)
    p = np.array(made.vertices)
    return of(p * (1 + 0.02 * np.sin(20 * p[:, [0]])), np.array(made.faces))


def of(positions: np.ndarray, faces: np.ndarray) -> Mesh:
    slots = np.zeros(len(faces), np.int32)
    return Mesh("m", "ring", positions, faces.astype(np.int32).reshape(-1), np.arange(len(faces) + 1) * 3, slots, (-1,))


def scene(mesh: Mesh) -> Scene:
    return Scene("glb", (Node("n", "ring", mesh=0),), (0,), (mesh,), unit_metres=1.0, up_axis="Y")


def timed(work: Callable[[], Any]) -> tuple[float, Any]:
    began = time.perf_counter()
    made = work()
    return time.perf_counter() - began, made


def main() -> None:
    large, part = ring(1000), ring(450)
    apart, work = timed(lambda: Reducer(large))
    alone, left = timed(lambda: work.triangles(100_000))
    sound, left = timed(lambda: work.sound(left))
    placed, _ = timed(lambda: work.reduced(left))
    _, outcome = timed(lambda: apply_mend(scene(large), "budget.reduce", {"triangles": 100_000}))
    priced, _ = timed(outcome.told)
    whole = apart + alone + sound + placed
    print(
        f"1,000,000 to 100,000 triangles ÷ the library's call alone: {whole / alone:.2f} (apart {apart / alone:.2f}, sound {sound / alone:.2f}, placed {placed / alone:.2f})"
    )
    print(f"its price measured ÷ the library's call alone: {priced / alone:.2f}")
    print(f"the curve of {part.triangle_count:,} triangles: {timed(lambda: curve(scene(part)))[0]:.1f} s")
    i = np.arange(500)
    u, v = (x.ravel() / 500 for x in np.meshgrid(np.arange(501), np.arange(501), indexing="ij"))
    first = (i[:, None] * 501 + i[None]).ravel()
    flat = of(
        np.stack([u, v, 0 * u], axis=1),
        np.stack([first, first + 501, first + 502, first, first + 502, first + 1], axis=1).reshape(-1, 3),
    )
    print(
        f"500,000 flat triangles: told in {timed(lambda: freed_by_merging(flat))[0]:.1f} s, merged in {timed(lambda: merged_flat(flat))[0]:.1f} s"
    )
    box = trimesh.creation.box()
    for _ in range(6):
        box = box.subdivide()
    made, steps = of(np.array(box.vertices), np.array(box.faces)), 0
    began = time.perf_counter()
    while (back := coarser(made)) is not None:
        made, steps = back.mesh, steps + 1
    print(
        f"{len(box.faces):,} triangles of a cube taken back {steps} steps to {made.triangle_count}: {time.perf_counter() - began:.2f} s"
    )


if __name__ == "__main__":
    main()
