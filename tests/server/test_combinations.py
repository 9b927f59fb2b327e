"""What meets: decisions and undo, borders and levels, flipping and fills, one blend on two surfaces."""

import json
from dataclasses import replace

import numpy as np
from samples import Sample, small_project, stored_channels
from server.sockets import BRUSH, window
from server.test_plans import everything, fill, keep, plan, planned, two_groups, undo, view

from ashblend.core.channels.quantise import FULL
from ashblend.store.models import Surface

TRIANGLE = b"v 0 0 0\nv 0 0 2\nv 2 0 0\nf 1 2 3\n"


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
    """A name, a lock and an undercoat are steps of the same history, not part of the mesh."""
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
        fill(talk, sample, {"kind": "even", "weight": 1}, faces=faces)
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
        fill(talk, sample, {"kind": "even", "weight": 0.7}, faces=faces, flipped=True)
        assert talk.values[:, 0].max() == stroke and abs(int(stroke) - 0.3 * FULL) < 1


def twin(db, sample) -> Sample:
    """Another surface of the project, shaded by the same blend through a set of its own."""
    other = small_project(db)
    with db.begin() as session:
        surface = session.get_one(Surface, other.surface)
        surface.project_id, surface.blend_id = sample.project, sample.blend
        surface.bindings = {str(sample.channel_set): str(other.channel_set)}
    return replace(other, project=sample.project, blend=sample.blend)


def edit_blend(client, sample, **change):
    """Change the first layer, as the page does on this surface."""
    blend = view(client, sample)["blend"]
    document = blend["document"]
    document["layers"][0] |= change
    body = {"revision": blend["revision"], "surface": str(sample.surface), "document": document}
    return client.put(f"/api/blends/{sample.blend}", json=body)


def share_at(talk, sample, x: float) -> float:
    """The layer's share at a place of the first row, as the bottom line says it."""
    column = int(x / 2.0 * 32)
    triangle = next(t for t, f in enumerate(sample.mesh.triangles) if column in f and (f < 66).all())
    corner = [float(v == column) for v in sample.mesh.triangles[triangle]]
    on = {"channel_set": str(sample.channel_set), "radius": 0.1, "reach": "ball", "facing_limit": 180}
    talk.say({"type": "probe", "number": 1, "triangle": triangle, "barycentric": corner, **on})
    layers = talk.until("core_sample")["layers"]
    return round(next(layer["share"] for layer in layers if layer["layer"] == 0), 4)


def test_one_blend_shades_two_surfaces_each_by_its_own_paint(client, db):
    first = small_project(db)
    second = twin(db, first)
    with window(client, first) as one, window(client, second) as two:
        one.stroke(first, [(0.5, 0.0)], radius=0.3, strength=1, falloff="flat")
        two.stroke(second, [(1.5, 0.0)], radius=0.3, strength=1, falloff="flat")
        assert [share_at(one, first, 0.5), share_at(one, first, 1.5)] == [1, 0]
        assert [share_at(two, second, 0.5), share_at(two, second, 1.5)] == [0, 1]
        edit_blend(client, first, opacity=0.5).raise_for_status()
        # The other surface's windows are told, and look at the new one.
        told = two.until("document")
        assert told["kind"] == "blend" and told["revision"] == view(client, second)["blend"]["revision"]
        assert [share_at(two, second, 0.5), share_at(two, second, 1.5)] == [0, 0.5]
        # It stands in the history of the surface where it was made, and only there.
        undo(two)
        assert share_at(two, second, 1.5) == 0 and share_at(one, first, 0.5) == 0.5
        two.say({"type": "redo"})
        two.until("saved")
        # Changed on the second since: the first cannot take its own edit back over that.
        edit_blend(client, second, opacity=0.25).raise_for_status()
        newest = view(client, second)["blend"]["revision"]
        while one.until("document")["revision"] < newest:
            pass
        one.say({"type": "undo"})
        refused = one.until("refused")
        assert "changed" in refused["problem"] and refused["remedy"]
        assert [share_at(one, first, 0.5), share_at(two, second, 1.5)] == [0.25, 0.25]
        # Taken back there, it is taken back here, too.
        undo(two)
        assert one.until("document")["revision"] > newest
        assert [share_at(one, first, 0.5), share_at(two, second, 1.5)] == [0.5, 0.5]


