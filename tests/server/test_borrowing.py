"""Measures made from channels: of other surfaces, of the surface itself; and measures that outlive the server."""

from dataclasses import replace

import numpy as np
import pytest
from samples import Sample, small_project, small_terrain
from server.sockets import window
from server.test_plans import everything, fill, keep, plan, undo
from server.test_survey_jobs import HIDDEN, ask, catch_up, ended, started, term
from server.test_terrains import ground_set, hills
from shapes import plane

from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.intake import take_in
from ashblend.core.formats.registry import read_mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.survey.registry import MEASURES
from ashblend.store.surfaces import NewChannelSet, channel_sets_of, create_surface


def beside(db, sample: Sample, mesh=None) -> Sample:
    """Another surface of the project: a coarse plane of the same place unless another mesh is given."""
    mesh = mesh or plane(9, 2.0, uv=True)
    data = build_glb(mesh, [], "Rough")
    read = read_mesh("rough.glb", data)
    with db.begin() as session:
        taken = take_in(read, mesh_vertices(read))
        sets = [NewChannelSet(s.document, s.channels) for s in taken.sets]
        made = create_surface(session, sample.project, "Rough", "rough.glb", data, taken.facts, sets, read)
        made.blend_id = sample.blend
        own = channel_sets_of(session, made.id)[0].id
        made.bindings = {str(sample.channel_set): str(own)}
        return replace(sample, surface=made.id, channel_set=own, mesh=mesh)


def borrow(lender: Sample, channel: int = 0, **more) -> dict:
    channel_of = {"surface": str(lender.surface), "channel_set": str(lender.channel_set), "channel": channel}
    source = {"kind": "borrow", "lender": channel_of, "metres": 0.05, **more}
    return {"terms": [{"source": source, "low": 0, "high": 1}]}


def stale(talk, sample, channel: int = 0) -> bool:
    return talk.until("statistics")["channels"][str(sample.channel_set)][channel]["stale"]


@pytest.fixture
def lender(client, db) -> Sample:
    """Painted a ramp along X."""
    rough = beside(db, small_project(db))
    with window(client, rough) as talk:
        ramp = {"begin": [0, 0, 0], "end": [2, 0, 0], "begin_weight": 0, "end_weight": 1, "beyond": True}
        fill(talk, rough, {"kind": "gradient", **ramp})
    return rough


@pytest.fixture
def fine(client, lender) -> Sample:
    inside = client.get(f"/api/projects/{lender.project}").json()["surfaces"]
    ident = next(s["id"] for s in inside if s["id"] != str(lender.surface))
    view = client.get(f"/api/surfaces/{ident}").json()
    return replace(
        lender, surface=ident, channel_set=view["channel_sets"][0]["id"], mesh=plane(33, 2.0, uv=True)
    )


def test_a_detailed_piece_takes_its_weights_from_a_rough_one(client, fine, lender):
    fits = client.get(f"/api/surfaces/{fine.surface}/fitting").json()
    assert fits["lenders"][0]["name"].startswith("Rough · ")
    assert fits["terms"]["borrow"]["source"]["lender"]["surface"] == str(lender.surface)
    with window(client, fine) as talk:
        before = everything(client, fine)
        ask(talk, fine, borrow(lender))
        talk.until("saved")
        x = fine.mesh.positions[:, 0].astype(float)
        np.testing.assert_allclose(talk.values[:, 0], x / 2 * FULL, atol=2)
        # Each lender, set and channel by itself: another one is another measure.
        ask(talk, fine, borrow(lender, channel=1))
        talk.until("saved")
        assert not talk.values[:, 0].any()
        undo(talk, 2)
    assert everything(client, fine) == before


def test_it_is_known_at_once_that_the_lender_was_painted(client, fine, lender):
    """In another window: nobody has to open the borrower anew."""
    with window(client, fine) as talk, window(client, lender) as theirs:
        ask(talk, fine, borrow(lender))
        talk.until("saved")
        assert not stale(talk, fine)
        theirs.stroke(lender, [(1.0, 1.0)], strength=1, radius=0.4)
        while not stale(talk, fine):
            pass
        # And no more when that is taken back.
        theirs.say({"type": "undo"})
        theirs.until("saved")
        while stale(talk, fine):
            pass


