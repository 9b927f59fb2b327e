"""A copy of a project has its paint, its history and a life of its own; a long way back is short."""

from uuid import UUID

import numpy as np
import pytest
from samples import Sample, small_project
from server.sockets import window
from server.test_combinations import edit, first_channel
from server.test_plans import keep, plan, view

from ashblend.store.models import Surface
from ashblend.store.sweep import sweep_all


def copied(client, sample: Sample) -> Sample:
    made = client.post(f"/api/projects/{sample.project}/copy", json={"name": "Once more"})
    project = made.raise_for_status().json()
    inside = client.get(f"/api/projects/{project['id']}").json()
    surface = inside["surfaces"][0]["id"]
    sets = client.get(f"/api/surfaces/{surface}").json()["channel_sets"]
    materials = tuple(UUID(m["id"]) for m in inside["materials"])
    return Sample(UUID(project["id"]), materials, UUID(surface), UUID(sets[0]["id"]), None, sample.mesh)


def undo_all(client, sample) -> list[tuple[str, np.ndarray]]:
    """Every label on the way back with the values after it, then everything redone."""
    out = []
    with window(client, sample) as talk:
        steps = len(client.get(f"/api/surfaces/{sample.surface}/history").json()["steps"])
        for _ in range(steps):
            talk.say({"type": "undo"})
            label = talk.until("saved")["label"]
            out.append(label)
    with window(client, sample) as talk:
        bare = talk.values.copy()
        for _ in range(steps):
            talk.say({"type": "redo"})
            talk.until("saved")
    with window(client, sample) as talk:
        return [*zip(out, [bare] * steps, strict=True), ("now", talk.values.copy())]


def test_a_copy_has_everything_and_shares_nothing_that_changes(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 0.5)])
        client.post(f"/api/surfaces/{sample.surface}/snapshots", json={"name": "Early"}).raise_for_status()
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
        talk.stroke(sample, [(1.2, 1.2)], channel=2)
    edit(client, sample, name="Moss")
    url = f"/api/surfaces/{sample.surface}/sets"
    client.post(url, json={"name": "Gone", "channels": 2, "sites": {"kind": "vertices"}}).raise_for_status()
    client.delete(f"{url}/{view(client, sample)['channel_sets'][-1]['id']}").raise_for_status()
    twin = copied(client, sample)
    assert twin.surface != sample.surface and twin.channel_set != sample.channel_set
    assert first_channel(client, twin)["name"] == "Moss"
    layer = view(client, twin)["blend"]["document"]["layers"][0]
    assert layer["mask"]["terms"][0]["source"]["channel_set"] == str(twin.channel_set)
    # A stroke of either knows the channel that it is on; what is no stroke on one of them knows none.
    for one in (sample, twin):
        steps = client.get(f"/api/surfaces/{one.surface}/history").json()["steps"]
        on = [step["on"] for step in steps]
        first, later = ({"channel_set": str(one.channel_set), "channel": c} for c in (0, 2))
        assert [a for a in on if a] == [first, later] and len(on) > 4
    assert UUID(layer["material"]) in twin.materials and UUID(layer["material"]) not in sample.materials
    # Back to the beginning and forth again, in the copy first: a set that only the history knows comes back there.
    theirs, ours = undo_all(client, twin), undo_all(client, sample)
    assert [label for label, _ in theirs] == [label for label, _ in ours]
    for (_, there), (_, here) in zip(theirs, ours, strict=True):
        np.testing.assert_array_equal(there, here)
    with window(client, twin) as talk:
        talk.stroke(twin, [(0.2, 1.8)], radius=0.3)
        changed = talk.values.copy()
    edit(client, twin, name="Lichen")
    assert first_channel(client, sample)["name"] == "Moss"
    with window(client, sample) as talk:
        assert (talk.values != changed).any()
        np.testing.assert_array_equal(talk.values, ours[-1][1])
    # The first goes, and takes nothing of the copy along.
    client.delete(f"/api/projects/{sample.project}").raise_for_status()
    client.request("DELETE", "/api/bin").raise_for_status()
    sweep_all(db)
    with db() as session:
        assert session.get(Surface, sample.surface) is None
    with window(client, twin) as talk:
        np.testing.assert_array_equal(talk.values, changed)
    snapshot = client.get(f"/api/surfaces/{twin.surface}/history").json()["snapshots"][0]
    client.post(f"/api/surfaces/{twin.surface}/snapshots/{snapshot['id']}/restore").raise_for_status()
    assert (
        client.get(f"/api/surfaces/{twin.surface}/export?channel_set={twin.channel_set}").status_code == 200
    )


def test_deleted_goes_to_the_bin_windows_are_told_and_it_comes_back_whole(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 0.5)])
        held = talk.values.copy()
        client.delete(f"/api/surfaces/{sample.surface}").raise_for_status()
        with pytest.raises(AssertionError, match="closed"):
            talk.until("a word that never comes")
    assert client.get(f"/api/surfaces/{sample.surface}").status_code == 404
    assert client.get(f"/api/projects/{sample.project}").json()["surfaces"] == []
    found = client.get("/api/bin").json()
    assert (found["days"], [e["name"] for e in found["entries"]]) == (14, ["Plane"])
    left = client.post(f"/api/bin/surface/{sample.surface}/restore").raise_for_status().json()
    assert left["entries"] == []
    with window(client, sample) as talk:
        np.testing.assert_array_equal(talk.values, held)
    assert client.post(f"/api/bin/surface/{sample.project}/restore").status_code == 404
    assert client.post(f"/api/bin/channel/{sample.project}/restore").status_code == 422


def test_a_jump_over_many_steps_gives_the_same_as_one_at_a_time_and_is_told_once(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        bare = talk.values.copy()
        for at in range(40):
            talk.stroke(sample, [(0.1 + 0.04 * at, 0.5)], channel=at % 3, radius=0.2)
        edit(client, sample, name="Moss")
        for at in range(60):
            talk.stroke(sample, [(0.5, 0.1 + 0.02 * at)], channel=at % 2, radius=0.2)
        full = talk.values.copy()
        steps = client.get(f"/api/surfaces/{sample.surface}/history").json()["steps"]
        talk.say({"type": "jump", "number": steps[54]["number"]})
        told = talk.until("saved")
        assert told["history"]["steps"] == 55
        middle = talk.values.copy()
        talk.say({"type": "jump", "number": 0})
        assert talk.until("saved")["history"]["undo"] is None
        np.testing.assert_array_equal(talk.values, bare)
        assert first_channel(client, sample)["name"] == "Channel R"
        talk.say({"type": "jump", "number": steps[54]["number"]})
        talk.until("saved")
        np.testing.assert_array_equal(talk.values, middle)
        seen = len(talk.frames)
        talk.say({"type": "jump", "number": steps[-1]["number"]})
        talk.until("saved")
        # Once for all steps together, and not one after the other: 46 steps, and a few frames.
        assert len(talk.frames) - seen <= 4
        np.testing.assert_array_equal(talk.values, full)
        assert first_channel(client, sample)["name"] == "Moss"
        for _ in range(3):
            talk.say({"type": "undo"})
            talk.until("saved")
        talk.say({"type": "jump", "number": steps[-1]["number"]})
        talk.until("saved")
    with window(client, sample) as talk:
        np.testing.assert_array_equal(talk.values, full)
