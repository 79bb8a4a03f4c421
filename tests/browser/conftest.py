"""Headless Chromium from Debian's package, drawing in software."""

from __future__ import annotations

import json
import urllib.request
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect, sync_playwright

ARGS = [
    "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--no-first-run",
]  # fmt: skip
ROOT = Path(__file__).parents[2]
# Jobs take their time on a busy machine; a page that is right is never waited for this long.
expect.set_options(timeout=25_000)


@pytest.fixture(scope="session")
def chromium():
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        yield browser
        browser.close()


@pytest.fixture
def page(chromium, server):
    """A page at 1280 x 800 on which any error in the console fails the test."""
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800}, base_url=server, reduced_motion="reduce", accept_downloads=True
    )
    made = context.new_page()
    made.set_default_timeout(20_000)
    troubles: list[str] = []
    made.on("pageerror", lambda e: troubles.append(str(e)))
    # A refused request is the server's answer to a test of bad input, not trouble in the page.
    made.on(
        "console", lambda m: troubles.append(m.text) if m.type == "error" and "Failed to load resource" not in m.text else None
    )
    yield made
    context.close()
    assert troubles == []


def until(page: Page, expression: str) -> None:
    """Wait until an expression is true; the page's policy forbids the evaluating that Playwright's own waiting does."""
    for _ in range(100):
        if page.evaluate(expression):
            return
        page.wait_for_timeout(100)
    raise AssertionError(f"never came true: {expression}")


def shelf(server: str) -> list[dict]:
    return json.load(urllib.request.urlopen(f"{server}/api/shelf"))["models"]


def set_on_shelf(page: Page, files: list[Path | dict], name: str) -> None:
    """Choose files on the Shelf and wait until the model is read."""
    page.goto("/")
    page.get_by_test_id("files").set_input_files(files)
    page.get_by_role("link", name=name, exact=True).wait_for()


def accessibility(page: Page) -> list[str]:
    """Violations of WCAG 2.2 A and AA that axe finds on the page."""
    # Run in the page's own world by the browser itself, so that the page's strict policy on scripts stays as it is.
    page.evaluate((ROOT / "frontend/node_modules/axe-core/axe.min.js").read_text())
    found = page.evaluate("axe.run({ runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'] })")
    return [f"{v['id']}: {n['target']} {n['failureSummary']}" for v in found["violations"] for n in v["nodes"]]
