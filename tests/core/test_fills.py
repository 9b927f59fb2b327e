"""Fills: what each wants, and the algebra of mixing."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapes import plane, sphere, two_sheets

from ashblend.core.brush.fills.border import BorderFill
from ashblend.core.brush.fills.clear_below import ClearBelowFill
from ashblend.core.brush.fills.copy_channel import MixFill, mixed
from ashblend.core.brush.fills.even import EvenFill
from ashblend.core.brush.fills.facing import FacingFill
from ashblend.core.brush.fills.fill import fill_delta
from ashblend.core.brush.fills.gradient import GradientFill
from ashblend.core.brush.fills.height import HeightFill
from ashblend.core.brush.fills.levels import LevelsFill
from ashblend.core.brush.fills.noise_fill import NoiseFill
from ashblend.core.brush.fills.smooth_all import SmoothAllFill
from ashblend.core.brush.fills.threshold import ThresholdFill
from ashblend.core.channels.channel import Channel, channel_of_values
from ashblend.core.channels.quantise import FULL
from ashblend.core.curve import Curve
from ashblend.core.prepare.face_sets import faces_like
from ashblend.core.prepare.groups.grouping import group_mask
from ashblend.core.sites.mesh_vertices import mesh_vertices

BALL = sphere(4)
SITES = mesh_vertices(BALL)


def filled(fill, start=None, mesh=BALL, sites=SITES, allow=None, source=None) -> np.ndarray:
    values = np.zeros(sites.count) if start is None else start
    channel = channel_of_values(values.astype(np.float32))

    def border(group):
        return sites.border(group_mask(mesh, [group])) if group else sites.open_edges()

    delta = fill_delta(
        fill,
        0,
        channel,
        sites,
        border=border,
        allow=None if allow is None else lambda here: allow[here],
        source=None if source is None else lambda here: source[here],
    )
    delta.apply(channel)
    return channel.values() / FULL


def test_a_band_of_heights_is_full_inside_and_fades_over_its_softness():
    out = filled(HeightFill(low=-0.2, high=0.4, soft=0.2))
    y = SITES.positions[:, 1]
    assert (out[(y > -0.09) & (y < 0.29)] > 0.999).all()
    assert (out[(y < -0.31) | (y > 0.51)] == 0).all()
    np.testing.assert_allclose(out[np.abs(y + 0.2) < 0.005], 0.5, atol=0.06)
    step = filled(HeightFill(low=0.0, high=9, soft=0))
    assert set(np.unique(step)) == {0.0, 1.0}, "a ramp of no width is a clean step"


def test_facing_goes_by_degrees():
    out = filled(FacingFill(direction=(0, 2, 0), full=30, none=60))
    angle = np.degrees(np.arccos(np.clip(SITES.normals[:, 1], -1, 1)))
    assert (out[angle < 29] > 0.999).all() and (out[angle > 61] == 0).all()
    # Linear in the cosine between the two angles (DESIGN, section 4).
    between = (angle > 32) & (angle < 58)
    cosine = np.cos(np.radians([60, 30]))
    expected = (np.cos(np.radians(angle[between])) - cosine[0]) / (cosine[1] - cosine[0])
    np.testing.assert_allclose(out[between], expected, atol=1e-3)


def test_a_border_is_measured_along_the_surface():
    mesh = plane(41, 2.0)
    sites = mesh_vertices(mesh)
    out = filled(BorderFill(keep=0.1, width=0.4), mesh=mesh, sites=sites)
    x, z = sites.positions[:, 0], sites.positions[:, 2]
    away = np.minimum.reduce([x, 2 - x, z, 2 - z])
    # Exact but on the corners' diagonals, where two fronts meet: there a third of an edge off.
    expected = np.clip(1 - (away - 0.1) / 0.4, 0, 1)
    np.testing.assert_allclose(out, expected, atol=0.05 / 3 / 0.4 + 0.001)
    assert (np.abs(out - expected) > 1e-3).mean() < 0.05
    sheets = two_sheets()
    lower = mesh_vertices(sheets)
    on_group = filled(BorderFill(group="low", width=5), mesh=sheets, sites=lower)
    assert not on_group.any(), "sheets that do not touch have no border between them"


def test_a_gradient_runs_between_two_places():
    fill = GradientFill(begin=(0, -0.5, 0), end=(0, 0.5, 0), begin_weight=0.2, end_weight=0.8)
    y = SITES.positions[:, 1].astype(float)
    np.testing.assert_allclose(filled(fill), 0.2 + 0.6 * np.clip(y + 0.5, 0, 1), atol=1e-4)
    only = filled(fill.model_copy(update={"beyond": False}))
    assert (only[np.abs(y) > 0.51] == 0).all()
    nowhere = filled(GradientFill(begin=(0, 0, 0), end=(0, 0, 0), end_weight=0.7))
    np.testing.assert_allclose(nowhere, 0.7, atol=1e-4)


def test_levels_threshold_and_clear_below():
    start = np.clip((SITES.positions[:, 1] + 1) / 2, 0, 1)
    curve = Curve(points=((0, 1), (1, 0)))
    np.testing.assert_allclose(filled(LevelsFill(curve=curve), start), 1 - start, atol=1e-4)
    hard = filled(ThresholdFill(value=0.4), start)
    np.testing.assert_array_equal(hard, (np.rint(start * FULL) >= 0.4 * FULL).astype(float))
    roots = filled(ClearBelowFill(height=-0.2, soft=0.4), start)
    y = SITES.positions[:, 1]
    assert (roots[y <= -0.2] == 0).all(), "roots stay still"
    np.testing.assert_allclose(roots[y >= 0.2], start[y >= 0.2], atol=1e-4)


def test_noise_and_smooth_all():
    cloud = filled(NoiseFill(metres=0.5, low=0.4, high=0.6))
    assert 0.2 < cloud.mean() < 0.8 and cloud.min() == 0 and cloud.max() == 1
    again = filled(NoiseFill(metres=0.5, low=0.4, high=0.6, seed=1))
    assert np.abs(cloud - again).max() > 0.5
    smooth = filled(SmoothAllFill(metres=0.2), cloud)
    assert smooth.std() < 0.8 * cloud.std()
    # Heat flow keeps the total over the area.
    assert np.dot(smooth, SITES.areas) == pytest.approx(np.dot(cloud, SITES.areas), rel=0.02)


weight = st.floats(0, 1)


@given(weight, weight)
def test_mixing_is_what_its_names_say(a, b):
    one, two = np.array([a]), np.array([b])
    assert mixed("replace", one, two) == two
    assert mixed("multiply", one, two) == pytest.approx(a * b)
    assert mixed("add", one, two) == pytest.approx(min(1, a + b))
    assert mixed("subtract", one, two) == pytest.approx(max(0, a - b))
    assert mixed("max", one, two) == max(a, b) and mixed("min", one, two) == min(a, b)
    assert mixed("screen", one, two) == pytest.approx(a + b - a * b)


@given(st.lists(st.sampled_from(["replace", "max", "min"]), min_size=1, max_size=4), st.integers(0, 999))
def test_channels_copied_on_and_on_compose(modes, seed):
    """Copying A to B and B to C is copying A to C; max and min with the same source once or twice is the same."""
    rng = np.random.default_rng(seed)
    a, b, c = rng.random((3, 30))
    for mode in modes:
        b2 = mixed("replace", b, a)
        np.testing.assert_array_equal(mixed(mode, c, b2), mixed(mode, c, a))
        once = mixed(mode, c, a)
        np.testing.assert_array_equal(mixed(mode, once, a), once)


def test_mixing_writes_what_it_says_and_can_be_inverted():
    rng = np.random.default_rng(1)
    start, source = rng.random(SITES.count), rng.random(SITES.count)
    np.testing.assert_allclose(
        filled(MixFill(mode="multiply"), start, source=source), start * source, atol=1e-4
    )
    np.testing.assert_allclose(
        filled(MixFill(inverted=True, amount=0.5), start, source=source),
        start + 0.5 * (1 - source - start),
        atol=1e-4,
    )
    with pytest.raises(ValueError, match="another channel"):
        filled(MixFill(), start)


@given(st.integers(0, 10**6))
def test_a_fill_leaves_protected_sites_byte_for_byte(seed):
    rng = np.random.default_rng(seed)
    cover = rng.integers(0, FULL + 1, SITES.count).astype(np.uint16)
    channel = Channel(cover, (cover * rng.random(SITES.count)).astype(np.uint16), 0.2)
    before = (channel.cover.copy(), channel.paint.copy())
    allow = rng.integers(0, 2, SITES.count).astype(np.float32)
    delta = fill_delta(EvenFill(weight=0.7), 0, channel, SITES, allow=lambda here: allow[here])
    delta.apply(channel)
    kept = allow == 0
    np.testing.assert_array_equal(channel.cover[kept], before[0][kept])
    np.testing.assert_array_equal(channel.paint[kept], before[1][kept])
    delta.reversed().apply(channel)
    np.testing.assert_array_equal(channel.cover, before[0])


def test_whole_faces_take_in_what_the_unit_says():
    sheets = two_sheets()
    picked = np.array([0], np.int32)
    assert faces_like(sheets, picked, "face").sum() == 1
    assert faces_like(sheets, picked, "quad").sum() == 2
    np.testing.assert_array_equal(faces_like(sheets, picked, "part"), group_mask(sheets, ["low"]))
    np.testing.assert_array_equal(faces_like(sheets, picked, "group"), group_mask(sheets, ["low"]))
    assert faces_like(sheets, picked, "all").all()
    # Both sheets lie on the same place of the map, but they are not connected.
    assert faces_like(sheets, picked, "island").sum() == len(sheets.triangles) // 2
    sites = mesh_vertices(sheets)
    on_quad = sites.on_faces(faces_like(sheets, picked, "quad"))(np.arange(sites.count, dtype=np.uint32))
    assert on_quad.sum() == 4
    filled_quad = filled(EvenFill(), mesh=sheets, sites=sites, allow=on_quad.astype(np.float32))
    assert filled_quad.sum() == 4


@given(st.permutations(range(4)), st.permutations(range(4)), st.integers(0, 999))
def test_swizzles_compose(first, second, seed):
    """Channels sent round by one order and then by another end where both orders together send them."""
    rng = np.random.default_rng(seed)
    sites = mesh_vertices(plane(5, 1.0))
    steps = rng.integers(0, FULL + 1, (4, sites.count)).astype(np.uint16)

    def swizzled(values: np.ndarray, order) -> np.ndarray:
        out = []
        for number in range(4):
            channel = Channel(np.full(sites.count, FULL, np.uint16), values[number].copy())
            source = values[order[number]] / FULL
            fill_delta(MixFill(), number, channel, sites, source=source.__getitem__).apply(channel)
            out.append(channel.values())
        return np.stack(out)

    together = [first[second[i]] for i in range(4)]
    np.testing.assert_array_equal(swizzled(swizzled(steps, first), second), swizzled(steps, together))
    np.testing.assert_array_equal(swizzled(swizzled(steps, first), np.argsort(first)), steps)
