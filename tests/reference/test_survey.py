"""Measures of the ground against the outside: gdaldem, published properties, and grounds whose answers are known."""

import shutil
import subprocess
from graphlib import TopologicalSorter

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ashblend.core.progress import silent
from ashblend.core.survey.aspect import bearings
from ashblend.core.survey.convexity import ConvexityMeasure, curvature
from ashblend.core.survey.flow import STEPS, flood, gathered
from ashblend.core.survey.position import above_mean
from ashblend.core.survey.protocol import Ground
from ashblend.core.survey.registry import MEASURES
from ashblend.core.survey.shelter import upwind_slopes
from ashblend.core.survey.snow import held_depth
from ashblend.core.survey.sun import lit_by, suns
from ashblend.core.survey.talus import TalusMeasure
from ashblend.core.survey.water import water_depth
from ashblend.core.survey.wetness import wetness
from ashblend.core.terrain.lie import lie_of, slopes


def over(kind: str, heights: np.ndarray, spacing: float = 1.0, **settings_of) -> np.ndarray:
    measure = MEASURES[kind]
    return measure.over(Ground(heights.astype(np.float32), spacing), measure.document(**settings_of), silent)


def at(size: int = 81, spacing: float = 1.0) -> tuple[np.ndarray, np.ndarray]:
    """x and z in metres from the middle."""
    line = (np.arange(size) - (size - 1) / 2) * spacing
    x, z = np.meshgrid(line, line)
    return x, z


# Slope and aspect


@pytest.fixture(scope="module")
def dem() -> np.ndarray:
    """Jacksboro fault, as Matplotlib ships it; its cells are taken as 90 m here (its own are degrees)."""
    from matplotlib import cbook

    return cbook.get_sample_data("jacksboro_fault_dem.npz")["elevation"].astype(np.float32)


def gdaldem(kind: str, heights: np.ndarray, spacing: float, folder) -> np.ndarray:
    """What gdaldem makes of bare floats with an ENVI head that gives cells in metres."""
    rows, cols = heights.shape
    (folder / "dem").write_bytes(heights.astype("<f4").tobytes())
    (folder / "dem.hdr").write_text(
        f"ENVI\nsamples = {cols}\nlines = {rows}\nbands = 1\nheader offset = 0\ndata type = 4\ninterleave = bsq\n"
        f"byte order = 0\nmap info = {{Arbitrary, 1, 1, 0, {rows * spacing}, {spacing}, {spacing}}}\n"
    )
    out = folder / "out"
    subprocess.run(
        ["gdaldem", kind, folder / "dem", out, "-of", "ENVI", "-alg", "Horn", "-q"],
        check=True,
        capture_output=True,
    )
    return np.frombuffer(out.read_bytes(), "<f4").reshape(rows, cols)


needs_gdal = pytest.mark.skipif(shutil.which("gdaldem") is None, reason="no gdaldem here")


@needs_gdal
def test_slope_is_gdaldems_on_a_real_dem(dem, tmp_path):
    """Horn (1981). All interior texels; the largest difference seen is 2e-6°."""
    inner = np.s_[1:-1, 1:-1]
    theirs = gdaldem("slope", dem, 90.0, tmp_path)[inner]
    assert theirs.max() > 30
    assert np.abs(slopes(dem, 90.0)[inner] - theirs).max() < 5e-6


@needs_gdal
def test_aspect_is_gdaldems_on_a_real_dem(dem, tmp_path):
    inner = np.s_[1:-1, 1:-1]
    theirs = gdaldem("aspect", dem, 90.0, tmp_path)[inner]
    ours = bearings(dem)[inner]
    level = theirs == -9999
    assert np.array_equal(np.isnan(ours), level)
    assert np.abs((ours - theirs + 180) % 360 - 180)[~level].max() < 2e-4


@pytest.mark.parametrize(("degrees", "up"), [(45.0, 0.70710678), (60.0, 0.5), (0.0, 1.0), (30.0, 0.8660254)])
def test_the_normals_up_component_of_a_slope(degrees, up):
    """0.5 of a raw normal component is 60°; people take it for 45°, which is 0.7071."""
    x, _ = at(33, 2.0)
    heights = (x * np.tan(np.radians(degrees))).astype(np.float32)
    assert np.abs(slopes(heights, 2.0) - degrees).max() < 1e-3
    _, normals = lie_of(heights, 2.0, np.random.default_rng(0).random((99, 2)) * 32)
    assert np.abs(normals[:, 1] - up).max() < 1e-5


