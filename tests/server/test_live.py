"""The painting socket."""

import json

import numpy as np
import pytest
from samples import small_project, stored_channels
from server.sockets import BRUSH, window
from starlette.websockets import WebSocketDisconnect

from ashblend.core.channels.quantise import FULL
from ashblend.store.models import JournalEntry


def kept_values(db, sample) -> np.ndarray:
    with db() as session:
        channels = stored_channels(session, sample.surface)[sample.channel_set]
    return np.stack([c.values() for c in channels], axis=1)


def test_a_stroke_is_in_the_database_when_it_is_called_saved(client, db):
    sample = small_project(db)
    with window(client, sample) as one:
        saved = one.stroke(sample, [(0.6, 1.0), (1.4, 1.0)])
        assert saved["label"] == "Paint Channel R" and saved["history"]["undo"] == "Paint Channel R"
        assert one.values[:, 0].max() > 0.7 * FULL and not one.values[:, 1:].any()
        np.testing.assert_array_equal(kept_values(db, sample), one.values)
        assert all(kind == 0 for kind, _ in one.frames[1:]), "a stroke travels as sparse frames"


def test_every_window_sees_the_same(client, db):
    sample = small_project(db)
    with window(client, sample) as one, window(client, sample) as two:
        one.stroke(sample, [(0.5, 0.5), (1.5, 1.5)])
        two.until("saved")
        np.testing.assert_array_equal(one.values, two.values)
        two.stroke(sample, [(1.0, 0.3)], channel=2, act="paint")
        one.until("saved")
        np.testing.assert_array_equal(one.values, two.values)
    with window(client, sample) as later:
        np.testing.assert_array_equal(later.values, two.values)


def test_thirty_undos_give_the_first_bytes_and_thirty_redos_the_last(client, db):
    sample = small_project(db)
    rng = np.random.default_rng(3)
    with window(client, sample) as one:
        for _ in range(30):
            places = [tuple(p) for p in rng.uniform(0.1, 1.9, (3, 2))]
            act = "erase" if rng.random() < 0.3 else "paint"
            one.stroke(
                sample, places, channel=int(rng.integers(4)), act=act, strength=float(rng.uniform(0.2, 1))
            )
        last = one.values.copy()
        steps = one.heard[-1]["history"]["steps"]
        for _ in range(steps):
            one.say({"type": "undo"})
            one.until("saved")
        assert not one.values.any() and not kept_values(db, sample).any()
        one.say({"type": "undo"})
        assert one.until("refused")["problem"] == "There is nothing to undo."
        for _ in range(steps):
            one.say({"type": "redo"})
            one.until("saved")
        np.testing.assert_array_equal(one.values, last)
        np.testing.assert_array_equal(kept_values(db, sample), last)


def test_the_result_of_a_stroke_does_not_depend_on_messages(client, db):
    sample, other = small_project(db), small_project(db)
    places = [(0.2 + 0.05 * i, 0.3 + 0.03 * i) for i in range(30)]
    with window(client, sample) as one, window(client, other) as two:
        one.stroke(sample, places)
        on = {"channel_set": str(other.channel_set), "channel": 0}
        two.say({"type": "begin", "stroke": "s", "on": on, "brush": BRUSH})
        samples = [{"position": [x, 0, z], "normal": [0, 1, 0]} for x, z in places]
        two.say({"type": "extend", "stroke": "s", "samples": samples})
        two.say({"type": "end", "stroke": "s"})
        two.until("saved")
        np.testing.assert_array_equal(one.values, two.values)


def test_fill_invert_and_lift(client, db):
    sample = small_project(db)
    on = {"channel_set": str(sample.channel_set), "channel": 1}
    with window(client, sample) as one:
        for message, expected in (
            ({"kind": "even", "weight": 0.25}, round(0.25 * FULL)),
            ({"kind": "invert"}, FULL - round(0.25 * FULL)),
            ({"kind": "lift"}, 0),
        ):
            one.say({"type": "fill", "on": on, "fill": message})
            one.until("saved")
            assert (one.values[:, 1] == expected).all() and not one.values[:, [0, 2, 3]].any()
        np.testing.assert_array_equal(kept_values(db, sample), one.values)


def test_a_locked_channel_refuses_everything(client, db):
    sample = small_project(db)
    surface = client.get(f"/api/surfaces/{sample.surface}").json()
    document = surface["channel_sets"][0]["document"]
    document["channels"][0]["locked"] = True
    client.put(
        f"/api/channel-sets/{sample.channel_set}", json={"revision": 1, "document": document}
    ).raise_for_status()
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    with window(client, sample) as one:
        one.say({"type": "begin", "stroke": "s", "on": on, "brush": BRUSH})
        assert "locked" in one.until("refused")["problem"]
        one.say({"type": "fill", "fill": {"kind": "even"}, "on": on})
        assert "locked" in one.until("refused")["problem"]
        one.stroke(sample, [(1, 1)], channel=1)
        assert not one.values[:, 0].any() and one.values[:, 1].any()


