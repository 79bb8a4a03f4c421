"""The house as it says it is: the page on its rooms is drawn from the code, and each room keeps to what it says of itself."""

import ast
import json

import list_fields
import list_rooms
import msgspec

from handlens.core.present.catalogue import lenses
from handlens.core.route.stations import stations

MODULES = sorted(list_rooms.CORE.rglob("*.py"))


def imported(path):
    """(module as it is written, name) of every import from a module of ours."""
    tree = ast.walk(ast.parse(path.read_text()))
    return [(n.module or "", a.name) for n in tree if isinstance(n, ast.ImportFrom) and n.level for a in n.names]


def test_the_page_is_drawn_from_the_code():
    assert list_rooms.PAGE.read_text() == list_rooms.drawn(), "run python tools/list_rooms.py"


def test_every_module_says_what_it_is():
    assert [p for p in MODULES if not list_rooms.first_line(p) and p.name != "station.py"] == []


def test_geometry_knows_no_scene():
    told = {(p.name, name) for p in MODULES if "geometry" in p.parts for _, name in imported(p)}
    assert not [x for x in told if x[1] in ("Scene", "Node", "Material", "Image")]


def test_nothing_lists_the_stations_by_hand():
    """Outside its own folder no module imports one of a station's, but for the services that it offers."""
    slugs = {s.slug.replace("-", "_") for s in stations()}
    found = {
        (str(p.relative_to(list_rooms.CORE.parent)), inner)
        for p in sorted(list_rooms.CORE.parent.rglob("*.py"))
        if "core/stations" not in str(p)
        for module, _ in imported(p)
        if (inner := module.partition("stations.")[2]).partition(".")[0] in slugs
    }
    assert {inner.partition(".")[2] for _, inner in found} <= {"services"}


def test_public_functions_say_what_plain_data_they_take():
    """Parameters of a mend are `Params`, JSON that a standard or the contract lays down is `Json`; everything else has a type of its own."""
    bare = []
    for path in MODULES:
        for f in ast.walk(ast.parse(path.read_text())):
            if isinstance(f, ast.FunctionDef) and not f.name.startswith("_"):
                hints = [ast.unparse(f.args), ast.unparse(f.returns) if f.returns else ""]
                bare += [(path.name, f.name) for hint in hints if "dict[str, Any]" in hint]
    assert bare == []


def test_the_page_of_fields_is_drawn_from_the_records():
    assert list_fields.PAGE.read_text() == list_fields.page(), "run tools/list-checks"


def test_the_rack_of_lenses_is_the_stations_own():
    kept = json.loads((list_rooms.ROOT / "frontend/src/stations/lenses.json").read_text())
    assert kept == msgspec.to_builtins(lenses()), "run tools/api-types"
    assert len({x["look"] for x in kept}) == len(kept) == 12
