"""How long reducing takes beside the library's call alone, and the curve of a part. Run: PYTHONPATH=src python benchmarks/reduction_speed.py > benchmarks/reduction_speed.md"""

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
    priced, _ = timed(outcome.all_figures)
    print("# Reducing beside the library's call alone\n")
    print(
        "Made by `benchmarks/reduction_speed.py`; one run, one machine of two cores. A wavy ring of a million triangles comes down to 100,000;"
    )
    print("\"alone\" is the library's own collapsing of edges.\n\n| what | ÷ the library's call alone |\n|---|---|")
    for what, seconds in (
        ("taking the mesh apart into wedges", apart),
        ("the library's call", alone),
        ("looking for what became no surface, and collapsing about it", sound),
        ("moving points to fit the surface of before, and taking needles out", placed),
        ("in all", apart + alone + sound + placed),
        ("measuring the price on the result", priced),
    ):
        print(f"| {what} | {seconds / alone:.2f} |")
    print(f"\nThe curve of {part.triangle_count:,} triangles took {timed(lambda: curve(scene(part)))[0]:.1f} s for ten counts.")
    i = np.arange(500)
    u, v = (x.ravel() / 500 for x in np.meshgrid(np.arange(501), np.arange(501), indexing="ij"))
    first = (i[:, None] * 501 + i[None]).ravel()
    flat = of(
        np.stack([u, v, 0 * u], axis=1),
        np.stack([first, first + 501, first + 502, first, first + 502, first + 1], axis=1).reshape(-1, 3),
    )
    print(
        f"Half a million flat triangles are told of in {timed(lambda: freed_by_merging(flat))[0]:.1f} s and merged in {timed(lambda: merged_flat(flat))[0]:.1f} s;"
    )
    box = trimesh.creation.box()
    for _ in range(6):
        box = box.subdivide()
    made, steps = of(np.array(box.vertices), np.array(box.faces)), 0
    began = time.perf_counter()
    while (back := coarser(made)) is not None:
        made, steps = back.mesh, steps + 1
    print(
        f"a cube subdivided to {len(box.faces):,} triangles goes back {steps} steps to {made.triangle_count} in {time.perf_counter() - began:.2f} s."
    )


if __name__ == "__main__":
    main()