def test_a_write_made_before_an_undo_elsewhere_is_refused_and_changes_nothing(client, db):
    """A slider held in one window while the other takes the last edit back."""
    sample = small_project(db)
    edit_blend(client, sample, opacity=0.5).raise_for_status()
    held = view(client, sample)["blend"]
    with window(client, sample) as talk:
        undo(talk)
    body = {"revision": held["revision"], "surface": str(sample.surface), "document": held["document"]}
    late = client.put(f"/api/blends/{sample.blend}", json=body)
    assert late.status_code == 409 and late.json()["kept"] == view(client, sample)["blend"]["revision"]
    assert view(client, sample)["blend"]["document"]["layers"][0]["opacity"] == 1
    with window(client, sample) as talk:
        talk.say({"type": "redo"})
        talk.until("saved")
    assert view(client, sample)["blend"]["document"]["layers"][0]["opacity"] == 0.5


def test_a_hard_border_then_new_uvs_then_back_before_both_with_a_map(client, db):
    """Paint on a map goes through a border and an unwrapping, and comes back to the byte."""
    with two_groups(client, db, 17) as (sample, talk):
        new = {"name": "Map", "sites": {"kind": "texels", "size": 256}, "channels": 1}
        made = client.post(f"/api/surfaces/{sample.surface}/sets", json=new)
        made.raise_for_status()
        talk.until("reshaped")
    map_set = view(client, sample)["channel_sets"][1]["id"]
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.7, 1.0), (1.3, 1.0)], channel_set=map_set, radius=0.3)
    before = everything(client, sample)
    url = f"/api/surfaces/{sample.surface}/groups"
    with window(client, sample) as talk:
        client.post(url, json={"kind": "hard", "groups": ["right"], "on": True}).raise_for_status()
        talk.until("reshaped")
    with window(client, sample) as talk:
        talk.stroke(sample, [(1.5, 1.0)], channel_set=map_set, radius=0.7, strength=1, falloff="flat")
        bordered = talk.image(1)[..., 0].copy()
    keep_in_window(client, sample, kind="unwrap")
    with window(client, sample) as talk:
        unwrapped = talk.image(1)[..., 0]
        # As much of it is painted, elsewhere on the map: a share of the texels that there are.
        shares = [
            np.count_nonzero(values) / np.count_nonzero(values >= 0) for values in (bordered, unwrapped)
        ]
        assert unwrapped.any() and shares[1] > 0.3 * shares[0]
    after = everything(client, sample)
    for kind in ("undo", "redo"):
        for _ in range(3):
            with window(client, sample) as talk:
                talk.say({"type": kind})
                talk.until("saved")
        assert everything(client, sample) == (before if kind == "undo" else after)


def keep_in_window(client, sample, **wish) -> None:
    with window(client, sample) as talk:
        keep(talk, client, plan(talk, client, sample, **wish))


def test_sized_and_turned_with_a_hard_border_and_a_measured_undercoat(client, db):
    """Values stay where they are, the border stays hard, the measure is known as stale, undo gives the first bytes."""
    with two_groups(client, db, 17) as (sample, talk):
        url = f"/api/surfaces/{sample.surface}/groups"
        client.post(url, json={"kind": "hard", "groups": ["right"], "on": True}).raise_for_status()
        talk.until("reshaped")
    recipe = {"terms": [{"source": {"kind": "height"}, "low": -1.0, "high": 1.0}]}
    with window(client, sample) as talk:
        talk.say(
            {
                "type": "measure",
                "on": {"channel_set": str(sample.channel_set), "channel": 0},
                "recipe": recipe,
            }
        )
        talk.until("saved")
        assert set(talk.values[:, 0].tolist()) == {int(np.rint(0.5 * FULL))}, "level ground"
        talk.stroke(sample, [(0.9, 1.0)], radius=0.3)
        held = talk.values.copy()
    before = everything(client, sample)
    with window(client, sample) as talk:
        placing = {"metres_per_unit": 2.0, "up": "z"}
        client.post(f"/api/surfaces/{sample.surface}/placing", json=placing).raise_for_status()
        talk.until("reshaped")
    with window(client, sample) as talk:
        np.testing.assert_array_equal(talk.values, held)
        channel = first_channel(client, sample)
        assert channel["undercoat"]["kind"] == "measured"
        # Measured again it follows the height that there is now, under the paint.
        talk.say(
            {"type": "measure", "on": {"channel_set": str(sample.channel_set), "channel": 0}, "recipe": None}
        )
        talk.until("saved")
        assert set(np.unique(talk.values[:, 0])) >= {32768, FULL}, "heights from 0 to 4 m now"
        undo(talk)
        np.testing.assert_array_equal(talk.values, held)
    with window(client, sample) as talk:
        talk.say({"type": "undo"})
        talk.until("saved")
    assert everything(client, sample) == before
    with window(client, sample) as talk:
        # The border is still hard: a stroke on one side stays there.
        talk.stroke(sample, [(0.9, 1.0)], channel=1, radius=0.5, strength=1, falloff="flat")
        x = sample.mesh.positions[:, 0]
        assert talk.values[: len(x)][x < 1, 1].any() and not talk.values[: len(x)][x > 1.01, 1].any()


