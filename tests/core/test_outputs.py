"""Nothing that was read is replaced, nothing is written twice by one call, and what is there stays unless --replace says otherwise."""

import io
import os
from pathlib import Path

import pytest
from PIL import Image as Pillow

from handlens import cli
from handlens.core.limits import InputError
from handlens.core.pipeline.saving import Outputs

OBJ = "mtllib table.mtl\nusemtl oak\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n"


@pytest.fixture
def table(tmp_path):
    """A model with a library and a picture beside it, and what all its files hold."""
    out = io.BytesIO()
    Pillow.effect_noise((64, 64), 90).convert("RGB").save(out, "PNG")
    folder = tmp_path / "quay"
    folder.mkdir()
    (folder / "table.obj").write_text(OBJ)
    (folder / "table.mtl").write_text("newmtl oak\nmap_Kd table.png\n")
    (folder / "table.png").write_bytes(out.getvalue())
    return folder, {p.name: p.read_bytes() for p in folder.iterdir()}


def untouched(table):
    folder, before = table
    return {name: (folder / name).read_bytes() for name in before} == before


CALLS = {
    "a picture beside": "mend {q}/table.obj --mend textures.resize:pixels=8 --out {q}/table2.obj",
    "the library, by a report": "inspect {q}/table.obj --json {q}/table.mtl",
    "the model itself": "export {q}/table.obj --format obj --out {q}/table.obj",
    "one of a folder": "export {q} --format glb --out {q}/table.png.glb --proof {q}/table.mtl",
    "by another name of it": "inspect {q}/table.obj --json {q}/../hard.png",
    "the sheet": "inspect {q}/table.obj --rules {q}/../sheet.json --json {q}/../sheet.json",
}


@pytest.mark.parametrize("what", CALLS)
def test_no_file_that_was_read_is_ever_replaced(table, tmp_path, capsys, what):
    folder, _ = table
    os.link(folder / "table.png", tmp_path / "hard.png")
    from handlens.core.rules import load_sheet

    sheet = load_sheet("realtime-engine")
    import msgspec

    (tmp_path / "sheet.json").write_bytes(msgspec.json.encode(sheet))
    before = (tmp_path / "sheet.json").read_bytes()
    for more in ([], ["--replace"]):
        assert cli.main([*CALLS[what].format(q=folder).split(), *more]) == 2
        assert "never written over" in capsys.readouterr().err
    assert untouched(table)
    assert (tmp_path / "sheet.json").read_bytes() == before
    assert [p.name for p in folder.iterdir() if p.name.startswith(".handlens")] == []


def test_a_proof_does_not_replace_what_it_proves(table, tmp_path, capsys):
    folder, _ = table
    out = tmp_path / "out" / "reeds.obj"
    assert cli.main(["export", str(folder / "table.obj"), "--format", "obj", "--out", str(out), "--proof", str(out)]) == 2
    assert "has already written" in capsys.readouterr().err
    assert out.read_text().count("\nf ") == 1


def test_what_is_there_stays_unless_it_is_to_be_replaced(table, tmp_path, capsys):
    folder, _ = table
    call = ["export", str(folder / "table.obj"), "--format", "glb", "--out", str(tmp_path / "other.glb")]
    (tmp_path / "other.glb").write_bytes(b"somebody's")
    assert cli.main(call) == 2
    assert "--replace" in capsys.readouterr().err
    assert (tmp_path / "other.glb").read_bytes() == b"somebody's"
    assert cli.main([*call, "--replace"]) == 0
    assert (tmp_path / "other.glb").read_bytes().startswith(b"glTF")
    # Another model that lies beside the one that is read is no part of it.
    beside = ["export", str(tmp_path / "other.glb"), "--format", "obj", "--out", str(tmp_path / "third.obj"), "--replace"]
    assert [cli.main(beside), cli.main([*beside, "--unit", "mm"])] == [0, 0]
    # The same bytes once more replace nothing, and neither does a report an earlier one.
    assert cli.main(call) == 0
    for _ in range(2):
        assert cli.main(["inspect", str(folder / "table.obj"), "--json", str(tmp_path / "report.json"), "--fail-on", "stop"]) in (
            0,
            1,
        )
    (tmp_path / "notes.json").write_text('{"mine": 1}')
    assert cli.main(["inspect", str(folder / "table.obj"), "--json", str(tmp_path / "notes.json")]) == 2
    assert untouched(table)


def test_all_or_nothing_is_written(tmp_path):
    (tmp_path / "plain").write_bytes(b"")
    with pytest.raises(InputError):
        Outputs().write({tmp_path / "a.obj": b"1", tmp_path / "plain" / "b.obj": b"2"})
    assert [p.name for p in tmp_path.iterdir()] == ["plain"]
    Outputs().write({tmp_path / "new" / "a.obj": b"1", Path(tmp_path / "b.obj"): b"2"})
    assert (tmp_path / "new" / "a.obj").read_bytes() == b"1"
