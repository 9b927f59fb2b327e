"""Measures of a mesh that take long: rough first, then refined, one step; stopped, overtaken, restarted, beside others."""

import threading
import time
from dataclasses import replace

import numpy as np
import pytest
from fastapi.testclient import TestClient
from limits import HANG
from samples import Sample, small_project
from server.conftest import HOST
from server.sockets import window
from server.test_plans import everything, fill, keep, plan, undo
from server.test_undercoats import held_on_disk
from shapes import plane

from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.intake import take_in
from ashblend.core.formats.registry import read_mesh
from ashblend.core.progress import silent
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.surface import measures as measures_module
from ashblend.core.surface.shape import Shape
from ashblend.core.survey.body import Body
from ashblend.core.survey.occlusion import OCCLUSION as MEASURE
from ashblend.core.survey.registry import MEASURES
from ashblend.server.app import create_app
from ashblend.server.settings import Settings
from ashblend.store.jobs import unfinished_jobs
from ashblend.store.models import Job
from ashblend.store.surfaces import create_surface

OCCLUSION = {"kind": "occlusion", "metres": 1.0}


def term(low: float = 1.0, high: float = 0.0, **source) -> dict:
    return {"source": {**OCCLUSION, **source}, "low": low, "high": high}


HIDDEN = {"terms": [term()]}


@pytest.fixture
def sample(db) -> Sample:
    """Waves of half a metre."""
    mesh = plane(33, 2.0, uv=True)
    at = mesh.positions.copy()
    at[:, 1] = 0.5 * np.sin(5 * at[:, 0]) * np.cos(4 * at[:, 2])
    return small_project(db, replace(mesh, positions=at, normals=None))


def hidden(sample, **settings_of) -> np.ndarray:
    wanted = MEASURE.document(**{"metres": 1.0, **settings_of})
    told = MEASURE.on(Body(sample.mesh, mesh_vertices(sample.mesh)), wanted, silent)
    return np.rint((1 - told.astype(np.float64)) * FULL)


def ask(talk, sample, recipe: dict | None, channel: int = 0) -> None:
    talk.say(
        {
            "type": "measure",
            "on": {"channel_set": str(sample.channel_set), "channel": channel},
            "recipe": recipe,
        }
    )


def ended(talk, *states: str) -> dict:
    while True:
        news = talk.until("job")
        if news["state"] not in ("waiting", "running"):
            assert news["state"] in states, news
            return news


def catch_up(talk, sample) -> None:
    """Read all that was sent until now."""
    on = {
        "channel_set": str(sample.channel_set),
        "triangle": 0,
        "barycentric": [1, 0, 0],
        "radius": 0.1,
        "reach": "ball",
        "facing_limit": 180,
    }
    talk.say({"type": "probe", "number": 1, **on})
    talk.until("core_sample")


@pytest.fixture
def held(monkeypatch):
    """Has occlusion wait, past its rough first, until it is let go."""
    measure, go, waiting = MEASURES["occlusion"], threading.Event(), threading.Event()

    def on(body, wanted, progress):
        values = measure.on(body, wanted, progress)
        if wanted.rays > 4:
            waiting.set()
            while not go.wait(0.01):
                progress(0.5)
        return values

    monkeypatch.setitem(MEASURES, "occlusion", replace(measure, on=on))
    yield go, waiting
    go.set()


def test_it_is_seen_rough_then_fine_and_is_one_step(client, db, sample, held):
    go, waiting = held
    with window(client, sample) as talk, window(client, sample) as other:
        before = everything(client, sample)
        fill(talk, sample, {"kind": "even", "weight": 0.4}, channel=1)
        others = talk.values[:, 1:].copy()
        ask(talk, sample, HIDDEN)
        news = talk.until("job")
        assert news["kind"] == "survey" and news["title"] == "Measuring occlusion"
        assert news["facts"] == {"channel_set": str(sample.channel_set), "channel": 0}
        assert waiting.wait(HANG)
        time.sleep(0.2)
        # A rough look is nobody's step and on no disk.
        assert not held_on_disk(db, sample).any()
        go.set()
        talk.until("saved")
        fine = hidden(sample)
        np.testing.assert_allclose(talk.values[:, 0], fine, atol=1)
        np.testing.assert_array_equal(talk.values[:, 1:], others)
        other.until("saved")
        other.until("saved")
        np.testing.assert_array_equal(other.values, talk.values)
        np.testing.assert_array_equal(held_on_disk(db, sample), talk.values[:, 0])
        # Another ramp on the same measure asks for no ray: it is answered at once.
        ask(talk, sample, {"terms": [term(0.9, 0.4)]})
        heard = len(talk.heard)
        talk.until("saved")
        assert not [
            told for told in talk.heard[heard:] if told["type"] == "job" and told["state"] == "running"
        ]
        assert (talk.values[:, 0] != np.rint(fine)).any()
        undo(talk, 3)
    assert everything(client, sample) == before


