"""Looking before taking, placing, exporting what is open; steps painted over; fills along the thing itself."""

import io
import struct
from uuid import UUID

import numpy as np
import pytest
from glbs import GlbMaker
from samples import Sample, small_project
from server.sockets import window
from server.test_plans import fill, keep, plan, planned, two_groups, undo, view
from server.test_routes import upload
from shapes import plane

from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.ply import write_ply
from ashblend.core.formats.registry import read_mesh
from ashblend.core.sites.mesh import Mesh
from ashblend.store.models import Surface
from ashblend.store.sweep import sweep_all


def taken(client, sample, data: bytes, name: str, **placing) -> Sample:
    looked = client.post("/api/meshes", files={"files": (name, io.BytesIO(data))}).raise_for_status().json()
    body = {"file": looked["file"], "name": looked["name"], "placing": placing or looked["guess"]}
    made = client.post(f"/api/projects/{sample.project}/surfaces", json=body).raise_for_status().json()
    sets = client.get(f"/api/surfaces/{made['id']}").json()["channel_sets"]
    mesh = read_mesh(name, data)
    return Sample(sample.project, sample.materials, UUID(made["id"]), UUID(sets[0]["id"]), None, mesh)


def export(client, sample, *sets, **query):
    params = {"channel_set": [str(s) for s in (sets or (sample.channel_set,))], **query}
    return client.get(f"/api/surfaces/{sample.surface}/export", params=params)


def outlook(client, sample) -> dict:
    return client.get(f"/api/surfaces/{sample.surface}/export/outlook").raise_for_status().json()


def binary(data: bytes) -> bytes:
    size = struct.unpack_from("<I", data, 12)[0]
    return data[20 + size + 8 :]


def test_what_is_only_looked_at_leaves_nothing(client, db):
    sample = small_project(db)
    data = write_ply(plane(9, 70.0), ExportAttribute("c", np.ones((81, 4), np.float32), 8))
    looked = client.post("/api/meshes", files={"files": ("yard.ply", io.BytesIO(data))}).json()
    assert looked["guess"] == {"metres_per_unit": 1.0, "up": "y"} and not looked["certain"]
    assert looked["standing"]["z"] == [70.0, 70.0, 0.0]
    from datetime import timedelta

    assert sweep_all(db, timedelta(0)).blobs == 2, "the file, and what it was read as"
    body = {"file": looked["file"], "name": looked["name"]}
    gone = client.post(f"/api/projects/{sample.project}/surfaces", json=body)
    assert gone.status_code == 404 and "file" in gone.json()["problem"]
    for wrong in ({"file": "../etc/passwd"}, {"placing": {"up": "w"}}, {"placing": {"metres_per_unit": 0}}):
        assert (
            client.post(f"/api/projects/{sample.project}/surfaces", json={**body, **wrong}).status_code == 422
        )


def test_unit_and_axis_change_before_and_after_and_values_and_history_stay(client, db):
    sample = small_project(db)
    colours = np.random.default_rng(1).random((81, 4)).astype(np.float32)
    data = write_ply(plane(9, 200.0), ExportAttribute("c", colours, 8))
    made = taken(client, sample, data, "yard.ply", metres_per_unit=0.01, up="z")
    facts = view(client, made)["facts"]
    np.testing.assert_allclose(facts["size"], [2, 2, 0], atol=1e-6)
    assert view(client, made)["first"]["tile"] == 1
    url = f"/api/surfaces/{made.surface}/placing"
    with window(client, made) as talk:
        before = talk.values.copy()
        on = {"channel_set": str(made.channel_set), "channel": 1}
        samples = [{"position": [1, 0.5, 0], "normal": [0, 0, -1]}]
        brush = {"act": "paint", "radius": 0.6, "strength": 1, "target": 1, "reach": "ball"}
        talk.say({"type": "begin", "stroke": "s", "on": on, "brush": brush})
        talk.say({"type": "extend", "stroke": "s", "samples": samples})
        talk.say({"type": "end", "stroke": "s"})
        talk.until("saved")
        painted = talk.values.copy()
        assert (painted != before).any()
        client.post(url, json={"metres_per_unit": 2.5, "up": "z"}).raise_for_status()
        talk.until("reshaped")
    np.testing.assert_allclose(view(client, made)["facts"]["size"], [5, 0, 5], atol=1e-5)
    with window(client, made) as talk:
        np.testing.assert_array_equal(talk.values, painted)
        undo(talk)
        undo(talk)
    with window(client, made) as talk:
        np.testing.assert_array_equal(talk.values, before)
    np.testing.assert_allclose(view(client, made)["facts"]["size"], [2, 2, 0], atol=1e-6)
    for odd in (1e9, 1e-9):
        answer = client.post(url, json={"metres_per_unit": odd})
        assert answer.status_code in (409, 422)
    too_far = client.post(url, json={"metres_per_unit": 1e6})
    assert too_far.status_code == 409 and "km" in too_far.json()["problem"]


