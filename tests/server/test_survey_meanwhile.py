"""What else may happen while a measure is under way: undo, sets and surfaces that go, windows that leave."""

import time

import numpy as np
import pytest
from limits import HANG
from samples import small_project
from server.sockets import window
from server.test_plans import everything, fill, undo
from server.test_survey_jobs import (  # noqa: F401 - fixtures
    HIDDEN,
    ask,
    catch_up,
    ended,
    held,
    hidden,
    sample,
    started,
    term,
)
from server.test_undercoats import held_on_disk

from ashblend.core.channels.quantise import FULL
from ashblend.store.jobs import unfinished_jobs


def until(true, what: str) -> None:
    deadline = time.monotonic() + HANG
    while not true():
        assert time.monotonic() < deadline, what
        time.sleep(0.05)


def test_undo_and_redo_meanwhile_and_then_of_it(client, db, sample, held):  # noqa: F811
    go, waiting = held
    with window(client, sample) as talk:
        fill(talk, sample, {"kind": "even", "weight": 0.4}, channel=1)
        ask(talk, sample, HIDDEN)
        assert waiting.wait(HANG)
        undo(talk)
        assert not talk.values[:, 1].any()
        talk.say({"type": "redo"})
        talk.until("saved")
        before = everything(client, sample)
        go.set()
        talk.until("saved")
        np.testing.assert_allclose(talk.values[:, 0], hidden(sample), atol=1)
        assert (talk.values[:, 1] > 0.39 * FULL).all()
        undo(talk)
        catch_up(talk, sample)
    assert everything(client, sample) == before


def test_the_set_it_is_for_is_taken_away(client, db, sample, held):  # noqa: F811
    go, waiting = held
    added = client.post(
        f"/api/surfaces/{sample.surface}/sets", json={"name": "More", "sites": {"kind": "vertices"}}
    )
    assert added.status_code == 201
    sets = client.get(f"/api/surfaces/{sample.surface}").json()["channel_sets"]
    other = next(s["id"] for s in sets if s["id"] != str(sample.channel_set))
    with window(client, sample) as talk:
        on = {"channel_set": other, "channel": 0}
        talk.say({"type": "measure", "on": on, "recipe": HIDDEN})
        assert waiting.wait(HANG)
        assert client.delete(f"/api/surfaces/{sample.surface}/sets/{other}").status_code < 300
    with window(client, sample) as talk:
        before = talk.values.copy()
        go.set()
        told = talk.until_any("refused")
        assert "not on this surface" in told["problem"]
        catch_up(talk, sample)
        np.testing.assert_array_equal(talk.values, before)
    until(lambda: not unfinished(db, sample), "the job stays")


def unfinished(db, of) -> list:
    with db() as session:
        return list(unfinished_jobs(session, of.surface))


def test_the_surface_goes_into_the_bin_and_comes_back(client, db, sample, held):  # noqa: F811
    go, waiting = held
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        assert waiting.wait(HANG)
        client.delete(f"/api/surfaces/{sample.surface}").raise_for_status()
    go.set()
    time.sleep(0.5)
    client.post(f"/api/bin/surface/{sample.surface}/restore").raise_for_status()
    with window(client, sample) as talk:
        # It is as it was, or measured: never anything between.
        catch_up(talk, sample)
        assert not talk.values.any() or (np.abs(talk.values[:, 0] - hidden(sample)) <= 1).all()
        ask(talk, sample, HIDDEN)
        talk.until("saved")
        np.testing.assert_allclose(talk.values[:, 0], hidden(sample), atol=1)
    until(lambda: not unfinished(db, sample), "the job stays")


def test_it_is_run_though_every_window_left(client, db, sample, held):  # noqa: F811
    go, waiting = held
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        assert waiting.wait(HANG)
    go.set()
    until(lambda: held_on_disk(db, sample).any(), "nothing was kept")
    np.testing.assert_allclose(held_on_disk(db, sample), hidden(sample), atol=1)


def test_it_is_run_though_the_surface_was_closed_for_others(client, db, sample, held):  # noqa: F811
    """Few surfaces are kept open without windows: this one is let go while it is measured."""
    go, waiting = held
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        assert waiting.wait(HANG)
    for _ in range(4):
        other = small_project(db)
        with window(client, other) as talk:
            catch_up(talk, other)
    go.set()
    time.sleep(0.5)
    with window(client, sample) as talk:
        if not talk.values[:, 0].any():
            talk.until("saved")
        np.testing.assert_allclose(talk.values[:, 0], hidden(sample), atol=1)


def test_a_look_on_a_set_of_eight_bits_is_shown_in_its_steps(client, sample):  # noqa: F811
    with window(client, sample) as talk:
        ask(talk, sample, HIDDEN)
        talk.until("saved")
        view = client.get(f"/api/surfaces/{sample.surface}").json()["channel_sets"][0]
        body = {"revision": view["revision"], "document": {**view["document"], "bits": 8}}
        client.put(f"/api/channel-sets/{sample.channel_set}", json=body).raise_for_status()
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        for bare in (False, True):
            look = {"terms": [term(0.8, 0.2)]}
            talk.say({"type": "look_undercoat", "on": on, "recipe": look, "bare": bare})
            talk.until("previewed")
            assert (talk.values[:, 0] % 257 == 0).all() and talk.values[:, 0].any()


@pytest.mark.parametrize("bare", [False, True])
def test_a_bare_look_leaves_the_paint_off(client, sample, bare):  # noqa: F811
    with window(client, sample) as talk:
        fill(talk, sample, {"kind": "even", "weight": 0.25})
        on = {"channel_set": str(sample.channel_set), "channel": 0}
        full = {"terms": [{"source": {"kind": "constant", "value": 1.0}}]}
        talk.say({"type": "look_undercoat", "on": on, "recipe": full, "bare": bare})
        talk.until("previewed")
        wanted = FULL if bare else 0.25 * FULL
        assert (np.abs(talk.values[:, 0] - wanted) <= 1).all()
