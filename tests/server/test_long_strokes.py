"""Strokes that would take long: refused, cut into slices, stopped, ended when nobody speaks of them any more."""

import time

import numpy as np
import pytest
from samples import small_project
from server.sockets import BRUSH, window
from server.test_plans import fill, keep, plan, view
from shapes import plane
from sqlalchemy.exc import OperationalError

from ashblend.core.brush.stroke import Stroke
from ashblend.server.live import socket
from ashblend.session import strokes


def begin(talk, sample, **brush) -> None:
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    talk.say({"type": "begin", "stroke": "s", "on": on, "brush": {**BRUSH, **brush}})


def extend(talk, *places) -> None:
    samples = [{"position": [x, 0, z], "normal": [0, 1, 0]} for x, z in places]
    talk.say({"type": "extend", "stroke": "s", "samples": samples})


def probe(talk, sample) -> None:
    """Ask for a core sample, and have the answer."""
    talk.say({"type": "probe", "number": 1, "channel_set": str(sample.channel_set), "triangle": 0,
              "barycentric": [1, 0, 0], "radius": 0.1, "reach": "ball", "facing_limit": 180})  # fmt: skip
    talk.until("core_sample")


class Clock:
    """Stands for the module `time` where a test says how late it is."""

    now = 0.0

    def monotonic(self) -> float:
        return self.now


def test_more_dabs_than_can_be_meant_are_refused_at_once_and_put_back(client, db, monkeypatch):
    """Two metres with a radius of 0.2 mm; a third of a metre in 256 copies; from here to beyond the sun."""
    printed: list[object] = []
    print_one = Stroke._print
    monkeypatch.setattr(Stroke, "_print", lambda self, dab: (printed.append(dab), print_one(self, dab))[1])
    sample = small_project(db)
    copies = {"mirror": ["x", "y", "z"], "turns": 32, "axis": "y", "origin": [0, 0, 0]}
    with window(client, sample) as talk:
        for far, brush in (
            (1.9, {"radius": 0.0002}),
            (0.4, {"radius": 0.001, "symmetry": copies}),
            (9e7, {"radius": 0.35}),
        ):
            begin(talk, sample, **brush)
            extend(talk, (0.1, 1.0))
            extend(talk, (far, 1.0))
            printed.clear()
            refused = talk.until("refused")
            # Only dabs of the first place were ever printed, none on the long way.
            assert len(printed) <= 256
            assert "20,000 dabs" in refused["problem"] and "radius" in refused["remedy"]
            assert refused["stroke"] == "s"
        begin(talk, sample)
        extend(talk, (0.1, 1.0), (1e200, 1.0))
        assert "must be at most 100,000,000" in talk.until("refused")["problem"]
        talk.say({"type": "abandon", "stroke": "s"})
        # The surface is as it was, and can be painted.
        assert not talk.values.any()
        talk.stroke(sample, [(1.0, 1.0)])
        assert talk.values.any()


def test_others_are_heard_while_a_long_stroke_is_printed_and_it_can_be_stopped(client, db):
    sample = small_project(db, plane(301, 2.0, uv=True))
    with window(client, sample) as one, window(client, sample) as two:
        begin(one, sample, radius=0.6, spacing=0.02, reach="skin")
        # More than a thousand dabs of some 25 000 sites each: many seconds of work.
        extend(one, *[(0.6 + 0.8 * (k % 2), 0.5 + 0.01 * k) for k in range(20)])
        one.say({"type": "end", "stroke": "s"})
        seen = len(two.frames)
        for _ in range(5):
            probe(two, sample)
        # Answered between its slices: it was being printed, and had not ended.
        assert len(two.frames) > seen
        assert not [told for told in two.heard if told["type"] == "saved"]
        one.say({"type": "abandon", "stroke": "s"})
        assert "stopped" in one.until("refused")["problem"]
        one.say({"type": "undo"})
        assert "nothing to undo" in one.until("refused")["problem"].lower()
        assert not one.values.any()
    with window(client, sample) as after:
        assert not after.values.any()


def test_what_is_asked_behind_a_stroke_waits_for_it(client, db):
    sample = small_project(db, plane(101, 2.0, uv=True))
    with window(client, sample) as talk:
        begin(talk, sample, radius=0.3, spacing=0.05)
        extend(talk, (0.4, 0.4), (1.6, 0.4), (1.6, 1.6))
        talk.say({"type": "end", "stroke": "s"})
        talk.say({"type": "undo"})
        assert talk.until("saved")["stroke"] == "s"
        assert talk.until("saved")["label"].startswith("Undid")
        assert not talk.values.any()