def test_levels_and_maps_keep_their_paint_when_the_surface_is_placed_anew(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        keep(talk, client, plan(talk, client, sample, kind="level", triangles=600))
    url = f"/api/surfaces/{sample.surface}/sets"
    body = {"name": "Splat", "sites": {"kind": "texels", "size": 256}}
    client.post(url, json=body).raise_for_status()
    splat = next(s for s in view(client, sample)["channel_sets"] if s["sites"]["kind"] == "texels")
    with window(client, sample) as talk:
        talk.stroke(sample, [(0.5, 0.5)])
        talk.stroke(sample, [(1.4, 1.4)], channel_set=splat["id"])
        held = {number: values.copy() for number, values in talk.sets.items()}
        url = f"/api/surfaces/{sample.surface}/placing"
        client.post(url, json={"metres_per_unit": 0.1, "up": "x"}).raise_for_status()
        talk.until("reshaped")
    with window(client, sample) as talk:
        for number, values in held.items():
            np.testing.assert_array_equal(talk.sets[number], values)


def test_the_own_file_is_kept_through_groups_levels_and_sets_and_lost_only_with_the_mesh(client, db):
    """Making levels, or grouping only to protect, ended the bit-for-bit file."""
    with two_groups(client, db) as (sample, talk):
        original = client.get(
            f"/api/surfaces/{sample.surface}/export", params={"channel_set": sample.channel_set}
        )
        fill(talk, sample, {"kind": "even", "weight": 0.5})
        keep(talk, client, plan(talk, client, sample, kind="level", triangles=40))
    url = f"/api/surfaces/{sample.surface}/groups"
    client.post(url, json={"kind": "by", "grouping": {"by": "part"}}).raise_for_status()
    client.post(url, json={"kind": "rename", "group": "Part 1", "name": "All"})
    found = outlook(client, sample)
    assert found["levels"][0]["new_because"] is None
    assert "no file of its own" in found["levels"][1]["new_because"]
    data = export(client, sample).raise_for_status().content
    with db() as session:
        from ashblend.store.blobs import get_blob

        source = get_blob(session, session.get_one(Surface, sample.surface).source)
    assert binary(data).startswith(binary(source)), "every byte of the artist's own data, then the weights"
    assert original.status_code == 200
    with window(client, sample) as talk:
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
    assert "vertices more than your file" in outlook(client, sample)["levels"][0]["new_because"]
    assert not binary(export(client, sample).content).startswith(binary(source))
    with window(client, sample) as talk:
        undo(talk)
    assert outlook(client, sample)["levels"][0]["new_because"] is None
    client.post(f"/api/surfaces/{sample.surface}/placing", json={"metres_per_unit": 2}).raise_for_status()
    assert "lie elsewhere" in outlook(client, sample)["levels"][0]["new_because"]


def test_several_sets_go_into_one_glb_and_one_into_the_others(client, db):
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}/sets"
    client.post(url, json={"name": "More", "sites": {"kind": "vertices"}}).raise_for_status()
    client.post(url, json={"name": "Splat", "sites": {"kind": "texels", "size": 256}}).raise_for_status()
    first, more, splat = (s["id"] for s in view(client, sample)["channel_sets"])
    with window(client, sample) as talk:
        fill(talk, sample, {"kind": "even", "weight": 0.25})
        fill(talk, sample, {"kind": "even", "weight": 0.75}, channel=2, channel_set=more)
    found = outlook(client, sample)
    assert found["levels"][0]["sets"] == [first, more] and found["maps"] == [splat]
    read = read_mesh("a.glb", export(client, sample, more, first, bits="float").content)
    assert [c.name for c in read.colours] == ["_MASK0", "_MASK1"]
    # In the surface's order, whatever was asked for first.
    np.testing.assert_allclose(read.colours[0].values[:, 0], 0.25, atol=1e-4)
    np.testing.assert_allclose(read.colours[1].values[:, 2], 0.75, atol=1e-4)
    as_colours = read_mesh("a.glb", export(client, sample, first, more, attribute="colour").content)
    assert [c.name for c in as_colours.colours] == ["COLOR_0", "COLOR_1"]
    assert "room for one set" in export(client, sample, first, more, kind="ply").json()["problem"]
    assert "lies on texels" in export(client, sample, first, splat).json()["problem"]
    assert "8 or 16 bits" in export(client, sample, splat, kind="png", bits="float").json()["problem"]


