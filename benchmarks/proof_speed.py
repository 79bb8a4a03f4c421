"""The proof against reading the file that it proves, in formats and in shapes that are hard on it.

Run: PYTHONPATH=src python benchmarks/proof_speed.py > benchmarks/proof_speed.md
The best of several in one process. Ratios from one run on one machine; they are no test.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from make_model import write

from handlens.core import formats
from handlens.core.geometry.recut import only_vertices, recut, used_vertices
from handlens.core.packages import FilePackage, FolderPackage
from handlens.core.pipeline.writing import write_as
from handlens.core.proof import prove, prove_conformed
from handlens.core.scene import Node, Scene
from handlens.core.scene.model import Mesh
from handlens.core.words.arrays import Array

TRIANGLES, REPEATS = 1_000_000, 3


def best(work: Callable[[], Any]) -> tuple[float, Any]:
    times, made = [], None
    for _ in range(REPEATS):
        began = time.perf_counter()
        made = work()
        times.append(time.perf_counter() - began)
    return min(times), made


def shuffled(scene: Scene) -> Scene:
    """The same model with its faces in another order, so that nothing stands where it stood."""
    mesh = scene.meshes[0]
    return scene.with_(meshes=(_in_order(mesh, np.random.default_rng(1).permutation(mesh.face_count)),))


def _in_order(mesh: Mesh, faces: Array) -> Mesh:
    """Triangles of a mesh, by number."""
    corners = (faces[:, None] * 3 + np.arange(3)).reshape(-1)
    return recut(mesh, corners, np.arange(len(faces) + 1, dtype=np.int64) * 3, faces)


def in_pieces(scene: Scene, pieces: int) -> Scene:
    """The same faces in as many parts."""
    mesh = scene.meshes[0]
    spans = np.array_split(np.arange(mesh.face_count), pieces)
    own = [_in_order(mesh, span) for span in spans]
    meshes = tuple(replace(only_vertices(m, used_vertices(m)), name=f"piece_{k}") for k, m in enumerate(own))
    nodes = tuple(Node(f"node:{k}", f"piece_{k}", mesh=k) for k in range(pieces))
    return scene.with_(meshes=meshes, nodes=nodes, roots=tuple(range(pieces)))


def main() -> None:
    print("# The proof: speed\n\nMade by `benchmarks/proof_speed.py`; one run, one machine.\n")
    print(f"{TRIANGLES:,} triangles, the best of {REPEATS}. Wanted: at most 1.5.\n")
    print("| model | format | proving ÷ reading the written file | proving |\n|---|---|---|---|")
    with tempfile.TemporaryDirectory() as folder:
        read: dict[str, Scene] = {}
        for kind in ("plain", "messy", "laid"):
            path = Path(folder, f"{kind}.glb")
            write(path, TRIANGLES, kind)
            read[kind] = formats.read(FilePackage(path), path.name)
        read["1,000 parts"] = in_pieces(read["plain"], 1000)
        for kind, scene in read.items():
            for name in ("glb", "obj", "ply", "stl"):
                place = Path(folder, kind, name)
                written = write_as(scene, name, "thing")
                for path, data in written.files.items():
                    (place / path).parent.mkdir(parents=True, exist_ok=True)
                    (place / path).write_bytes(data)
                package, main_file = FolderPackage(place), next(iter(written.files))
                reading, again = best(lambda p=package, f=main_file: formats.read(p, f))
                proving, proof = best(lambda w=written, a=again: prove_conformed(w.held, a, w.sent_as))
                assert proof.proved, [r for r in proof.rows if r.result == "stop"]
                print(f"| {kind} | {name.upper()} | {proving / reading:.2f} | {proving:.2f} s |", flush=True)
        other = shuffled(read["plain"])
        proving, proof = best(lambda: prove(read["plain"], other))
        print(f"| plain, its faces in another order | two scenes | | {proving:.2f} s |")
        print("\nA GLB's arrays lie in the file as a scene holds them, so that reading one is hardly more than opening it.")


if __name__ == "__main__":
    main()
