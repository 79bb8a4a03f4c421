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


def _batch(base: str) -> int:
    """A batch of all models of the shelf, judged."""
    models = [m["id"] for m in json.load(urllib.request.urlopen(f"{base}/api/shelf"))["models"]]
    wish = json.dumps({"name": "Mudlark Quay", "models": models, "bench_too": False}).encode()
    request = urllib.request.Request(f"{base}/api/batches", wish, {"Content-Type": "application/json"})
    return int(json.load(urllib.request.urlopen(request))["id"])


def take(page: Page, base: str) -> None:
    models = {m["name"]: m["revision"] for m in json.load(urllib.request.urlopen(f"{base}/api/shelf"))["models"]}

    def shot(name: str, rest: int = 2500) -> None:
        page.wait_for_timeout(rest)
        page.screenshot(path=OUT / f"{name}.png")

    page.goto("/")
    shot("shelf")
    page.goto("/guide/facing")
    shot("guide")
    page.goto(f"/batches/{_batch(base)}")
    shot("batch")
    page.goto(f"/bench/{models['Heron']}?station=size")
    shot("bench-size")
    page.goto(f"/bench/{models['Crab pot']}?way=look&look=inside-out")
    page.get_by_role("button", name="Show it").first.click()
    shot("bench-look")
    page.goto(f"/bench/{models['Slip cart']}?way=tree")
    tree = page.get_by_role("tree", name="Nodes")
    tree.wait_for()
    tree.focus()
    for key in ("ArrowDown", "ArrowDown", "ArrowDown", "Shift+ArrowDown"):
        page.keyboard.press(key)
    shot("bench-tree")
    page.goto(f"/bench/{models['Crab pot']}?station=facing")
    page.wait_for_timeout(1500)
    page.get_by_role("button", name="Show it").first.click()
    shot("bench-facing")
    page.goto(f"/bench/{models['Crab pot']}?station=placement")
    page.wait_for_timeout(1500)
    page.get_by_role("button", name="Facing", exact=True).click()
    page.get_by_role("button", name="UV paper", exact=True).click()
    page.get_by_role("button", name="Split", exact=True).click()
    page.mouse.move(915, 430)
    page.get_by_role("button", name="UV layout", exact=True).click()
    page.get_by_role("button", name="Glass", exact=True).click()
    page.wait_for_timeout(1500)
    sheet = page.get_by_role("complementary", name="UV layout").get_by_role("img").bounding_box()
    assert sheet
    page.mouse.click(sheet["x"] + sheet["width"] * 0.42, sheet["y"] + sheet["height"] * 0.42)
    shot("bench-layout")
    page.goto(f"/bench/{models['Ferry signboard']}?station=textures")
    page.wait_for_timeout(2500)
    page.locator(".cards > *").filter(has_text="did not come along").get_by_role("button", name="Show it").click()
    shot("bench-textures")
    page.goto(f"/bench/{models['Slip cart']}?station=surface")
    page.wait_for_timeout(2500)
    page.get_by_label("Point at faces").click()
    page.mouse.click(1040, 440)
    page.keyboard.press("PageUp")
    page.get_by_role("button", name="paint", exact=True).click()
    shot("bench-by-hand")
    page.goto(f"/bench/{models['Crab pot']}?station=placement")
    page.wait_for_timeout(1500)
    page.get_by_role("button", name="As received", exact=True).click()
    page.get_by_role("button", name="Split", exact=True).click()
    page.get_by_label("Receiver").select_option(label="Block world")
    page.mouse.move(915, 430)
    page.get_by_text("Its log").click()
    shot("bench-received")
    page.goto(f"/bench/{models['Heron']}?station=skin")
    page.get_by_role("region", name="Pull test").get_by_label("Joint", exact=True).select_option(label="quay:neck_2")
    page.get_by_role("button", name="60° y", exact=True).click()
    page.mouse.move(960, 330)
    shot("bench-skin", 5000)
    page.goto(f"/bench/{models['Heron']}?station=motion")
    page.get_by_role("slider", name="Moment of the clip").fill("0.35")
    page.get_by_role("button", name="As received", exact=True).click()
    page.get_by_role("button", name="Split", exact=True).click()
    page.mouse.move(905, 430)
    shot("bench-motion", 5000)
    page.goto(f"/bench/{models['Heron']}?station=skin")
    page.get_by_role("button", name="The way to Fit").click()
    page.locator(".way .ends").wait_for(timeout=120_000)
    page.locator(".slip.proposed.folded button").first.click()
    page.get_by_text("shown in the loupe").wait_for(timeout=60_000)
    shot("bench-way", 3000)
    page.keyboard.press("Escape")
    page.goto(f"/bench/{models['Heron']}?station=skin")
    page.get_by_role("button", name="Bake the rig").first.click()
    page.wait_for_timeout(4000)
    page.goto(f"/bench/{models['Heron']}?station=size")
    page.get_by_role("button", name="Scale × 100").click()
    page.wait_for_timeout(1500)
    page.get_by_text("All jobs done").wait_for(timeout=60_000)
    shot("bench-mended", 2000)
    page.get_by_role("button", name="Export rev 1").click()
    page.get_by_label("OBJ").check()
    page.get_by_role("button", name="Ask what").click()
    page.locator(".p-dialog .verdict").wait_for(timeout=60_000)
    shot("export", 800)
    page.keyboard.press("Escape")
    page.goto(f"/bench/{models['Crab pot']}?station=handoff")
    page.get_by_role("button", name="Export rev 1").click()
    page.get_by_role("button", name="Write and prove it").click()
    page.get_by_role("combobox", name="Whose destination").click()
    page.get_by_role("option", name="Creator platform, strict").click()
    page.get_by_role("button", name="Send it", exact=True).click()
    page.locator(".verdict").wait_for()
    shot("proof", 1000)
    page.get_by_role("link", name="Back to the Bench").click()
    page.goto(f"/bench/{models['Crab pot']}?station=handoff")
    shot("handoff", 4000)
    page.goto("/sheets/creator-platform-strict")
    page.get_by_role("spinbutton", name="Triangles in a mesh").fill("1000")
    page.keyboard.press("Tab")
    page.get_by_role("radiogroup", name="Far from the origin is").get_by_role("radio", name="caution").click()
    page.get_by_role("button", name="Try it on the shelf").click()
    page.locator(".edit p").first.wait_for(timeout=60_000)
    shot("rule-sheet", 800)


if __name__ == "__main__":
    main(sys.argv[1])
