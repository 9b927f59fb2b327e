"""What strokes do beside painting: smoothing, sharpening, smearing, and what shapes a brush."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapes import grid_indices, plane, split_plane

from ashblend.core.brush.acts.registry import ACTS
from ashblend.core.brush.document import Brush, BrushNoise, PointerSample, Stencil, Symmetry
from ashblend.core.brush.shared_sum import SharedSum, given_way
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import Channel, channel_of_values, empty_channel
from ashblend.core.channels.quantise import FULL, quantise
from ashblend.core.curve import Curve
from ashblend.core.noise import noise
from ashblend.core.sites.diffuse import flow_over, smoothed, spread_out
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices

UP = (0.0, 1.0, 0.0)
SIDE = 61
SITES = mesh_vertices(plane(SIDE, 2.0))
IMAGE = "00000000-0000-0000-0000-000000000001"


def at(x: float, z: float, **more) -> PointerSample:
    return PointerSample(position=(x, 0.0, z), normal=UP, **more)


def stroke(sites, channel: Channel, brush: Brush, places, **more) -> None:
    made = Stroke(sites, channel, 0, brush, **more)
    made.extend(places)
    made.finish()


def weights(channel: Channel) -> np.ndarray:
    return channel.values() / FULL


# Smoothing


def everything(sites):
    return sites.everything()[0]


def exact_step(u: np.ndarray, h: float, time: float) -> np.ndarray:
    """One explicit step of the heat equation with the five-point stencil; rim values stay."""
    out = u.copy()
    out[1:-1, 1:-1] += (
        time / h**2 * (u[:-2, 1:-1] + u[2:, 1:-1] + u[1:-1, :-2] + u[1:-1, 2:] - 4 * u[1:-1, 1:-1])
    )
    return out


def test_one_stage_is_an_exact_diffusion_step_on_a_regular_grid():
    side, length = 21, 1.0
    h = length / (side - 1)
    sites = mesh_vertices(plane(side, length))
    u = np.random.default_rng(0).random((side, side))
    inner = np.zeros((side, side), bool)
    inner[1:-1, 1:-1] = True
    points = np.flatnonzero(inner.reshape(-1)).astype(np.int32)
    # h²/4 is the longest stable step: one stage is enough for it.
    time = h**2 / 4
    patch = everything(sites).only(points)
    graph = sites.neighbourhood().graph(patch, rim=True)
    held = np.concatenate([u.reshape(-1)[points], u.reshape(-1)[graph.rim.ids]])
    smooth = smoothed(flow_over(graph), held, np.sqrt(2 * time) * 0.999999)
    np.testing.assert_allclose(smooth, exact_step(u, h, time).reshape(-1)[points], atol=2e-5)


def test_many_stages_follow_many_small_exact_steps():
    side, length = 41, 1.0
    h = length / (side - 1)
    sites = mesh_vertices(plane(side, length))
    x = np.linspace(0, 1, side)
    u = np.clip((x[None, :] - 0.5) / 0.1 + 0.5, 0, 1) * np.ones((side, 1))
    blur = 0.12
    smooth = smoothed(flow_over(sites.everything()[1]), u.reshape(-1), blur)
    # Rims insulated on both sides: mirror one row before each small step.
    exact, steps = u.copy(), 4000
    for _ in range(steps):
        wide = np.pad(exact, 1, mode="edge")
        exact = exact + blur**2 / 2 / steps / h**2 * (
            wide[:-2, 1:-1] + wide[2:, 1:-1] + wide[1:-1, :-2] + wide[1:-1, 2:] - 4 * exact
        )
    middle = slice(8, -8)
    off = np.abs(smooth.reshape(side, side) - exact)[middle, middle].max()
    assert off < 0.02, f"first order in time: {off}"


@settings(max_examples=25)
@given(st.integers(0, 10**6), st.floats(0.005, 0.3))
def test_smoothing_stays_between_what_was_there_and_keeps_a_constant(seed, length):
    rng = np.random.default_rng(seed)
    sites = mesh_vertices(plane(15, 1.0))
    u = rng.random(sites.count)
    flow = flow_over(sites.everything()[1])
    smooth = smoothed(flow, u, length)
    # Values flow in float32; a step of a channel is 1.5e-5.
    assert smooth.min() >= u.min() - 1e-6 and smooth.max() <= u.max() + 1e-6
    np.testing.assert_allclose(smoothed(flow, np.full(u.shape, 0.3), length), 0.3, atol=1e-6)


def test_smooth_does_not_depend_on_the_meshs_density():
    """The same soft edge on meshes of one, four and sixteen times the vertices, smoothed by one stroke."""
    results = []
    for side in (41, 81, 161):
        sites = mesh_vertices(plane(side, 2.0))
        start = np.clip((sites.positions[:, 0] - 1.0) / 0.2 + 0.5, 0, 1).astype(np.float32)
        channel = channel_of_values(start)
        brush = Brush(act="smooth", radius=0.6, strength=1, falloff="flat", smoothing=0.2)
        stroke(sites, channel, brush, [at(1.0, 1.0)])
        line = weights(channel).reshape(side, side)[side // 2]
        results.append(np.interp(np.linspace(0.6, 1.4, 30), np.linspace(0, 2, side), line))
    before = np.clip((np.linspace(0.6, 1.4, 30) - 1.0) / 0.2 + 0.5, 0, 1)
    assert np.abs(results[2] - before).max() > 0.05, "it does smooth"
    assert np.abs(results[0] - results[2]).max() < 0.03
    assert np.abs(results[1] - results[2]).max() < 0.015


def test_smooth_runs_over_a_faceted_mesh_as_over_a_shared_one():
    shared, split = mesh_vertices(plane(21, 2.0)), mesh_vertices(split_plane(21, 2.0))
    out = []
    for sites in (shared, split):
        channel = channel_of_values((sites.positions[:, 0] > 1.0).astype(np.float32))
        stroke(sites, channel, Brush(act="smooth", radius=0.7, strength=1), [at(1.0, 1.0)])
        out.append({p.tobytes(): v for p, v in zip(sites.positions, channel.values(), strict=True)})
    assert out[0].keys() == out[1].keys()
    assert max(abs(int(out[0][k]) - int(out[1][k])) for k in out[0]) <= 1


def test_sharpen_raises_contrast_around_the_local_mean():
    wave = (0.5 + 0.2 * np.sin(SITES.positions[:, 0] * 20)).astype(np.float32)
    channel = channel_of_values(wave)
    stroke(SITES, channel, Brush(act="sharpen", radius=0.8, strength=1, target=0.5), [at(1.0, 1.0)])
    near = np.linalg.norm(SITES.positions[:, [0, 2]] - 1.0, axis=1) < 0.3
    assert np.ptp(weights(channel)[near]) > 1.2 * np.ptp(wave[near])
    flat = channel_of_values(np.full(SITES.count, 0.4, np.float32))
    stroke(SITES, flat, Brush(act="sharpen", radius=0.8, strength=1), [at(1.0, 1.0)])
    np.testing.assert_allclose(weights(flat), 0.4, atol=2e-5)


def test_smear_drags_paint_along_the_stroke():
    edge = (SITES.positions[:, 0] < 0.8).astype(np.float32)
    channel = channel_of_values(edge)
    path = [at(x, 1.0) for x in np.linspace(0.6, 1.4, 20)]
    stroke(SITES, channel, Brush(act="smear", radius=0.3, strength=1, falloff="flat"), path)
    on_path = np.abs(SITES.positions[:, 2] - 1.0) < 0.05
    further = weights(channel)[on_path & (np.abs(SITES.positions[:, 0] - 1.2) < 0.05)]
    assert further.min() > 0.5, "what was full at 0.8 now reaches 1.2"
    aside = np.abs(SITES.positions[:, 2] - 1.0) > 0.32
    np.testing.assert_array_equal(weights(channel)[aside], edge[aside])
    back = channel_of_values(edge)
    stroke(SITES, back, Brush(act="smear", radius=0.3, strength=1), [at(0.8, 1.0)])
    np.testing.assert_array_equal(weights(back), edge, "a dab that does not move drags nothing")


@given(st.floats(0, 1), st.floats(0, 1), st.floats(0, 1))
@settings(max_examples=30)
def test_add_and_subtract_move_by_the_amount_and_stop_at_the_ends(start, amount, strength):
    for act, sign in (("add", 1), ("subtract", -1)):
        channel = channel_of_values(np.full(SITES.count, start, np.float32))
        brush = Brush(act=act, radius=0.5, strength=strength, target=amount, falloff="flat")
        stroke(SITES, channel, brush, [at(1, 1)])
        middle = SITES.count // 2
        toward = np.clip(start + sign * amount, 0, 1)
        assert weights(channel)[middle] == pytest.approx(start + strength * (toward - start), abs=4e-5)


def test_spread_paints_what_lay_where_the_stroke_began():
    channel = channel_of_values(np.where(SITES.positions[:, 0] < 0.5, 0.8, 0.1).astype(np.float32))
    brush = Brush(act="sampled", radius=0.2, strength=1, falloff="flat")
    stroke(SITES, channel, brush, [at(0.3, 1.0), at(1.2, 1.0)])
    end = np.argmin(np.linalg.norm(SITES.positions - [1.2, 0, 1.0], axis=1))
    assert weights(channel)[end] == pytest.approx(0.8, abs=1e-4)


def test_flipping_lowers_instead_of_raising_and_touches_no_setting():
    for act, start, lower in (("paint", 0.5, True), ("add", 0.5, True), ("subtract", 0.5, False)):
        channel = channel_of_values(np.full(SITES.count, start, np.float32))
        brush = Brush(act=act, radius=0.5, strength=1, target=1.0, flipped=True)
        stroke(SITES, channel, brush, [at(1, 1)])
        middle = weights(channel)[SITES.count // 2]
        assert (middle < start) == lower, act
    assert {ACTS[ACTS[a].flips_to].flips_to for a in ("add", "subtract")} == {"add", "subtract"}


# What shapes a brush


def test_the_pens_response_curve_decides_how_much_pressure_does():
    soft = Curve(points=((0, 0), (0.5, 1), (1, 1)))
    for pressure, curve, expected in ((0.5, None, 0.5), (0.5, soft, 1.0), (0.0, soft, 0.0)):
        channel = empty_channel(SITES.count)
        brush = Brush(radius=0.5, strength=1, falloff="flat", pressure_curve=curve)
        stroke(SITES, channel, brush, [at(1, 1, pressure=pressure)])
        assert weights(channel)[SITES.count // 2] == pytest.approx(expected, abs=1e-4)


def test_tilt_drives_the_radius():
    sizes = []
    for tilt in (1.0, 0.5):
        channel = empty_channel(SITES.count)
        brush = Brush(radius=0.5, strength=1, falloff="flat", tilt_drives="radius")
        stroke(SITES, channel, brush, [at(1, 1, tilt=tilt)])
        sizes.append((channel.values() > 0).sum())
    assert sizes[1] == pytest.approx(sizes[0] / 4, rel=0.1)


def test_a_drawn_falloff_is_followed():
    channel = empty_channel(SITES.count)
    ring = Curve(points=((0, 0), (0.5, 1), (1, 0)))
    stroke(SITES, channel, Brush(radius=0.8, strength=1, falloff="curve", curve=ring), [at(1, 1)])
    away = np.linalg.norm(SITES.positions[:, [0, 2]] - 1.0, axis=1)
    w = weights(channel)
    assert w[away < 0.02].max() < 0.1 and w[np.abs(away - 0.4) < 0.02].min() > 0.95
    np.testing.assert_allclose(w, ring.at(np.minimum(away / 0.8, 1)) * (away <= 0.8), atol=0.02)


def test_curves_never_swing_past_their_points():
    curve = Curve(points=((0, 0), (0.4, 0), (0.6, 1), (1, 1)))
    x = np.linspace(-0.5, 1.5, 400)
    y = curve.at(x)
    assert (np.diff(y) >= -1e-12).all() and y.min() == 0 and y.max() == 1
    with pytest.raises(ValueError, match="lie apart"):
        Curve(points=((0.5, 0), (0.5, 1)))


def half_and_half() -> np.ndarray:
    image = np.zeros((32, 32), np.float32)
    image[:, 16:] = 1
    return image


def test_a_stencil_on_the_tip_turns_with_rotation_and_follows_the_stroke():
    def painted(stencil: Stencil, places) -> np.ndarray:
        channel = empty_channel(SITES.count)
        brush = Brush(radius=0.5, strength=1, falloff="flat", stencil=stencil, spacing=0.2)
        stroke(SITES, channel, brush, places, image=half_and_half())
        return weights(channel) > 0.5

    away = SITES.positions - np.array([1, 0, 1], np.float32)
    inside = np.linalg.norm(away, axis=1) < 0.45
    plain = painted(Stencil(image=IMAGE), [at(1, 1)])
    turned = painted(Stencil(image=IMAGE, rotation=180), [at(1, 1)])
    assert 0.4 < plain[inside].mean() < 0.6
    clear = inside & (np.abs(away[:, 0]) > 0.05) & (np.abs(away[:, 2]) > 0.05)
    np.testing.assert_array_equal(plain[clear], ~turned[clear])
    # Following a stroke along x, right of the stroke is painted: z > 1 with y up.
    followed = painted(Stencil(image=IMAGE, follow=True), [at(0.9, 1), at(1.0, 1), at(1.1, 1)])
    along = np.abs(away[:, 0]) < 0.1
    right, left = along & (away[:, 2] > 0.1) & (away[:, 2] < 0.4), along & (away[:, 2] < -0.1)
    assert followed[right].mean() > 0.9 > 0.1 > followed[left & (away[:, 2] > -0.4)].mean()


def test_a_stencil_from_the_view_lies_still_while_the_brush_moves():
    # Seen straight from above: x to the right, −z up, one metre of height is two of the world.
    view = (0.5, 0, 0, -0.5, 0, 0, -0.5, 0.5, 0, 0, 0, 1.0)
    stencil = Stencil(image=IMAGE, place="view", view=view)
    channel = empty_channel(SITES.count)
    brush = Brush(radius=0.4, strength=1, falloff="flat", stencil=stencil)
    stroke(SITES, channel, brush, [at(0.3, 1), at(1.7, 1)], image=half_and_half())
    on_path = np.abs(SITES.positions[:, 2] - 1) < 0.3
    w = weights(channel)
    assert w[on_path & (SITES.positions[:, 0] > 0.1) & (SITES.positions[:, 0] < 0.95)].max() < 0.05
    assert w[on_path & (SITES.positions[:, 0] > 1.1) & (SITES.positions[:, 0] < 1.6)].min() > 0.9
    with pytest.raises(ValueError, match="needs the view"):
        Stencil(image=IMAGE, place="view")


def test_jitter_is_the_same_every_time():
    out = []
    for _ in range(2):
        channel = empty_channel(SITES.count)
        brush = Brush(radius=0.3, strength=1, stencil=Stencil(image=IMAGE, jitter=1))
        stroke(SITES, channel, brush, [at(0.5, 1), at(1.5, 1)], image=half_and_half())
        out.append(channel.values())
    np.testing.assert_array_equal(*out)


@pytest.mark.parametrize(
    ("symmetry", "count"),
    [
        (Symmetry(mirror=("x",), origin=(1, 0, 1)), 2),
        (Symmetry(mirror=("x", "z"), origin=(1, 0, 1)), 4),
        (Symmetry(turns=4, axis="y", origin=(1, 0, 1)), 4),
    ],
)
def test_symmetry_repeats_every_dab(symmetry, count):
    channel = empty_channel(SITES.count)
    # Distances along the skin depend a little on how the triangles run; straight ones do not.
    brush = Brush(radius=0.2, strength=1, reach="ball", symmetry=symmetry)
    stroke(SITES, channel, brush, [at(0.6, 0.7), at(0.7, 0.6)])
    grid = weights(channel).reshape(SIDE, SIDE)
    alone = empty_channel(SITES.count)
    stroke(SITES, alone, Brush(radius=0.2, strength=1, reach="ball"), [at(0.6, 0.7), at(0.7, 0.6)])
    assert grid.sum() == pytest.approx(count * weights(alone).sum(), rel=1e-3)
    if symmetry.mirror:
        np.testing.assert_allclose(grid, grid[:, ::-1], atol=1e-3)
    else:
        np.testing.assert_allclose(grid, np.rot90(grid), atol=1e-3)


def test_noise_thins_the_brush_where_it_lies():
    plain, noisy = empty_channel(SITES.count), empty_channel(SITES.count)
    brush = Brush(radius=0.9, strength=1, falloff="flat")
    stroke(SITES, plain, brush, [at(1, 1)])
    rough = brush.model_copy(update={"noise": BrushNoise(amount=1, metres=0.3)})
    stroke(SITES, noisy, rough, [at(1, 1)])
    inside = weights(plain) > 0
    expected = 1 - noise(SITES.positions[inside], 0.3)
    np.testing.assert_allclose(weights(noisy)[inside], expected, atol=1e-4)


def test_perlin_noise_is_zero_at_whole_numbers_and_smooth():
    """Perlin (2002): gradients meet lattice points with value zero; second derivatives are continuous."""
    rng = np.random.default_rng(0)
    assert (noise(rng.integers(-50, 50, (400, 3)).astype(float), 1.0, 3, octaves=1) == 0.5).all()
    line = np.stack([np.linspace(0, 6, 601), np.full(601, 0.3), np.full(601, 0.7)], axis=-1)
    values = noise(line, 1.0, 3, octaves=1)
    assert np.ptp(values) > 0.3
    second = np.diff(values.astype(float), 2) / (6 / 600) ** 2
    assert np.abs(np.diff(second)).max() < 1.0, "no jump in the second derivative"
    values = noise(rng.uniform(0, 100, (4000, 3)), 1.0, 7)
    assert values.min() >= 0 and values.max() <= 1 and abs(values.mean() - 0.5) < 0.03


# What may change


def test_protected_sites_never_change():
    channel = empty_channel(SITES.count)
    allow = (SITES.positions[:, 0] > 1).astype(np.float32)
    stroke(
        SITES, channel, Brush(radius=0.8, strength=1, falloff="flat"), [at(1, 1)], allow=lambda s: allow[s]
    )
    assert not channel.cover[allow == 0].any() and channel.cover[allow == 1].any()
    half = empty_channel(SITES.count)
    stroke(
        SITES,
        half,
        Brush(radius=0.8, strength=1, falloff="flat"),
        [at(1, 1)],
        allow=lambda sites: np.full(sites.shape[0], 0.5, np.float32),
    )
    assert weights(half).max() == pytest.approx(0.5, abs=1e-4)


steps = st.integers(0, FULL)


@given(steps, st.tuples(steps, steps, steps), st.tuples(st.booleans(), st.booleans(), st.booleans()))
def test_channels_that_give_way_always_sum_to_one(painted, others, free):
    column = np.array(others, np.int64)[:, None]
    if not any(free):
        free = (True, False, False)
    mine, theirs = given_way(np.array([painted]), column, free)
    held = sum(v for v, f in zip(others, free, strict=True) if not f)
    if held <= FULL:
        assert mine[0] + theirs.sum() == FULL
    for i, is_free in enumerate(free):
        if not is_free:
            assert theirs[i, 0] == others[i], "a locked channel stays"
    assert (theirs >= 0).all() and 0 <= mine[0] <= FULL


def test_a_stroke_with_a_shared_sum_keeps_it_and_undo_gives_the_same_bytes():
    rng = np.random.default_rng(5)
    start = rng.random((4, SITES.count))
    start /= start.sum(axis=0)
    channels = [channel_of_values(s.astype(np.float32)) for s in start]
    before = [(c.cover.copy(), c.paint.copy()) for c in channels]
    shared = SharedSum([(n, channels[n]) for n in (0, 2, 3)], [True, True, True])
    brush = Brush(radius=0.5, strength=0.8, reach="ball")
    made = Stroke(SITES, channels[1], 1, brush, shared=shared)
    made.extend([at(0.7, 1), at(1.3, 1)])
    deltas = made.finish()
    total = sum(c.values().astype(np.int64) for c in channels)
    touched = np.unique(np.concatenate([d.sites for d in deltas]))
    assert (total[touched] == FULL).all()
    assert weights(channels[1])[SITES.count // 2] > start[1][SITES.count // 2]
    for delta in reversed(deltas):
        delta.reversed().apply(channels[delta.channel])
    for channel, (cover, paint) in zip(channels, before, strict=True):
        np.testing.assert_array_equal(channel.cover, cover)
        np.testing.assert_array_equal(channel.paint, paint)
    with pytest.raises(ValueError, match="none can give way"):
        SharedSum([(0, channels[0])], [False])


def test_an_undercoat_of_its_own_at_every_site_lies_under_the_paint():
    channel = empty_channel(SITES.count)
    under = SITES.positions[:, 0] / 2
    channel.undercoat = quantise(under, 16)
    np.testing.assert_allclose(weights(channel), under, atol=1e-4)
    stroke(SITES, channel, Brush(act="add", radius=0.5, strength=1, target=0.1, falloff="flat"), [at(1, 1)])
    middle = SITES.count // 2
    assert weights(channel)[middle] == pytest.approx(0.6, abs=1e-3)
    stroke(SITES, channel, Brush(act="erase", radius=0.7, strength=1, falloff="flat"), [at(1, 1)])
    np.testing.assert_allclose(weights(channel), under, atol=1e-4)


@pytest.mark.parametrize("how", ["square", "along", "across"])
@pytest.mark.parametrize("grains", [4, 26, 80, 500])
def test_measures_are_spread_as_far_as_was_asked_however_fine_the_mesh(how, grains):
    """The standard deviation of a spot on a strip: 30 stages ended at 26 grains, without a word."""
    h = {"square": 1.0, "along": 0.5, "across": 2.0}[how]
    sigma = float(grains)
    x = np.arange(-4.5 * sigma, 4.5 * sigma + h / 2, h)
    z, across = np.meshgrid(np.linspace(0, 4, 5), x, indexing="ij")
    at = np.stack([across, 0 * across, z], axis=-1).reshape(-1, 3).astype(np.float32)
    flow = flow_over(mesh_vertices(Mesh(at, grid_indices(5, len(x)))).everything()[1])
    spot = (np.abs(at[:, 0]) < 0.6 * h).astype(float)
    even = spread_out(flow, spot, sigma)
    found = np.sqrt((even * at[:, 0].astype(float) ** 2).sum() / even.sum())
    assert found == pytest.approx(sigma, rel=0.03)


def test_nothing_is_lost_where_a_few_triangles_are_far_smaller_than_most():
    """A plate with one row a fiftieth as far from the next: flow is slowed there, for both who exchange alike."""
    x = np.concatenate([np.arange(-40.0, 0.0), [0.0, 0.02], np.arange(1.0, 41.0)])
    z, across = np.meshgrid(np.arange(-20.0, 21.0), x, indexing="ij")
    at = np.stack([across, 0 * across, z], axis=-1).reshape(-1, 3).astype(np.float32)
    sites = mesh_vertices(Mesh(at, grid_indices(41, len(x))))
    areas = sites.window(np.arange(len(at), dtype=np.uint32)).areas.astype(np.float64)
    flow = flow_over(sites.everything()[1])
    spot = np.exp(-((at[:, 0] + 1.5) ** 2 + at[:, 2] ** 2) / 4).astype(np.float64)
    even = spread_out(flow, spot, 3.0)
    assert (even * areas).sum() == pytest.approx((spot * areas).sum(), rel=1e-3)