def test_a_second_window_waits_for_the_first_ones_stroke(client, db):
    sample = small_project(db)
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    with window(client, sample) as one, window(client, sample) as two:
        one.say({"type": "begin", "stroke": "a", "on": on, "brush": BRUSH})
        one.say(
            {
                "type": "probe",
                "channel_set": str(sample.channel_set),
                "number": 1,
                "triangle": 0,
                "barycentric": [1, 0, 0],
                "radius": 0.1,
                "reach": "ball",
                "facing_limit": 90,
            }
        )
        one.until("core_sample")
        two.say({"type": "begin", "stroke": "b", "on": on, "brush": BRUSH})
        assert "Another window" in two.until("refused")["problem"]
        two.say({"type": "undo"})
        assert "stroke is being painted" in two.until("refused")["problem"]
        one.say({"type": "end", "stroke": "a"})
        one.until("saved")
        two.stroke(sample, [(1, 1)])


def test_a_window_that_leaves_in_the_middle_keeps_what_it_painted(client, db):
    sample = small_project(db)
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    with window(client, sample) as stays:
        with window(client, sample) as leaves:
            leaves.say({"type": "begin", "stroke": "a", "on": on, "brush": BRUSH})
            leaves.say(
                {"type": "extend", "stroke": "a", "samples": [{"position": [1, 0, 1], "normal": [0, 1, 0]}]}
            )
            while not leaves.values.any():
                message = leaves.socket.receive()
                if message.get("bytes"):
                    leaves._apply(message["bytes"])
        stays.until("saved")
        assert stays.values.any()
        np.testing.assert_array_equal(kept_values(db, sample), stays.values)
        stays.stroke(sample, [(0.5, 0.5)])


def test_an_abandoned_stroke_is_put_back_everywhere(client, db):
    sample = small_project(db)
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    with window(client, sample) as one:
        one.stroke(sample, [(1, 1)])
        before = one.values.copy()
        one.say({"type": "begin", "stroke": "a", "on": on, "brush": {**BRUSH, "act": "erase"}})
        one.say({"type": "extend", "stroke": "a", "samples": [{"position": [1, 0, 1], "normal": [0, 1, 0]}]})
        one.say({"type": "abandon", "stroke": "a"})
        one.say({"type": "undo"})
        one.until("saved")
        assert not one.values.any() and before.any()


def test_a_stroke_that_cannot_be_saved_is_refused_and_put_back(client, db):
    """The journal number is taken behind the surface's back, so its own entry fails."""
    sample = small_project(db)
    with window(client, sample) as one:
        one.stroke(sample, [(0.4, 0.4)])
        before = one.values.copy()
        with db.begin() as session:
            session.add(JournalEntry(surface_id=sample.surface, number=2, kind="stroke", label="Elsewhere"))
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        one.say({"type": "begin", "stroke": "b", "on": on, "brush": BRUSH})
        one.say(
            {"type": "extend", "stroke": "b", "samples": [{"position": [1.5, 0, 1.5], "normal": [0, 1, 0]}]}
        )
        one.say({"type": "end", "stroke": "b"})
        refused = one.until("refused")
        assert refused["stroke"] == "b" and "nothing was changed" in refused["problem"]
        one.say(
            {
                "type": "probe",
                "channel_set": str(sample.channel_set),
                "number": 1,
                "triangle": 0,
                "barycentric": [1, 0, 0],
                "radius": 0.1,
                "reach": "ball",
                "facing_limit": 90,
            }
        )
        one.until("core_sample")
        np.testing.assert_array_equal(one.values, before)


@pytest.mark.parametrize(
    "message",
    [
        "not json",
        json.dumps({"type": "wobble"}),
        json.dumps({"type": "extend", "stroke": "none", "samples": []}),
        json.dumps(
            {"type": "begin", "stroke": "s", "on": {"channel_set": "x", "channel": 0}, "brush": BRUSH}
        ),
        json.dumps({"type": "end", "stroke": "none"}),
        json.dumps(
            {
                "type": "probe",
                "channel_set": "SET",
                "number": 1,
                "triangle": 10**9,
                "barycentric": [1, 0, 0],
                "radius": 1,
                "reach": "ball",
                "facing_limit": 90,
            }
        ),
    ],
)
def test_nonsense_is_answered_and_changes_nothing(client, db, message):
    sample = small_project(db)
    with window(client, sample) as one:
        one.say(message.replace("SET", str(sample.channel_set)))
        refused = one.until("refused")
        assert refused["problem"] and refused["remedy"]
        one.stroke(sample, [(1, 1)])