def test_a_stroke_that_takes_too_long_ends_where_it_stands(client, db, monkeypatch):
    monkeypatch.setattr(strokes, "MOST_SECONDS", 0.3)
    sample = small_project(db, plane(301, 2.0, uv=True))
    with window(client, sample) as talk:
        begin(talk, sample, radius=0.6, spacing=0.02)
        extend(talk, *[(0.6 + 0.8 * (k % 2), 0.5 + 0.01 * k) for k in range(20)])
        talk.say({"type": "end", "stroke": "s"})
        assert talk.until("saved")["stroke"] == "s"
        assert "it ends where it stood" in talk.until("refused")["problem"]
        held = talk.values.copy()
    assert held.any()
    with window(client, sample) as after:
        np.testing.assert_array_equal(after.values, held)


def test_a_window_that_falls_silent_in_a_stroke_blocks_nobody_for_long(client, db, monkeypatch):
    clock = Clock()
    monkeypatch.setattr(strokes, "time", clock)
    sample = small_project(db)
    with window(client, sample) as silent, window(client, sample) as other:
        begin(silent, sample)
        extend(silent, (0.5, 0.5), (1.0, 0.5))
        # While it speaks, even of nothing, it goes on.
        for _ in range(5):
            clock.now += 0.7 * strokes.SILENCE
            extend(silent)
            probe(silent, sample)
        other.say({"type": "undo"})
        assert "being painted" in other.until("refused")["problem"]
        clock.now += 1.1 * strokes.SILENCE
        assert other.until("saved")["label"] == "Paint Channel R"
        assert "silent" in silent.until("refused")["problem"]
        np.testing.assert_array_equal(other.values, silent.values)
        assert other.values.any()
        other.stroke(sample, [(1.5, 1.5)])
        extend(silent, (1.2, 0.5))
        assert "not open" in silent.until("refused")["problem"]


def test_a_window_that_goes_away_in_a_long_stroke_leaves_what_was_seen(client, db):
    sample = small_project(db, plane(301, 2.0, uv=True))
    with window(client, sample) as other:
        with window(client, sample) as gone:
            begin(gone, sample, radius=0.6, spacing=0.02)
            extend(gone, *[(0.6 + 0.8 * (k % 2), 0.5 + 0.01 * k) for k in range(20)])
            # Until it sees the first dabs; most of them still wait then.
            while not gone.values.any():
                message = gone.socket.receive()
                if message.get("bytes"):
                    gone._apply(message["bytes"])
        assert other.until("saved")["label"] == "Paint Channel R"
        assert other.values.any()


def long_stroke(talk, on: dict, **brush) -> None:
    """Pen up, and many seconds of dabs still to print."""
    how = {**BRUSH, "radius": 0.6, "spacing": 0.02, **brush}
    talk.say({"type": "begin", "stroke": "s", "on": on, "brush": how})
    extend(talk, *[(0.6 + 0.8 * (k % 2), 0.5 + 0.01 * k) for k in range(20)])
    talk.say({"type": "end", "stroke": "s"})


@pytest.mark.parametrize("where", ["a map", "a level", "a shared sum"])
def test_a_long_stroke_elsewhere_than_on_plain_vertices_is_stopped_and_leaves_nothing(client, db, where):
    sample = small_project(db, plane(201, 2.0, uv=True))
    url = f"/api/surfaces/{sample.surface}"
    target = str(sample.channel_set)
    if where == "a map":
        body = {"name": "Splat", "sites": {"kind": "texels", "size": 1024}}
        client.post(f"{url}/sets", json=body).raise_for_status()
        target = view(client, sample)["channel_sets"][-1]["id"]
    if where == "a level":
        with window(client, sample) as talk:
            keep(talk, client, plan(talk, client, sample, kind="level", triangles=40_000))
        target = next(s["id"] for s in view(client, sample)["channel_sets"] if s["sites"].get("level"))
    if where == "a shared sum":
        found = view(client, sample)["channel_sets"][0]
        body = {"revision": found["revision"], "document": {**found["document"], "shared_sum": True}}
        client.put(f"/api/channel-sets/{target}", json=body).raise_for_status()
    with window(client, sample) as talk, window(client, sample) as other:
        if where == "a shared sum":
            fill(talk, sample, {"kind": "even", "weight": 0.6}, channel=1)
            other.until("saved")
        before = {number: values.copy() for number, values in talk.sets.items()}
        steps = client.get(f"{url}/history").json()["steps"]
        long_stroke(talk, {"channel_set": target, "channel": 0})
        while all(np.array_equal(talk.sets[n], values) for n, values in before.items()):
            message = talk.socket.receive()
            if message.get("bytes"):
                talk._apply(message["bytes"])
        talk.say({"type": "abandon", "stroke": "s"})
        assert "stopped" in talk.until("refused")["problem"]
        assert len(client.get(f"{url}/history").json()["steps"]) == len(steps)
    with window(client, sample) as after:
        for number, values in before.items():
            np.testing.assert_array_equal(after.sets[number], values)


