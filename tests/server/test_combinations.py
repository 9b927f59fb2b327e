"""Acts that meet each other: decisions and undo, borders and levels, flipping and fills."""

import json

import numpy as np
from samples import small_project, stored_channels
from server.sockets import window
from server.test_plans import fill, keep, plan, undo, view

from ashblend.core.channels import FULL


def edit(client, sample, **change):
    """Change the first channel of the set, as the page does."""
    found = next(s for s in view(client, sample)["channel_sets"] if s["id"] == str(sample.channel_set))
    channels = found["document"]["channels"]
    channels[0] = {**channels[0], **change}
    body = {"revision": found["revision"], "document": {**found["document"], "channels": channels}}
    client.put(f"/api/channel-sets/{sample.channel_set}", json=body).raise_for_status()


def first_channel(client, sample) -> dict:
    return view(client, sample)["channel_sets"][0]["document"]["channels"][0]


def test_decisions_after_a_refinement_outlive_undo_and_redo(client, db):
    """A name, a lock and an undercoat are acts of the same history, not part of the mesh."""
    sample = small_project(db)
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 0.5)], channel=1)
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
    edit(client, sample, name="Moss")
    edit(client, sample, undercoat={"kind": "constant", "value": 0.25})
    edit(client, sample, locked=True)
    decided = first_channel(client, sample)
    assert (decided["name"], decided["locked"], decided["undercoat"]["value"]) == ("Moss", True, 0.25)
    with window(client, sample) as talk:
        values = talk.values.copy()
        assert values[:, 0].min() == np.rint(0.25 * FULL)
        labels = []
        for _ in range(5):
            talk.say({"type": "undo"})
            labels.append(talk.until("saved")["label"])
        assert labels == [
            "Undid: Lock Moss",
            "Undid: Undercoat of Moss",
            "Undid: Rename Channel R to Moss",
            labels[3],
            "Undid: Paint Channel G",
        ]
        assert labels[3].startswith("Undid: Refine")
    back = first_channel(client, sample)
    assert (back["name"], back["locked"], back["undercoat"]["value"]) == ("Channel R", False, 0)
    with window(client, sample) as talk:
        assert not talk.values.any()
        for _ in range(5):
            talk.say({"type": "redo"})
            talk.until("saved")
    assert first_channel(client, sample) == decided
    with window(client, sample) as talk:
        np.testing.assert_array_equal(talk.values, values)


def test_an_undercoat_decided_since_is_what_a_snapshot_comes_back_over(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 0.5)], radius=0.2)
        made = client.post(f"/api/surfaces/{sample.surface}/snapshots", json={"name": "Early"})
        edit(client, sample, undercoat={"kind": "constant", "value": 0.5})
        client.post(
            f"/api/surfaces/{sample.surface}/snapshots/{made.json()['id']}/restore"
        ).raise_for_status()
    with window(client, sample) as talk:
        held = talk.values.copy()
        assert held[:, 0].min() == np.rint(0.5 * FULL), "the decision stays"
    # What is on the disk says the same as what was in memory.
    with db() as session:
        stored = stored_channels(session, sample.surface)[sample.channel_set]
    np.testing.assert_array_equal(stored[0].values(), held[: stored[0].extent, 0])


def test_a_hard_border_holds_on_lower_levels(client, db):
    """The filled side is full up to its border's vertices there, too, and the other side empty."""
    sample = small_project(db)
    with window(client, sample) as talk:
        keep(talk, client, plan(talk, client, sample, kind="level", triangles=500))
    mesh = sample.mesh
    right = np.flatnonzero(mesh.positions[mesh.triangles].mean(axis=1)[:, 0] > 1.0)
    with window(client, sample) as talk:
        faces = {"unit": "face", "hard": True, "picked": right.tolist()}
        fill(talk, sample, {"act": "even", "weight": 1}, faces=faces)
        talk.until("reshaped")
    level = next(
        i for i, s in enumerate(view(client, sample)["channel_sets"]) if s["sites"].get("level") == 1
    )
    with window(client, sample) as talk:
        held = talk.sets[level][:, 0]
    data = client.get(f"/api/surfaces/{sample.surface}/geometry?level=1").content
    length = int.from_bytes(data[:4], "little")
    head = json.loads(data[4 : 4 + length])
    entry = next(e for e in head["arrays"] if e["name"] == "position")
    places = np.frombuffer(data, "<f4", entry["count"] * 3, 4 + length + entry["offset"]).reshape(-1, 3)
    x = places[: len(held), 0] + head["facts"]["origin_x"]
    assert set(held.tolist()) <= {0, FULL}, "nothing in between: the border is hard there, too"
    # The level's own edges make the border there, so it runs to and fro by its edges.
    assert (held[x > 1.5] == FULL).all() and not held[x < 0.5].any()
    on_border = np.abs(x - 1) < 0.1
    assert (held[on_border] == FULL).any() and (held[on_border] == 0).any(), "both sides of it are there"


def test_faces_filled_with_a_flipped_brush_get_what_a_flipped_stroke_paints(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        talk.stroke(sample, [(1.0, 1.0)], radius=0.5, strength=1, target=0.7, flipped=True, falloff="flat")
        stroke = talk.values[33 * 16 + 16, 0]
        undo(talk)
        faces = {"unit": "face", "hard": False, "picked": [0]}
        fill(talk, sample, {"act": "even", "weight": 0.7}, faces=faces, flipped=True)
        assert talk.values[:, 0].max() == stroke and abs(int(stroke) - 0.3 * FULL) < 1
