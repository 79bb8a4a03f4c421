"""Small files that state a great deal: told in a sentence or measured once, with the same answers as before."""

from __future__ import annotations

import dataclasses
import json
import struct

import numpy as np
import pytest
from msgspec.structs import replace

from handlens.core import formats
from handlens.core.geometry import rays
from handlens.core.judge import judge
from handlens.core.limits import InputError
from handlens.core.measures import collect
from handlens.core.measures.records import PartFigures
from handlens.core.packages import FolderPackage
from handlens.core.pipeline.writing import write_as
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Morph, Node
from handlens.core.stations.arrival.checks import _in_one_place, _same_bounds
from kit.scenes import cube, findings, scene


def _glb(tree: dict, chunk: bytes = b"") -> bytes:
    text = json.dumps({"asset": {"version": "2.0"}, **tree}).encode()
    text += b" " * (-len(text) % 4)
    pieces = struct.pack("<I4s", len(text), b"JSON") + text
    if chunk:
        pieces += struct.pack("<I4s", len(chunk), b"BIN\0") + chunk
    return b"glTF" + struct.pack("<II", 2, 12 + len(pieces)) + pieces


def _zeros(count: int) -> dict:
    accessor = {"componentType": 5126, "count": count, "type": "VEC3", "min": [0, 0, 0], "max": [0, 0, 0]}
    return {
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "mode": 0}]}],
        "accessors": [accessor],
    }


@pytest.mark.parametrize("count", [60_000_000, 6_000_000])
def test_values_that_are_stated_but_not_stored_do_not_outgrow_the_file(count, tmp_path):
    (tmp_path / "a.glb").write_bytes(_glb(_zeros(count)))
    with pytest.raises(InputError, match=rf"^a\.glb: accessors\[0\] states {count:,} values and stores none of them"):
        formats.read(FolderPackage(tmp_path), "a.glb")


def test_morph_targets_over_one_accessor_share_it_when_read_and_when_written(tmp_path):
    sag = Morph("sag", np.full((8, 3), 0.1))
    many = scene(dataclasses.replace(cube(), morphs=(sag,) * 2_000))
    (tmp_path / "a.glb").write_bytes(write_as(many, "glb", "a").files["a.glb"])
    assert (tmp_path / "a.glb").stat().st_size < 200_000
    morphs = formats.read(FolderPackage(tmp_path), "a.glb").meshes[0].morphs
    assert len(morphs) == 2_000
    assert all(m.positions is morphs[0].positions for m in morphs)


@pytest.mark.parametrize("accessor", [{}, [], "0", -1, 9])
def test_a_morph_target_over_no_accessor_is_said_with_its_place(accessor, tmp_path):
    tree = _zeros(3)
    tree["meshes"] = [{"primitives": [{"attributes": {"POSITION": 0}, "targets": [{"POSITION": accessor}]}]}]
    (tmp_path / "a.glb").write_bytes(_glb(tree))
    with pytest.raises(InputError, match=r"^a\.glb: meshes\[0\]\.targets"):
        formats.read(FolderPackage(tmp_path), "a.glb")


def test_a_few_of_them_are_read_as_the_standard_says(tmp_path):
    """glTF 2.0 §3.6.2.2: an accessor without a bufferView is all zeros."""
    (tmp_path / "a.glb").write_bytes(_glb(_zeros(100)))
    assert (formats.read(FolderPackage(tmp_path), "a.glb").meshes[0].positions == np.zeros((100, 3))).all()
    tree = {**_zeros(3_000_000), "meshes": [{"primitives": [{"attributes": {"POSITION": k}, "mode": 0}]} for k in range(4)]}
    tree["accessors"] *= 4
    (tmp_path / "b.glb").write_bytes(_glb(tree))
    with pytest.raises(InputError, match="stores none of them"):
        formats.read(FolderPackage(tmp_path), "b.glb")


def _of(part: PartFigures, k: int, low: np.ndarray, size: float) -> PartFigures:
    return replace(part, node=k, name=f"p{k}", bounds_min=low.tolist(), bounds_max=(low + size).tolist())


