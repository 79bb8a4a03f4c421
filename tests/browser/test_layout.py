"""No text lies over another, is cut without saying so or lies outside of its panel, and no button is cut by an edge: every station of
some demo models and of models that others made, in one of three sizes of the window in turn; of some, in all. `./check long` walks over
all of the demo.

The sizes are common ones, no published source.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest

from browser.steps import DEMO, frames, revision_of, send_files, shelf, stage_there, until
from conftest import MODELS, wait_for

FIND = (Path(__file__).parent / "layout.js").read_text()
SIZES = ((1280, 800), (1440, 900), (1024, 768))
#: Models of others, picked for what they have: many parts, many materials, long names, lost pictures, no unit.
OTHERS = (
    "glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb",
    "OBJ/spider.obj",
    "Collada/duck.dae",
    "PLY/Wuson.ply",
)
#: Walked over in every size: the simplest and the fullest. Besides these, some with much to tell are walked each time; all others by the
#: long sweep.
IN_ALL = ("Crab pot", "Heron")
EACH_TIME = (*IN_ALL, "Ferry signboard", *OTHERS[:2])
ENDINGS = (".glb", ".gltf", ".obj", ".dae", ".ply", ".stl", ".off", ".3mf", ".usda", ".usdc", ".usdz")
_BESIDE = (".mtl", ".bin", ".jpg", ".png", ".bmp")
_DEMO = {entry["name"]: entry for entry in json.loads((DEMO / "manifest.json").read_text())["models"]}


def _files(name: str) -> list[Path]:
    if name in _DEMO:
        return [DEMO / _DEMO[name]["folder"] / file for file in _DEMO[name]["files"]]
    main = MODELS / name
    return [main, *sorted(p for p in main.parent.iterdir() if p != main and p.suffix.lower() in _BESIDE)[:12]]


def _every() -> list[str]:
    """Demo models and some of others; all that can be read of them where `HANDLENS_WALK=all` asks for it."""
    if os.environ.get("HANDLENS_WALK") != "all":
        return [*_DEMO, *OTHERS]
    return [*_DEMO, *(str(p.relative_to(MODELS)) for p in sorted(MODELS.rglob("*")) if p.suffix.lower() in ENDINGS)]


def _main(name: str) -> Path:
    return next(p for p in _files(name) if p.suffix.lower() in ENDINGS)


@pytest.fixture(scope="module")
def sent(server) -> None:
    """Those of each time on their way to the shelf at once: one is walked over while the next is read."""
    for name in EACH_TIME:
        _send(server, name)


def _send(server: str, name: str) -> None:
    files = _files(name) if name in _DEMO or (MODELS / name).exists() else []
    if files and _main(name).name not in {m["main"] for m in shelf(server)}:
        send_files(server, files)


def sizes(name: str) -> tuple[tuple[int, int], ...]:
    """The sizes of the window in which a model is walked over."""
    if name in IN_ALL or os.environ.get("HANDLENS_WALK") == "all":
        return SIZES
    return (SIZES[_every().index(name) % len(SIZES)],)


def walk(page, sizes=SIZES) -> list[str]:
    """What is wrong with the page at any station and size."""
    found = []
    for width, height in sizes:
        page.set_viewport_size({"width": width, "height": height})
        for slug in page.evaluate("[...document.querySelectorAll('[data-station]')].map(e => e.dataset.station)"):
            page.evaluate(f"document.querySelector('[data-station={slug}]')?.click()")
            # Where the panel ends is worked out in the frame after the one that draws it.
            page.evaluate("new Promise(r => requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(r, 25))))")
            wrong = page.evaluate(FIND)
            if wrong:
                # A picture that comes in late moves what is below it; what stays wrong is wrong.
                until(
                    page,
                    "[...document.images].every(i => i.complete) && document.getAnimations().every(a => a.playState !== 'running')",
                )
                frames(page, 3)
                wrong = page.evaluate(FIND)
            found += [f"{width} × {height}, {slug}: {x}" for x in wrong]
    return found


@pytest.mark.parametrize("name", [n if n in EACH_TIME else pytest.param(n, marks=pytest.mark.long) for n in _every()])
def test_nothing_is_cut_and_nothing_lies_over_another(page, server, sent, name):
    if name not in _DEMO and not (MODELS / name).exists():
        pytest.skip("the models of others are not installed")
    _send(server, name)
    main = _main(name).name
    busy = ("waiting", "running")
    model = wait_for(lambda: next((m for m in shelf(server) if m["main"] == main and m["state"] not in busy), None))
    if model["state"] != "done":
        pytest.skip("it cannot be read")
    # The words about the stage are looked at with the heron; drawing each model would only take time.
    page.route("**/stage*", lambda r: r.fulfill(status=404, json={"detail": "Not drawn here."}))
    page.goto(f"/bench/{model['revision']}")
    page.get_by_label("Ledger of stations").wait_for()
    assert walk(page, sizes(name)) == []


def test_over_the_stage_nothing_is_cut_either(page, server, heron):
    page.goto(f"/bench/{revision_of(server, 'Heron')}?test")
    stage_there(page)
    assert walk(page) == []