def test_the_mesh_cannot_change_under_a_stroke_that_is_still_printed_and_stop_is_heard(client, db):
    """One window paints for long, another asks for another mesh meanwhile; then the first one stops."""
    sample = small_project(db, plane(201, 2.0, uv=True))
    url = f"/api/surfaces/{sample.surface}"
    with window(client, sample) as one, window(client, sample) as other:
        news = plan(other, client, sample, kind="spacing", spacing=0.009)
        long_stroke(one, {"channel_set": str(sample.channel_set), "channel": 0})
        refused = client.post(f"/api/plans/{news['id']}/keep")
        assert refused.status_code == 409 and "being painted" in refused.json()["problem"]
        placed = client.post(f"{url}/placing", json={"metres_per_unit": 2})
        assert placed.status_code == 409
        one.say({"type": "abandon", "stroke": "s"})
        assert "stopped" in one.until("refused")["problem"]
        client.post(f"/api/plans/{news['id']}/keep").raise_for_status()
        one.until("reshaped")
    with window(client, sample) as after:
        assert not after.values.any()


def test_a_window_whose_connection_goes_while_it_is_silent_is_told_nothing_and_keeps_its_stroke(
    client, db, monkeypatch
):
    monkeypatch.setattr(strokes, "SILENCE", 0.4)
    sample = small_project(db)
    with window(client, sample) as other:
        with window(client, sample) as silent:
            begin(silent, sample)
            extend(silent, (0.5, 0.5), (1.0, 0.5))
            # In the very moment at which the silence is long enough.
            time.sleep(0.4)
        assert other.until("saved")["label"] == "Paint Channel R"
        held = other.values.copy()
        other.stroke(sample, [(1.5, 1.5)])
    assert held.any()
    assert len(client.get(f"/api/surfaces/{sample.surface}/history").json()["steps"]) == 2


def test_a_stroke_that_is_overdue_while_the_database_refuses_is_put_back_everywhere(client, db, monkeypatch):
    monkeypatch.setattr(strokes, "MOST_SECONDS", 0.3)
    sample = small_project(db, plane(201, 2.0, uv=True))

    def refuse(*_, **__):
        raise OperationalError("insert", {}, Exception("no room"))

    with window(client, sample) as talk, window(client, sample) as other:
        with monkeypatch.context() as patch:
            patch.setattr("ashblend.store.ledger.append_step", refuse)
            long_stroke(talk, {"channel_set": str(sample.channel_set), "channel": 0})
            assert "did not take it" in talk.until("refused")["problem"]
        talk.stroke(sample, [(0.5, 0.5)], channel=1)
        other.until("saved")
        for seen in (talk, other):
            assert not seen.values[:, 0].any() and seen.values[:, 1].any()
    with window(client, sample) as after:
        np.testing.assert_array_equal(after.values, talk.values)


def test_a_server_at_work_says_that_it_is_there_and_an_idle_one_says_nothing(client, db, monkeypatch):
    """Else a page on a busy machine takes a stroke that is being painted for one that nobody answers."""
    monkeypatch.setattr(socket, "ALIVE_EVERY", 0.05)
    print_one = Stroke._print

    def slowly(self, dab):
        time.sleep(0.02)
        return print_one(self, dab)

    sample = small_project(db)
    with window(client, sample) as talk:
        monkeypatch.setattr(Stroke, "_print", slowly)
        begin(talk, sample)
        extend(talk, *((0.1 + 0.03 * i, 1.0) for i in range(60)))
        talk.say({"type": "end", "stroke": "s"})
        talk.until("alive")
        talk.until("saved")
        monkeypatch.undo()
        probe(talk, sample)
        heard = len(talk.heard)
        time.sleep(0.4)
        probe(talk, sample)
        assert all(m["type"] != "alive" for m in talk.heard[heard:-1])
