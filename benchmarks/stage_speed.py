"""The stage and the Bench in software rendering: turning, the loupe, rest, opening, and a million marks.

Run against a Hand Lens that is up (./start --no-demo --data /tmp/bench --port 8610):
  PYTHONPATH=src python benchmarks/stage_speed.py http://127.0.0.1:8610 > benchmarks/stage_speed.md
Frames are timed to the end of a one-pixel read-back, since drawing itself only queues work. Figures are ratios from one
run on one machine; they are no test.
"""

from __future__ import annotations

import json
import statistics
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any

import numpy as np
from make_model import write
from playwright.sync_api import Browser, Page, sync_playwright

ARGS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--ignore-gpu-blocklist",
    "--disable-background-networking",
]
SIZES = (20_000, 100_000)
#: Times frames in the page: each is asked for, drawn, and read back.
FRAMES = """async ([kind, count]) => {
  const s = stageTest.stage, gl = s.renderer.getContext(), one = new Uint8Array(4), out = [];
  await stageTest.settle();
  for (let k = 0; k < count; k++) {
    const began = performance.now();
    if (kind === 'moved') s.loupe.set({ x: 300 + 5 * k, y: 320 });
    else stageTest.viewer.turn(0.02, 0);
    await new Promise((r) => requestAnimationFrame(() => { gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, one); r(); }));
    out.push(performance.now() - began);
  }
  return out;
}"""
#: Notes, without the test's clock, when the first drawing of much of the model was sent to the graphics card, and every draw.
WATCH = """(() => {
  const P = WebGL2RenderingContext.prototype, draw = P.drawElements;
  window.watched = { first: 0, draws: 0 };
  P.drawElements = function (mode, count, ...rest) {
    watched.draws++;
    const answer = draw.call(this, mode, count, ...rest);
    if (!watched.first && count > 3000) { this.readPixels(0, 0, 1, 1, this.RGBA, this.UNSIGNED_BYTE, new Uint8Array(4)); watched.first = performance.now(); }
    return answer;
  };
})()"""


#: Notes when the Bench's own content has been painted.
PAINTED = """(function look() {
  if (document.querySelector('[aria-label="Ledger of stations"]')) requestAnimationFrame(() => { window.painted = performance.now(); });
  else requestAnimationFrame(look);
})();"""


def main(base: str) -> None:
    folder = Path(tempfile.mkdtemp())
    revisions = {n: on_shelf(base, folder / f"buoy_{n}.glb", n) for n in (*SIZES, 1_000_000)}
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        print("# The stage in software rendering\n")
        print("Made by `benchmarks/stage_speed.py`: headless Chromium, 1280 × 800, no graphics card; one run, one machine.\n")
        print("| | " + " | ".join(f"{n:,} triangles" for n in SIZES) + " | wanted |\n|---|---|---|---|")
        frames = [times(browser, base, revisions[n]) for n in SIZES]
        line("turning with the loupe ÷ turning without", [f["loupe"] / f["plain"] for f in frames], "≤ 1.40")
        line("moving the loupe ÷ turning without", [f["moved"] / f["plain"] for f in frames], "≤ 0.40")
        line("frames drawn in 1.5 s of rest", [f["rest"] for f in frames], "0", "{:.0f}")
        opened = [opening(browser, base, revisions[n]) for n in SIZES]
        line("model drawn after its link on the Shelf ÷ 1.5 s", [o["linked"] / 1500 for o in opened], "≤ 1.00")
        line("the Bench painted after its link on the Shelf ÷ 0.5 s", [o["shown"] / 500 for o in opened], "≤ 1.00")
        bare = bare_paint(browser) / 500
        line("first paint of a page of one word by its address ÷ 0.5 s", [bare, bare], "")
        line("first paint of the Bench by its address ÷ 0.5 s", [o["paint"] / 500 for o in opened], "≤ 1.00")
        line("model drawn by its address ÷ 1.5 s", [o["drawn"] / 1500 for o in opened], "≤ 1.00")
        line("draw calls in 1.5 s of rest, without the test's clock", [o["rest"] for o in opened], "0", "{:.0f}")
        print("\n## A million marked faces\n\n| | ratio |\n|---|---|")
        marks, plain = million(browser, base, revisions[1_000_000])
        print(f"| fetching and marking them ÷ one still frame of the model | {marks:.2f} |")
        print(f"| a frame with the marks ÷ one without | {plain:.2f} |")
        browser.close()


def line(what: str, values: list[float], wanted: str, form: str = "{:.2f}") -> None:
    print(f"| {what} | " + " | ".join(form.format(v) for v in values) + f" | {wanted} |")


def on_shelf(base: str, path: Path, triangles: int) -> int:
    """Sets a made model on the Shelf; returns its revision once it is read."""
    write(path, triangles)

    def call(method: str, where: str, data: bytes | None = None, kind: str = "application/json") -> Any:
        asked = urllib.request.Request(base + where, data, {"Content-Type": kind, "Origin": base}, method=method)
        return json.load(urllib.request.urlopen(asked))

    drop = call("POST", "/api/drops", b"{}")["id"]
    call("PUT", f"/api/drops/{drop}/files?path={path.name}", path.read_bytes(), "application/octet-stream")
    call("POST", f"/api/drops/{drop}/close", b"{}")
    while True:
        found = [m for m in call("GET", "/api/shelf")["models"] if m["name"].lower().replace(" ", "_") == path.stem]
        if found and found[0]["state"] == "done":
            return found[0]["revision"]
        time.sleep(0.3)


