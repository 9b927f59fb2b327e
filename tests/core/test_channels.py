"""Quantising, statistics, deltas."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from pydantic import ValidationError

from ashblend.core.channels import (
    FULL,
    Channel,
    ChannelDocument,
    ChannelSetDocument,
    changed_between,
    channel_statistics,
    dequantise,
    empty_channel,
    quantise,
)

sixteen = hnp.arrays(np.uint16, st.integers(1, 80))


@given(hnp.arrays(np.float64, st.integers(0, 50), elements=st.floats(-2, 3)), st.sampled_from([8, 16]))
def test_quantising_takes_the_nearest_step_and_clamps(weights, bits):
    steps = quantise(weights, bits)
    full = 2**bits - 1
    assert np.abs(steps - np.clip(weights, 0, 1) * full).max(initial=0) <= 0.5
    np.testing.assert_array_equal(quantise(dequantise(steps), bits), steps)


@given(sixteen, st.integers(0, 99), st.floats(0, 1))
def test_a_channel_is_paint_over_its_undercoat(cover, seed, undercoat):
    paint = (cover * np.random.default_rng(seed).random(cover.shape)).astype(np.uint16)
    values = Channel(cover, paint, undercoat).values()
    expected = undercoat * (1 - cover / FULL) + paint / FULL
    np.testing.assert_allclose(values / FULL, expected, atol=0.5 / FULL + 1e-12)
    low, high = sorted((undercoat, 1.0))
    full_paint = Channel(cover, cover, undercoat).values() / FULL
    assert (full_paint >= low - 1 / FULL).all() and (full_paint <= high + 1 / FULL).all()


@given(sixteen, st.integers(0, 99), st.integers(1, 32))
def test_statistics_weigh_by_area(values, seed, steps):
    areas = np.random.default_rng(seed).uniform(0.01, 2, values.shape).astype(np.float32)
    facts = channel_statistics(values, areas, steps)
    assert sum(facts.histogram) == pytest.approx(1)
    assert facts.coverage == pytest.approx(np.average(values / FULL, weights=areas), rel=1e-5, abs=1e-7)
    assert facts.touched == pytest.approx(areas[values > 0].sum() / areas.sum(), rel=1e-5, abs=1e-7)
    # A site twice, with half the area each, is the same surface.
    twice = channel_statistics(np.tile(values, 2), np.tile(areas / 2, 2), steps)
    assert twice.coverage == pytest.approx(facts.coverage, rel=1e-5, abs=1e-7)


def test_statistics_of_nothing():
    facts = channel_statistics(np.zeros(3, np.uint16), np.zeros(3, np.float32))
    assert facts.coverage == facts.touched == 0


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
