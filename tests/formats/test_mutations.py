"""A short run of changed files for every format; `tools/fuzz.py` makes the long one."""

from pathlib import Path

import pytest

from handlens.core.formats.table import FORMATS


@pytest.mark.parametrize("name", [f.name for f in FORMATS])
def test_changed_files_end_in_a_scene_or_a_sentence(name, models: Path):
    import fuzz

    ends = fuzz.run(name, 400, 14, models, 2)
    assert sum(ends.values()) == 400
    assert set(ends) <= {"read", "refused", "ended by the child's fall"}, ends
