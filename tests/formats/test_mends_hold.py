"""What a mend did is still there in the file that is written: every first offer on every demo model, in every format."""

from collections import Counter

import pytest

from handlens.core import formats
from handlens.core.formats.table import BY_NAME, WRITERS
from handlens.core.judge import judge
from handlens.core.limits import MendError
from handlens.core.measures import collect
from handlens.core.measures.known import Known
from handlens.core.packages import FolderPackage
from handlens.core.route.tape import apply_mend
from kit.offered import LISTED, MAY_STAY, demo, weight

#: What a format cannot hold, by check: there the finding comes back, and a sentence with these words says so before writing.
CANNOT = {
    ("obj", "pivots.far"): "pivots go into the positions",
    ("3mf", "pivots.far"): "pivots go into the positions",
    ("obj", "see-through.mode"): "threshold",
    ("dae", "see-through.mode"): "threshold",
    ("3mf", "see-through.ignored"): "threshold",
    ("3mf", "facing.normals-missing"): "stored normals",
    ("3mf", "size.up-axis"): "Z is up in the format",
}


def through(scene, name, folder):
    folder.mkdir(parents=True)
    files = formats.write(scene, name, "quay")
    for path, data in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(data)
    return formats.read(FolderPackage(folder), next(iter(files)))


#: How often a mend is tried for a check in one format.
OFTEN = 1


#: Formats that hold most and least of what mends do; the others are gone through by ./check long.
SHORT = ("glb", "obj")


@pytest.mark.parametrize(
    "name",
    [n if n in SHORT else pytest.param(n, marks=pytest.mark.long) for n in WRITERS if n in (*SHORT, "dae", "usda", "3mf")],
)
def test_mends_hold_in_the_file_that_is_written(name, tmp_path):
    """PLY and STL hold nothing that these do not, and the rest are written as one of these is."""
    tried: Counter[tuple[str, str]] = Counter()
    for listed in LISTED:
        folder = tmp_path / listed["folder"]
        opened, _, sheet, intent = demo(listed["folder"])
        made = through(opened, name, folder / "came")
        # Only what a mend touched is measured anew, and of the file what it holds otherwise.
        base = collect(made, known=Known())
        for k, f in enumerate(judge(base, sheet, intent).findings):
            if not f.mends or f.check in MAY_STAY or tried[f.check, f.mends[0][0]] == OFTEN:
                continue
            try:
                mended = apply_mend(made, *f.mends[0]).scene
            except MendError:
                continue
            tried[f.check, f.mends[0][0]] += 1
            measured = collect(mended, known=Known(base))
            here = weight(judge(measured, sheet, intent).findings, f)
            back = through(mended, name, folder / str(k))
            there = weight(judge(collect(back, known=Known(measured)), sheet, intent).findings, f)
            # A unit that was stated is not lost: there is no place for it.
            if there > here and not (f.check == "size.undeclared-unit" and "unit" not in BY_NAME[name].holds):
                words = CANNOT.get((name, f.check))
                assert words is not None, (f.check, f.title, f.mends[0], here, there)
                assert words in " ".join(formats.what_is_lost(mended, name))
    assert len(tried) > 5
