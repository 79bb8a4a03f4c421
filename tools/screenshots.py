"""Takes the pictures in docs/screenshots from a running Hand Lens with the demo models, untouched.

Run: ./start --data /tmp/fresh --port 8600, then PYTHONPATH=src python tools/screenshots.py http://127.0.0.1:8600
"""

from __future__ import annotations

import json
import sys
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
ARGS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--ignore-gpu-blocklist",
    "--disable-background-networking",
]


def main(base: str) -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=base, reduced_motion="reduce")
        take(page, base)
        browser.close()


def take(page: Page, base: str) -> None:
    models = {m["name"]: m["revision"] for m in json.load(urllib.request.urlopen(f"{base}/api/shelf"))["models"]}

    def shot(name: str, rest: int = 2500) -> None:
        page.wait_for_timeout(rest)
        page.screenshot(path=OUT / f"{name}.png")

    page.goto("/")
    shot("shelf", 7000)
    page.goto(f"/bench/{models['Heron']}?station=size")
    shot("bench-size")
    page.goto(f"/bench/{models['Quay crane']}?station=placement")
    page.get_by_role("button", name="Show it").nth(1).click()
    shot("bench-evidence")
    page.goto(f"/bench/{models['Crab pot']}?station=placement")
    page.wait_for_timeout(1500)
    page.get_by_role("button", name="Facing", exact=True).click()
    page.mouse.move(985, 430)
    shot("bench-loupe")
    page.get_by_role("button", name="UV paper", exact=True).click()
    page.get_by_role("button", name="Split", exact=True).click()
    page.mouse.move(915, 430)
    shot("bench-lenses")
    page.goto(f"/bench/{models['Mooring buoy']}?station=size")
    page.wait_for_timeout(1500)
    page.get_by_role("button", name="Another mend").click()
    page.get_by_label("what every length is multiplied by").fill("0.6")
    page.get_by_role("button", name="Try it").last.click()
    shot("mend-tried", 4500)
    page.goto(f"/bench/{models['Heron']}?station=placement")
    page.get_by_role("button", name="Bake transforms").first.click()
    page.wait_for_timeout(2500)
    page.goto(f"/bench/{models['Heron']}?station=size")
    page.get_by_role("button", name="Scale × 100").click()
    shot("bench-mended", 5000)
    page.get_by_role("button", name="Export rev 1").click()
    page.get_by_label("OBJ").check()
    shot("export", 800)
    page.get_by_role("button", name="Write and prove it").click()
    shot("proof", 4000)


if __name__ == "__main__":
    main(sys.argv[1])
