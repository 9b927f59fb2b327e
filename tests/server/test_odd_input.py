"""Whatever is sent, the answer is one shape with every header, and says what to do."""

import json
from uuid import uuid4

import numpy as np
import pytest
from glbs import pack_glb, split_glb
from samples import small_project
from server.test_plans import view
from server.test_routes import upload
from shapes import plane

from ashblend.core.formats.glb_write import build_glb
from ashblend.server import guard
from ashblend.server.routes import projects

ODD = ["a\0b", "half \ud800", "\udfff\0"]


def sound(answer, *statuses: int) -> dict:
    assert answer.status_code in statuses, answer.text
    assert answer.headers["content-security-policy"] == guard.POLICY
    told = answer.json()
    assert told["problem"] and told["remedy"]
    for word in ("Traceback", "psycopg", "Error(", "<class"):
        assert word not in answer.text
    return told


def posted(client, url: str, body: object, method: str = "POST"):
    # Escaped, as a browser writes half a character.
    return client.request(method, url, content=json.dumps(body), headers={"content-type": "application/json"})


@pytest.mark.parametrize("name", ODD)
def test_odd_characters_in_names(client, db, name):
    sample = small_project(db)
    surface = f"/api/surfaces/{sample.surface}"
    sound(posted(client, "/api/projects", {"name": name}), 422)
    sound(posted(client, surface, {"name": name}, "PATCH"), 422)
    sound(posted(client, f"{surface}/snapshots", {"name": name}), 422)
    found = view(client, sample)["channel_sets"][0]
    document = {**found["document"], "name": name}
    url = f"/api/channel-sets/{found['id']}"
    sound(posted(client, url, {"revision": found["revision"], "document": document}, "PUT"), 422)
    sound(posted(client, f"{surface}/groups", {"kind": "rename", "group": "plane", "name": name}), 409, 422)
    seen = view(client, sample)
    assert seen["name"] == "Plane" and seen["channel_sets"][0]["document"] == found["document"]


@pytest.mark.parametrize("name", ODD)
def test_odd_characters_in_a_mesh_are_left_out(client, db, name):
    sample = small_project(db)
    document, binary = split_glb(build_glb(plane(5, 1.0), [], "Plane"))
    document["meshes"][0]["name"] = document["nodes"][0]["name"] = name
    document["meshes"][0]["primitives"][0]["extras"] = {"group": name}
    attributes = document["meshes"][0]["primitives"][0]["attributes"]
    attributes[f"_{name}"] = attributes["POSITION"]
    data = pack_glb(document, binary)
    made = upload(client, sample.project, "odd.glb", data)
    assert made.status_code == 201, made.text
    out = client.get(
        f"/api/surfaces/{made.json()['id']}/export",
        params={
            "channel_set": client.get(f"/api/surfaces/{made.json()['id']}").json()["channel_sets"][0]["id"]
        },
    )
    assert out.status_code == 200 and split_glb(out.content)[0]["meshes"][0]["name"] == name


def test_numbers_and_names_that_are_nowhere(client, db):
    sample = small_project(db)
    found = view(client, sample)["channel_sets"][0]
    for revision in (2**63, -(2**63), 10**30):
        body = {"revision": revision, "document": found["document"]}
        sound(client.put(f"/api/channel-sets/{found['id']}", json=body), 409, 422)
    picture = b"\x89PNG" + bytes(20)
    for url in (
        f"/api/surfaces/{uuid4()}/steps/1/picture",
        f"/api/surfaces/{sample.surface}/steps/{2**40}/picture",
    ):
        sound(client.put(url, content=picture), 404, 409, 422)
        sound(client.get(url), 404, 422)


def test_an_error_that_nobody_foresaw_has_the_same_shape_and_a_number(client, monkeypatch, caplog):
    def broken(_):
        raise ZeroDivisionError("of all things")

    monkeypatch.setattr(projects.store, "list_projects", broken)
    told = sound(client.get("/api/projects"), 500)
    number = told["problem"].split("number ")[1].split(",")[0]
    assert number in caplog.text and "of all things" in caplog.text


def test_bodies_are_read_no_further_than_their_limit(client, db):
    sample = small_project(db)

    def endless():
        for _ in range(200):
            read.append(1)
            yield bytes(1_000_000)

    for url, method in (
        ("/api/projects", "POST"),
        (f"/api/blends/{sample.blend}", "PUT"),
        (f"/api/surfaces/{sample.surface}/steps/1/picture", "PUT"),
    ):
        read: list[int] = []
        sound(client.request(method, url, content=endless()), 413, 409)
        told = client.request(method, url, content=b"", headers={"content-length": str(300_000_000)})
        sound(told, 413, 409, 422)
    assert np.array_equal(view(client, sample)["name"], "Plane")


@pytest.mark.parametrize(
    "host", ["127.0.0.1:80:80", "localhost.example:1", "x[::1]", "127.0.0.1:", "evil@localhost", ""]
)
def test_hosts_are_taken_by_the_letter(client, host):
    sound(client.get("/api/projects", headers={"host": host}), 403)
