"""What an inspection does, counted and not timed: rows sorted, edges gathered, rays cast, mends played, bytes taken at once.

Each shape is measured at 20,000 and at 80,000 triangles. A step that grows faster than n log n, a mend that is played to be told, or
a mesh that is measured twice fails by its name.
"""

import ast
import os
import signal
import tracemalloc
from collections import Counter
from pathlib import Path

import bench_shapes
import pytest

from handlens.core.geometry import adjacency, distinct, embree, topology
from handlens.core.machine.forked import by_two
from handlens.core.measures import of_meshes
from handlens.core.measures.known import Known
from handlens.core.pipeline.opening import open_scene
from handlens.core.route import measuring, tape

#: What each shape may do for each triangle at 20,000: rows sorted to find equal ones, sides gathered into edges, rays, kilobytes.
ALLOWED = {
    "closed": {"rows": 0.6, "sides": 3.1, "rays": 0.1, "kilobytes": 0.6},
    "open": {"rows": 1.7, "sides": 3.1, "rays": 14, "kilobytes": 1.1},
    "messy": {"rows": 0.7, "sides": 3.1, "rays": 14, "kilobytes": 1.3},
    "parts": {"rows": 2.4, "sides": 3.1, "rays": 20, "kilobytes": 1.4},
    "body": {"rows": 3.0, "sides": 9.2, "rays": 14, "kilobytes": 2.9},
}
#: Four times the triangles may be so many times the work, n log n being 4.6; rays are as many however large a model is.
GROWTH = 4.7


def work_of(path, monkeypatch, bytes_too):
    """Counted by name, for one inspection whose offers are not tried."""
    done = Counter()

    def counted(place, name, key, size):
        real = getattr(place, name)

        def wrapped(*args, **kwargs):
            done[key] += size(*args)
            return real(*args, **kwargs)

        monkeypatch.setattr(place, name, wrapped)

    with monkeypatch.context() as patched:
        monkeypatch = patched
        # All in one process and thread, where it can be counted.
        monkeypatch.setattr(os, "sched_getaffinity", lambda _: {0})
        counted(distinct, "_number", "rows", lambda key, words: len(key))
        for place in (topology, adjacency):
            counted(place, "edges", "sides", lambda mesh, *_: len(mesh.corners))
        counted(embree.Triangles, "_cast", "rays", lambda self, name, origins, *_: len(origins))
        counted(of_meshes, "surface_figures", "meshes", lambda *_: 1)
        counted(tape, "apply_mend", "plays", lambda *_: 1)
        scene = open_scene(str(path))[2]
        if bytes_too:
            tracemalloc.start()
        measuring.measure(scene, known=Known(None))
        if bytes_too:
            done["kilobytes"] = tracemalloc.get_traced_memory()[1] / 1024
            tracemalloc.stop()
    return done, scene


@pytest.mark.parametrize("name", ALLOWED)
def test_work_stays_within_what_is_allowed_and_grows_no_faster_than_n_log_n(name, tmp_path, monkeypatch):
    told = {}
    for count in (20_000, 80_000):
        bench_shapes.SHAPES[name][1](tmp_path / f"{count}.glb", count)
        told[count], scene = work_of(tmp_path / f"{count}.glb", monkeypatch, count == 20_000)
        assert told[count]["plays"] == 0, "a mend is played only to be told"
        assert told[count]["meshes"] == len(scene.meshes), "a mesh is measured once"
    small, large = told[20_000], told[80_000]
    for key, most in ALLOWED[name].items():
        assert small[key] <= most * 20_000, f"{name}: {key} for each triangle: {small[key] / 20_000:.2f}, allowed {most}"
        if key != "kilobytes":
            assert large[key] <= GROWTH * small[key] + 50_000, f"{name}: {key} grow {large[key] / max(small[key], 1):.1f} times"


def test_no_list_is_made_anew_for_each_thing_that_is_sifted_by_it():
    """`x for x in … if x in set(…)` makes the set once for each x: fifty thousand nodes took minutes."""
    found = []
    for path in sorted((Path(__file__).parents[2] / "src").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            for sifted in getattr(node, "generators", ()):
                for test in (x for part in sifted.ifs for x in ast.walk(part) if isinstance(x, ast.Compare)):
                    held = [c for op, c in zip(test.ops, test.comparators, strict=True) if isinstance(op, ast.In | ast.NotIn)]
                    if any(
                        isinstance(c, ast.Call) and getattr(c.func, "id", "") in ("set", "list", "sorted", "tuple") for c in held
                    ):
                        found.append(f"{path.name}:{test.lineno}")
    assert found == []


@pytest.mark.parametrize("fate", ["well", "falls", "killed"])
def test_work_of_two_processes_is_that_of_one(fate, monkeypatch):
    here = os.getpid()

    def work(n):
        if os.getpid() != here and n > 5:
            if fate == "falls":
                raise ValueError("only in the copy")
            if fate == "killed":
                os.kill(os.getpid(), signal.SIGKILL)
        return n * n, os.getpid() == here

    monkeypatch.setattr(os, "sched_getaffinity", lambda _: {0, 1})
    told = by_two(work, range(21))
    assert [square for square, _ in told] == [n * n for n in range(21)]
    assert all(mine for _, mine in told) == (fate != "well")
    with pytest.raises(ZeroDivisionError):
        by_two(lambda n: 1 // n, range(3))


def test_many_small_meshes_are_measured_alike_by_one_process_and_two(tmp_path, monkeypatch):
    bench_shapes.parts(tmp_path / "parts.glb", 16_000)
    scene = open_scene(str(tmp_path / "parts.glb"))[2]
    two = measuring.measure(scene, known=Known(None))
    monkeypatch.setattr(os, "sched_getaffinity", lambda _: {0})
    one = measuring.measure(scene, known=Known(None))
    assert len(scene.meshes) >= 64
    assert one.to_bytes() == two.to_bytes()
