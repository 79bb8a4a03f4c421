"""Headless Chromium from Debian's package, drawing in software."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect, sync_playwright

from browser.steps import DEMO, heron_revision, on_stage, stage_there

ARGS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--ignore-gpu-blocklist",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]
# Jobs take their time on a busy machine; a page that is right is never waited for this long.
expect.set_options(timeout=25_000)


@pytest.fixture(scope="session")
def chromium():
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        yield browser
        browser.close()


@pytest.fixture
def page(chromium, server, request):
    """A page on which any error in the console fails the test; no larger than it must be, since it is drawn in software, and at
    half the pixels each way where no test looks at them.
    """
    context = chromium.new_context(
        viewport={"width": 1110, "height": 620},
        base_url=server,
        reduced_motion="reduce",
        accept_downloads=True,
        device_scale_factor=1 if request.path.stem == "test_stage" else 0.5,
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


@pytest.fixture
def heron(page, server):
    page.goto(f"/bench/{heron_revision(server)}")
    page.get_by_label("Ledger of stations").wait_for()
    return page


@pytest.fixture
def stage(page, server):
    """The heron on the Bench with a fixed clock."""
    page.goto(f"/bench/{heron_revision(server)}?test&station=placement")
    stage_there(page)
    return page


@pytest.fixture
def pot(page, server):
    """The crab pot on the Bench, with a fixed clock."""
    return on_stage(page, server, "Crab pot", [DEMO / "crab_pot" / "crab_pot.glb"])
