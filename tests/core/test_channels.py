"""Quantising, statistics, deltas."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from pydantic import ValidationError
from shapes import plane

from ashblend.core.channels.channel import Channel, empty_channel
from ashblend.core.channels.delta import changed_between
from ashblend.core.channels.quantise import FULL, dequantise, quantise
from ashblend.core.channels.statistics import Tallies, of_sums
from ashblend.core.channels.values.weights import WEIGHTS
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.sites.mesh_vertices import mesh_vertices

sixteen = hnp.arrays(np.uint16, st.integers(1, 80))


@given(hnp.arrays(np.float64, st.integers(0, 50), elements=st.floats(-2, 3)), st.sampled_from([4, 8, 16]))
def test_quantising_takes_the_nearest_step_and_clamps(weights, bits):
    steps = quantise(weights, bits)
    full = 2**bits - 1
    assert np.abs(steps - np.clip(weights, 0, 1) * full).max(initial=0) <= 0.5
    np.testing.assert_array_equal(quantise(dequantise(steps, bits), bits), steps)


@given(sixteen, st.integers(0, 99), st.floats(0, 1))
def test_a_channel_is_paint_over_its_undercoat(cover, seed, undercoat):
    paint = (cover * np.random.default_rng(seed).random(cover.shape)).astype(np.uint16)
    values = Channel(cover, paint, undercoat).values()
    expected = undercoat * (1 - cover / FULL) + paint / FULL
    np.testing.assert_allclose(values / FULL, expected, atol=0.5 / FULL + 1e-12)
    low, high = sorted((undercoat, 1.0))
    full_paint = Channel(cover, cover, undercoat).values() / FULL
    assert (full_paint >= low - 1 / FULL).all() and (full_paint <= high + 1 / FULL).all()


@given(sixteen, st.integers(0, 99))
def test_statistics_weigh_by_area(values, seed):
    areas = np.random.default_rng(seed).uniform(0.01, 2, values.shape).astype(np.float32)
    channel = Channel(np.full(values.shape, FULL, np.uint16), values)
    sums = WEIGHTS.tally(channel.values(), channel.cover, areas)
    facts = of_sums(sums)
    assert facts.coverage == pytest.approx(np.average(values / FULL, weights=areas), rel=1e-5, abs=1e-7)
    assert facts.touched == pytest.approx(areas[values > 0].sum() / areas.sum(), rel=1e-5, abs=1e-7)
    # The histogram against NumPy's own: equal steps of the weight, the last one closed.
    expected, _ = np.histogram(values / FULL, bins=16, range=(0, 1), weights=areas.astype(float))
    np.testing.assert_allclose(facts.histogram, expected / areas.sum(dtype=float), atol=1e-6)
    # The same surface in two tiles.
    half = values.shape[0] // 2
    parts = [np.arange(half), np.arange(half, values.shape[0])]
    np.testing.assert_allclose(
        sum(WEIGHTS.tally(channel.values(p), channel.cover[p], areas[p]) for p in parts),
        sums,
        rtol=1e-9,
        atol=1e-9,
    )


def test_statistics_of_nothing():
    facts = of_sums(WEIGHTS.tally(np.zeros(3, np.uint16), np.zeros(3, np.uint16), np.zeros(3, np.float32)))
    assert facts.coverage == facts.touched == 0


def test_statistics_follow_what_was_written():
    sites = mesh_vertices(plane(9, 1.0))
    channel, tallies = empty_channel(sites.layout.extent), Tallies(sites)
    assert tallies.statistics(channel).coverage == 0
    channel.cover[:], channel.paint[:] = FULL, FULL
    tallies.forget({0})
    facts = tallies.statistics(channel)
    assert facts.coverage == pytest.approx(1) and facts.own == 1


@given(sixteen, st.integers(0, 99))
def test_a_delta_holds_exactly_what_differs(cover, seed):
    rng = np.random.default_rng(seed)
    before = Channel(cover, cover // 2)
    after = Channel(cover.copy(), before.paint.copy())
    touched = rng.random(cover.shape) < 0.3
    after.cover[touched] = rng.integers(0, FULL + 1, touched.sum())
    delta = changed_between(2, before, after)
    np.testing.assert_array_equal(delta.sites, np.flatnonzero(before.cover != after.cover))
    delta.apply(before)
    np.testing.assert_array_equal(before.cover, after.cover)
    assert delta.reversed().reversed() == delta


def test_an_empty_channel_shows_its_undercoat():
    assert (empty_channel(4, 0.25).values() == round(0.25 * FULL)).all()


@pytest.mark.parametrize(
    "bad",
    [
        {"name": "", "channels": [{"name": "a"}]},
        {"name": "a", "channels": []},
        {"name": "a", "channels": [{"name": "a"}] * 5},
        {"name": "a", "channels": [{"name": "a", "undercoat": {"kind": "constant", "value": 1.5}}]},
        {"name": "a", "channels": [{"name": "a", "undercoat": {"kind": "wish"}}]},
    ],
)
def test_channel_documents_refuse_nonsense(bad):
    with pytest.raises(ValidationError):
        ChannelSetDocument.model_validate(bad)


def test_documents_cannot_be_changed_in_place():
    with pytest.raises(ValidationError):
        ChannelDocument(name="a").locked = True
