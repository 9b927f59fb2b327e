"""A pen that is pressed later, and one that is light all the way."""

import numpy as np
import pytest
from shapes import plane

from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import empty_channel
from ashblend.core.channels.quantise import FULL
from ashblend.core.sites.mesh_vertices import mesh_vertices

SITES = mesh_vertices(plane(201, 2.0))


def sample(x: float, pressure: float) -> PointerSample:
    return PointerSample(position=(x, 0.0, 1.0), normal=(0.0, 1.0, 0.0), pressure=pressure)


def painted(brush: Brush, samples: list[PointerSample]) -> np.ndarray:
    channel = empty_channel(SITES.count)
    stroke = Stroke(SITES, channel, 0, brush)
    for one in samples:
        stroke.extend([one])
    stroke.finish()
    return channel.values().reshape(201, 201) / FULL


@pytest.mark.parametrize("drives", ["strength", "radius"])
def test_a_tap_that_is_pressed_later_is_as_firm_as_it_was_pressed(drives):
    """No movement at all between landing at 0.05 and the firmest moment."""
    brush = Brush(act="paint", radius=0.2, strength=1, falloff="smooth", pressure_drives=drives)
    late = painted(brush, [sample(1.0, p) for p in (0.05, 0.2, 0.5, 0.9, 0.4)])
    at_once = painted(brush, [sample(1.0, 0.9)])
    assert late.max() > 0.85
    np.testing.assert_allclose(late, at_once, atol=0.02)


def test_a_light_stroke_covers_its_whole_way():
    """Pressure drives the radius: a tenth of it is spaced by a tenth of the radius, not by the full one."""
    brush = Brush(act="paint", radius=0.4, strength=1, falloff="flat", spacing=0.5, pressure_drives="radius")
    values = painted(brush, [sample(x, 0.1) for x in np.linspace(0.4, 1.6, 30)])
    along = values[100, 41:160]
    assert (along > 0.99).all(), f"{(along > 0.5).mean():.0%} of the way is painted"


def test_many_coats_add_up_as_the_formula_says():
    """One minus the product of what each dab leaves, capped by the strength: DESIGN.md section 4."""
    brush = Brush(act="paint", radius=0.3, strength=0.8, falloff="flat", coat="many", flow=0.2, spacing=1 / 3)
    for times in (1, 2, 3, 8, 40):
        # To and fro about the middle, which every dab covers; one each tenth of a metre.
        values = painted(brush, [sample(0.95 + 0.105 * (i % 2), 1.0) for i in range(times)])
        dabs = 1 + int(1.05 * (times - 1))
        assert values[100, 100] == pytest.approx(min(0.8, 1 - 0.8**dabs), abs=0.002)