def test_cones_and_paraboloids_slope_as_they_should():
    x, z = at(161)
    r = np.hypot(x, z)
    cone = slopes((-0.7 * r).astype(np.float32), 1.0)
    away = (r > 20) & (r < 75)
    assert np.abs(cone[away] - np.degrees(np.arctan(0.7))).max() < 0.05
    bowl = slopes((0.01 * r * r).astype(np.float32), 1.0)
    inner = np.s_[2:-2, 2:-2]
    # Central differences of a parabola are its derivative.
    assert np.abs(bowl - np.degrees(np.arctan(0.02 * r)))[inner].max() < 1e-3


def test_bearings_of_a_cone_go_round_the_compass():
    x, z = at(101)
    ours = bearings((-np.hypot(x, z)).astype(np.float32))
    # Row 0 is north: east is along x, south along z.
    wanted = np.degrees(np.arctan2(x, -z)) % 360
    far = np.hypot(x, z) > 10
    assert np.abs((ours - wanted + 180) % 360 - 180)[far].max() < 0.5
    # Ground that falls nowhere is no nearer to any bearing than to another.
    assert (over("aspect", np.zeros((5, 7)), azimuth=30.0) == 90).all()


# Curvature and position


def test_curvature_of_a_ball_and_of_a_trough():
    """Analytic: a ball of radius R bends by 1/R along both axes, a trough along one."""
    x, z = at(61, 0.5)
    ball = np.sqrt(np.maximum(100.0**2 - x * x - z * z, 0)).astype(np.float64)
    middle = np.s_[28:33, 28:33]
    assert curvature(ball.astype(np.float32), 0.5)[middle] == pytest.approx(2 / 100, rel=0.05)
    trough = (x * x / (2 * 50)).astype(np.float32)
    assert curvature(trough, 0.5)[middle] == pytest.approx(-1 / 50, rel=0.01)
    whole = over("convexity", ball * 1.0, 0.5, metres=8.0)
    assert whole[middle] == pytest.approx(0.02 * 8 / 4, rel=0.05)
    assert ConvexityMeasure(side="hollows").side != ConvexityMeasure().side
    assert over("convexity", ball, 0.5, metres=8.0, side="hollows")[middle] == pytest.approx(-0.04, rel=0.05)


@given(st.integers(0, 2**31), st.integers(1, 9))
@settings(deadline=None, max_examples=15)
def test_position_is_the_height_above_the_mean_of_a_disc(seed, radius):
    heights = (np.random.default_rng(seed).random((31, 37)) * 40 + 500).astype(np.float32)
    ours = above_mean(heights, radius)
    y, x = np.mgrid[:31, :37]
    for r, c in ((0, 0), (15, 20), (30, 5)):
        disc = (y - r) ** 2 + (x - c) ** 2 <= radius * radius
        assert ours[r, c] == pytest.approx(heights[r, c] - heights[disc].astype(np.float64).mean(), abs=2e-3)


# Water


def noisy(seed: int, rows: int = 40, cols: int = 33) -> np.ndarray:
    from scipy.ndimage import gaussian_filter

    rough = gaussian_filter(np.random.default_rng(seed).standard_normal((rows, cols)), 2) * 30
    return rough.astype(np.float32)


def lowest_way_out(heights: np.ndarray) -> np.ndarray:
    """For each cell the lowest that the highest point on a way to the edge can be: by relaxing until nothing moves."""
    out = np.full(heights.shape, np.inf)
    out[[0, -1]], out[:, [0, -1]] = heights[[0, -1]], heights[:, [0, -1]]
    while True:
        padded = np.pad(out, 1, constant_values=np.inf)
        around = [
            padded[1 + i : padded.shape[0] - 1 + i, 1 + j : padded.shape[1] - 1 + j]
            for i in (-1, 0, 1)
            for j in (-1, 0, 1)
            if (i, j) != (0, 0)
        ]
        better = np.minimum(out, np.maximum(heights, np.min(around, axis=0)))
        if np.array_equal(better, out):
            return out
        out = better


