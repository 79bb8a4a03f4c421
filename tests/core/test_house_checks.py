"""Stations and checks of the house: a folder is all that it takes, and what is wrong with it is one sentence."""

import importlib
import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest
from msgspec.structs import replace

from handlens.core import formats
from handlens.core.judge import judge
from handlens.core.limits import InputError
from handlens.core.measures import Measures
from handlens.core.offers.trials import with_trials
from handlens.core.present.in_child import judged_in_child
from handlens.core.present.report import report
from handlens.core.present.stored import judged
from handlens.core.present.symptoms import explained
from handlens.core.route.house import FOLDERS, GROUP, fingerprint
from handlens.core.route.measuring import measure
from handlens.core.route.stations import all_checks, forget, measures_key, route_key, stations
from handlens.core.route.tape import apply_mend
from handlens.core.rules import Intent, load_sheet, shipped
from handlens.core.scene import Node
from kit.scenes import cube, eel, ledger, scene

HOUSE = Path(__file__).parent / "house"
SOURCE = Path(__file__).parents[2] / "src"
SHEET = load_sheet(None)
#: A station that brings nothing, by its slug.
STATION = "from handlens.core.declare.station import Station\nSTATION = Station({0!r}, 5)\n"


@pytest.fixture
def house(monkeypatch):
    """Our stations with those of a folder; without them again afterwards."""

    def use(folder):
        monkeypatch.setenv(FOLDERS, str(folder))
        forget()

    yield use
    monkeypatch.delenv(FOLDERS, raising=False)
    forget()


def lanterns():
    return scene(cube(), nodes=(Node("node:0", "lantern", mesh=0),))


def test_a_station_of_a_folder_stands_on_the_route_and_judges(house):
    before = [s.slug for s in stations()]
    house(HOUSE)
    assert [s.slug for s in stations()] == [*before[:10], "lanterns", *before[10:]]
    m = with_trials(lanterns(), measure(lanterns()), shipped(), Intent())
    judged = judge(m, SHEET, Intent())
    found = next(f for f in judged.findings if f.station == "Lanterns")
    assert (found.result, found.mends, found.costs) == ("stop", (("lanterns.number", {}),), ((),))
    entry = next(e for e in ledger(m, SHEET, Intent(), judged) if e["slug"] == "lanterns")
    assert (entry["number"], entry["line"], entry["counts"]["stop"]) == (11, "1 lanterns", 1)
    assert entry["tables"][0]["rows"][0]["key"] == "lantern"
    lit = measure(apply_mend(lanterns(), "lanterns.number", {}).scene)
    assert "lanterns.unnumbered" in judge(lit, SHEET, Intent()).clear


def test_a_stations_own_measures_are_kept_and_one_that_falls_takes_no_other_along(house):
    house(HOUSE)
    kept = Measures.from_bytes(measure(lanterns()).to_bytes())
    assert "lanterns.unnumbered" in [f.check for f in judge(kept, SHEET, Intent()).findings]
    wrecked = lanterns().with_(nodes=(*lanterns().nodes, Node("node:1", "wreck")), roots=(0, 1))
    judged = judge(measure(wrecked), SHEET, Intent())
    assert ("lanterns.unnumbered", "the lanterns could not be counted") in judged.skipped
    assert judged.unlooked == ("Lanterns",)
    assert "arrival.quay" in [f.check for f in judged.findings]


def test_a_check_of_a_file_joins_the_station_of_its_id(house):
    house(HOUSE)
    mine = [c.id for c in stations()[0].checks]
    assert mine[-1] == "arrival.quay"
    found = {f.check: f for f in judge(measure(lanterns()), SHEET, Intent()).findings}
    assert found["arrival.quay"].under == found["lanterns.unnumbered"].id
    tree = report({}, measure(lanterns()), judge(measure(lanterns()), SHEET, Intent()), with_indices=False)
    looks = explained(tree["findings"], tree["clear"], "refused").causes
    assert [c.explains for c in looks if c.check == "arrival.quay"] == ["often"]


@pytest.mark.parametrize("module", ["baking", "splitting", "without"])
def test_former_places_of_what_a_house_mend_imports_still_hold(module):
    former, now = (importlib.import_module(f"handlens.core.{room}.{module}") for room in ("kit", "edit"))
    public = {name for name, value in vars(now).items() if getattr(value, "__module__", "") == now.__name__ and name[0] != "_"}
    assert public
    assert all(getattr(former, name) is getattr(now, name) for name in public)


def test_a_sheet_may_hold_keys_of_a_house_check_and_none_that_nothing_reads(house):
    house(HOUSE)
    by = lambda keys: replace(SHEET, house=keys)
    titles = lambda sheet: [f.title for f in judge(measure(lanterns()), sheet, Intent()).findings if f.check == "arrival.quay"]
    assert titles(by({})) == ["No name says quay"]
    assert titles(by({"arrival.quay": {"word": "mooring"}})) == ["No name says mooring"]
    assert titles(by({"arrival.quay": {"word": "lantern"}})) == []
    for keys, says in (
        ({"arrival.quay": {"word": 3}}, "house, arrival.quay"),
        ({"arrival.quay": {"wort": "x"}}, "wort"),
        ({"size.expected": {"least": 1}}, "size.expected, which no check here reads"),
        ({"lamps.lit": {}}, "lamps.lit, which no check here reads"),
    ):
        with pytest.raises(InputError, match=says):
            judge(measure(lanterns()), by(keys), Intent())


