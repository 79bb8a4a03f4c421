"""The curve that the slider reads, and the gauges of the Bench."""

import numpy as np
import pytest
import trimesh

from conftest import drop, settled, wait_for
from handlens.core import formats
from kit.scenes import mesh, scene

pytestmark = pytest.mark.usefixtures("worker")


@pytest.fixture(scope="module")
def buoy(client):
    ball = trimesh.creation.icosphere(4)
    made = scene(mesh(np.array(ball.vertices), ball.faces.tolist(), "buoy"))
    drop(client, {"budget_buoy.glb": formats.write(made, "glb", "x")["x.glb"]})
    return settled(client, "Budget buoy")


def bench(client, entry):
    def ask():
        b = client.get(f"/api/revisions/{entry['revision']}/bench").json
        return b if b["state"] in ("done", "failed") and not b["stale"] else None

    return wait_for(ask)


def test_the_curve_is_measured_once_and_then_there(client, buoy):
    at = f"/api/inspections/{bench(client, buoy)['reading']['inspection']}/curve"
    first = client.post(at, json={"parts": []}).json
    assert (first["state"] in ("waiting", "running"), first["points"]) == (True, [])
    done = wait_for(lambda: (c := client.post(at, json={"parts": []}).json)["state"] == "done" and c)
    counts = [p["triangles"] for p in done["points"]]
    assert (counts[0], counts) == (5_120, sorted(counts, reverse=True))
    assert 0 == done["points"][0]["greatest"] < done["points"][3]["greatest"] < 0.2
    # Of the one part it is another question, of one that is not there a sentence.
    assert client.post(at, json={"parts": ["buoy"]}).json["state"] in ("waiting", "running")
    lost = wait_for(lambda: (c := client.post(at, json={"parts": ["gone"]}).json)["state"] == "failed" and c)
    assert "no longer has a part gone" in lost["error"]
    # A failure is told until somebody asks for another try.
    assert client.post(at, json={"parts": ["gone"]}).json["state"] == "failed"
    assert client.post(at, json={"parts": ["gone"], "again": True}).json["state"] in ("waiting", "running")
    assert client.post("/api/inspections/999999/curve", json={"parts": []}).status_code == 404


def test_gauges_tell_what_each_mend_made_of_it(client, buoy):
    slips = [{"mend": "budget.reduce", "params": {"share": s}, "on": True} for s in (50, 20)]
    client.put(f"/api/revisions/{buoy['revision']}/tape", json={"slips": slips, "version": None})
    gauges = {g["key"]: g for g in bench(client, buoy)["gauges"]}
    came, *after = [r["value"] for r in gauges["triangles"]["reached"]]
    assert (came, [r["slip"] for r in gauges["triangles"]["reached"]]) == (5_120, [None, 0, 1])
    assert after == [pytest.approx(2_560, abs=4), pytest.approx(512, abs=4)]
    assert [r["title"] for r in gauges["draw_calls"]["reached"]] == ["as it came", "Reduce triangles", "Reduce triangles"]
    assert gauges["triangles"]["limit_words"] != "no limit"
    client.put(f"/api/revisions/{buoy['revision']}/tape", json={"slips": [], "version": None})
    assert len({g["key"]: g for g in bench(client, buoy)["gauges"]}["triangles"]["reached"]) == 1
