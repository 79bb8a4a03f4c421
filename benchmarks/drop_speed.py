"""A large model dropped on the Shelf, watched in the browser: when its name, first picture, verdict, whole picture and last offer stand.

Run against a Hand Lens that is up (./start --no-demo --data /tmp/bench --port 8610):
  PYTHONPATH=src:benchmarks python benchmarks/drop_speed.py http://127.0.0.1:8610 > benchmarks/drop_speed.md
Drawn in software on the two cores that also read the model; one run on one machine, no test.
"""

from __future__ import annotations

import json
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any

from bench_shapes import open_
from playwright.sync_api import Page, sync_playwright
from stage_speed import ARGS

#: Triangles of the open shape with normals and one UV set.
COUNTS = (100_000, 1_000_000, 5_000_000)
MARKS = ("its name", "a first picture", "the verdict", "the whole picture", "the last offer")
_MOST_SECONDS = 180


def watched(page: Page, base: str, path: Path) -> dict[str, float]:
    """Seconds after the drop at which each of `MARKS` stood."""
    name = path.stem.capitalize()
    page.goto("/")
    page.get_by_test_id("files").wait_for(state="attached")
    began = time.perf_counter()
    page.get_by_test_id("files").set_input_files(path)
    link = page.get_by_role("link", name=name, exact=True).first
    link.wait_for(timeout=60_000)
    found = {MARKS[0]: time.perf_counter() - began}
    link.click(no_wait_after=True)
    while len(found) < len(MARKS) and time.perf_counter() - began < _MOST_SECONDS:
        for mark in _there(page, base, name):
            found.setdefault(mark, time.perf_counter() - began)
        page.wait_for_timeout(40)
    return found


def _there(page: Page, base: str, name: str) -> list[str]:
    seen: dict[str, Any] = page.evaluate(
        "() => ({ canvas: !!document.querySelector('canvas'), first: !!document.querySelector('.first'), stamp: !!document.querySelector('.stamp') })"
    )
    out = [MARKS[1]] if seen["canvas"] else []
    if seen["stamp"]:
        out.append(MARKS[2])
        if seen["canvas"] and not seen["first"]:
            out.append(MARKS[3])
        rows = json.load(urllib.request.urlopen(f"{base}/api/shelf"))["models"]
        revision = next(m["revision"] for m in rows if m["name"] == name)
        bench = json.load(urllib.request.urlopen(f"{base}/api/revisions/{revision}/bench"))
        if (bench["reading"] or {}).get("offers") == "done":
            out.append(MARKS[4])
    return out


def main(base: str) -> None:
    print("# A drop, watched in the browser\n")
    print(
        "Made by `benchmarks/drop_speed.py`: seconds after the drop, upload and intake among them, in headless Chromium without a graphics"
    )
    print("card, which draws on the two cores that also read the model; one run, one machine.\n")
    print(f"| triangles | {' | '.join(MARKS)} |\n|---|{'---|' * len(MARKS)}")
    with sync_playwright() as p, tempfile.TemporaryDirectory() as folder:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=base, reduced_motion="reduce")
        for count in COUNTS:
            path = Path(folder, f"mudbank{count}.glb")
            open_(path, count)
            found = watched(page, base, path)
            print(f"| {count:,} | {' | '.join(f'{found[m]:.1f}' if m in found else 'not within' for m in MARKS)} |", flush=True)
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1])
