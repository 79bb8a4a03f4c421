"""Many models by one call: judged as `inspect` judges each, tried on copies, written where that helps, proved."""

from __future__ import annotations

import csv
import json

import pytest

from handlens import cli
from handlens.core import formats
from kit.defects import seeded, sound


@pytest.fixture
def props(tmp_path):
    """Three models with seeded defects, one that is sound, one that is broken, each in a folder of its own."""
    for name, made in {**{f"cart_{k}": seeded(k)[0] for k in range(3)}, "crate": sound()}.items():
        folder = tmp_path / "props" / name
        folder.mkdir(parents=True)
        (folder / f"{name}.glb").write_bytes(formats.write(made, "glb", name)[f"{name}.glb"])
    (tmp_path / "props" / "wreck.glb").write_bytes(b"glTF\x02\x00\x00\x00\x99\x99\x00\x00")
    return tmp_path / "props"


def batch(props, *words):
    code = cli.main(["batch", str(props), "--json", str(props.parent / "b.json"), "--quiet", "--no-project", *words])
    return code, json.loads((props.parent / "b.json").read_text())


def test_a_batch_judges_as_inspect_does_whatever_the_number_of_jobs(props, capsys):
    code, told = batch(props)
    assert code == 1
    assert "wreck.glb" in capsys.readouterr().err
    assert batch(props, "--jobs", "3")[1] == told
    for one in told["models"]:
        if "error" in one:
            continue
        cli.main(["inspect", one["place"], "--json", str(props.parent / "i.json"), "--quiet", "--no-project", "--try", "none"])
        alone = json.loads((props.parent / "i.json").read_text())
        assert {k: one["verdict"][k] for k in ("stop", "caution", "note")} == alone["verdict"]
    several = [t for t in told["troubles"] if t["models"] > 1]
    assert told["troubles"][: len(several)] == several
    assert [one["after"] for one in told["models"] if "error" not in one] == [None] * 4


def test_the_way_is_written_where_it_helps_and_proved(props):
    code, told = batch(props, "--way", "--jobs", "2", "--out", str(props.parent / "out"), "--csv", str(props.parent / "b.csv"))
    assert code == 1, "one of them could not be read"
    read = [one for one in told["models"] if "error" not in one]
    assert [one["proved"] for one in read] == [True] * 4
    for one in read:
        assert one["helps"] == (not one["place"].endswith("crate.glb"))
        cli.main(["inspect", one["files"][0], "--json", str(props.parent / "i.json"), "--quiet", "--no-project", "--try", "none"])
        again = json.loads((props.parent / "i.json").read_text())["verdict"]
        wanted = one["after"] if one["helps"] else one["verdict"]
        assert (again["stop"], again["caution"]) == (wanted["stop"], wanted["caution"]), one["place"]
    rows = list(csv.DictReader((props.parent / "b.csv").open()))
    assert [row["proved"] for row in rows].count("yes") == 4
    # A second time nothing is written over, unless that is said.
    assert batch(props, "--out", str(props.parent / "out"))[0] == 2
    assert batch(props, "--out", str(props.parent / "out"), "--replace")[0] == 1


def test_a_recipe_that_helps_nobody_leaves_every_model_as_it_came(props):
    (recipe := props.parent / "r.json").write_text(
        json.dumps({"schema": 1, "mends": [{"mend": "arrival.rename", "params": {"search": "crate", "replace": "box"}}]})
    )
    told = batch(props, "--recipe", str(recipe))[1]
    assert not any(one.get("helps") for one in told["models"])
    assert all(one["after"] for one in told["models"] if "error" not in one)


@pytest.mark.parametrize(
    "words",
    [["--way", "--recipe", "r.json"], ["--format", "glb"], ["--out", "one.glb"], ["--jobs", "0"], ["--rules", "none such"]],
)
def test_a_wrong_call_is_one_sentence(props, words, capsys):
    assert cli.main(["batch", str(props), *words]) == 2
    assert len(capsys.readouterr().err.splitlines()) == 1
