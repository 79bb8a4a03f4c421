"""USD's library starts anew for each file in life, locked in; most tests here call it where they are, which is many times quicker."""

from __future__ import annotations

import pytest

#: Tests that are about the child itself, or about files that may make it fall.
OWN_CHILD = {"test_readers", "test_writing", "test_odd_scenes", "test_opacity", "test_accepted", "test_shine"}


@pytest.fixture(autouse=True)
def usd_without_a_child(request, monkeypatch):
    if request.path.stem in OWN_CHILD:
        return
    from handlens.core.formats.usd import read as usd
    from handlens.core.machine.sections import Opened

    def here(task, asked, label, read=()):
        from handlens.core.formats.usd.child import read_stage

        return Opened(read_stage(asked))

    monkeypatch.setattr(usd, "in_child", here)