def test_the_rough_look_comes_first_and_is_near(client, sample, held):
    go, waiting = held
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        assert waiting.wait(HANG)
        for _ in range(50):
            if talk.values[:, 0].any():
                break
            catch_up(talk, sample)
        rough, fine = talk.values[:, 0].astype(float), hidden(sample)
        assert 0 < np.abs(rough - fine).mean() < 0.12 * FULL
        go.set()
        talk.until("saved")


def test_a_stopped_measure_leaves_nothing_behind(client, db, sample, held):
    _, waiting = held
    with window(client, sample) as talk:
        fill(talk, sample, {"kind": "even", "weight": 0.4})
        kept = talk.values.copy()
        before = everything(client, sample)
        ask(talk, sample, HIDDEN)
        job = talk.until("job")["id"]
        assert waiting.wait(HANG)
        assert client.delete(f"/api/plans/{job}").status_code == 204
        ended(talk, "cancelled")
        # The window is shown again what is kept.
        catch_up(talk, sample)
        np.testing.assert_array_equal(talk.values, kept)
    assert everything(client, sample) == before
    with db() as session:
        assert unfinished_jobs(session, sample.surface) == []


def test_a_later_wish_for_a_channel_takes_the_place_of_one_under_way(client, db, sample, held):
    go, waiting = held
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        assert waiting.wait(HANG)
        ask(talk, sample, {"terms": [term(metres=0.3)]})
        ended(talk, "cancelled")
        go.set()
        talk.until("saved")
        np.testing.assert_allclose(talk.values[:, 0], hidden(sample, metres=0.3), atol=1)
        # What needs no measure does so, too.
        go.clear()
        waiting.clear()
        ask(talk, sample, {"terms": [term(metres=0.7)]})
        assert waiting.wait(HANG)
        ask(talk, sample, {"terms": [{"source": {"kind": "constant", "value": 0.5}}]})
        talk.until("saved")
        go.set()
        time.sleep(0.3)
        catch_up(talk, sample)
        assert (np.abs(talk.values[:, 0] - FULL / 2) <= 1).all()


def test_a_stroke_that_is_open_when_it_is_done_is_not_broken(client, db, sample, held):
    go, waiting = held
    with window(client, sample) as talk, window(client, sample) as painting:
        ask(talk, sample, HIDDEN)
        assert waiting.wait(HANG)
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        brush = {"radius": 0.4, "strength": 1, "target": 1.0, "falloff": "flat", "reach": "ball"}
        painting.say({"type": "begin", "stroke": "s", "on": on, "brush": brush})
        place = {"position": [1.0, 0.0, 1.0], "normal": [0, 1, 0]}
        painting.say({"type": "extend", "stroke": "s", "samples": [place]})
        go.set()
        time.sleep(0.4)
        painting.say({"type": "extend", "stroke": "s", "samples": [{**place, "position": [1.2, 0.0, 1.0]}]})
        painting.say({"type": "end", "stroke": "s"})
        painting.until("saved")
        painting.until("saved")
        painted = np.abs(painting.values[:, 0] - FULL) <= 0
        assert 20 < painted.sum() < 400
        np.testing.assert_allclose(painting.values[:, 0][~painted], hidden(sample)[~painted], atol=1)
        values = painting.values[:, 0].copy()
    np.testing.assert_array_equal(held_on_disk(db, sample), values)


def test_a_mesh_that_changes_meanwhile_is_measured_anew(client, db, sample, held):
    go, waiting = held
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        assert waiting.wait(HANG)
        response = client.post(f"/api/surfaces/{sample.surface}/plans", json={"kind": "levels", "levels": 1})
        go_on = response.json()["id"]
        while True:
            news = talk.until("job")
            if news["id"] == go_on and news["state"] == "done":
                break
        keep(talk, client, news)
        go.set()
        talk.until("saved")
        assert len(talk.values) >= 65 * 65
        assert talk.values[:, 0].max() > 0.1 * FULL and (talk.values[33 * 33 : 65 * 65, 0] > 0).mean() > 0.5