@pytest.mark.parametrize(
    "change", [{"radius": 0}, {"radius": -1}, {"strength": 2}, {"falloff": "spiky"}, {"radius": float("inf")}]
)
def test_impossible_brushes_are_refused(client, db, change):
    sample = small_project(db)
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    with window(client, sample) as one:
        one.say({"type": "begin", "stroke": "s", "on": on, "brush": {**BRUSH, **change}})
        assert one.until("refused")["stroke"] == "s", "the window learns which stroke to end"


def test_the_core_sample_explains_a_place(client, db):
    sample = small_project(db)
    with window(client, sample) as one:
        one.stroke(sample, [(1.0, 1.0)], strength=1.0, radius=0.6)
        ask = {
            "type": "probe",
            "channel_set": str(sample.channel_set),
            "number": 4,
            "barycentric": [1, 0, 0],
            "radius": 0.2,
            "reach": "ball",
            "facing_limit": 90,
        }
        middle = next(
            i
            for i, t in enumerate(sample.mesh.triangles)
            if np.allclose(sample.mesh.positions[t[0]], [1, 0, 1])
        )
        one.say({**ask, "triangle": middle})
        there = one.until("core_sample")
        assert there["number"] == 4 and there["slope"] == pytest.approx(0, abs=1e-3)
        assert there["values"][str(sample.channel_set)][0] == pytest.approx(1)
        assert [layer["layer"] for layer in there["layers"]] == [-1, 0]
        assert there["layers"][1]["share"] == pytest.approx(1)
        # 2 m over 32 gaps is a site every 6.25 cm: those within 20 cm of a grid point.
        offsets = np.arange(-4, 5) * 0.0625
        inside = (np.add.outer(offsets**2, offsets**2) <= 0.04).sum()
        assert there["sites_under_brush"] == inside
        one.say({**ask, "triangle": 0})
        assert one.until("core_sample")["layers"][0]["share"] == pytest.approx(1)


def test_statistics_follow_a_stroke(client, db):
    sample = small_project(db)
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    with window(client, sample) as one:
        one.until("statistics")
        one.say({"type": "fill", "fill": {"kind": "even"}, "on": on})
        one.until("saved")
        statistics = one.until("statistics")
        facts = statistics["channels"][str(sample.channel_set)]
        assert facts[0]["coverage"] == pytest.approx(1) and facts[1]["coverage"] == 0
        assert statistics["shares"] == {"-1": pytest.approx(0), "0": pytest.approx(1)}


def test_a_surface_that_is_not_there_closes_the_socket(client):
    with (
        client.websocket_connect(
            "ws://127.0.0.1:8000/api/surfaces/00000000-0000-0000-0000-000000000000/live"
        ) as socket,
        pytest.raises(WebSocketDisconnect) as closed,
    ):
        socket.receive_text()
    assert closed.value.code == 4404


def test_sockets_of_other_pages_are_refused(client, db):
    sample = small_project(db)
    with (
        pytest.raises(WebSocketDisconnect) as closed,
        client.websocket_connect(
            f"ws://127.0.0.1:8000/api/surfaces/{sample.surface}/live",
            headers={"origin": "http://elsewhere.example"},
        ),
    ):
        pass
    assert closed.value.code == 1008


def test_editing_a_blend_does_not_read_its_materials_again(client, db, monkeypatch):
    from ashblend.store import materials

    decoded = []
    read = materials.read_packs
    monkeypatch.setattr(
        materials, "read_packs", lambda session, row: (decoded.append(row.id), read(session, row))[1]
    )
    sample = small_project(db)
    document = client.get(f"/api/surfaces/{sample.surface}").json()["blend"]["document"]
    with window(client, sample) as one:
        one.until("statistics")
        assert sorted(decoded) == sorted(sample.materials)
        for revision, opacity in enumerate((0.1, 0.5, 1.0), 1):
            document["layers"][0]["opacity"] = opacity
            body = {"revision": revision, "document": document}
            client.put(f"/api/blends/{sample.blend}", json=body).raise_for_status()
            one.until("statistics")
        assert len(decoded) == 2
        document["ground"]["material"] = str(sample.materials[1])
        client.put(
            f"/api/blends/{sample.blend}", json={"revision": 4, "document": document}
        ).raise_for_status()
        one.until("statistics")
        assert len(decoded) == 2, "both uses share one"