def test_it_is_stale_when_the_lender_was_painted_and_not_before(client, fine, lender):
    with window(client, fine) as talk:
        ask(talk, fine, borrow(lender))
        talk.until("saved")
        assert not stale(talk, fine)
        fill(talk, fine, {"kind": "even", "weight": 0.5}, channel=2)
        assert not stale(talk, fine), "what it was made from is elsewhere"
    with window(client, lender) as talk:
        fill(talk, lender, {"kind": "even", "weight": 0.25})
    with window(client, fine) as talk:
        assert stale(talk, fine)
        ask(talk, fine, None)
        talk.until("saved")
        np.testing.assert_allclose(talk.values[:, 0], 0.25 * FULL, atol=1)
        while stale(talk, fine):
            pass


def test_a_lender_where_it_stands(client, db, fine, lender):
    """Stood half a metre to the side it lends what is half a metre beside; nowhere, it says so."""
    stands = {"lies": "where it stands around"}
    with window(client, fine) as talk:
        ask(talk, fine, borrow(lender, **stands))
        assert "does not stand around" in ended(talk, "failed")["problem"]
        url = f"/api/surfaces/{fine.surface}/surroundings"
        neighbour = {"surface": str(lender.surface), "x": 0.5, "z": 0, "above": 0, "turn": 0}
        client.put(url, json={"revision": 1, "document": {"neighbours": [neighbour]}}).raise_for_status()
        catch_up(talk, fine)
        ask(talk, fine, borrow(lender, **stands))
        talk.until("saved")
        x = fine.mesh.positions[:, 0].astype(float)
        wanted = np.where(x >= 0.45 - 1e-6, np.clip(x - 0.5, 0, None) / 2 * FULL, 0)
        np.testing.assert_allclose(talk.values[:, 0], wanted, atol=3)
        assert not stale(talk, fine)
        client.put(url, json={"revision": 2, "document": {"neighbours": []}}).raise_for_status()
        while not stale(talk, fine):
            pass


def test_a_lender_that_is_gone_or_borrows_back_is_said_and_changes_nothing(client, fine, lender):
    with window(client, fine) as talk:
        ask(talk, fine, borrow(lender))
        talk.until("saved")
    with window(client, lender) as talk:
        ask(talk, lender, borrow(fine))
        assert "circle" in talk.until("refused")["problem"]
        ask(talk, lender, borrow(lender))
        assert "not borrowed" in talk.until("refused")["problem"]
        ask(talk, lender, {"terms": [{"source": {"kind": "borrow"}}]})
        assert "Pick a channel" in talk.until("refused")["remedy"]
    client.delete(f"/api/surfaces/{lender.surface}").raise_for_status()
    with window(client, fine) as talk:
        before = talk.values.copy()
        # What was worked out before the lender went may be told first.
        while not stale(talk, fine):
            pass
        ask(talk, fine, None)
        assert "not in this project" in talk.until("refused")["problem"]
        np.testing.assert_array_equal(talk.values, before)


def test_a_copied_project_borrows_from_its_own_copies(client, fine, lender):
    with window(client, fine) as talk:
        ask(talk, fine, borrow(lender))
        talk.until("saved")
    made = client.post(f"/api/projects/{fine.project}/copy", json={"name": "Once more"}).json()
    inside = [s["id"] for s in client.get(f"/api/projects/{made['id']}").json()["surfaces"]]
    undercoats = {
        ident: client.get(f"/api/surfaces/{ident}").json()["channel_sets"][0]["document"]["channels"][0][
            "undercoat"
        ]
        for ident in inside
    }
    [(twin, measured)] = [(i, u) for i, u in undercoats.items() if u["kind"] == "measured"]
    named = measured["recipe"]["terms"][0]["source"]["lender"]["surface"]
    assert named in set(inside) - {twin}
    copy = replace(
        fine, surface=twin, channel_set=client.get(f"/api/surfaces/{twin}").json()["channel_sets"][0]["id"]
    )
    with window(client, copy) as talk:
        assert not stale(talk, copy)
        ask(talk, copy, None)
        talk.until("saved")
        assert not stale(talk, copy)


