"""Undercoats worked out by a recipe: under the paint, over the socket, through everything that changes beside them."""

from dataclasses import replace

import numpy as np
import pytest
from samples import small_project, stored_channels
from server.sockets import window
from server.test_combinations import edit, first_channel
from server.test_plans import everything, fill, keep, plan, undo, view
from shapes import plane

from ashblend.core.channels.quantise import FULL
from ashblend.core.sets.document import MeasuredUndercoat
from ashblend.core.surface.undercoat import stale
from ashblend.session.surface import OpenSurface


def term(kind: str, low: float = 0.0, high: float = 1.0, **source) -> dict:
    return {"source": {"kind": kind, **source}, "low": low, "high": high}


UPWARD = {"terms": [term("height")]}
DOWNWARD = {"terms": [term("height", 1.0, 0.0)]}


@pytest.fixture
def sample(db):
    """A ramp of 45° whose height is x, from 0 to 1 and on to 2."""
    mesh = plane(33, 2.0, uv=True)
    positions = mesh.positions.copy()
    positions[:, 1] = positions[:, 0]
    return small_project(db, replace(mesh, positions=positions, normals=None))


def measure(talk, sample, recipe: dict | None, channel: int = 0) -> dict:
    on = {"channel_set": str(sample.channel_set), "channel": channel}
    talk.say({"type": "measure", "on": on, "recipe": recipe})
    return talk.until("saved")


def heights(sample) -> np.ndarray:
    return np.rint(np.clip(sample.mesh.positions[:, 1], 0, 1) * FULL)


def held_on_disk(db, sample, channel: int = 0) -> np.ndarray:
    with db() as session:
        return stored_channels(session, sample.surface)[sample.channel_set][channel].values()


def is_stale(db, sample) -> bool:
    surface = OpenSurface(db, sample.surface)
    undercoat = surface.set_of(sample.channel_set).document.channels[0].undercoat
    return stale(undercoat, surface.shape, surface.sets)


def test_a_measure_run_again_moves_what_is_under_the_paint_and_nothing_else(client, db, sample):
    with window(client, sample) as talk:
        before = everything(client, sample)
        measure(talk, sample, UPWARD)
        assert np.abs(talk.values[:, 0] - heights(sample)).max() <= 1
        fill(talk, sample, {"kind": "even", "weight": 0.5}, channel=1)
        talk.say({"type": "begin", "stroke": "s", "on": {"channel_set": str(sample.channel_set), "channel": 0},
                  "brush": {"radius": 0.4, "strength": 1, "target": 0.3, "falloff": "flat", "reach": "ball"}})  # fmt: skip
        place = {"position": [1.0, 1.0, 1.0], "normal": [-0.7071, 0.7071, 0]}
        talk.say({"type": "extend", "stroke": "s", "samples": [place]})
        talk.say({"type": "end", "stroke": "s"})
        talk.until("saved")
        painted = np.abs(talk.values[:, 0] - np.rint(0.3 * FULL)) <= 1
        assert 50 < painted.sum() < 400
        others = talk.values[:, 1:].copy()
        measure(talk, sample, DOWNWARD)
        held = talk.values[:, 0].copy()
        np.testing.assert_array_equal(np.abs(held - np.rint(0.3 * FULL)) <= 1, painted)
        assert np.abs(held - (FULL - heights(sample)))[~painted].max() <= 1
        np.testing.assert_array_equal(talk.values[:, 1:], others)
    np.testing.assert_array_equal(held_on_disk(db, sample), held)
    after = everything(client, sample)
    with window(client, sample) as talk:
        undo(talk, 4)
    assert everything(client, sample) == before
    with window(client, sample) as talk:
        for _ in range(4):
            talk.say({"type": "redo"})
            talk.until("saved")
    assert everything(client, sample) == after


def test_an_undercoat_is_stale_when_the_mesh_or_a_channel_it_reads_changed(client, db, sample):
    reading = {"terms": [term("channel", channel_set=str(sample.channel_set), channel=1)]}
    with window(client, sample) as talk:
        measure(talk, sample, UPWARD)
        assert not is_stale(db, sample)
        fill(talk, sample, {"kind": "even", "weight": 1}, channel=1)
        assert not is_stale(db, sample), "heights do not follow a channel"
        measure(talk, sample, reading)
        assert not is_stale(db, sample) and (talk.values[:, 0] == FULL).all()
        fill(talk, sample, {"kind": "even", "weight": 0.5}, channel=2)
        assert not is_stale(db, sample), "it reads another channel"
        fill(talk, sample, {"kind": "even", "weight": 0.5}, channel=1)
        assert is_stale(db, sample) and (talk.values[:, 0] == FULL).all(), (
            "it is said, and nothing moves by itself"
        )
        measure(talk, sample, None)
        assert not is_stale(db, sample)
        assert np.abs(talk.values[:, 0] - 0.5 * FULL).max() < 1
        measure(talk, sample, UPWARD)
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
    assert is_stale(db, sample)
    with window(client, sample) as talk:
        assert np.abs(talk.values[: 33 * 33, 0] - heights(sample)).max() <= 1, (
            "carried to the new sites meanwhile"
        )
        measure(talk, sample, None)
    assert not is_stale(db, sample)


