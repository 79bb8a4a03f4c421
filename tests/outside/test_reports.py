"""Reports beside the schemas that are published for them, and read back by the standard library's own readers."""

import csv
import json
from html.parser import HTMLParser
from pathlib import Path

import jsonschema
import pytest
from lxml import etree

from handlens.cli import main
from handlens.core import formats
from handlens.core.limits import InputError
from handlens.core.present.reports import FORMATS, Reported, report_file
from handlens.core.scene import Node
from kit.scenes import cube, scene

SCHEMAS = Path(__file__).parent / "schemas"
DEMO = Path(__file__).parents[2] / "demo/models"
#: Names that a format could take for more than a name.
NAMES = ("=1+1", "<b>&amp;</b>", "a\x01b", 'oar, "left"\nhalf', "\u65b0 \U0001f6f6")


@pytest.fixture(scope="module")
def reports(tmp_path_factory):
    """A report of each kind on a demo model, one with odd names, and one that cannot be read; and the exit codes."""
    folder = tmp_path_factory.mktemp("reports")
    nodes = tuple(Node(f"n{k}", name, scale=(1.0, 1.0, 2.0 + k), mesh=0) for k, name in enumerate(NAMES))
    (folder / "odd names.glb").write_bytes(formats.write(scene(cube(), nodes=nodes), "glb", "x")["x.glb"])
    (folder / "broken.glb").write_bytes(b"glTF")
    paths = [str(DEMO / "heron"), str(folder / "odd names.glb"), str(folder / "broken.glb")]
    told = ["--rules", "creator-platform-strict", "--try", "none"]
    codes = {ending: main(["report", *paths, "--out", str(folder / f"r{ending}"), *told]) for ending in FORMATS}
    assert main(["inspect", *paths, "--json", str(folder / "r.json"), *told]) == 1
    return {ending: (folder / f"r{ending}").read_bytes() for ending in (*FORMATS, ".json")}, codes


def test_every_kind_fails_as_inspect_does(reports):
    assert set(reports[1].values()) == {1}


def test_sarif_is_valid_and_holds_every_finding(reports):
    found = json.loads(reports[0][".sarif"])
    jsonschema.Draft4Validator(json.loads((SCHEMAS / "sarif-2.1.0.json").read_text())).validate(found)
    [run] = found["runs"]
    told = [f for m in json.loads(reports[0][".json"])["models"] for f in m.get("findings", [])]
    assert [(r["ruleId"], r["properties"]["measured"]) for r in run["results"]] == [(f["check"], f["measured"]) for f in told]
    assert all(run["tool"]["driver"]["rules"][r["ruleIndex"]]["id"] == r["ruleId"] for r in run["results"])
    assert {r["level"] for r in run["results"]} == {"error", "warning", "note"}
    assert "broken.glb" in run["invocations"][0]["toolExecutionNotifications"][0]["message"]["text"]
    assert len({r["partialFingerprints"]["finding/v1"] for r in run["results"]}) == len(told)


def test_models_of_one_name_in_two_folders_are_told_apart(tmp_path):
    for name in ("fore", "aft"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "oar.glb").write_bytes(formats.write(scene(cube(at=(0, 2, 0))), "glb", "x")["x.glb"])
    main(["report", str(tmp_path / "fore"), str(tmp_path / "aft/oar.glb"), "--out", str(tmp_path / "r.sarif"), "--try", "none"])
    results = json.loads((tmp_path / "r.sarif").read_text())["runs"][0]["results"]
    assert len({r["partialFingerprints"]["finding/v1"] for r in results}) == len(results) > 1
    places = {r["locations"][0]["physicalLocation"]["artifactLocation"]["uri"] for r in results}
    assert places == {f"file://{tmp_path}/{name}/oar.glb" for name in ("fore", "aft")}


def test_junit_is_valid_and_counts_what_fails(reports):
    tree = etree.fromstring(reports[0][".xml"])
    etree.XMLSchema(etree.parse(SCHEMAS / "junit-10.xsd")).assertValid(tree)
    models = json.loads(reports[0][".json"])["models"]
    stopped = [len({f["check"] for f in m["findings"] if f["result"] == "stop"}) for m in models if "findings" in m]
    assert [int(s.get("failures")) for s in tree if s.get("errors") == "0"] == stopped
    assert [s.get("errors") for s in tree].count("1") == 1
    checks = [len(m["clear"]) + len(m["skipped"]) + len({f["check"] for f in m["findings"]}) for m in models if "clear" in m]
    assert [int(s.get("tests")) for s in tree if s.get("errors") == "0"] == checks
    assert "a\ufffdb" in reports[0][".xml"].decode()