def test_fills_along_parts_and_by_a_factor_on_a_map_and_with_a_shared_sum(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        new = {"name": "Map", "sites": {"kind": "texels", "size": 256}, "channels": 3}
        client.post(f"/api/surfaces/{sample.surface}/sets", json=new).raise_for_status()
        talk.until("reshaped")
    found = view(client, sample)["channel_sets"][1]
    body = {"revision": found["revision"], "document": {**found["document"], "shared_sum": True}}
    client.put(f"/api/channel-sets/{found['id']}", json=body).raise_for_status()
    with window(client, sample) as talk:

        def filled(channel: int, kind: dict) -> np.ndarray:
            on = {"channel_set": found["id"], "channel": channel}
            talk.say({"type": "fill", "on": on, "fill": kind})
            talk.until("saved")
            return talk.image(1).astype(int)

        image = filled(0, {"kind": "along", "way": "x", "each": True})
        across = (np.arange(256) + 0.5) / 256 * FULL
        assert np.abs(image[..., 0] - across).max() <= 1, "from one end of the part to the other"
        image = filled(1, {"kind": "even", "weight": 1.0})
        assert (image[..., 1] >= FULL - 1).all() and image[..., 0].max() <= 1, "the others give way"
        filled(0, {"kind": "along", "way": "x", "each": False})
        image = filled(0, {"kind": "scale", "factor": 0.5})
        assert np.abs(image[..., 0] - across / 2).max() <= 2
        # What one loses the others get, so that the sum stays one where it was one.
        assert np.abs(image[..., :3].sum(axis=-1) - FULL).max() <= 3


def test_a_project_is_copied_while_a_stroke_is_painted(client, db):
    """The copy has what was saved; the stroke goes on, and is in the first alone."""
    sample = small_project(db)
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 0.5)])
        saved = talk.values.copy()
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        talk.say({"type": "begin", "stroke": "s", "on": on, "brush": BRUSH})
        sample_of = {"position": [1.5, 0, 1.5], "normal": [0, 1, 0]}
        talk.say({"type": "extend", "stroke": "s", "samples": [sample_of]})
        made = client.post(f"/api/projects/{sample.project}/copy", json={"name": "Twin"})
        made.raise_for_status()
        talk.say({"type": "end", "stroke": "s"})
        talk.until("saved")
        assert (talk.values != saved).any()
    (twin_surface,) = (s["id"] for s in client.get(f"/api/projects/{made.json()['id']}").json()["surfaces"])
    with window(client, replace(sample, surface=twin_surface)) as talk:
        np.testing.assert_array_equal(talk.values, saved)


def test_a_mesh_changed_while_another_window_has_parts_picked(client, db):
    """Triangles that are not there any more are refused in words, or mean the part they lie in; nothing breaks."""
    sample = small_project(db)
    with window(client, sample) as one, window(client, sample) as two:
        picked = [len(sample.mesh.triangles) - 1]
        url = f"/api/surfaces/{sample.surface}/plans/replacement"
        keep(one, client, planned(one, client, url, files={"files": ("one.obj", TRIANGLE)}))
        two.until("reshaped")
        two.say(
            {
                "type": "fill",
                "on": {"channel_set": str(sample.channel_set), "channel": 0},
                "fill": {"kind": "even", "weight": 1},
                "protect": {"parts": picked},
            }
        )
        told = two.until_any("refused")
        assert told["type"] == "refused" and told["problem"] and told["remedy"], told