@pytest.mark.parametrize("size", [1e-6, 0.37, 1.0, 4.99999999, 1e6])
@pytest.mark.parametrize("at", [0.0, 1.0, -1e5])
def test_copies_in_one_place_are_those_that_a_comparison_of_all_with_all_finds(size, at):
    """Nudged by less and by more than the tolerance, about the borders of the grid's cells too."""
    dice = np.random.default_rng(7)
    lows = at * size + size * 1e-5 * dice.integers(0, 40, (60, 3)) / 4
    one = collect(scene(cube())).parts[0]
    parts = [_of(one, k, low, size * (1 + 1e-6 * dice.integers(-3, 4))) for k, low in enumerate(lows)]
    wanted: list[tuple[PartFigures, list[PartFigures]]] = []
    for p in parts:
        twin = next((g for g in wanted if _same_bounds(p, g[0])), None)
        twin[1].append(p) if twin else wanted.append((p, []))
    told = lambda groups: [(g.node, [p.node for p in more]) for g, more in groups]
    assert told(_in_one_place(parts)) == told([g for g in wanted if g[1]])


def test_a_crowd_in_one_place_is_one_finding():
    crowd = lambda n: scene(cube(), nodes=tuple(Node(f"n{k}", f"crate {k}", mesh=0) for k in range(n)))
    one = findings(crowd(2))["arrival.copies-in-place"]
    assert [f.title for f in one] == ["crate 1 stands exactly where crate 0 does"]
    many = findings(crowd(300))["arrival.copies-in-place"]
    assert [f.title for f in many] == ["299 parts stand exactly where others do: crate 1 where crate 0 does …"]
    assert many[0].count == len(many[0].elements.indices) == 299
    alone = apply_mend(crowd(300), *many[0].mends[0]).scene
    assert [n.name for n in alone.nodes] == ["crate 0"]


def test_faces_in_one_place_are_met_by_rays_as_if_each_were_there(monkeypatch):
    one = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0.2, 0.2, 1], [1.2, 0.2, 1], [0.2, 1.2, 1]], float)
    crowd = np.tile(np.array([[0, 1, 2], [3, 4, 5]], np.int32), (900, 1))
    dice = np.random.default_rng(3)
    origins = dice.uniform(-0.5, 0.5, (500, 3))
    ways = dice.normal(size=(500, 3))
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    thin = rays.RayScene(one, crowd)
    assert len(thin.number) == 2
    monkeypatch.setattr(rays, "_CROWD", 1 << 40)
    full = rays.RayScene(one, crowd)
    assert full.number is None
    assert (thin.blocked(origins, ways) == full.blocked(origins, ways)).all()
    met, all_met = thin.first(origins, ways).triangle, full.first(origins, ways).triangle
    assert ((met < 0) == (all_met < 0)).all()
    assert (met[met >= 0] % 2 == all_met[met >= 0] % 2).all()


def test_more_parts_than_are_looked_at_are_said_not_to_be(monkeypatch):
    made = scene(cube(), nodes=tuple(Node(f"n{k}", f"crate {k}", translation=(3.0 * k, 0, 0), mesh=0) for k in range(5)))
    looked = judge(collect(made), load_sheet(None), Intent())
    assert "Facing" not in looked.unlooked
    monkeypatch.setattr("handlens.core.measures.looked_at.PARTS_UP_TO", 4)
    assert "Facing" in judge(collect(made), load_sheet(None), Intent()).unlooked


def test_a_model_that_is_too_large_for_the_machine_is_said_to_be_before_it_is_measured(tmp_path, monkeypatch, capsys):
    from handlens import cli

    (tmp_path / "a.obj").write_text("o a\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    assert cli.main(["inspect", str(tmp_path / "a.obj")]) == 0
    monkeypatch.setattr("handlens.core.limits.CHILD_MEMORY_BYTES", 600)
    capsys.readouterr()
    assert cli.main(["inspect", str(tmp_path / "a.obj")]) == 2
    assert capsys.readouterr().err.startswith(
        "handlens: The model is too large for this machine: 1 triangle on 3 vertices take about"
    )