@given(st.integers(0, 2**31))
@settings(deadline=None, max_examples=20)
def test_filling_has_the_properties_of_a_fill(seed):
    """Barnes, Lehman and Mulla (2014), section 2: no lower than the ground, lowest of all that drain, edge untouched."""
    heights = noisy(seed)
    filled, back = flood(heights)
    assert (filled >= heights).all() and np.array_equal(filled, lowest_way_out(heights).astype(np.float32))
    again, _ = flood(filled)
    assert np.array_equal(again, filled)
    edge = np.ones(heights.shape, bool)
    edge[1:-1, 1:-1] = False
    assert np.array_equal(back < 0, edge)
    # Step by step to the edge, never up.
    flat = filled.reshape(-1)
    reached = np.arange(heights.size)
    onto = np.array([r * heights.shape[1] + c for r, c in STEPS])[back.reshape(-1)] * ~edge.reshape(-1)
    for _ in range(heights.size):
        on = reached + onto[reached]
        assert (flat[on] <= flat[reached]).all()
        if np.array_equal(on, reached):
            break
        reached = on
    assert edge.reshape(-1)[reached].all()
    drained = gathered(filled, back).astype(np.float64)
    assert drained.min() >= 1 and drained[1:-1, 1:-1].max() <= heights.size
    # Everything drains: what arrives where nothing leads on is all there is.
    lowest = np.min(
        [np.roll(np.pad(filled, 1, constant_values=np.inf), s, (0, 1))[1:-1, 1:-1] for s in STEPS], 0
    )
    assert drained[edge & (lowest >= filled)].sum() == pytest.approx(heights.size, rel=1e-6)


@given(st.integers(0, 2**31), st.floats(0.01, 1e4), st.integers(3, 30))
@settings(deadline=None, max_examples=20)
def test_draining_is_freemans_worked_out_cell_by_cell_from_the_top(seed, steep, cols):
    heights = noisy(seed, 25, cols) * np.float32(steep)
    filled, back = flood(heights)
    way = {}
    for r, c in np.ndindex(heights.shape):
        lower = []
        for dr, dc in STEPS:
            if 0 <= r + dr < 25 and 0 <= c + dc < cols and filled[r + dr, c + dc] < filled[r, c]:
                fall = float(filled[r, c]) - float(filled[r + dr, c + dc])
                lower.append(((r + dr, c + dc), (fall / np.hypot(dr, dc)) ** 1.1))
        if not lower and back[r, c] >= 0:
            lower = [((r + STEPS[back[r, c], 0], c + STEPS[back[r, c], 1]), 1.0)]
        total = sum(power for _, power in lower)
        way[r, c] = [(to, power / total) for to, power in lower]
    expected = np.ones(heights.shape)
    order = list(TopologicalSorter({cell: [to for to, _ in tos] for cell, tos in way.items()}).static_order())
    for cell in reversed(order):
        for to, share in way[cell]:
            expected[to] += expected[cell] * share
    np.testing.assert_allclose(gathered(filled, back), expected, rtol=2e-6)


def test_filling_is_landlabs_on_a_real_dem(dem):
    """landlab 2.11, SinkFillerBarnes (D8), run apart on the same DEM: 6 373 cells raised, 32 m at most, 34 124 m in all;
    its filled heights equalled ours in every cell.
    """
    filled, _ = flood(dem)
    raised = filled.astype(np.float64) - dem
    assert (int((raised > 0).sum()), raised.max(), raised.sum()) == (6373, 32.0, 34124.0)
    assert filled.sum(dtype=np.float64) == 73_652_037.0


def test_water_stands_to_the_brim_of_a_bowl_and_below_the_sea():
    x, z = at(61)
    r2 = x * x + z * z
    bowl = np.where(r2 < 400, r2 / 40, 10 - 0.1 * (np.sqrt(r2) - 20)).astype(np.float32)
    depth = water_depth(bowl, -100.0, 1.0)
    inside = r2 < 380
    # Nothing drains over less than the rim on the grid, which is a little below 10.
    assert np.abs(depth + bowl - (depth + bowl)[30, 30])[inside & (depth > 0)].max() < 1e-5
    assert 9.5 < (depth + bowl)[30, 30] <= 10
    assert water_depth(bowl, -100.0, 0.0).max() == 0
    assert np.array_equal(water_depth(bowl, 8.0, 0.0), np.maximum(8 - bowl, 0).astype(np.float32))


def test_upstream_area_of_a_plane_grows_by_a_cell_a_row_and_of_a_cone_by_its_sector():
    """Freeman (1991), section 4: a plane and a cone, the cone within some per cent of the sector's area."""
    plane = np.repeat(-np.arange(50.0)[:, None], 41, axis=1).astype(np.float32)
    area = over("upstream", plane, 2.0) / 4
    # Away from the sides, where rows of the edge are outlets and take nothing from beside them.
    assert area[20, 20] == pytest.approx(21, rel=0.02) and area[40, 20] == pytest.approx(41, rel=0.05)
    x, z = at(121)
    r = np.hypot(x, z)
    cone = over("upstream", -r, 1.0)
    ring = (r > 20) & (r < 50)
    assert np.median(cone[ring] / (r[ring] / 2)) == pytest.approx(1, abs=0.25)