def test_what_changes_no_shape_makes_nothing_stale_that_asks_only_for_the_shape(client, db, sample):
    """Groups, sets, and a mesh that is refined and put back as it was."""
    url = f"/api/surfaces/{sample.surface}"
    with window(client, sample) as talk:
        measure(talk, sample, UPWARD)
    client.post(
        f"{url}/groups", json={"kind": "by", "grouping": {"by": "facing", "angle": 30}}
    ).raise_for_status()
    assert not is_stale(db, sample)
    client.post(f"{url}/sets", json={"name": "More", "sites": {"kind": "vertices"}}).raise_for_status()
    assert not is_stale(db, sample)
    with window(client, sample) as talk:
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
    assert is_stale(db, sample)
    with window(client, sample) as talk:
        undo(talk)
    assert not is_stale(db, sample)
    with window(client, sample) as talk:
        keep(talk, client, plan(talk, client, sample, kind="levels", levels=1))
    with window(client, sample) as talk:
        measure(talk, sample, None)
        undo(talk, 1)
        talk.say({"type": "undo"})
        talk.until("reshaped")
    assert not is_stale(db, sample)


def test_what_was_made_by_an_older_version_is_as_stale_as_it_was(client, db, sample):
    """By the number of the revision, and by the last entry of the journal."""
    with window(client, sample) as talk:
        measure(talk, sample, UPWARD)
    surface = OpenSurface(db, sample.surface)
    undercoat = surface.set_of(sample.channel_set).document.channels[0].undercoat

    def older(shape: int) -> MeasuredUndercoat:
        made = {"shape": shape, "recipe": undercoat.made.recipe, "entry": 7, "lie": ""}
        return MeasuredUndercoat.model_validate({"recipe": undercoat.recipe.model_dump(), "made": made})

    assert not stale(older(surface.shape.number), surface.shape, surface.sets)
    assert stale(older(surface.shape.number + 1), surface.shape, surface.sets)


@pytest.mark.parametrize(
    "source",
    [{"kind": "pieces", "of": "group"}, {"kind": "distance", "of": "group borders"}],
    ids=lambda s: s["kind"],
)
def test_what_asks_for_groups_is_stale_when_these_are_others(client, db, sample, source):
    with window(client, sample) as talk:
        measure(talk, sample, {"terms": [term(**source)]})
    assert not is_stale(db, sample)
    edit = {"kind": "by", "grouping": {"by": "facing", "angle": 30}}
    client.post(f"/api/surfaces/{sample.surface}/groups", json=edit).raise_for_status()
    assert is_stale(db, sample)


def test_a_snapshot_comes_back_under_a_measure_made_since(client, db, sample):
    with window(client, sample) as talk:
        measure(talk, sample, UPWARD)
        held = talk.values.copy()
    url = f"/api/surfaces/{sample.surface}/snapshots"
    made = client.post(url, json={"name": "Up"}).json()
    with window(client, sample) as talk:
        measure(talk, sample, DOWNWARD)
        other = talk.values.copy()
    client.post(f"{url}/{made['id']}/restore").raise_for_status()
    with window(client, sample) as talk:
        np.testing.assert_array_equal(talk.values, held)
    np.testing.assert_array_equal(held_on_disk(db, sample), held[:, 0])
    assert is_stale(db, sample), "the document asks for the other recipe"
    with window(client, sample) as talk:
        measure(talk, sample, None)
        np.testing.assert_array_equal(talk.values, other)


def test_back_to_a_constant_and_again_by_undo(client, db, sample):
    with window(client, sample) as talk:
        measure(talk, sample, UPWARD)
        measured = talk.values.copy()
    edit(client, sample, undercoat={"kind": "constant", "value": 0.25})
    with window(client, sample) as talk:
        assert (talk.values[:, 0] == np.rint(0.25 * FULL)).all()
        undo(talk)
    with window(client, sample) as talk:
        np.testing.assert_array_equal(talk.values, measured)
    assert first_channel(client, sample)["undercoat"]["kind"] == "measured"
    np.testing.assert_array_equal(held_on_disk(db, sample), measured[:, 0])


def test_what_cannot_be_measured_is_refused(client, db, sample):
    own = {"terms": [term("channel", channel_set=str(sample.channel_set), channel=0)]}
    with window(client, sample) as talk:
        for recipe, problem in (
            (None, "not measured"),
            (own, "cannot be made from itself"),
        ):
            on = {"channel_set": str(sample.channel_set), "channel": 0}
            talk.say({"type": "measure", "on": on, "recipe": recipe})
            assert problem in talk.until("refused")["problem"]
        assert not talk.values.any()
        keep(talk, client, plan(talk, client, sample, kind="level", triangles=500))
    level = next(s for s in view(client, sample)["channel_sets"] if s["sites"].get("level") == 1)
    with window(client, sample) as talk:
        talk.say({"type": "measure", "on": {"channel_set": level["id"], "channel": 0}, "recipe": UPWARD})
        assert "level 0" in talk.until("refused")["problem"]
        measure(talk, sample, UPWARD)
        below = next(values for number, values in talk.sets.items() if number == 1)
        assert below[:, 0].max() == FULL and below[:, 0].min() == 0, "levels follow"