def test_the_command_line_lists_where_they_come_from_and_judges_by_them(house, tmp_path):
    (tmp_path / "lantern.glb").write_bytes(next(iter(formats.write(lanterns(), "glb", "lantern").values())))
    run = lambda *call: subprocess.run(
        [sys.executable, "-m", "handlens", *call],
        capture_output=True,
        text=True,
        env={**os.environ, FOLDERS: str(HOUSE), "PYTHONPATH": str(SOURCE)},
        check=False,
    )
    listed = {c["id"]: c for c in json.loads(run("checks", "--json").stdout)}
    assert (listed["lanterns.unnumbered"]["origin"], listed["size.undeclared-unit"]["origin"]) == ("house", "Hand Lens")
    told = run("inspect", str(tmp_path / "lantern.glb"))
    assert told.returncode == 1, told.stderr
    assert "A lantern has no number" in told.stdout


@pytest.mark.parametrize(
    ("file", "text", "says"),
    [
        ("broken.py", "this is no Python", "cannot be loaded: SyntaxError"),
        ("twice.py", (HOUSE / "names.py").read_text().replace("arrival.quay", "arrival.remarks"), "is there twice"),
        (
            "twice.py",
            (HOUSE / "names.py").read_text().replace("arrival.quay", "gulls.loud"),
            "no station gulls to add gulls.loud to",
        ),
        ("gulls/station.py", "STATION = 3", "must hold a Station"),
        ("gulls/station.py", STATION.format("arrival"), "there is a station arrival already"),
        ("gulls/station.py", STATION.format("Sea gulls"), "must be small letters"),
        ("gulls/station.py", (HOUSE / "lanterns/station.py").read_text().replace('"lanterns"', '"gulls"'), "does not begin with"),
    ],
)
def test_what_cannot_be_used_is_one_sentence(house, tmp_path, file, text, says):
    shutil.copytree(HOUSE / "lanterns", tmp_path / "gulls")
    (tmp_path / "gulls/station.py").unlink()
    (tmp_path / file).write_text(text.replace("arrival.remarks", all_checks()[0].id))
    house(tmp_path)
    with pytest.raises(InputError, match=says):
        stations()


def test_an_installed_package_offers_its_station(house, tmp_path, monkeypatch):
    shutil.copytree(HOUSE / "lanterns", tmp_path / "quayside")
    (tmp_path / "quayside-1.dist-info").mkdir()
    (tmp_path / "quayside-1.dist-info/METADATA").write_text("Metadata-Version: 2.1\nName: quayside\nVersion: 1\n")
    (tmp_path / "quayside-1.dist-info/entry_points.txt").write_text(f"[{GROUP}]\nlanterns = quayside.station:STATION\n")
    monkeypatch.syspath_prepend(str(tmp_path))
    forget()
    assert "lanterns" in [s.slug for s in stations()]


def test_judging_by_the_house_is_done_apart_and_comes_to_the_same(house, monkeypatch):
    house(HOUSE)
    m = measure(lanterns())
    here, there = judged({}, m, SHEET, Intent()), judged_in_child({}, m.to_bytes(), SHEET, Intent())
    assert here == there
    assert any(f["check"] == "lanterns.unnumbered" for f in there[0].report["findings"])
    # Where the child is nobody it reads only what everybody may, which a folder of pytest's own is not.
    with tempfile.TemporaryDirectory(prefix="handlens-house-") as folder:
        slow = Path(folder) / "slow"
        shutil.copytree(HOUSE, slow)
        os.chmod(folder, 0o755)
        text = (HOUSE / "names.py").read_text().replace("    if not any", "    while sheet:\n        pass\n    if not any")
        (slow / "names.py").write_text(text)
        house(slow)
        monkeypatch.setattr("handlens.core.present.in_child._SECONDS", 3)
        with pytest.raises(InputError, match="more than 3 seconds"):
            judged_in_child({}, m.to_bytes(), SHEET, Intent())


def test_what_was_judged_by_another_house_is_not_taken_for_what_is_judged_now(house, tmp_path):
    ours = fingerprint(), route_key()
    assert ours[0] == ""
    shutil.copytree(HOUSE, tmp_path / "house")
    house(tmp_path / "house")
    with_house = fingerprint(), route_key()
    (tmp_path / "house/lanterns/checks.py").write_text((HOUSE / "lanterns/checks.py").read_text() + "#: Another word.\n")
    house(tmp_path / "house")
    changed = fingerprint(), route_key()
    assert len({ours[0], with_house[0], changed[0]}) == len({ours[1], with_house[1], changed[1]}) == 3


def test_a_stations_measures_of_another_version_count_as_not_taken(monkeypatch):
    """What was stored means something else by then: models are read again, and until then the station says that it could not look."""
    measures, key, own = measure(eel()), measures_key(), next(s for s in stations() if s.slug == "motion").own
    before = judge(measures, SHEET, Intent())
    assert own.of(measures) is not None
    monkeypatch.setattr(own, "version", own.version + 1)
    measures_key.cache_clear()
    assert measures_key() != key
    assert own.of(Measures.from_bytes(measures.to_bytes())) is None
    after = judge(measures, SHEET, Intent())
    assert "Motion" in after.unlooked
    assert "Motion" not in before.unlooked
    monkeypatch.undo()
    measures_key.cache_clear()


@pytest.mark.parametrize(
    ("former", "now", "name"),
    [
        ("kit.check", "declare.check", "Finding"),
        ("kit.mend", "declare.mend", "mend"),
        ("kit.panel", "declare.panel", "row"),
        ("kit.station", "declare.station", "Station"),
        ("kit.promises", "declare.promises", "FORM"),
        ("kit.own", "declare.station_measures", "reading"),
        ("kit.station_measures", "declare.station_measures", "StationMeasures"),
        ("scene.model", "words.arrays", "Array"),
    ],
)
def test_paths_that_house_checks_import_still_lead_there(former, now, name):
    modules = [importlib.import_module(f"handlens.core.{path}") for path in (former, now)]
    assert getattr(modules[0], name) is getattr(modules[1], name)
