"""What the command line prints, held against the schemas that we publish, by a validator of JSON Schema (draft 2020-12)."""

import copy
import json
from pathlib import Path

import jsonschema
import pytest

from handlens.cli import main
from handlens.core import formats
from handlens.core.present.published import schemas
from kit.everything import everything
from kit.odd import odd

DOCS = Path(__file__).parents[2] / "docs"
DEMO = Path(__file__).parents[2] / "demo/models"


def validator(name):
    tree = json.loads((DOCS / name).read_text())
    jsonschema.Draft202012Validator.check_schema(tree)
    return jsonschema.Draft202012Validator(tree)


@pytest.mark.parametrize("name", schemas())
def test_the_published_schema_is_the_codes(name):
    assert json.loads((DOCS / name).read_text()) == json.loads(json.dumps(schemas()[name])), "run tools/list-checks"


@pytest.fixture(scope="module")
def models(tmp_path_factory):
    """Demo models, one that has everything, odd ones, and one that cannot be read."""
    folder = tmp_path_factory.mktemp("models")
    for name, made in {
        "everything": everything(),
        "rig": odd("a rig"),
        "lost": odd("lost images"),
        "left": odd("things left over"),
    }.items():
        place = folder / name
        place.mkdir()
        for path, data in formats.write(made, "gltf", name).items():
            (place / path).write_bytes(data)
    (folder / "broken.glb").write_bytes(b"glTF")
    return folder


def printed(paths, folder, *more):
    out = folder / "report.json"
    main(["inspect", *map(str, paths), "--json", str(out), "--try", "none", "--replace", *more])
    return json.loads(out.read_text())


def test_reports_are_valid(models, tmp_path):
    check = validator("report.schema.json")
    alone = [DEMO / "heron", DEMO / "crab_pot", DEMO / "ferry_hut", *(p for p in models.iterdir() if p.is_dir())]
    for path in alone:
        check.validate(printed([path], tmp_path))
    check.validate(printed([*alone, models / "broken.glb"], tmp_path, "--rules", "creator-platform-strict"))


@pytest.mark.parametrize(
    "change",
    [
        lambda t: t.pop("verdict"),
        lambda t: t["facts"].pop("bounds"),
        lambda t: t["facts"].update(triangles="many"),
        lambda t: t["findings"][0].update(result="bad"),
        lambda t: t["findings"][0].update(further=1),
        lambda t: t["findings"][0]["measured"].update(unit="furlongs"),
        lambda t: t["judged_by"].update(intent={"kind": "boat"}),
    ],
)
def test_the_schema_refuses_what_is_no_report(change, tmp_path):
    tree = printed([DEMO / "heron"], tmp_path)
    changed = copy.deepcopy(tree)
    change(changed)
    with pytest.raises(jsonschema.ValidationError):
        validator("report.schema.json").validate(changed)


def test_proofs_are_valid(models, tmp_path):
    check = validator("proof.schema.json")
    out = tmp_path / "proof.json"
    main(["prove", str(DEMO / "heron/heron.glb"), str(DEMO / "crab_pot/crab_pot.glb"), "--json", str(out)])
    check.validate(json.loads(out.read_text()))
    main(
        [
            "export",
            str(models / "everything"),
            "--format",
            "obj",
            "--out",
            str(tmp_path / "x.obj"),
            "--proof",
            str(out),
            "--replace",
        ]
    )
    proof = json.loads(out.read_text())
    assert proof["verdict"]["caution"]
    check.validate(proof)
