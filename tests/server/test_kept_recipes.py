"""The project's collection of recipes, and what is brought from one surface to another."""

from uuid import uuid4

import numpy as np
from samples import small_project
from server.sockets import window
from server.test_copies import copied
from server.test_recipes import channel_term, on
from server.test_undercoats import is_stale, measure

PICTURE = b"RIFF" + bytes(60)
NOISE = {"source": {"kind": "noise", "metres": 0.3}}


def kept(client, sample) -> list[dict]:
    return client.get(f"/api/projects/{sample.project}/recipes").raise_for_status().json()


def keep(client, sample, name: str, *terms) -> dict:
    body = {"name": name, "recipe": {"terms": list(terms)}}
    made = client.post(f"/api/projects/{sample.project}/recipes", json=body)
    assert made.status_code == 201
    return made.json()


def test_recipes_are_kept_with_a_picture_renamed_and_let_go(client, db):
    sample = small_project(db)
    first = keep(client, sample, "Worn", NOISE)
    keep(client, sample, "Low places", channel_term(sample, 1))
    assert [r["name"] for r in kept(client, sample)] == ["Low places", "Worn"]
    address = f"/api/recipes/{first['id']}"
    assert client.get(f"{address}/picture").status_code == 404
    client.put(f"{address}/picture", content=PICTURE).raise_for_status()
    assert client.get(f"{address}/picture").content == PICTURE
    assert client.put(f"{address}/picture", content=b"text").json()["problem"] == "This is not a picture."
    assert client.patch(address, json={"name": " "}).status_code == 422
    assert client.patch(address, json={"name": "Wear"}).json()["name"] == "Wear"
    twin = copied(client, sample)
    client.delete(address).raise_for_status()
    assert [r["name"] for r in kept(client, sample)] == ["Low places"]
    assert client.get(address + "/picture").status_code == 404
    theirs = {r["name"]: r for r in kept(client, twin)}
    source = theirs["Low places"]["recipe"]["terms"][0]["source"]
    assert source["channel_set"] == str(twin.channel_set), "the copy's recipe reads the copy's own channels"
    picture = client.get(f"/api/recipes/{theirs['Wear']['id']}/picture")
    assert picture.content == PICTURE


def test_what_cannot_be_kept_says_why(client, db):
    sample = small_project(db)
    address = f"/api/projects/{sample.project}/recipes"
    wrong = {"name": "Worn", "recipe": {"terms": [{"source": {"kind": "weather"}}]}}
    assert client.post(address, json=wrong).status_code == 422
    nowhere = client.post(f"/api/projects/{uuid4()}/recipes", json={"name": "x", "recipe": {"terms": []}})
    assert nowhere.status_code == 404
    assert kept(client, sample) == []


def test_a_recipe_from_elsewhere_reads_channels_of_this_surface(client, db):
    here, there = small_project(db), small_project(db)
    recipe = {"terms": [channel_term(there, 2), NOISE, channel_term(here, 1)]}
    layer = client.get(f"/api/surfaces/{there.surface}").json()["blend"]["document"]["layers"][0]
    body = {"recipe": recipe, "layer": layer, "instead": on(here, 3)}
    found = client.post(f"/api/surfaces/{here.surface}/adopted", json=body).raise_for_status().json()
    sources = [term["source"] for term in found["recipe"]["terms"]]
    # The same letter of the set at hand; what this surface has itself stays.
    assert [(s.get("channel_set"), s.get("channel")) for s in sources] == [
        (str(here.channel_set), 2),
        (None, None),
        (str(here.channel_set), 1),
    ]
    mask = found["layer"]["mask"]["terms"][0]["source"]
    assert (mask["channel_set"], mask["channel"]) == (str(here.channel_set), 0)
    assert (found["channels"], found["materials"]) == (2, 1)
    assert found["layer"]["material"] == str(here.materials[1]), "the one of the same name"
    away = client.post(f"/api/surfaces/{here.surface}/adopted", json={**body, "instead": on(there, 0)})
    assert "not there any more" in away.json()["problem"]


def test_an_undercoat_that_was_up_to_date_is_so_in_a_copy(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 0.5)], channel=1)
        measure(talk, sample, {"terms": [channel_term(sample, 1)]})
        held = talk.values.copy()
    assert not is_stale(db, sample)
    twin = copied(client, sample)
    assert not is_stale(db, twin)
    with window(client, sample) as talk:
        talk.stroke(sample, [(1.5, 0.5)], channel=1)
    assert is_stale(db, sample)
    assert is_stale(db, copied(client, sample)), "what was stale stays stale"
    with window(client, twin) as talk:
        np.testing.assert_array_equal(talk.values, held)