@pytest.mark.parametrize("spacing", [0.25, 1.0, 4.0])
def test_wetness_is_the_log_of_area_over_slope(spacing):
    """Area a metre of contour: metres uphill, whatever the grid."""
    plane = np.repeat(-0.5 * spacing * np.arange(60.0)[:, None], 41, axis=1).astype(np.float32)
    ours = wetness(Ground(plane, spacing))
    assert ours[40, 20] == pytest.approx(np.log(41 * spacing / 0.5), abs=0.04)


def test_water_goes_to_its_neighbours_by_the_slope_and_not_by_the_drop():
    """Freeman (1991): a corner's neighbour is √2 as far, so on a plane that falls along a diagonal by 1 a cell of it the
    three ways down get 1, (1/√2)^1.1 · 2^… each by its own slope: worked out here by hand for one cell.
    """
    r, c = np.indices((9, 9)).astype(np.float64)
    heights = (-(r + 0.4 * c)).astype(np.float32)
    alone = gathered(*flood(heights))
    # Rain on one cell more: what arrives where is the difference.
    drops = {(1, 0): 1.0, (0, 1): 0.4, (1, 1): 1.4, (1, -1): 0.6}
    slope = {way: drop / np.hypot(*way) for way, drop in drops.items()}
    power = {way: s**1.1 for way, s in slope.items()}
    total = sum(power.values())
    # Each cell in the middle takes 1 and what those uphill hand on: a fixed point far from the rim.
    arriving = sum(share / total for share in power.values())
    assert arriving == pytest.approx(1)
    upper = np.ones((9, 9))
    for row in range(9):
        for col in range(9):
            for (down, right), share in power.items():
                rr, cc = row - down, col - right
                if 0 <= rr < 9 and 0 <= cc < 9:
                    inside = [w for w in power if 0 <= rr + w[0] < 9 and 0 <= cc + w[1] < 9]
                    upper[row, col] += upper[rr, cc] * share / sum(power[w] for w in inside)
    np.testing.assert_allclose(alone, upper, rtol=1e-5)


def test_ridges_are_evened_out_by_their_scale():
    """A wave of length λ is damped by exp(−2 π² σ² / λ²), σ a quarter of the scale (Gaussian blur), at any spacing."""
    for spacing, length, metres in ((0.5, 12.0, 8.0), (1.0, 12.0, 8.0), (1.0, 30.0, 20.0)):
        x, _ = at(241, spacing)
        k = 2 * np.pi / length
        told = over("convexity", np.cos(k * x), spacing, metres=metres)
        peak = k * k * np.exp(-0.5 * (k * metres / 4) ** 2) * metres / 4
        assert told[120, 120] == pytest.approx(peak, rel=0.05)


def test_how_much_of_a_hollow_is_filled_is_as_asked():
    x, z = at(61)
    bowl = np.where(x * x + z * z < 400, (x * x + z * z) / 40, 10).astype(np.float32)
    deep = [water_depth(bowl, -100.0, share)[30, 30] for share in (0.0, 0.25, 0.5, 1.0)]
    assert deep[0] == 0 and deep[3] > 9
    # A share of the way from the lowest place to the brim.
    assert deep[1] == pytest.approx(deep[3] * 0.25, rel=0.02) and deep[2] == pytest.approx(
        deep[3] / 2, rel=0.02
    )


def test_distance_to_water_is_the_distance_to_the_shore():
    x, z = at(101)
    r = np.hypot(x, z)
    island = (20 - r).astype(np.float32)
    far = over("near_water", island, 1.0, level=0.0, lakes=0.0, streams=0.0)
    assert np.abs(far - np.maximum(20 - r, 0))[r < 18].max() < 1.5 and far[r > 21].max() == 0
    dry = over("near_water", island + 100, 1.0, level=0.0, lakes=0.0, streams=0.0)
    assert (dry == 101).all()


# Wind, sun, snow, rubble


def test_a_wall_shelters_what_lies_behind_it():
    """Winstral, Elder and Davis (2002): the slope to the top of a wall h high and d away is atan(h / d)."""
    heights = np.zeros((41, 81), np.float32)
    heights[:, 20] = 6.0
    west = upwind_slopes(heights, 1.0, 270.0, 100.0)
    for d in (2, 6, 12, 30):
        assert west[20, 20 + d] == pytest.approx(np.degrees(np.arctan(6 / d)), abs=1e-3)
    assert west[20, 10] == pytest.approx(0, abs=1e-6)
    assert west[20, 20] < -5
    near = upwind_slopes(heights, 1.0, 270.0, 5.0)
    assert near[20, 40] == pytest.approx(0, abs=1e-6)
    east = upwind_slopes(heights, 1.0, 90.0, 100.0)
    assert east[20, 14] == pytest.approx(45.0, abs=1e-3)