def test_a_copied_project_measures_nothing_again(client, db, monkeypatch):
    sample = small_project(db)
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        talk.until("saved")

    def never(*_):
        raise ValueError("It was measured again.")

    monkeypatch.setitem(MEASURES, "occlusion", replace(MEASURES["occlusion"], on=never))
    made = client.post(f"/api/projects/{sample.project}/copy", json={"name": "Once more"}).json()
    [twin] = [s["id"] for s in client.get(f"/api/projects/{made['id']}").json()["surfaces"]]
    own = client.get(f"/api/surfaces/{twin}").json()["channel_sets"][0]["id"]
    with window(client, replace(sample, surface=twin, channel_set=own)) as talk:
        ask(talk, replace(sample, channel_set=own), {"terms": [term(1.0, 0.5)]})
        talk.until("saved")


def test_terrain_is_measured_as_meshes_are_and_lends(client, db):
    sample = small_terrain(client, db, hills())
    with window(client, sample) as talk:
        fits = client.get(f"/api/surfaces/{sample.surface}/fitting").json()["terms"]
        assert {"occlusion", "openness", "distance", "along", "borrow", "cavity"} <= set(fits)
        assert not {"edges", "inside", "thickness"} & set(fits)
        for kind in ("occlusion", "distance", "along"):
            source = {
                **fits[kind]["source"],
                **({"of": "a height", "height": 2.0} if kind == "distance" else {}),
            }
            ask(talk, sample, {"terms": [{"source": source, "low": 0, "high": 1}]})
            talk.until("saved")
            assert np.ptp(talk.values[:, 0].astype(float)) > 0.02 * FULL, kind
        heights = ground_set(client, sample)
        assert heights != str(sample.channel_set)
        ask(talk, sample, {"terms": [{"source": {"kind": "edges"}}]})
        assert "measure of meshes" in talk.until("refused")["problem"]
    plate = beside(db, sample, plane(5, 8.0, uv=True))
    with window(client, plate) as talk:
        ask(talk, plate, borrow(sample, metres=1000.0, facing=180.0))
        talk.until("saved")
        assert talk.values[:, 0].any()


def test_distance_to_what_is_painted_follows_when_it_is_run_again(client, fine):
    area = {"channel_set": str(fine.channel_set), "channel": 1}
    source = {"kind": "distance", "of": "a painted area", "area": area, "way": "straight"}
    away = {"terms": [{"source": source, "low": 0, "high": 2}]}
    x, z = fine.mesh.positions[:, 0].astype(float), fine.mesh.positions[:, 2].astype(float)
    with window(client, fine) as talk:
        ask(talk, fine, away)
        assert "Nothing is painted" in ended(talk, "failed")["problem"]
        catch_up(talk, fine)
        on = {"channel_set": str(fine.channel_set), "channel": 1}
        brush = {"radius": 0.03, "strength": 1, "target": 1.0, "falloff": "flat", "reach": "ball"}

        def dot(at):
            talk.say({"type": "begin", "stroke": "d", "on": on, "brush": brush})
            place = {"position": [at[0], 0.0, at[1]], "normal": [0, 1, 0]}
            talk.say({"type": "extend", "stroke": "d", "samples": [place]})
            talk.say({"type": "end", "stroke": "d"})
            talk.until("saved")

        dot((0.0, 0.0))
        ask(talk, fine, away)
        talk.until("saved")
        np.testing.assert_allclose(talk.values[:, 0], np.clip(np.hypot(x, z) / 2, 0, 1) * FULL, atol=3)
        dot((2.0, 2.0))
        while not stale(talk, fine):
            pass
        ask(talk, fine, None)
        talk.until("saved")
        near = np.minimum(np.hypot(x, z), np.hypot(x - 2, z - 2))
        np.testing.assert_allclose(talk.values[:, 0], np.clip(near / 2, 0, 1) * FULL, atol=3)
        # Its own channel, straight or by way of another, is no area to measure it from.
        ask(talk, fine, {"terms": [{"source": {**source, "area": {**area, "channel": 0}}}]})
        assert "itself" in talk.until("refused")["problem"]
        ask(talk, fine, {"terms": [{"source": {**source, "area": {**area, "channel": 0}}}]}, channel=1)
        assert "circle" in talk.until("refused")["problem"]


