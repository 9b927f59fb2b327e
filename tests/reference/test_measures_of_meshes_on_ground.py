"""Measures of meshes that are asked of terrain, too: against known hills and valleys, and against the ground's own."""

import numpy as np
import pytest
from test_survey import noisy

from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shapes import shape_of
from ashblend.core.survey.registry import MEASURES
from ashblend.core.terrain.frame import terrain_mesh
from ashblend.core.terrain.sites import CELLS
from ashblend.core.terrain.terrain import terrain_of

ON_GROUND = [kind for kind, measure in MEASURES.items() if measure.ground]


def told(heights: np.ndarray, kind: str, spacing: float = 1.0, **settings_of) -> np.ndarray:
    """(rows, cols) at cells."""
    shape = shape_of(terrain_mesh(terrain_of(heights.astype(np.float32), spacing)))
    rows, cols = (n - 1 for n in heights.shape)
    sites = shape.grid(rows, cols, CELLS)
    return sites.image(shape.measures.at(MEASURES[kind].document(**settings_of), sites))


def test_a_plain_is_open_and_a_valley_is_as_open_as_its_sides_leave_it():
    """An endless valley of sides at 45 degrees is a right corner: half of the sky for a floor's place by either wall."""
    assert (told(np.zeros((20, 20)), "occlusion", metres=1000.0) == 1).all()
    x = np.abs(np.arange(161) - 80.0)
    valley = np.repeat(x[None], 400, axis=0)
    found = told(valley, "occlusion", metres=1e4, rays=512)
    assert found[200, 83] == pytest.approx(0.5, abs=0.03)
    # The floor looks up between both sides, sin 45; a cell lies halfway to a place on the side.
    assert found[200, 80] == pytest.approx((np.sqrt(0.5) + 0.5) / 2, abs=0.03)
    assert found[200, 20] > 0.8


def test_distance_to_a_height_along_a_slope_is_longer_than_level():
    """Pythagoras: on a slope of 30 degrees a metre level is 1.155 m along."""
    x = np.arange(101.0)
    slope = np.repeat((np.tan(np.radians(30)) * x)[None], 60, axis=0)
    level = float(slope[0, 50])
    found = told(slope, "distance", of="a height", height=level)[30]
    along = np.abs(x[:-1] + 0.5 - 50) / np.cos(np.radians(30))
    np.testing.assert_allclose(found, along, atol=0.7)
    straight = told(slope, "distance", of="a height", height=level, way="straight")[30]
    np.testing.assert_allclose(straight, along / 2, atol=0.02)


def test_distance_to_its_rim_is_level_on_a_plain():
    found = told(np.zeros((61, 81)), "distance", of="open borders", way="straight", spacing=2.0)
    rows, cols = np.indices(found.shape) + 0.5
    wanted = 2 * np.minimum.reduce([rows, cols, 60 - rows, 80 - cols])
    np.testing.assert_allclose(found[30, :29], wanted[30, :29], atol=1e-3)
    # Between corners of which one is nearer to another side.
    np.testing.assert_allclose(found, wanted, atol=0.51)


def test_openness_knows_the_lee_of_a_ridge_as_the_sun_does():
    x = np.arange(160.0)
    ridge = np.repeat((30 * np.exp(-(((x - 80) / 12) ** 2)))[None], 120, axis=0)
    found = told(ridge, "openness", azimuth=270.0, tilt=25.0, width=0.0, metres=1e4)
    # From the west: the ray over the ridge's crest reaches the ground behind it at h / tan(25).
    shadow = found[60, 80:] < 0.5
    end = 80 + int(np.flatnonzero(shadow).max())
    heights = ridge[0]
    hidden = [
        c for c in range(81, 160) if (heights[:c] - heights[c] > np.tan(np.radians(25)) * (c - x[:c])).any()
    ]
    assert abs(end - max(hidden)) <= 2 and found[60, 20] == 1


@pytest.mark.parametrize("kind", ON_GROUND)
@pytest.mark.parametrize(
    "make", [lambda: np.zeros((12, 17)), lambda: noisy(4, 2, 2), lambda: noisy(5, 3, 40)]
)
def test_each_is_finite_on_any_ground_or_says_why_not(kind, make):
    heights = np.asarray(make(), np.float32)
    try:
        found = told(heights, kind, spacing=1.5)
    except Refusal as refusal:
        assert kind == "borrow" and "Pick" in refusal.remedy
        return
    assert np.isfinite(found).all() and found.shape == tuple(n - 1 for n in heights.shape)


def test_spread_on_ground_is_level_and_keeps_what_there_is():
    heights = noisy(7, 90, 90)
    plain = told(heights, "along", axis="X", told="metres")
    spread = told(heights, "along", axis="X", told="metres", spread=3.0)
    np.testing.assert_allclose(spread[:, 20:-20], plain[:, 20:-20], atol=1e-3)
    assert spread[:, 0].mean() > plain[:, 0].mean() + 0.9


def test_large_ground_is_measured_on_a_coarser_grid_and_kept_within_what_is_there(monkeypatch):
    monkeypatch.setattr("ashblend.core.surface.ground_measures.MOST_EDGE", 65)
    line = np.linspace(0, 9, 257)
    hills = 20 * np.sin(line)[:, None] * np.cos(line)[None]
    coarse = told(hills, "distance", of="a height", height=3.0)
    monkeypatch.setattr("ashblend.core.surface.ground_measures.MOST_EDGE", 257)
    fine = told(hills, "distance", of="a height", height=3.0)
    assert coarse.shape == fine.shape and coarse.min() >= 0 and (coarse != fine).any()
    assert np.abs(coarse - fine).mean() < 0.8 and np.corrcoef(coarse.ravel(), fine.ravel())[0, 1] > 0.995
