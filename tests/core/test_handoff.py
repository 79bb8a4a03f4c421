"""Handoff: each check at its limit and one past it."""

import msgspec
import pytest

from handlens.core.judge import judge
from handlens.core.route.measuring import measure
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Neighbour
from kit.scenes import cube, scene

MIB = 2**20


def packed(files, main="quay/crate.glb"):
    """A model with files that it names, by their sizes."""
    named = {path: size for path, size in files.items() if path != main}
    beside = (Neighbour("notes.xml", "side-file", "package", 10, lambda: b""),)
    return scene(cube()).with_(main=main, files=tuple((path, "image") for path in named), file_bytes=files, beside=beside)


def told(made, **limits):
    sheet = load_sheet(None)
    sheet = msgspec.structs.replace(sheet, limits=msgspec.structs.replace(sheet.limits, **limits))
    found = judge(measure(made), sheet, Intent())
    return {f.check: f for f in found.findings if f.station == "Handoff"}, {c for c in found.clear if c.startswith("handoff.")}


FILES = {"quay/crate.glb": 3 * MIB, "a.png": 2 * MIB, "b.png": MIB}


@pytest.mark.parametrize(
    ("check", "limit", "holds", "measured", "title"),
    [
        ("handoff.files", "files", 4, 4, "The package has 4 files"),
        ("handoff.file-size", "file_bytes", 3 * MIB, 3 * MIB, "quay/crate.glb has 3.0 MiB"),
        (
            "handoff.package-size",
            "package_bytes",
            6 * MIB + 10,
            6 * MIB + 10,
            "The package has 6.0 MiB, quay/crate.glb alone 3.0",
        ),
    ],
)
def test_limits(check, limit, holds, measured, title):
    assert check in told(packed(FILES), **{limit: holds})[1]
    found, clear = told(packed(FILES), **{limit: holds - 1})
    assert (found[check].title, found[check].measured["value"], found[check].wanted["value"]) == (title, measured, holds - 1)
    assert check not in clear
    assert not {"handoff.files", "handoff.file-size", "handoff.package-size"} & set(told(packed(FILES))[0])


def test_names_that_letter_case_alone_tells_apart():
    assert "handoff.case-clash" in told(packed(FILES))[1]
    found, _ = told(packed(FILES | {"A.PNG": 1, "straße.png": 1, "STRASSE.png": 1}))
    assert "are one file where letter case does not count" in found["handoff.case-clash"].title
    both = [
        f
        for f in judge(
            measure(packed(FILES | {"A.PNG": 1, "straße.png": 1, "STRASSE.png": 1})), load_sheet(None), Intent()
        ).findings
        if f.check == "handoff.case-clash"
    ]
    assert {f.key for f in both} == {"A.PNG", "STRASSE.png"}
