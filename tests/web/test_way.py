"""The way to Fit by the web: asked for, found by a job, its choices remembered, branches kept for the destinations that need them."""

from __future__ import annotations

import json

import pytest

from conftest import drop, settled, wait_for
from handlens.core import formats
from kit.defects import INTENT, seeded

pytestmark = pytest.mark.usefixtures("worker")


@pytest.fixture(scope="module")
def cart(client):
    """A model with seeded defects, read; what it is meant to be is said but for how tall it is."""
    drop(client, {"mud_cart.glb": formats.write(seeded(12)[0], "glb", "x")["x.glb"]})
    made = settled(client, "Mud cart")
    intent = {k: v for k, v in json.loads(INTENT).items() if k != "expected"}
    assert client.patch(f"/api/models/{made['id']}", json={"intent": intent}).status_code == 204
    return made


def reading(client, revision):
    return wait_for(
        lambda: (b := client.get(f"/api/revisions/{revision}/bench").json)["state"] == "done" and not b["stale"] and b["reading"]
    )


def way(client, inspection, **wish):
    return client.post(f"/api/inspections/{inspection}/way", json=wish)


def found(client, inspection, **wish):
    assert way(client, inspection, begin=True, **wish).status_code == 200
    return wait_for(lambda: (w := way(client, inspection, **wish).json)["state"] not in ("waiting", "running") and w)


def test_a_way_is_looked_for_when_that_is_wished_and_laid_by_whoever_wants_it(client, cart):
    revision = cart["revision"]
    inspection = reading(client, revision)["inspection"]
    asked = client.get(f"/api/inspections/{inspection}/questions").json["questions"]
    # What was said is asked no more, though it be what is taken where nothing is said.
    assert [q["key"] for q in asked] == ["expected.height_m", "copies"]
    assert way(client, inspection).json["state"] == "none"
    told = found(client, inspection)
    assert (told["state"], told["picture"]) == ("done", True), told
    slips = told["way"]["slips"]
    assert told["way"]["branches"][0]["after"]["stop"] == 0
    assert client.get(f"/api/ways/{told['id']}/picture").mimetype == "image/webp"
    assert client.get(f"/api/revisions/{revision}/bench").json["tape"] == [], "nothing is laid by itself"
    # Another goal, another intent: of before nothing is told.
    assert way(client, inspection, goal="stop").json["state"] == "none"
    laid = [{"mend": s["mend"], "params": s["params"], "on": True} for s in slips]
    assert client.put(f"/api/revisions/{revision}/tape", json={"slips": laid, "version": None}).status_code == 200
    now = reading(client, revision)
    assert (now["verdict"]["stop"], now["verdict"]["caution"]) == (0, 0)
    # From there the way is told anew: there is nothing left to do.
    again = found(client, now["inspection"])
    assert again["way"]["slips"] == []
    assert client.post(f"/api/revisions/{revision}/tape/undo", json={"version": None}).status_code == 200


def test_a_choice_is_remembered_and_forgotten(client, cart):
    inspection = reading(client, cart["revision"])["inspection"]
    rule = {"check": "arrival.lines", "mend": "arrival.thicken-lines"}
    assert client.put("/api/way-rules", json={"check": "arrival.mud", "mend": "arrival.remove"}).status_code == 422
    assert client.put("/api/way-rules", json={**rule, "mend": "arrival.remove"}).status_code == 204
    assert client.put("/api/way-rules", json=rule).status_code == 204
    assert client.get("/api/way-rules").json == {"rules": [rule]}
    assert way(client, inspection).json["state"] == "none", "what is remembered makes another way of it"
    assert client.delete("/api/way-rules/arrival.lines").status_code == 204
    assert client.delete("/api/way-rules/arrival.lines").status_code == 404
    assert way(client, inspection, prefer={"arrival.mud": "x"}).status_code == 422
    assert "There is no rule sheet" in json.dumps(way(client, inspection, sheets=["mud"]).json)


def test_what_one_destination_needs_is_played_where_it_is_exported(client, cart):
    revision = cart["revision"]
    slip = {"mend": "arrival.remove-parts", "params": {"parts": ["post"]}}
    keep = lambda branches: client.put(f"/api/revisions/{revision}/branches", json={"branches": branches}).status_code
    assert keep({"mud": [slip]}) == 422
    assert keep({"realtime-engine": [{"mend": "mud.clean", "params": {}}]}) == 422
    assert keep({"realtime-engine": [slip], "ar-viewing": [slip]}) == 204
    assert [s["mend"] for s in client.get(f"/api/revisions/{revision}/bench").json["branch"]] == ["arrival.remove-parts"]

    def parts(**more):
        made = client.post(f"/api/revisions/{revision}/exports", json={"format": "glb", **more}).json["id"]
        done = wait_for(lambda: (e := client.get(f"/api/exports/{made}").json)["state"] in ("done", "failed") and e)
        return next(row["read_back"] for row in done["proof"]["rows"] if row["what"] == "Parts")

    assert (parts(), parts(branch=False)) == ("2", "3")
    assert keep({"realtime-engine": [], "ar-viewing": []}) == 204
    assert client.get(f"/api/revisions/{revision}/bench").json["branch"] == []
