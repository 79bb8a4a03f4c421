"""The guide names what there is, and its commands run."""

from __future__ import annotations

import re
import shlex
from pathlib import Path

import pytest

from handlens.cli import main
from handlens.core.route.stations import all_checks, all_mends, stations

ROOT = Path(__file__).parents[2]
PAGES = {p.stem: p.read_text() for p in (ROOT / "docs" / "guide").glob("*.md")}
SLUGS = {s.slug for s in stations() if s.checks}


def test_every_station_has_a_page_that_names_mends_that_there_are():
    assert set(PAGES) >= SLUGS
    known = {x.id for x in (*all_checks(), *all_mends())}
    for name, text in PAGES.items():
        named = {x for x in re.findall(r"`([a-z-]+\.[a-z-]+)`", text) if x.split(".")[0] in SLUGS}
        assert named <= known, name
        links = re.findall(r"\]\(([^)#]+)", text)
        assert all((ROOT / "docs" / "guide" / link).is_file() for link in links), name


def test_the_first_hours_commands_run_as_they_stand(tmp_path, monkeypatch, capsys):
    lines = re.findall(r"^\./handlens (.+)$", PAGES["first-hour"], re.M)
    assert len(lines) == 3
    monkeypatch.chdir(tmp_path)
    (tmp_path / "demo").symlink_to(ROOT / "demo")
    for line in lines:
        with pytest.raises(SystemExit) as ended:
            raise SystemExit(main(shlex.split(line)))
        # The crab pot is held for the faces that look inward, until they are turned.
        assert ended.value.code == (1 if line.startswith("inspect") else 0), line
    assert "same" in capsys.readouterr().out