def test_steps_painted_over_are_kept_as_a_snapshot_and_told(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        for at in range(5):
            talk.stroke(sample, [(0.3 + 0.3 * at, 0.5)], channel=at % 2)
        full = talk.values.copy()
        for _ in range(2):
            undo(talk)
        assert talk.stroke(sample, [(0.2, 1.8)])["painted_over"] is None, "two are a slip of the pen"
        undo(talk)
        for _ in range(3):
            undo(talk)
        talk.say({"type": "jump", "number": 0})
        talk.until("saved")
        told = talk.stroke(sample, [(1.8, 1.8)])["painted_over"]
        assert told["steps"] == 4 and told["name"] == "4 steps painted over"
        assert talk.stroke(sample, [(1.7, 1.8)])["painted_over"] is None
        snapshots = client.get(f"/api/surfaces/{sample.surface}/history").json()["snapshots"]
        assert [s["name"] for s in snapshots] == ["4 steps painted over"]
        client.post(f"/api/surfaces/{sample.surface}/snapshots/{told['snapshot']}/restore").raise_for_status()
    with window(client, sample) as talk:
        back = talk.values
        assert (back[:, 1] != 0).any() and (back != full).any()
        # What had been there before the first two were taken back and painted over: three strokes and the other.
        undo(talk)
    with window(client, sample) as talk:
        assert not talk.values[:, 1].any()


def test_what_a_step_left_can_be_asked_for(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        held = {}
        for at in range(3):
            talk.stroke(sample, [(0.3 + 0.5 * at, 0.5)])
            number = client.get(f"/api/surfaces/{sample.surface}/history").json()["steps"][-1]["number"]
            held[number] = talk.values[:, 0].copy()
        undo(talk)
    for number, values in held.items():
        data = client.get(f"/api/surfaces/{sample.surface}/steps/{number}/values").raise_for_status().content
        size = struct.unpack_from("<I", data)[0]
        frame = data[4 : 4 + size]
        from server.sockets import Talk

        mirror = Talk(None)
        mirror._apply(frame)
        np.testing.assert_array_equal(mirror.values[: len(values), 0], values)
    assert client.get(f"/api/surfaces/{sample.surface}/steps/99/values").status_code == 409


def two_cards() -> Mesh:
    """Two upright cards, the second higher up and longer."""
    one = plane(5, 1.0, uv=True)
    upright = one.positions[:, [0, 2, 1]] * np.float32([1, 1, 1])
    second = upright * np.float32([1, 3, 1]) + np.float32([3, 2, 0])
    return Mesh(
        np.concatenate([upright, second]).astype(np.float32),
        np.concatenate([one.triangles, one.triangles + np.uint32(25)]),
        uvs=(np.concatenate([one.uvs[0], one.uvs[0]]),),
    )


def test_a_fill_goes_along_each_part_or_the_uvs_and_parts_are_picked_and_protected(client, db):
    sample = small_project(db, two_cards())
    parts = client.get(
        f"/api/surfaces/{sample.surface}/faces", params={"triangle": 40, "unit": "part"}
    ).content
    assert np.frombuffer(parts, "<u4").tolist() == list(range(32, 64))
    height = sample.mesh.positions[:, 1].astype(float)
    each = np.concatenate([height[:25], (height[25:] - 2) / 3])
    with window(client, sample) as talk:

        def weights(channel: int) -> np.ndarray:
            return talk.values[:, channel] / FULL

        fill(talk, sample, {"kind": "along", "way": "y"})
        np.testing.assert_allclose(weights(0), each, atol=2e-5)
        assert weights(0)[height == 0].max() == 0, "roots stay still, exactly"
        fill(talk, sample, {"kind": "along", "way": "y", "each": False, "turned": True}, channel=1)
        np.testing.assert_allclose(weights(1), 1 - height / 5, atol=2e-5)
        fill(talk, sample, {"kind": "along", "way": "v"}, channel=2)
        np.testing.assert_allclose(weights(2), 1 - sample.mesh.uvs[0][:, 1], atol=2e-5)
        fill(
            talk,
            sample,
            {"kind": "scale", "factor": 0.5},
            faces={"unit": "part", "picked": [40], "hard": False},
        )
        np.testing.assert_allclose(weights(0), each * np.repeat([1, 0.5], 25), atol=3e-5)
        protect = {"groups": [], "mask": None, "inverted": False, "parts": [3]}
        fill(talk, sample, {"kind": "even", "weight": 1}, channel=3, protect=protect)
        np.testing.assert_array_equal(weights(3), np.repeat([0, 1], 25))
        on = {"channel_set": str(sample.channel_set), "channel": 3}
        wrong = {"type": "fill", "on": on, "fill": {"kind": "even"}, "protect": {"parts": [999]}}
        talk.say(wrong)
        assert "no such part" in talk.until("refused")["problem"]


def test_levels_of_an_older_mesh_say_so_and_are_made_again_with_their_paint(client, db):
    sample = small_project(db)
    url = f"/api/surfaces/{sample.surface}"
    with window(client, sample) as talk:
        keep(talk, client, plan(talk, client, sample, kind="level", triangles=500))
    assert view(client, sample)["facts"]["levels"][0]["old"] is False
    low = next(s for s in view(client, sample)["channel_sets"] if s["sites"].get("level") == 1)["id"]
    with window(client, sample) as talk:
        talk.stroke(sample, [(1, 1)], channel=3, channel_set=low, radius=0.5)
        new = build_glb(plane(41, 2.0, uv=True), [], "New")
        keep(talk, client, planned(talk, client, f"{url}/plans/replacement", files={"files": ("n.glb", new)}))
    assert view(client, sample)["facts"]["levels"][0]["old"] is True
    with window(client, sample) as talk:
        keep(talk, client, plan(talk, client, sample, kind="level", triangles=300, again=1))
    facts = view(client, sample)["facts"]["levels"]
    assert len(facts) == 1 and facts[0]["old"] is False and facts[0]["triangles"] <= 320
    with window(client, sample) as talk:
        number = [s["id"] for s in view(client, sample)["channel_sets"]].index(low)
        touched = talk.sets[number][:, 3]
        assert touched.max() > 0.5 * FULL and touched.min() == 0, "its own paint moved along"
        undo(talk)
    assert view(client, sample)["facts"]["levels"][0]["old"] is True
    wrong = client.post(f"{url}/plans", json={"kind": "level", "triangles": 300, "again": 4})
    assert wrong.status_code == 409


def test_a_map_over_uvs_that_are_no_map_is_refused_or_told(client, db):
    base = plane(33, 2.0, uv=True)
    half = Mesh(base.positions, base.triangles, uvs=(base.uvs[0] * np.float32(1.6),))
    sample = small_project(db, half)
    url = f"/api/surfaces/{sample.surface}/sets"
    body = {"name": "Splat", "sites": {"kind": "texels", "size": 256}}
    told = client.post(url, json=body).raise_for_status().json()["note"]
    assert told.startswith("The UVs tile: they run over 1.6 tiles, and 61% of the surface")
    assert view(client, sample)["facts"]["uvs"][0]["kind"] == "tiling"
    far = Mesh(base.positions, base.triangles, uvs=(base.uvs[0] * np.float32(9) - np.float32(4),))
    other = small_project(db, far)
    refused = client.post(f"/api/surfaces/{other.surface}/sets", json=body)
    assert refused.status_code == 409 and "Hardly anything" in refused.json()["problem"]
    assert "Unwrap" in refused.json()["remedy"]


def test_notes_put_away_stay_away_and_names_carry_their_set(client, db):
    sample = small_project(db)
    maker = GlbMaker()
    mesh = plane(5, 1.0)
    attributes = {
        "POSITION": maker.add(mesh.positions),
        "COLOR_0": maker.add(np.full((25, 4), 255, np.uint8), normalized=True),
    }
    indices = maker.add(mesh.triangles.astype("<u4").reshape(-1, 1), target=34963)
    maker.document["meshes"] = [{"primitives": [{"attributes": attributes, "indices": indices}]}]
    made = upload(client, sample.project, "white.glb", maker.bytes()).json()
    assert made["all_white"]
    client.put(f"/api/surfaces/{made['id']}/noted").raise_for_status()
    facts = client.get(f"/api/surfaces/{made['id']}").json()["facts"]
    assert facts["notes"] == [] and facts["all_white"] == []
    url = f"/api/surfaces/{sample.surface}/sets"
    client.post(url, json={"name": "More", "sites": {"kind": "vertices"}}).raise_for_status()
    with window(client, sample) as talk:
        assert talk.stroke(sample, [(0.5, 0.5)])["label"] == "Paint Channel R (Masks)"


@pytest.mark.parametrize("step", ["a stroke under everything", "a fill of what is there"])
def test_what_changes_nothing_is_no_step(client, db, step):
    sample = small_project(db)
    with window(client, sample) as talk:
        if step == "a stroke under everything":
            told = talk.stroke(sample, [(1.003, 1.003)], radius=0.0001)
        else:
            told = fill(talk, sample, {"kind": "even", "weight": 0})
            told = fill(talk, sample, {"kind": "even", "weight": 0})
            assert told["history"]["steps"] == 1, "the first of the two says so of every site"
            return
        assert told["history"]["steps"] == 0
    assert client.get(f"/api/surfaces/{sample.surface}/history").json()["steps"] == []