def test_the_table_has_a_row_a_finding_and_no_formula(reports):
    rows = list(csv.DictReader(reports[0][".csv"].decode().splitlines(keepends=True)))
    told = [f for m in json.loads(reports[0][".json"])["models"] for f in m.get("findings", [])]
    assert [r["title"] for r in rows if r["result"] != "error"] == [f["title"].replace("\r", "") for f in told]
    assert not [x for r in rows for x in r.values() if x.startswith(("=", "@"))]


def test_the_print_is_a_pdf_that_is_the_same_each_time(reports, tmp_path):
    pdf = reports[0][".pdf"]
    # ISO 32000-1, 7.5.2 and 7.5.5: its first line, and what it ends with.
    assert pdf.startswith(b"%PDF-1.")
    assert pdf.rstrip().endswith(b"%%EOF")
    assert b"/Type /Page" in pdf or b"/Type/Page" in pdf or len(pdf) > 20_000
    again = [str(DEMO / "heron"), "--rules", "creator-platform-strict", "--try", "none"]
    for name in ("a.pdf", "b.pdf"):
        main(["report", *again, "--out", str(tmp_path / name)])
    assert (tmp_path / "a.pdf").read_bytes() == (tmp_path / "b.pdf").read_bytes()


def test_what_was_known_before_fails_nothing_and_is_told_as_unchanged(tmp_path):
    call = [str(DEMO / "heron"), "--try", "none"]
    main(["inspect", *call, "--json", str(tmp_path / "before.json")])
    out = tmp_path / "r.sarif"
    assert main(["report", *call, "--baseline", str(tmp_path / "before.json"), "--out", str(out)]) == 0
    found = json.loads(out.read_text())
    jsonschema.Draft4Validator(json.loads((SCHEMAS / "sarif-2.1.0.json").read_text())).validate(found)
    assert {r["baselineState"] for r in found["runs"][0]["results"]} == {"unchanged"}
    main(["report", *call, "--baseline", str(tmp_path / "before.json"), "--out", str(tmp_path / "r.xml")])
    assert {s.get("failures") for s in etree.fromstring((tmp_path / "r.xml").read_bytes())} == {"0"}


class _Page(HTMLParser):
    """Tags, text and every address on a page."""

    def __init__(self):
        super().__init__()
        self.tags, self.text, self.addresses = [], "", []

    def handle_starttag(self, tag, attrs):
        self.tags.append(tag)
        self.addresses += [v for k, v in attrs if k in ("src", "href")]

    def handle_data(self, data):
        self.text += data


def test_the_page_stands_alone_and_names_stay_text(reports):
    page = _Page()
    page.feed(reports[0][".html"].decode())
    assert page.addresses
    assert all(a.startswith("data:image/webp;base64,") for a in page.addresses)
    assert "script" not in page.tags
    assert "b" not in page.tags
    assert "<b>&amp;</b>" in page.text
    for m in json.loads(reports[0][".json"])["models"]:
        for f in m.get("findings", []):
            assert f["title"].replace("\x01", "\ufffd") in page.text


def test_a_waived_finding_fails_nothing_and_is_told():
    finding = {
        "check": "facing.inward", "station": "Facing", "result": "stop", "part": "=net", "title": "3 faces of net look inward", "why": "Holes.",
        "measured": {"value": 0.1, "unit": "share"}, "wanted": None, "count": 3, "mends": [], "under": None, "id": "facing.inward:net", "waived": "seen from one side",
    }  # fmt: skip
    facts = {
        "unit_metres": 1.0,
        "bounds": None,
        "parts": 1,
        "triangles": 3,
        "materials": [],
        "images": [],
        "skins": [],
        "clips": [],
    }
    tree = {
        "findings": [finding], "clear": [], "skipped": [], "verdict": {"stop": 0, "caution": 0, "note": 0}, "facts": facts, "source": {"files": []},
        "not_looked_at": [], "judged_by": {"sheet": "s", "sheet_version": 1, "sheet_sha256": "0" * 64, "tool": "Hand Lens"},
    }  # fmt: skip
    files = {
        ending: report_file(f"r{ending}", [Reported("net.glb", "Sheet", tree)]).decode() for ending in FORMATS if ending != ".pdf"
    }
    assert 'failures="0"' in files[".xml"]
    [result] = json.loads(files[".sarif"])["runs"][0]["results"]
    assert result["suppressions"] == [{"kind": "external", "justification": "seen from one side"}]
    assert all("seen from one side" in text for text in files.values())
    assert ",'=net," in files[".csv"]


def test_another_ending_is_refused_before_anything_is_read(tmp_path, capsys):
    with pytest.raises(InputError, match=r"r\.docx: a report is written as \.html"):
        report_file("r.docx", [])
    assert main(["report", str(tmp_path / "nothing.glb"), "--out", str(tmp_path / "r.docx")]) == 2
    assert "r.docx" in capsys.readouterr().err
