"""Odd scenes through every writer, the stage's copy, the checks and the ledger: something whole comes out, or one sentence."""

import json
import re

import numpy as np
import pytest

from handlens.core import formats
from handlens.core.display import display_copy, reduced_copy
from handlens.core.formats.table import WRITERS
from handlens.core.limits import InputError
from handlens.core.machine.sections import Opened
from handlens.core.measures import collect
from handlens.core.pipeline.writing import write_as
from handlens.core.present.report import report
from handlens.core.rules import Intent, load_sheet, shipped
from handlens.core.rules.export import ExportOptions
from kit.odd import ODD, odd, whole
from kit.offered import looked_over
from kit.scenes import round_trip

RUBBISH = re.compile(r"\bNone\b|\b(nan|NaN)\b|<[a-z_]+ object|Traceback")


@pytest.mark.parametrize("name", WRITERS)
@pytest.mark.parametrize("made", ODD)
def test_what_is_written_can_be_read_and_compared(made, name, tmp_path):
    sent = odd(made)
    for sentence in formats.what_is_lost(sent, name):
        assert sentence.endswith("."), sentence
        assert not RUBBISH.search(sentence), sentence
    try:
        back, proof = round_trip(sent, name, tmp_path)
    except InputError as error:
        # A file of nothing at all is none that can be read: STL of no facet, PLY of no vertex.
        assert not any(m.face_count for m in sent.meshes), error
        return
    whole(back)
    assert proof.proved, [r for r in proof.rows if r.result == "stop"]
    json.dumps(proof.to_json(), allow_nan=False)
    for row in proof.rows:
        assert row.result in ("clear", "caution", "stop")
        assert not RUBBISH.search(f"{row.what} {row.sent} {row.read_back} {row.difference} {row.remark}"), row


@pytest.mark.parametrize(
    "options",
    [
        ExportOptions(unit="mm", up_axis="Z", triangulate=True),
        ExportOptions(images="beside", folder="maps/{model}"),
        ExportOptions(images="none"),
    ],
)
@pytest.mark.parametrize("made", ODD)
def test_options_of_an_export_hold_for_anything(made, options):
    for name in ("glb", "obj", "dae"):
        written = write_as(odd(made), name, "odd", options)
        files = written.files
        assert next(iter(files)).startswith("odd.")
        assert all(s.endswith(".") for s in written.lost)
        if options.images == "none":
            assert not [k for k in files if k.endswith(".png")]


@pytest.mark.parametrize("made", ODD)
def test_the_stage_gets_a_copy_of_anything(made):
    data = display_copy(odd(made))
    copy = Opened(data)
    header = copy.header
    json.dumps(header, allow_nan=False)
    for mesh in header["meshes"]:
        positions = copy.array(mesh["positions"], np.float32)
        assert np.isfinite(positions).all()
        index = copy.array(mesh["index"], np.uint32)
        assert not len(index) or index.max() < len(positions) / 3
        assert sum(g["count"] for g in mesh["groups"]) == len(index)
        for key in (k for k in mesh if k.startswith("uv")):
            assert len(copy.array(mesh[key], np.float32)) == len(positions) / 3 * 2
    assert all(p["mesh"] < len(header["meshes"]) for p in header["parts"])
    for m in header["materials"]:
        for laid in (m, m["glow"]):
            assert laid is None or laid["image"] is None or laid["image"] < len(header["images"])
        assert m["alphaMode"] in ("opaque", "mask", "blend")
    assert reduced_copy(data) is None, "small things are drawn as they are"


@pytest.mark.parametrize("sheet", [s.slug for s in shipped()])
@pytest.mark.parametrize("made", ODD)
def test_checks_and_ledger_hold_together_on_anything(made, sheet):
    looked_over(collect(odd(made)), load_sheet(sheet), Intent())


@pytest.mark.parametrize("made", ODD)
def test_the_report_of_anything_is_plain_json(made):
    from handlens.core.judge import judge
    from handlens.terminal import findings_text

    m = collect(odd(made))
    judged = judge(m, load_sheet(None), Intent())
    tree = report({}, m, judged)
    json.dumps(tree, allow_nan=False)
    assert tree == report({}, collect(odd(made)), judge(collect(odd(made)), load_sheet(None), Intent())), "the same twice over"
    text = findings_text("odd.glb", "Realtime engine", tree)
    assert not RUBBISH.search(text), text
    assert text.count("\n") + 1 >= 2