def test_two_channels_are_measured_side_by_side(client, sample, held):
    go, waiting = held
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        ask(talk, sample, {"terms": [term(metres=0.3)]}, channel=1)
        assert waiting.wait(HANG)
        go.set()
        talk.until("saved")
        talk.until("saved")
        np.testing.assert_allclose(talk.values[:, 0], hidden(sample), atol=1)
        np.testing.assert_allclose(talk.values[:, 1], hidden(sample, metres=0.3), atol=1)


def started(database: str) -> TestClient:
    return TestClient(create_app(Settings(database_url=database)), base_url=HOST)


def test_a_measure_that_a_restart_interrupted_is_taken_up(database, db, sample, held):
    go, waiting = held
    with started(database) as client, window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        assert waiting.wait(HANG)
        kept = [(row.wish, row.state) for row in _jobs(db)]
        assert len(kept) == 1 and kept[0][0]["kind"] == "survey"
    # Closed while it is under way.
    assert [row.state for row in _jobs(db)] == ["running"]
    go.set()
    with started(database) as client, window(client, sample) as talk:
        talk.until("saved")
        np.testing.assert_allclose(talk.values[:, 0], hidden(sample), atol=1)
    with db() as session:
        assert unfinished_jobs(session, sample.surface) == []


def test_a_measure_that_was_done_when_the_server_was_killed_is_laid_at_the_next_start(database, db, sample):
    """All that takes long is kept; what was left to do was to run the undercoat."""
    with started(database) as client, window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        talk.until("saved")
        wanted = talk.values[:, 0].copy()
        [wish] = [row.wish for row in _jobs(db)]
        talk.say({"type": "undo"})
        talk.until("saved")
    assert wanted.any()
    with db.begin() as session:
        row = session.query(Job).one()
        row.state, row.wish = "running", wish
    with started(database) as client, window(client, sample) as talk:
        talk.until("saved")
        np.testing.assert_array_equal(talk.values[:, 0], wanted)
    assert [(row.state, row.problem) for row in _jobs(db)] == [("ended", "")]


def _jobs(db) -> list[Job]:
    with db() as session:
        return list(session.query(Job).all())


def test_a_measure_that_cannot_be_is_said_and_changes_nothing(client, sample):
    with window(client, sample) as talk:
        before = everything(client, sample)
        ask(talk, sample, {"terms": [{"source": {"kind": "water"}}]})
        assert "measure of terrain" in talk.until("refused")["problem"]
        ask(talk, sample, {"terms": [{"source": {"kind": "distance", "of": "neighbours"}}]})
        told = talk.until_any("refused", "job")
        while told["type"] == "job" and told["state"] in ("waiting", "running"):
            told = talk.until_any("refused", "job")
        assert "Nothing stands around this surface" in told["problem"]
        ask(talk, sample, None)
        assert "not measured" in talk.until("refused")["problem"]
    assert everything(client, sample) == before


def test_what_is_stale_after_the_mesh_changed_is_run_again(client, db, sample):
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        talk.until("saved")
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
    with window(client, sample) as talk:
        carried = talk.values[:, 0].copy()
        ask(talk, sample, None)
        talk.until("saved")
        assert (talk.values[:, 0] != carried).any()
        # What it was rough meanwhile is seen no more, though nothing changed at the first vertices.
        np.testing.assert_array_equal(talk.values[: 33 * 33, 0], carried[: 33 * 33])


def test_a_look_is_for_one_window_and_what_is_kept_is_seen_after_it(client, db, sample):
    """A ramp is dragged far and back: where a look differed and the step changed nothing, it must not stay."""
    with window(client, sample) as talk, window(client, sample) as other:
        ask(talk, sample, HIDDEN)
        talk.until("saved")
        other.until("saved")
        kept = talk.values.copy()
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        far = {"terms": [term(0.5, 0.4)]}
        talk.say({"type": "look_undercoat", "on": on, "recipe": far})
        talk.until("previewed")
        assert (talk.values[:, 0] != kept[:, 0]).mean() > 0.3
        np.testing.assert_array_equal(talk.values[:, 1:], kept[:, 1:])
        np.testing.assert_array_equal(held_on_disk(db, sample), kept[:, 0])
        looked = talk.values[:, 0].copy()
        ask(talk, sample, HIDDEN)
        talk.until("saved")
        np.testing.assert_array_equal(talk.values, kept)
        talk.say({"type": "look_undercoat", "on": on, "recipe": far})
        ask(talk, sample, far)
        talk.until("saved")
        catch_up(talk, sample)
        np.testing.assert_array_equal(talk.values[:, 0], looked)
        other.until("saved")
        other.until("saved")
        np.testing.assert_array_equal(other.values, talk.values)
        # What would have to be measured first is not begun by a look.
        talk.say({"type": "look_undercoat", "on": on, "recipe": {"terms": [term(metres=0.2)]}})
        talk.until("previewed")
        np.testing.assert_array_equal(talk.values[:, 0], looked)