def test_the_sun_stands_where_almanacs_say():
    """Declination 23.45° at the solstice (Cooper 1969); noon height is 90° − latitude + declination."""
    # No sun is looked at exactly at noon: on the equator the nearest stands half an hour's 24th part away.
    for latitude, day, noon, off in (
        (58.0, 172, 55.45, 0.8),
        (58.0, 355, 8.55, 0.8),
        (0.0, 81, 90.0, 3.8),
        (-33.0, 355, 80.45, 0.8),
    ):
        highest = np.degrees(np.arcsin(suns(latitude, day)[:, 1].max()))
        assert highest == pytest.approx(noon, abs=off)
    assert len(suns(80.0, 355)) == 0 and len(suns(80.0, 172)) == 24
    day = suns(58.0, 172)
    assert np.allclose(np.linalg.norm(day, axis=1), 1)
    # Rises in the east, stands in the south at noon.
    assert day[0, 0] > 0.5 and day[-1, 0] < -0.5 and day[len(day) // 2, 2] > 0.5


def test_level_ground_gets_one_sun_and_a_wall_throws_its_shadow():
    assert over("sun", np.zeros((9, 9)), latitude=50.0, day=100) == pytest.approx(1.0, abs=1e-5)
    heights = np.zeros((5, 80), np.float32)
    heights[:, 40] = 10.0
    out = np.zeros_like(heights)
    # From the east, 45° up: ten metres of wall shade ten metres to the west.
    lit_by(heights, 1.0, np.array([np.sqrt(0.5), np.sqrt(0.5), 0.0]), 10.0, out)
    shaded = np.flatnonzero(out[2] == 0)
    assert set(range(31, 38)) <= set(shaded.tolist()) and out[2, 25] > 0.7 and out[2, 60] > 0.7
    north, south = (
        over("sun", np.repeat(s * np.arange(40.0)[:, None], 40, axis=1), latitude=58.0, day=80)
        for s in (-1, 1)
    )
    # Ground that falls to the south has more of it; rows run south.
    assert north[20, 20] > 2 * south[20, 20]


def test_snow_is_shed_by_slopes_and_taken_by_wind():
    """Bernhardt and Schulz (2010): holding depth falls with the slope's second power (constants from memory)."""
    depths = held_depth(np.array([10, 20, 40], np.float32))
    assert depths[0] / depths[1] == pytest.approx(2**1.998, rel=1e-4) and depths[1] / depths[
        2
    ] == pytest.approx(4, rel=0.01)
    x, _ = at(61)
    ridge = (20 - np.abs(x) * 0.5).astype(np.float32)
    snow = over("snow", ridge, fallen=2.0, azimuth=270.0, metres=30.0)
    # The lee of a ridge keeps more than its weather side.
    assert snow[30, 45] > snow[30, 15] + 0.2
    steep = over("snow", x * 2.0)
    assert steep.max() < 0.55


def test_rubble_reaches_as_far_as_the_energy_line():
    """Heim (1932): from the top of a cliff of h, at a reach angle a, level ground is reached for h / tan(a)."""
    heights = np.zeros((31, 100), np.float32)
    # A little fall, so that there is a way down.
    heights -= 0.01 * np.arange(100, dtype=np.float32)[None]
    heights[:, :20] += 30.0
    rubble = over("talus", heights, cliff=45.0, reach=35.0)
    reached = np.flatnonzero(rubble[15] > 0)
    assert abs(reached.max() - (19 + 30 / np.tan(np.radians(35)))) < 3
    assert TalusMeasure().reach == 32.0 and over("talus", heights * 0, cliff=45.0).max() == 0


def test_every_measure_is_finite_on_level_and_on_rough_ground_and_says_what_it_is():
    for kind, measure in MEASURES.items():
        assert measure.over is not None or measure.on is not None, kind
        for heights in (
            ()
            if measure.over is None
            else (np.zeros((12, 17), np.float32), noisy(3), noisy(4, 2, 2), noisy(5, 3, 40))
        ):
            out = measure.over(Ground(heights, 1.5), measure.document(), silent)
            assert out.shape == heights.shape and out.dtype == np.float32 and np.isfinite(out).all(), kind
        # Spreading is every measure's, but for those that even out in a way of their own.
        fields = set(measure.document.model_fields) - {"kind", "spread"}
        assert {s.key for s in measure.document.settings} == fields, kind
        assert measure.document.title and measure.document.about and not measure.document.live
