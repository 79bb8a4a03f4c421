"""What judging a skin and playing a clip cost, against one skinning pass and against a frame of the stage.

Run with ./start serving at the address given:
  PYTHONPATH=src:benchmarks python benchmarks/motion_speed.py http://127.0.0.1:8610 > benchmarks/motion_speed.md
"""

from __future__ import annotations

import json
import statistics
import sys
import time
import urllib.request
from collections.abc import Callable
from typing import Any

import numpy as np
from playwright.sync_api import sync_playwright
from stage_speed import ARGS

from handlens.core import formats
from handlens.core.judge.judge import judge
from handlens.core.measures import collect
from handlens.core.route.measuring import measure
from handlens.core.rules import Intent, load_sheet
from handlens.core.scene import Channel, Clip, Mesh, Node, Scene, Skin, Weights
from handlens.core.scene.skinning import posed
from handlens.core.scene.transforms import world_matrices
from handlens.core.stations.skin.measures import take

#: Milliseconds of each frame: `kind` says whether the camera turns, or the clip goes on. Every frame is drawn anew and read back.
FRAMES = """async ([kind, count]) => {
  const s = stageTest.stage, gl = s.renderer.getContext(), one = new Uint8Array(4), out = [];
  const slider = document.querySelector('input[type=range]');
  await stageTest.settle();
  for (let k = 0; k < count; k++) {
    const began = performance.now();
    if (kind === 'play') { slider.value = String(0.02 + k * 0.03); slider.dispatchEvent(new Event('input', { bubbles: true })); }
    else if (kind === 'still') s.modelChanged();
    else stageTest.viewer.turn(0.02, 0);
    await new Promise((r) => requestAnimationFrame(() => { gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, one); r(); }));
    out.push(performance.now() - began);
  }
  return out;
}"""


def rig(vertices: int, joints: int, influences: int = 4) -> Scene:
    """A tube on a chain of joints, carried by `influences` of them at each vertex, with a clip that turns every one."""
    random, side = np.random.default_rng(1), int(np.sqrt(vertices))
    around, along = np.meshgrid(np.linspace(0, 2 * np.pi, side, endpoint=False), np.linspace(0, joints * 0.02, side))
    points = np.stack([0.2 * np.cos(around).ravel(), along.ravel(), 0.2 * np.sin(around).ravel()], 1)
    ring = np.arange(side * (side - 1)).reshape(side - 1, side)
    faces = np.stack([ring, ring + side, np.roll(ring, -1, 1) + side, np.roll(ring, -1, 1)], -1).reshape(-1, 4)
    first = np.clip((points[:, 1] / 0.02).astype(int), 0, joints - influences)
    named = (first[:, None] + np.arange(influences)).astype(np.int32).ravel()
    shares = random.dirichlet(np.ones(influences), len(points)).astype(np.float32).ravel()
    chain = [
        Node(f"j{k}", f"j_{k}", translation=(0, 0.02 if k else 0, 0), children=(k + 2,) if k + 1 < joints else ())
        for k in range(joints)
    ]
    mesh = Mesh(
        "m",
        "tube",
        points,
        corners=faces.ravel().astype(np.int32),
        starts=np.arange(len(faces) + 1, dtype=np.int64) * 4,
        slots=np.zeros(len(faces), np.int32),
        slot_materials=(-1,),
        weights=Weights(np.arange(len(points) + 1, dtype=np.int64) * influences, named, shares),
    )
    inverse = np.tile(np.eye(4), (joints, 1, 1))
    inverse[:, 1, 3] = -0.02 * np.arange(joints)
    t = np.linspace(0, 2, 41).astype(np.float32)
    swing = 0.01 * np.sin(np.pi * t)
    turns = np.column_stack([0 * t, 0 * t, np.sin(swing), np.cos(swing)]).astype(np.float32)
    clip = Clip("c", "sway", tuple(Channel(k + 1, "rotation", t, turns) for k in range(joints)))
    nodes = (Node("r", "rig", children=(1, joints + 1)), *chain, Node("n", "tube", mesh=0, skin=0))
    return Scene(
        "glb",
        nodes,
        (0,),
        (mesh,),
        skins=(Skin("s", "chain", tuple(range(1, joints + 1)), inverse),),
        clips=(clip,),
        unit_metres=1.0,
        up_axis="Y",
    )


def best(run: Callable[[], Any], times: int = 5) -> float:
    out = []
    for _ in range(times):
        began = time.perf_counter()
        run()
        out.append(time.perf_counter() - began)
    return min(out)


def judged() -> None:
    print("| 100,000 vertices × 100 joints | ratio | wanted |\n|---|---|---|")
    sheet = load_sheet(None)
    for influences in (4, 8):
        scene = rig(100_000, 100, influences)
        world, m = world_matrices(scene), collect(scene)
        one = best(lambda s=scene, w=world: posed(s, len(s.nodes) - 1, w))
        taken = best(lambda s=scene, x=m: take(s, x, {}), 3)
        whole = measure(scene)
        told = best(lambda x=whole: judge(x, sheet, Intent()), 3)
        print(
            f"| {influences} influences: measuring and judging the skin ÷ one numpy skinning pass | {(taken + told) / one:.2f} | ≤ 5.00 |"
        )


def played(base: str) -> None:
    def call(method: str, where: str, data: bytes | None = None, kind: str = "application/json") -> Any:
        asked = urllib.request.Request(base + where, data, {"Content-Type": kind, "Origin": base}, method=method)
        return json.load(urllib.request.urlopen(asked))

    drop = call("POST", "/api/drops", b"{}")["id"]
    data = formats.write(rig(20_000, 60), "glb", "x")["x.glb"]
    call("PUT", f"/api/drops/{drop}/files?path=swaying.glb", data, "application/octet-stream")
    call("POST", f"/api/drops/{drop}/close", b"{}")
    while True:
        found = [m for m in call("GET", "/api/shelf")["models"] if m["name"] == "Swaying"]
        if found and found[0]["state"] == "done":
            break
        time.sleep(0.5)
    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=base)
        page.goto(f"/bench/{found[0]['revision']}?test&station=motion")
        page.get_by_role("slider", name="Moment of the clip").wait_for()
        page.wait_for_timeout(2000)
        median = {kind: statistics.median(page.evaluate(FRAMES, [kind, 40])[5:]) for kind in ("turn", "still", "play")}
        browser.close()
    print("\n| 20,000 skinned vertices × 60 joints, 1280 × 800, drawn in software | ratio | wanted |\n|---|---|---|")
    print(f"| a frame of playing ÷ the same frame without a pose | {median['play'] / median['still']:.2f} | ≤ 1.50 |")
    print(f"| a frame of playing ÷ a frame of turning the view | {median['play'] / median['turn']:.2f} | |")


if __name__ == "__main__":
    print("# Skin and Motion\n\nMade by `benchmarks/motion_speed.py`: one run, one machine.\n")
    judged()
    played(sys.argv[1])
