"""Images that are written under names by a pattern."""

from __future__ import annotations

from dataclasses import replace

import pytest

from handlens import cli
from handlens.core import formats
from handlens.core.packages import MemoryPackage
from handlens.core.pipeline.writing import write_as
from handlens.core.rules.export import ExportOptions
from kit.pictures import png, textured

BOARD = textured(png(noise=1), name="scan 01.png", more=[(png(noise=2), "normal", "bumps.final.png")])


@pytest.mark.parametrize("format_name", ["obj", "gltf", "usda", "dae"])
def test_each_file_is_called_by_what_uses_it_and_the_proof_holds(format_name):
    options = ExportOptions(image_names="T_{model}_{material}_{role}", images="beside")
    made = write_as(BOARD, format_name, "quay", options)
    files = made.files
    pictures = {name for name in files if name.endswith(".png")}
    assert pictures == {"T_quay_paint_base-colour.png", "T_quay_paint_normal.png"}
    main = next(iter(files))
    proof = made.proof(MemoryPackage(files), main)
    assert proof.proved, [row for row in proof.rows if row.result == "stop"]


def test_names_that_meet_are_told_apart_and_make_no_folders():
    made = replace(BOARD, materials=(replace(BOARD.materials[0], name="oak / wet.2"),))
    names = {n for n in formats.write(made, "obj", "quay", ExportOptions(image_names="{material}")) if n.endswith(".png")}
    assert names == {"oak_wet_2.png", "oak_wet_2_2.png"}
    by_part = formats.write(BOARD, "obj", "quay", ExportOptions(image_names="{part}_{role}", folder="paint"))
    assert "paint/board_base-colour.png" in by_part


def test_a_pattern_that_is_none_is_refused(tmp_path, capsys):
    (tmp_path / "b.glb").write_bytes(formats.write(BOARD, "glb", "b")["b.glb"])
    call = ["export", str(tmp_path / "b.glb"), "--format", "obj", "--out", str(tmp_path / "out") + "/", "--image-names"]
    for wrong in ("{colour}", "../x", "a.b", "{material"):
        assert cli.main([*call, wrong]) == 2, wrong
        assert "cannot be exported as asked" in capsys.readouterr().err
    assert cli.main([*call, "{material}_{role}", "--proof", str(tmp_path / "p.json")]) == 0
    assert (tmp_path / "out" / "paint_base-colour.png").is_file()
