"""Messages that nobody should send: each is answered, and the window stays."""

import json
from uuid import uuid4

import pytest
from samples import small_project
from server.sockets import BRUSH, window

DEEP = "[" * 200_000 + "]" * 200_000


def messages(sample) -> dict[str, str]:
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    begin = {"type": "begin", "stroke": "s", "on": on, "brush": BRUSH}
    stencil = {"image": str(uuid4()), "place": "tip"}
    picked = {"kind": "distance", "target": "faces", "faces": [2**70]}
    probe = {
        "type": "probe", "number": 1, "channel_set": str(sample.channel_set), "barycentric": [1, 0, 0],
        "radius": 0.1, "reach": "ball", "facing_limit": 180,
    }  # fmt: skip
    return {
        "deep": DEEP,
        "deep inside": '{"type": "begin", "stroke": ' + DEEP + "}",
        "half a character": '{"type": "end", "stroke": "\\ud800"}',
        "half a character and nonsense": '{"type": "end", "stroke": "\\ud800", "more": 1}',
        "unknown stencil": json.dumps({**begin, "brush": {**BRUSH, "stencil": stencil}}),
        "face beyond counting": json.dumps({**probe, "triangle": 2**70}),
        "face that is not there": json.dumps({**probe, "triangle": 10**9}),
        "negative face": json.dumps({**probe, "triangle": -(2**40)}),
        "picked face": json.dumps({"type": "measure", "on": on, "recipe": {"terms": [{"source": picked}]}}),
        "step beyond counting": json.dumps({"type": "jump", "number": 2**70}),
        "unknown set": json.dumps({**begin, "on": {"channel_set": str(uuid4()), "channel": 0}}),
    }


def test_whatever_is_said_is_answered_and_the_window_stays(client, db):
    sample = small_project(db)
    with window(client, sample) as talk:
        for what, message in messages(sample).items():
            talk.say(message)
            told = talk.until_any("refused", "core_sample")
            if told["type"] == "refused":
                assert told["problem"] and "Traceback" not in told["problem"], what
        talk.stroke(sample, [(1.0, 1.0)])
        assert talk.values.any()


def test_an_error_that_nobody_foresaw_ends_a_message_and_not_the_window(client, db, monkeypatch, caplog):
    sample = small_project(db)

    def broken(*_):
        raise ZeroDivisionError("of all things")

    with window(client, sample) as talk:
        with monkeypatch.context() as patch:
            patch.setattr("ashblend.server.live.socket.core_sample", broken)
            talk.say(messages(sample)["face that is not there"])
            told = talk.until("refused")
        number = told["problem"].split("number ")[1].split(",")[0]
        assert number in caplog.text and "of all things" in caplog.text
        talk.stroke(sample, [(1.0, 1.0)])


@pytest.mark.parametrize(
    "mapping", [{"far": {"times": 4}}, {"parallax": 0.05}, {"far": {"times": 3}, "broken": True}]
)
def test_an_undercoat_reads_a_material_that_is_laid_by_the_eye(client, db, mapping):
    """A site has no eye: from straight above and from near by, so what is far away is not asked for."""
    sample = small_project(db)
    source = {"kind": "material", "material": str(sample.materials[0])}
    laid = {"projection": "planar", "axis": "y", "metres_per_tile": 0.5}
    on = {"channel_set": str(sample.channel_set), "channel": 0}
    held = []
    with window(client, sample) as talk:
        for also in (mapping, {}):
            term = {"source": {**source, "mapping": {**laid, **also}}, "low": 0, "high": 1}
            talk.say({"type": "measure", "on": on, "recipe": {"terms": [term]}})
            talk.until("saved") if also else talk.until_any("saved", "refused")
            held.append(talk.values[:, 0].copy())
    assert held[0].any()
    if "broken" not in mapping:
        # The map is even, and so is seen the same.
        assert abs(held[0].astype(int) - held[1].astype(int)).max() <= 1
