"""What a surface is looked at under, and from where: worked out, saved, kept, copied; and no step of its history."""

import json

import numpy as np
import pytest
from samples import small_project
from server.sockets import window
from server.test_copies import copied

LOW = {"sky": "low sun", "tilt": 9.0, "azimuth": 123.0}
STAND = {"target": [0.5, 0.0, -0.25], "distance": 3.0, "turn": 0.4, "tilt": 0.3}


def unpacked(data: bytes) -> dict:
    length = int.from_bytes(data[:4], "little")
    head = json.loads(data[4 : 4 + length])
    across, up, levels = head["size"]
    at = 4 + length + head["arrays"][0]["offset"]
    sky = np.frombuffer(data, np.float16, across * up * levels * 4, at).reshape(levels, up, across, 4)
    return {**head, "sky": sky}


def fell(client, sample, **light) -> dict:
    answer = client.post(f"/api/surfaces/{sample.surface}/falling", json=light)
    return unpacked(answer.raise_for_status().content)


def test_every_sky_lights_a_surface_and_its_own_colour_comes_back_from_below(client, db):
    sample = small_project(db)
    skies = client.get("/api/skies").json()
    assert [s["kind"] for s in skies] == ["clear", "low sun", "overcast", "lamp"]
    for sky in skies:
        found = fell(client, sample, sky=sky["kind"], **sky["first"])
        assert found["near"] == (sky["kind"] == "lamp")
        values = found["sky"].astype(float)
        assert np.isfinite(values).all() and (values >= 0).all() and values[..., :3].max() > 0.05
    # Another ground, and what comes from below has another colour; what comes from above hardly.
    before = fell(client, sample)
    blend = client.get(f"/api/surfaces/{sample.surface}").json()["blend"]
    ground = {"material": None, "colour": [0.8, 0.02, 0.02], "roughness": 0.9}
    body = {"revision": blend["revision"], "document": {**blend["document"], "ground": ground, "layers": []}}
    client.put(f"/api/blends/{blend['id']}", json=body).raise_for_status()
    after = fell(client, sample)
    np.testing.assert_allclose(after["bounce"], [0.8, 0.02, 0.02], atol=1e-3)
    up = before["sky"].shape[1] // 2
    below = [found["sky"][0, : up - 20, :, :3].astype(float).mean(axis=(0, 1)) for found in (before, after)]
    above = [found["sky"][0, up + 20 :, :, :3].astype(float).mean(axis=(0, 1)) for found in (before, after)]
    assert below[1][0] > 8 * below[1][1] and below[0][0] < 4 * below[0][1]
    np.testing.assert_allclose(above[0] / above[0].sum(), above[1] / above[1].sum(), rtol=0.05)


def test_how_a_surface_is_looked_at_is_saved_and_is_no_step(client, db):
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}/sight"
    first = client.get(url).json()
    assert first["stand"] is None and first["light"]["sky"] == "clear"
    with window(client, sample) as talk:
        client.put(url, json={"light": LOW, "stand": STAND}).raise_for_status()
        found = client.get(url).json()
        assert found["light"]["azimuth"] == 123.0 and found["stand"]["target"] == STAND["target"]
        talk.say({"type": "undo"})
        assert "nothing to undo" in talk.until("refused")["problem"]
    # The last one who looked is kept.
    client.put(url, json={"light": {"sky": "overcast"}, "stand": None}).raise_for_status()
    assert client.get(url).json()["light"]["sky"] == "overcast"


@pytest.mark.parametrize(
    "light",
    [
        {"sky": "purple"},
        {"tilt": 91},
        {"tilt": "NaN"},
        {"azimuth": 360},
        {"haze": 0},
        {"angle": 1e9},
        {"exposure": 1e308},
        {"view": 0},
        {"strange": 1},
    ],
)
def test_a_light_that_cannot_be_is_refused_and_changes_nothing(client, db, light):
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}"
    before = client.get(f"{url}/sight").json()
    for answer in (
        client.post(f"{url}/falling", json=light),
        client.put(f"{url}/sight", json={"light": light, "stand": None}),
        client.post(f"/api/projects/{sample.project}/lights", json={"name": "Odd", "light": light}),
    ):
        assert answer.status_code == 422 and answer.json()["problem"] and answer.json()["remedy"]
    assert client.get(f"{url}/sight").json() == before
    assert client.get(f"/api/projects/{sample.project}/lights").json() == []


def test_lights_and_views_are_kept_let_go_and_go_with_a_copy(client, db):
    sample = small_project(db)
    lights, views = f"/api/projects/{sample.project}/lights", f"/api/surfaces/{sample.surface}/bookmarks"
    for name in ("Evening", "Noon"):
        assert client.post(lights, json={"name": name, "light": LOW}).status_code == 201
        assert client.post(views, json={"name": name, "stand": STAND}).status_code == 201
    client.put(
        f"/api/surfaces/{sample.surface}/sight", json={"light": LOW, "stand": STAND}
    ).raise_for_status()
    twin = copied(client, sample)
    gone = client.get(lights).json()[0]
    client.delete(f"/api/lights/{gone['id']}").raise_for_status()
    client.delete(f"/api/bookmarks/{client.get(views).json()[1]['id']}").raise_for_status()
    assert [row["name"] for row in client.get(lights).json()] == ["Noon"]
    assert [row["name"] for row in client.get(views).json()] == ["Evening"]
    theirs = client.get(f"/api/projects/{twin.project}/lights").json()
    assert [row["name"] for row in theirs] == ["Evening", "Noon"] and theirs[0]["light"]["tilt"] == 9.0
    marks = client.get(f"/api/surfaces/{twin.surface}/bookmarks").json()
    assert [row["name"] for row in marks] == ["Evening", "Noon"]
    assert client.get(f"/api/surfaces/{twin.surface}/sight").json()["light"]["sky"] == "low sun"
    assert client.delete(f"/api/lights/{gone['id']}").status_code == 404
    assert client.post(views, json={"name": " ", "stand": STAND}).status_code == 422
    assert client.post(views, json={"name": "x", "stand": {**STAND, "distance": 0}}).status_code == 422


def test_no_more_is_kept_than_anybody_can_choose_from(client, db):
    sample = small_project(db)
    lights = f"/api/projects/{sample.project}/lights"
    for number in range(40):
        client.post(lights, json={"name": f"{number}", "light": {}}).raise_for_status()
    refused = client.post(lights, json={"name": "One more", "light": {}})
    assert refused.status_code == 409 and "40 lights" in refused.json()["problem"]


def test_how_much_of_the_sky_is_hidden_is_told_for_every_drawn_vertex(client, db):
    sample = small_project(db)
    data = client.get(f"/api/surfaces/{sample.surface}/closed").raise_for_status().content
    length = int.from_bytes(data[:4], "little")
    head = json.loads(data[4 : 4 + length])
    assert head["size"] == [head["arrays"][0]["count"], 1]
    values = np.frombuffer(data, np.uint8, head["size"][0], 4 + length)
    # A plane hides nothing from itself.
    assert (values == 0).all()
    assert client.get(f"/api/surfaces/{sample.surface}/closed?level=3").status_code == 409