def bench(browser: Browser, base: str, revision: int, query: str = "", watch: bool = False) -> Page:
    page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=base, reduced_motion="reduce")
    if watch:
        page.add_init_script(WATCH)
    page.goto(f"/bench/{revision}?station=placement{query}")
    return page


def until(page: Page, expression: str) -> None:
    while not page.evaluate(expression):
        page.wait_for_timeout(50)


def times(browser: Browser, base: str, revision: int) -> dict[str, float]:
    page = bench(browser, base, revision, "&test")
    until(page, "!!(window.stageTest && stageTest.stage.root)")
    loupe = "stageTest.stage.loupe.set({{ shape: '{}', look: 'facing', x: 400, y: 320, r: 130, zoom: 1 }})"
    out: dict[str, list[float]] = {"plain": [], "loupe": [], "moved": []}
    for kind in [*out, *out, *out]:  # in turn, so that a disturbance falls on all; the first turn warms up
        page.evaluate(loupe.format("none" if kind == "plain" else "circle"))
        out[kind].append(statistics.median(page.evaluate(FRAMES, [kind, 12])))
    page.evaluate("stageTest.settle()")
    before = page.evaluate("stageTest.state().frames")
    page.wait_for_timeout(1500)
    rest = page.evaluate("stageTest.state().frames") - before
    page.close()
    return {**{k: statistics.median(v[1:]) for k, v in out.items()}, "rest": rest}


def opening(browser: Browser, base: str, revision: int) -> dict[str, float]:
    """Milliseconds to the first paint and to the first drawing of the model: by its address, and by its link on the Shelf."""
    paints, drawn, linked, shown, rest = [], [], [], [], 0
    for _ in range(5):
        page = bench(browser, base, revision, watch=True)
        until(page, "watched.first > 0")
        paints.append(page.evaluate("performance.getEntriesByName('first-contentful-paint')[0].startTime"))
        drawn.append(page.evaluate("watched.first"))
        page.wait_for_timeout(4000)
        before = page.evaluate("watched.draws")
        page.wait_for_timeout(1500)
        rest = max(rest, page.evaluate("watched.draws") - before)
        page.goto("/")
        page.locator(f'a[href="/bench/{revision}"]').first.wait_for()
        page.wait_for_timeout(3000)
        page.evaluate(
            PAINTED
            + f"watched.first = 0; window.painted = 0; window.began = performance.now(); document.querySelector('a[href=\"/bench/{revision}\"]').click()"
        )
        until(page, "watched.first > 0 && painted > 0")
        shown.append(page.evaluate("painted - began"))
        linked.append(page.evaluate("watched.first - began"))
        page.close()
    told = {"paint": paints, "drawn": drawn, "linked": linked, "shown": shown}
    print({k: [round(x) for x in v] for k, v in told.items()}, file=sys.stderr)
    return {**{k: statistics.median(v) for k, v in told.items()}, "rest": rest}


def bare_paint(browser: Browser) -> float:
    """Milliseconds to the first paint of a page that holds one word: what this machine asks for at least."""
    out = []
    for _ in range(5):
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.route("**/*", lambda route: route.fulfill(body="<!doctype html><title>bare</title>bare", content_type="text/html"))
        page.goto("http://127.0.0.1:1/")
        until(page, "performance.getEntriesByName('first-contentful-paint').length > 0")
        out.append(page.evaluate("performance.getEntriesByName('first-contentful-paint')[0].startTime"))
        page.close()
    return statistics.median(out)


def million(browser: Browser, base: str, revision: int) -> tuple[float, float]:
    """Every face of a large model marked by one finding, as a check on faces would mark it."""
    page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=base, reduced_motion="reduce")
    faces = np.arange(1_000_000, dtype="<i4").tobytes()

    def with_marks(route: Any) -> None:
        answer = route.fetch()
        body = answer.json()
        for finding in (body.get("reading") or {}).get("findings", [])[:1]:
            finding |= {"elements": {"kind": "faces", "total": 1_000_000}, "node": 0, "part": "buoy"}
        route.fulfill(response=answer, json=body)

    page.route(f"**/api/revisions/{revision}/bench", with_marks)
    page.route("**/elements?*", lambda route: route.fulfill(body=faces, content_type="application/octet-stream"))
    page.goto(f"/bench/{revision}?test")
    until(page, "!!(window.stageTest && stageTest.stage.root)")
    page.evaluate("stageTest.settle()")
    finding = page.evaluate(f"fetch('/api/revisions/{revision}/bench').then((r) => r.json()).then((b) => b.reading.findings[0])")
    page.goto(f"/bench/{revision}?test&station={finding['station'].lower()}")
    until(page, "!!(window.stageTest && stageTest.stage.root)")
    still = statistics.median(page.evaluate(FRAMES, ["plain", 5]))
    began = time.perf_counter()
    page.get_by_role("button", name="Show it").first.click()
    page.get_by_role("button", name="Take the mark off").wait_for()
    page.evaluate("new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(r)))")
    took = (time.perf_counter() - began) * 1000
    marked = statistics.median(page.evaluate(FRAMES, ["plain", 5]))
    page.close()
    print(f"still {still:.0f} ms, marking {took:.0f} ms, marked {marked:.0f} ms", file=sys.stderr)
    return took / still, marked / still


if __name__ == "__main__":
    main(sys.argv[1])
