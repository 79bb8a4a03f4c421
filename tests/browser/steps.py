"""What the browser tests do again and again on a page."""

from __future__ import annotations

import base64
import json
import time
import urllib.request
from collections.abc import Sequence
from pathlib import Path
from typing import Any
from urllib.parse import quote

import numpy as np
from playwright.sync_api import Locator, Page

from handlens.core import formats
from handlens.core.scene import Scene

ROOT = Path(__file__).parents[2]
DEMO = ROOT / "demo" / "models"


def until(page: Page, expression: str) -> None:
    """Wait until an expression is true; the page's policy forbids the evaluating that Playwright's own waiting does."""
    for _ in range(300):
        if page.evaluate(expression):
            return
        page.wait_for_timeout(100)
    raise AssertionError(f"never came true: {expression}")


def shelf(server: str) -> list[dict]:
    return json.load(urllib.request.urlopen(f"{server}/api/shelf"))["models"]


def ask(server: str, method: str, path: str, body: dict | bytes) -> Any:
    """A request as a page of our own would make it; returns the answer's JSON, None where it is empty."""
    kind, data = (
        ("application/octet-stream", body) if isinstance(body, bytes) else ("application/json", json.dumps(body).encode())
    )
    headers = {"Content-Type": kind, "Origin": server, "Sec-Fetch-Site": "same-origin"}
    with urllib.request.urlopen(urllib.request.Request(server + path, data, headers, method=method)) as answer:
        text = answer.read()
    return json.loads(text) if text else None


def set_on_shelf(server: str, files: Sequence[Path | dict], name: str) -> None:
    """Send files as the Shelf does and wait until the model of that name is read."""
    send_files(server, files)
    _read(server, name)


def send_files(server: str, files: Sequence[Path | dict]) -> None:
    """Send files as the Shelf does."""
    drop = ask(server, "POST", "/api/drops", {"model": None})["id"]
    for f in files:
        path, data = (f.name, f.read_bytes()) if isinstance(f, Path) else (f["name"], f["buffer"])
        ask(server, "PUT", f"/api/drops/{drop}/files?path={quote(path)}", data)
    ask(server, "POST", f"/api/drops/{drop}/close", {})


def choose_on_shelf(page: Page, server: str, files: list[Path], name: str) -> None:
    """Choose files on the Shelf's own page, wait until the model is read, and open it on the Bench."""
    page.goto("/")
    page.get_by_test_id("files").set_input_files(files)  # type: ignore[arg-type]
    link = page.get_by_role("link", name=name, exact=True)
    link.wait_for()
    _read(server, name)
    link.click()
    page.get_by_label("Ledger of stations").wait_for()


def _read(server: str, name: str) -> None:
    for _ in range(300):
        # On a busy machine jobs may wait for longer than a page is waited for.
        states = [m["state"] for m in shelf(server) if m["name"] == name]
        if states and not {"waiting", "running"} & set(states):
            return
        time.sleep(0.2)
    raise AssertionError(f"{name} was not read")


def as_glb(scene: Scene, name: str) -> dict:
    """A scene of our own as a file to drop."""
    return {"name": f"{name}.glb", "mimeType": "model/gltf-binary", "buffer": formats.write(scene, "glb", "x")["x.glb"]}


def open_bench(page: Page, server: str, name: str) -> None:
    page.goto(f"/bench/{revision_of(server, name)}")
    page.get_by_label("Ledger of stations").wait_for()


def revision_of(server: str, name: str) -> int:
    """The latest revision of the model of that name that was set on the Shelf last."""
    return next(m["revision"] for m in shelf(server) if m["name"] == name)


def heron_revision(server: str) -> int:
    """The heron's revision with nothing on its tape, on the Shelf."""
    if not any(m["name"] == "Heron" for m in shelf(server)):
        set_on_shelf(server, [DEMO / "heron" / "heron.glb"], "Heron")
    revision = revision_of(server, "Heron")
    ask(server, "PUT", f"/api/revisions/{revision}/tape", {"slips": []})
    return revision


def station(page: Page, name: str) -> Locator:
    """Opens a station; returns its panel."""
    row, opened = page.locator(f"[data-station={name}]"), page.get_by_role("region", name=f"{name.capitalize()}, open")
    row.or_(opened).wait_for()
    if row.count():
        row.click()
    return opened


def on_stage(page: Page, server: str, name: str, files: list[Any], query: str = "station=placement") -> Page:
    """Opens a model on the Bench with a fixed clock, setting it on the Shelf first where it is not there yet."""
    if not any(m["name"] == name for m in shelf(server)):
        set_on_shelf(server, files, name)
    page.goto(f"/bench/{revision_of(server, name)}?test&{query}")
    stage_there(page)
    return page


def stage_there(page: Page) -> None:
    until(page, "!!(window.stageTest && stageTest.stage.root)")
    settle(page)


def frames(page: Page, count: int) -> None:
    """Let the page draw so many frames."""
    page.evaluate(
        f"new Promise(done => {{ let n = {count}; const next = () => n-- ? requestAnimationFrame(next) : done(); next(); }})"
    )


def settle(page: Page) -> None:
    """Wait until what was pressed has reached the stage and the stage draws nothing more."""
    # The page takes a frame to tell the stage, and the stage one to begin.
    frames(page, 3)
    page.evaluate("stageTest.settle()")


def picture(page: Page) -> np.ndarray:
    """(n,) uint8 the whole picture, RGBA, lower row first; as text, since a list of numbers takes seconds on its way."""
    text = page.evaluate(
        """(() => { const b = stageTest.shot(); let s = ''; for (let i = 0; i < b.length; i += 32768)
             s += String.fromCharCode(...b.subarray(i, i + 32768)); return btoa(s); })()"""
    )
    return np.frombuffer(base64.b64decode(text), np.uint8)


def drawn(page: Page) -> int:
    """A number that changes when any pixel does, once everything is drawn."""
    settle(page)
    return page.evaluate("stageTest.hash()")


def lens(page: Page, name: str, how: str = "Whole") -> None:
    page.get_by_role("button", name=name, exact=True).click()
    page.get_by_role("button", name=how, exact=True).click()
    settle(page)


def accessibility(page: Page) -> list[str]:
    """Violations of WCAG 2.2 A and AA that axe finds on the page."""
    # What still fades in has colours that are not its own.
    until(page, "document.getAnimations().every(a => a.playState !== 'running')")
    # Run in the page's own world by the browser itself, so that the page's strict policy on scripts stays as it is.
    page.evaluate((ROOT / "frontend/node_modules/axe-core/axe.min.js").read_text())
    found = page.evaluate("axe.run({ runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'] })")
    return [f"{v['id']}: {n['target']} {n['failureSummary']}" for v in found["violations"] for n in v["nodes"]]
