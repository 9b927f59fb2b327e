"""Properties of the interlock, in float32 as a shader computes it, and compositing."""

import numpy as np
from hypothesis import assume, given
from hypothesis import strategies as st

from ashblend.core.blend.interlock import interlock
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.tree.node import SiteInput

NAMES = ("mask", "height", "below", "bite", "softness")
WEIGHT = {"w": interlock(*(SiteInput(name, 1) for name in NAMES))}
unit = st.floats(0, 1, width=32)
bites = st.floats(-4, 4, width=32)
softnesses = st.floats(np.float32(0.005), 10, width=32)


def weight(mask, height, below, bite, softness):
    values = dict(zip(NAMES, (mask, height, below, bite, softness), strict=True))
    inputs = {name: np.atleast_1d(np.asarray(v, np.float64))[:, None] for name, v in values.items()}
    count = max(len(v) for v in inputs.values())
    inputs = {name: np.broadcast_to(v, (count, 1)) for name, v in inputs.items()}
    return evaluate(WEIGHT, inputs, {}, {})["w"][:, 0]


def weight32(mask, height, below, bite, softness):
    """The same order of operations in float32."""
    f = np.float32
    lean = np.clip(f(bite) * (f(height) - f(below)), f(-1), f(1))
    inner = (f(mask) - f(0.5)) + lean * f(0.5)
    return np.clip(f(mask) + inner / f(softness), f(0), f(1))


@given(unit, unit, bites, softnesses)
def test_the_ends_are_exact_whatever_the_heights(height, below, bite, softness):
    for compute in (weight, weight32):
        assert compute(0.0, height, below, bite, softness) == 0
        assert compute(1.0, height, below, bite, softness) == 1


@given(unit, unit, bites, softnesses)
def test_it_never_falls_as_the_mask_rises(height, below, bite, softness):
    masks = np.linspace(0, 1, 201)
    steps = np.diff(weight(masks, height, below, bite, softness))
    assert (steps >= 0).all()


@given(unit, unit, unit, bites)
def test_a_wide_softness_tends_to_the_plain_mix(mask, height, below, bite):
    for softness in (1e2, 1e4, 1e6):
        assert abs(weight(mask, height, below, bite, softness)[0] - mask) <= 1 / softness


@given(st.floats(0.05, 0.95), unit, unit, st.floats(0.5, 4))
def test_a_narrow_softness_is_a_hard_interlock(mask, height, below, bite):
    edge = mask - 0.5 + np.clip(bite * (height - below), -1, 1) / 2
    assume(abs(edge) > 0.01)
    assert weight(mask, height, below, bite, 1e-4)[0] == (1.0 if edge > 0 else 0.0)


@given(unit, unit, unit, unit, st.floats(0.1, 4), softnesses)
def test_bite_above_zero_favours_high_places_and_below_zero_low_ones(mask, h1, h2, below, bite, softness):
    low, high = sorted((h1, h2))
    up = weight(mask, [low, high], below, bite, softness)
    down = weight(mask, [low, high], below, -bite, softness)
    assert up[1] >= up[0] and down[1] <= down[0]