def test_measures_outlive_the_server_and_belong_to_their_mesh(database, db, monkeypatch):
    sample = small_project(db)
    with started(database) as client, window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        talk.until("saved")

    def never(*_):
        raise ValueError("It was measured again.")

    measured = MEASURES["occlusion"]
    monkeypatch.setitem(MEASURES, "occlusion", replace(measured, on=never))
    with started(database) as client:
        url, wish = f"/api/surfaces/{sample.surface}/profile", {"channel_set": str(sample.channel_set)}
        assert client.post(url, json={**wish, "term": term()}).json()["measured"]
        assert not client.post(url, json={**wish, "term": term(metres=0.4)}).json()["measured"]
        with window(client, sample) as talk:
            ask(talk, sample, {"terms": [term(1.0, 0.5)]})
            talk.until("saved")
            # Spread is worked out from what was measured.
            ask(talk, sample, {"terms": [term(1.0, 0.5, spread=0.1)]})
            talk.until("saved")
            keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
        with window(client, sample) as talk:
            ask(talk, sample, None)
            assert "measured again" in ended(talk, "failed")["problem"]
            undo(talk)
            talk.until("reshaped")
        with window(client, sample) as talk:
            ask(talk, sample, {"terms": [term(1.0, 0.6)]})
            talk.until("saved")


def test_a_bearing_is_told_and_no_direction_is_refused(client):
    told = client.get("/api/bearing", params={"x": 1, "y": 1, "z": 0}).json()
    assert told == {"azimuth": 90.0, "tilt": 45.0}
    assert client.get("/api/bearing", params={"x": 0, "y": 0, "z": 0}).status_code in (400, 409, 422)


def test_a_mask_on_anothers_blend_is_profiled_by_the_surfaces_own_sets(client, fine, lender):
    """Both are shaded by one blend, which names the sets of the first."""
    named = {"kind": "channel", "channel_set": str(fine.channel_set), "channel": 0}
    for surface in (fine, lender):
        wish = {"channel_set": str(surface.channel_set), "term": {"source": named}}
        told = client.post(f"/api/surfaces/{surface.surface}/profile", json=wish)
        assert told.status_code == 200, told.text
        assert (told.json()["high"] > 0.9) == (surface is lender)


def test_what_cannot_be_measured_is_said_at_the_term(client, fine, lender):
    url = f"/api/surfaces/{fine.surface}/profile"
    for source, said in (
        ({"kind": "borrow"}, "Pick a channel"),
        ({"kind": "inside", "group": ""}, "Pick a group"),
        ({"kind": "water"}, "measure of terrain"),
        (borrow(fine)["terms"][0]["source"], "not borrowed"),
    ):
        told = client.post(url, json={"channel_set": str(fine.channel_set), "term": {"source": source}})
        assert told.status_code == 200 and said in told.json()["problem"] and not told.json()["measured"]


def test_what_was_measured_beside_a_rough_look_is_kept_too(database, db):
    """Wear edges have no rough form: they are there before occlusion is, and outlive the server as it does."""
    sample = small_project(db)
    edges = {"source": {"kind": "edges"}, "low": 0.1, "high": 0, "op": "max"}
    with started(database) as client, window(client, sample) as talk:
        ask(talk, sample, {"terms": [term(), edges]})
        talk.until("saved")
    url, wish = f"/api/surfaces/{sample.surface}/profile", {"channel_set": str(sample.channel_set)}
    with started(database) as client:
        for asked in (term(), edges):
            assert client.post(url, json={**wish, "term": asked}).json()["measured"]
