"""A gate lets nothing through unlooked: every model of a folder is judged, and what could not be read or looked at is no clean verdict."""

import json
import shutil
import subprocess
import sys
import zipfile

import pytest

from conftest import ROOT
from handlens import cli
from handlens.core.judge import judge as real_judge
from handlens.core.pipeline.opening import open_scene

CLEAN = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n"
EMPTY = "o nothing\nv 0 0 0\n"


@pytest.fixture
def quay(tmp_path):
    """A folder with a model that nothing stops and one that is stopped."""
    folder = tmp_path / "quay"
    folder.mkdir()
    (folder / "a.obj").write_text(CLEAN)
    (folder / "b.obj").write_text(EMPTY)
    return folder


def judged(*call, capsys):
    code = cli.main(["inspect", *map(str, call), "--json", "-"])
    told = capsys.readouterr()
    return code, json.loads(told.out) if told.out else None, told.err


@pytest.mark.parametrize("packed", [False, True])
def test_every_model_of_a_folder_or_zip_is_judged(quay, tmp_path, capsys, packed):
    where = quay
    if packed:
        where = tmp_path / "quay.zip"
        with zipfile.ZipFile(where, "w") as z:
            for name in ("a.obj", "b.obj"):
                z.write(quay / name, name)
    code, tree, _ = judged(where, capsys=capsys)
    assert code == 1
    assert {m["source"]["path"]: bool(m["verdict"]["stop"]) for m in tree["models"]} == {"a.obj": False, "b.obj": True}
    assert tree["verdict"]["stop"] == sum(m["verdict"]["stop"] for m in tree["models"])
    one, alone, _ = judged(quay / "a.obj", capsys=capsys)
    assert (one, alone["source"]["path"]) == (0, "a.obj")


def test_several_paths_and_one_that_cannot_be_read(quay, capsys):
    (quay / "b.obj").write_bytes(b"glTF\x02\x00\x00\x00")
    code, tree, err = judged(quay / "a.obj", quay / "b.obj", capsys=capsys)
    assert code == 1
    assert ["error" in m for m in tree["models"]] == [False, True]
    assert "b.obj" in err
    (quay / "a.obj").unlink()
    (quay / "c.obj").write_bytes(b"\0\1\2")
    assert judged(quay, capsys=capsys)[0] == 2


def test_what_could_not_be_looked_at_is_no_clean_verdict(quay, capsys, monkeypatch):
    from dataclasses import replace

    from handlens.core import judge

    (quay / "b.obj").unlink()
    assert judged(quay, capsys=capsys)[0] == 0
    monkeypatch.setattr(judge, "judge", lambda *args: replace(real_judge(*args), unlooked=("Lanterns",)))
    code, tree, _ = judged(quay, capsys=capsys)
    assert (code, tree["not_looked_at"]) == (1, ["Lanterns"])
    assert cli.main(["inspect", str(quay), "--allow-unlooked"]) == 0


def test_a_reader_that_goes_away_gets_no_clean_verdict(quay):
    for k in range(60):
        shutil.copy(quay / "b.obj", quay / f"model {k} with a name as long as it takes to fill a pipe {'x' * 150}.obj")
    command = [sys.executable, "-m", "handlens", "inspect", str(quay)]
    run = subprocess.Popen(
        command, stdout=subprocess.PIPE, cwd=ROOT, env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"}
    )
    run.stdout.close()
    assert run.wait(120) not in (0,)


def test_a_report_on_several_models_beside_one_of_them_is_no_side_file(tmp_path):
    """It names everything and binds nothing."""
    (tmp_path / "crate.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    (tmp_path / "many.json").write_text('{"schema": 1, "models": [{"source": {"files": [{"path": "gone.glb"}]}}]}')
    (tmp_path / "own.json").write_text('{"list": ["gone.glb"]}')
    assert [n.path for n in open_scene(tmp_path / "crate.obj")[2].beside] == ["own.json"]