def test_two_windows_that_drag_one_ramp_end_with_the_same(client, db, sample):
    """Each sees its own looks; the later step is what both end with, and undo takes them back one by one."""
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    with window(client, sample) as one, window(client, sample) as other:
        ask(one, sample, HIDDEN)
        one.until("saved")
        other.until("saved")
        first = one.values.copy()
        for step in range(6):
            for talk, low in ((one, 0.95 - 0.05 * step), (other, 0.6 + 0.05 * step)):
                talk.say({"type": "look_undercoat", "on": on, "recipe": {"terms": [term(low)]}})
        ask(one, sample, {"terms": [term(0.7)]})
        one.until("saved")
        ask(other, sample, {"terms": [term(0.85)]})
        for talk in (one, other):
            while talk.until("saved")["history"]["steps"] < 3:
                pass
            catch_up(talk, sample)
        np.testing.assert_array_equal(one.values, other.values)
        np.testing.assert_array_equal(held_on_disk(db, sample), other.values[:, 0])
        assert (one.values[:, 0] != first[:, 0]).any()
        undo(one, 2)
        catch_up(one, sample)
        np.testing.assert_array_equal(one.values, first)


def test_paint_stays_on_a_look(client, sample):
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        talk.until("saved")
        talk.stroke(sample, [(1.2566, 1.0)], falloff="flat", strength=1, target=0.2613, reach="ball")
        painted = np.abs(talk.values[:, 0] - 0.2613 * FULL) <= 1
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        talk.say(
            {"type": "look_undercoat", "on": on, "recipe": {"terms": [{"source": {"kind": "constant"}}]}}
        )
        talk.until("previewed")
        assert painted.sum() > 20 and (np.abs(talk.values[:, 0] - 0.2613 * FULL) <= 1)[painted].all()
        assert (talk.values[:, 0] == FULL).sum() > 500


def test_what_fits_a_surface_is_in_its_own_metres(client, sample):
    fits = client.get(f"/api/surfaces/{sample.surface}/fitting").json()
    assert {"occlusion", "edges", "runs"} <= set(fits["terms"]) and "water" not in fits["terms"]
    # Three metres from corner to corner.
    assert fits["terms"]["occlusion"]["source"]["metres"] == 1.0
    assert [r["name"] for r in fits["ready"]][:2] == ["Worn edges", "Dirt in cavities"]
    with window(client, sample) as talk:
        for ready in fits["ready"]:
            ask(talk, sample, ready["recipe"])
            talk.until("saved")
            assert np.isfinite(talk.values[:, 0].astype(float)).all(), ready["name"]
    wish = {"channel_set": str(sample.channel_set), "term": {**fits["terms"]["thickness"], "amount": 1.0}}
    url = f"/api/surfaces/{sample.surface}/profile"
    assert client.post(url, json=wish).json()["measured"]
    wish["term"]["source"]["width"] = 11.0
    asked = client.post(url, json=wish).json()
    assert not asked["measured"] and asked["shares"] == []


def test_what_stands_around_hides_when_asked_and_moving_it_makes_that_stale(client, db, sample):
    """A roof 0.6 m up: level ground is open without it, and hidden under it; taken away, the undercoat is stale."""
    data = build_glb(plane(3, 6.0), [], "Roof")
    read = read_mesh("roof.glb", data)
    with db.begin() as session:
        facts = take_in(read, mesh_vertices(read)).facts
        create_surface(session, sample.project, "Roof", "roof.glb", data, facts, [], read)
    url = f"/api/surfaces/{sample.surface}/surroundings"
    seen = client.get(url).json()
    other = next(iter(seen["others"]))
    stand = {"surface": other, "x": -2, "z": -2, "above": 1.6, "turn": 0}
    put = client.put(url, json={"revision": seen["revision"], "document": {"neighbours": [stand]}})
    assert put.status_code == 200, put.text
    amid = {"terms": [term(metres=5.0, by="neighbours, too")]}

    with window(client, sample) as talk:
        ask(talk, sample, {"terms": [term(metres=5.0)]})
        talk.until("saved")
        alone = talk.values[:, 0].astype(float).mean()
        ask(talk, sample, amid)
        talk.until("saved")
        under = talk.values[:, 0].astype(float).mean()
        assert under > alone + 0.3 * FULL
        document = client.get(url).json()
        client.put(
            url, json={"revision": document["revision"], "document": {"neighbours": []}}
        ).raise_for_status()
        while not talk.until("statistics")["channels"][str(sample.channel_set)][0]["stale"]:
            pass
        ask(talk, sample, None)
        talk.until("saved")
        assert abs(talk.values[:, 0].astype(float).mean() - alone) < 0.01 * FULL


def test_distance_may_go_to_one_of_those_around_and_asks_nothing_of_the_others(client, db, sample):
    url = f"/api/surfaces/{sample.surface}/surroundings"
    for name in ("Far", "Near"):
        data = build_glb(plane(3, 6.0), [], name)
        read = read_mesh(f"{name}.glb", data)
        with db.begin() as session:
            facts = take_in(read, mesh_vertices(read)).facts
            create_surface(session, sample.project, name, f"{name}.glb", data, facts, [], read)
    others = {name: ident for ident, name in client.get(url).json()["others"].items()}

    def stand(**above: float) -> None:
        document = [{"surface": others[name], "x": -2, "z": -2, "above": m} for name, m in above.items()]
        wish = {"revision": client.get(url).json()["revision"], "document": {"neighbours": document}}
        client.put(url, json=wish).raise_for_status()

    def to(name: str | None) -> dict:
        source = {"kind": "distance", "of": "neighbours", "neighbour": name and others[name]}
        return {"terms": [{"source": source, "low": 0.0, "high": 2.0}]}

    with window(client, sample) as talk:
        held: dict[str | None, float] = {}

        def run(name: str | None) -> None:
            ask(talk, sample, to(name))
            talk.until("saved")
            held[name] = talk.values[:, 0].astype(float).mean() / FULL

        def stale_after(**above: float) -> bool:
            stand(**above)
            return talk.until("statistics")["channels"][str(sample.channel_set)][0]["stale"]

        stand(Far=1.6, Near=1.2)
        run("Near")
        run(None)
        run("Far")
        assert held[None] == held["Near"] < held["Far"] - 0.15
        talk.until("statistics")
        # What else stands there comes and goes, and says nothing of it.
        assert not stale_after(Far=1.6, Near=1.3)
        assert not stale_after(Far=1.6)
        assert stale_after(Far=1.7)
        run("Far")
        talk.until("statistics")
        stand(Near=1.2)
        ask(talk, sample, to("Far"))
        while (job := talk.until("job"))["state"] in ("waiting", "running"):
            pass
        assert job["state"] == "failed" and "does not stand around" in job["problem"]


def test_what_was_measured_stays_at_hand_when_a_set_is_added(client, sample):
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        talk.until("saved")
        added = client.post(
            f"/api/surfaces/{sample.surface}/sets", json={"name": "More", "sites": {"kind": "vertices"}}
        )
        assert added.status_code < 300, added.text
        talk.until("reshaped")
    with window(client, sample) as talk:
        ask(talk, sample, {"terms": [term(0.9, 0.2)]})
        talk.until("saved")
        assert not [told for told in talk.heard if told["type"] == "job"]


def test_measures_are_let_go_of_oldest_first_and_never_those_that_are_wanted(sample, monkeypatch):
    shape = Shape(sample.mesh)
    sites = shape.vertices()
    documents = [MEASURE.document(metres=0.1 * (k + 1), rays=4) for k in range(6)]
    for document in documents:
        shape.measures.work_out(document, sites, silent)
    shape.measures.at(documents[0], sites)
    monkeypatch.setattr(measures_module, "MOST_KEPT", 2 * 4 * sites.count)
    shape.measures.make_room([documents[2]])
    assert [shape.measures.has(d, sites) for d in documents] == [True, False, True, False, False, False]
    # More than there is room for is worked out all the same, and answered.
    shape.measures.make_room(documents)
    for document in documents:
        assert shape.measures.at(document, sites)(np.arange(4, dtype=np.uint32)).shape == (4,)
    assert all(shape.measures.has(d, sites) for d in documents)
