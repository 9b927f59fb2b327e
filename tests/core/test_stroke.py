"""Strokes, fills and the painting algebra."""

import threading

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapes import plane, split_plane

import ashblend.core.brush.stroke as stroke_module
from ashblend.core.brush.acts.registry import ACTS
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.falloff import FALLOFFS, falloff_table
from ashblend.core.brush.fills.even import EvenFill
from ashblend.core.brush.fills.fill import fill_delta
from ashblend.core.brush.fills.invert import InvertFill
from ashblend.core.brush.fills.lift import LiftFill
from ashblend.core.brush.resample import ArcLengthResampler
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import Channel, channel_of_values, empty_channel
from ashblend.core.channels.delta import changed_between
from ashblend.core.channels.quantise import FULL
from ashblend.core.sites.mesh_vertices import mesh_vertices

SITES = mesh_vertices(plane(41, 2.0))
SPLIT = mesh_vertices(split_plane(21, 2.0))
NO_CHANGE = changed_between(0, empty_channel(1), empty_channel(1))

unit = st.floats(0, 1)
brushes = st.builds(
    Brush,
    act=st.sampled_from(sorted(ACTS)),
    radius=st.floats(0.05, 0.6),
    strength=unit,
    target=unit,
    falloff=st.sampled_from(sorted(FALLOFFS)),
    reach=st.sampled_from(["ball", "skin"]),
    coat=st.sampled_from(["single", "many"]),
    flow=unit,
    spacing=st.floats(0.05, 0.5),
    pressure_drives=st.sampled_from(["nothing", "strength", "radius"]),
)
samples = st.lists(
    st.builds(
        PointerSample,
        position=st.tuples(st.floats(0, 2), st.just(0.0), st.floats(0, 2)),
        normal=st.just((0.0, 1.0, 0.0)),
        pressure=st.floats(0.05, 1),
    ),
    min_size=1,
    max_size=8,
)


def painted(seed: int, count: int) -> Channel:
    rng = np.random.default_rng(seed)
    cover = rng.integers(0, FULL + 1, count).astype(np.uint16)
    paint = (cover * rng.random(count)).astype(np.uint16)
    return Channel(cover, paint, 0.3)


def stroke_on(channel: Channel, brush: Brush, parts: list[list[PointerSample]]):
    stroke = Stroke(SITES, channel, 0, brush)
    for part in parts:
        stroke.extend(part)
    deltas = stroke.finish()
    assert len(deltas) <= 1, "without a shared sum a stroke changes its own channel only"
    return deltas[0] if deltas else NO_CHANGE


@settings(max_examples=60, deadline=None)
@given(brushes, samples, st.data())
def test_the_result_does_not_depend_on_how_samples_are_split(brush, path, data):
    cuts = sorted(data.draw(st.lists(st.integers(0, len(path)), max_size=4)))
    parts = [path[a:b] for a, b in zip([0, *cuts], [*cuts, len(path)], strict=True)]
    whole, split = painted(1, SITES.count), painted(1, SITES.count)
    stroke_on(whole, brush, [path])
    stroke_on(split, brush, parts)
    np.testing.assert_array_equal(whole.cover, split.cover)
    np.testing.assert_array_equal(whole.paint, split.paint)


def test_the_result_does_not_depend_on_the_event_rate():
    brush = Brush(radius=0.3, strength=0.7, coat="many")
    ends = np.array([[0.3, 0, 0.4], [1.6, 0, 1.3]])
    results = []
    for count in (2, 7, 60):
        path = [
            PointerSample(position=tuple(ends[0] + t * (ends[1] - ends[0])), normal=(0, 1, 0))
            for t in np.linspace(0, 1, count)
        ]
        channel = empty_channel(SITES.count)
        stroke_on(channel, brush, [path])
        results.append(channel.values().astype(int))
    assert results[0].max() > 20_000
    # A dab may shift by rounding; a step of 16 bits is 1/65535.
    assert np.abs(results[0] - results[1]).max() <= 2
    assert np.abs(results[0] - results[2]).max() <= 2


@settings(max_examples=60, deadline=None)
@given(brushes, samples)
def test_paint_never_exceeds_cover_and_undo_gives_the_same_bytes(brush, path):
    channel = painted(2, SITES.count)
    before = (channel.cover.tobytes(), channel.paint.tobytes())
    delta = stroke_on(channel, brush, [path])
    assert (channel.paint <= channel.cover).all()
    assert (np.diff(delta.sites.astype(np.int64)) > 0).all()
    after = (channel.cover.tobytes(), channel.paint.tobytes())
    delta.reversed().apply(channel)
    assert (channel.cover.tobytes(), channel.paint.tobytes()) == before
    delta.apply(channel)
    assert (channel.cover.tobytes(), channel.paint.tobytes()) == after


@settings(max_examples=40, deadline=None)
@given(brushes, samples)
def test_an_abandoned_stroke_leaves_no_trace(brush, path):
    channel = painted(3, SITES.count)
    before = (channel.cover.tobytes(), channel.paint.tobytes())
    stroke = Stroke(SITES, channel, 0, brush)
    stroke.extend(path)
    stroke.abandon()
    assert (channel.cover.tobytes(), channel.paint.tobytes()) == before


@settings(max_examples=40, deadline=None)
@given(brushes, samples, st.integers(0, 12), st.sampled_from(["end", "abandon", "forget"]))
def test_dabs_reached_on_other_threads_are_printed_as_if_they_were_not(brush, path, some, way):
    """However the stroke ends while dabs are on their way."""
    ends = []
    for large in (1, 10**9):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(stroke_module, "LARGE", large)
            patch.setattr("os.cpu_count", lambda: 3)
            channel = painted(5, SITES.count)
            stroke = Stroke(SITES, channel, 0, brush)
            stroke.push(path)
            changed = [stroke.print_some(0) for _ in range(some)]
            if way == "forget":
                stroke.forget_waiting()
                stroke.push(path[::-1])
            deltas = [] if way == "abandon" else stroke.finish()
            if way == "abandon":
                stroke.abandon()
                assert np.array_equal(channel.cover, painted(5, SITES.count).cover)
        ends.append((changed, deltas, channel.cover.copy(), channel.paint.copy()))
    (changed, deltas, *planes), (changed_alone, deltas_alone, *planes_alone) = ends
    assert all(np.array_equal(a, b) for a, b in zip(changed, changed_alone, strict=True))
    assert [d.sites.tolist() for d in deltas] == [d.sites.tolist() for d in deltas_alone]
    assert all(np.array_equal(a, b) for a, b in zip(planes, planes_alone, strict=True))


def test_large_dabs_are_reached_on_other_threads_and_small_ones_are_not():
    brush = Brush(radius=0.5, spacing=0.1)
    names = set()

    class Seen(Stroke):
        def _reached(self, reach, dab):
            names.add(threading.current_thread().name)
            return super()._reached(reach, dab)

    here = threading.current_thread().name
    path = [PointerSample(position=(x, 0, 1), normal=(0, 1, 0)) for x in (0.5, 1.5)]
    for large, others in ((1, 2), (10**9, 0)):
        names.clear()
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(stroke_module, "LARGE", large)
            patch.setattr("os.cpu_count", lambda: 2)
            stroke = Seen(SITES, empty_channel(SITES.count), 0, brush)
            stroke.extend(path)
            stroke.finish()
        assert 0 < len(names - {here}) <= others if others else names == {here}


@given(st.integers(0, FULL), unit, st.floats(0, 1), unit)
def test_one_dab_is_porter_duff_over(cover, share, weight, target):
    """c ← c + w(1−c), p ← p(1−w) + w·t (Porter and Duff 1984), within a step of 16 bits."""
    count = SITES.count
    paint = int(cover * share)
    channel = Channel(np.full(count, cover, np.uint16), np.full(count, paint, np.uint16))
    brush = Brush(
        radius=0.2, strength=weight, target=target, falloff="flat", reach="ball", pressure_drives="nothing"
    )
    stroke_on(channel, brush, [[PointerSample(position=(1, 0, 1), normal=(0, 1, 0))]])
    middle = int(np.argmin(np.linalg.norm(SITES.positions - [1, 0, 1], axis=1)))
    w = float(np.float32(weight))
    c, p = cover / FULL, paint / FULL
    assert channel.cover[middle] == pytest.approx((c + w * (1 - c)) * FULL, abs=0.51)
    assert channel.paint[middle] == pytest.approx((p * (1 - w) + w * target) * FULL, abs=0.51)


def test_full_strength_is_exact():
    channel = painted(4, SITES.count)
    brush = Brush(radius=5, strength=1, target=1, falloff="flat", reach="ball")
    stroke_on(channel, brush, [[PointerSample(position=(1, 0, 1), normal=(0, 1, 0))]])
    assert (channel.cover == FULL).all() and (channel.paint == FULL).all()
    erase = brush.model_copy(update={"act": "erase"})
    stroke_on(channel, erase, [[PointerSample(position=(1, 0, 1), normal=(0, 1, 0))]])
    assert not channel.cover.any() and not channel.paint.any()
    assert (channel.values() == round(0.3 * FULL)).all(), "erasing shows the undercoat again"


def test_single_coat_going_over_again_adds_nothing_and_many_coats_do():
    there = [PointerSample(position=(x, 0, 1), normal=(0, 1, 0)) for x in (0.4, 0.4 + 26 * 0.045 + 1e-9)]
    back = [*there, *there[::-1], *there]
    base = Brush(radius=0.3, strength=0.5, flow=0.05, reach="ball")

    def values(brush: Brush, path: list[PointerSample]):
        channel = empty_channel(SITES.count)
        stroke_on(channel, brush, [path])
        return channel.values().astype(int)

    once, thrice = values(base, there), values(base, back)
    # The path is a whole number of spacings, so dabs on the way back fall on those of the way there.
    assert np.abs(once - thrice).max() <= 1
    many = base.model_copy(update={"coat": "many"})
    once, thrice = values(many, there), values(many, back)
    assert thrice.max() > once.max() + 1000
    assert thrice.max() <= round(0.5 * FULL) + 1, "capped by strength"


def test_split_vertices_are_painted_as_one():
    channel = empty_channel(SPLIT.count)
    stroke = Stroke(SPLIT, channel, 0, Brush(radius=0.5, strength=0.8))
    stroke.extend([PointerSample(position=(1, 0, 1), normal=(0, 1, 0))])
    stroke.finish()
    values = channel.values()
    assert values.any()
    for point in range(SPLIT.weld.point_count):
        members = SPLIT.weld.sites[SPLIT.weld.offsets[point] : SPLIT.weld.offsets[point + 1]]
        assert len(set(values[members].tolist())) == 1


@pytest.mark.parametrize("name", sorted(FALLOFFS))
def test_falloffs_start_full_never_rise_and_stay_in_range(name):
    table = falloff_table(name)
    assert table[0] == 1 and (np.diff(table) <= 1e-7).all() and table.min() >= 0


@given(st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=2, max_size=9), st.floats(0.01, 0.4))
def test_dabs_are_evenly_spaced_along_the_path(places, spacing):
    path = [PointerSample(position=(x, 0, z), normal=(0, 1, 0)) for x, z in places]
    dabs = ArcLengthResampler(spacing).push(path)
    steps = np.linalg.norm(np.diff(np.array([s.position for s in path]), axis=0), axis=1)
    assert len(dabs) == pytest.approx(1 + steps.sum() / spacing, abs=1.001)
    along = np.concatenate([[0], np.cumsum(steps)])
    for k, dab in enumerate(dabs):
        segment = min(np.searchsorted(along, k * spacing, side="right") - 1, len(steps) - 1)
        start = np.array(path[segment].position)
        direction = np.array(path[segment + 1].position) - start
        t = (k * spacing - along[segment]) / steps[segment] if steps[segment] > 0 else 0.0
        np.testing.assert_allclose(dab.position, start + t * direction, atol=1e-6)


def filled(seed: int, fill) -> Channel:
    channel = painted(seed, SITES.count)
    fill_delta(fill, 0, channel, SITES).apply(channel)
    return channel


@given(unit, st.integers(0, 99))
def test_fill_invert_and_lift(weight, seed):
    before = painted(seed, SITES.count)
    assert (filled(seed, EvenFill(weight=weight)).values() == round(weight * FULL)).all()
    np.testing.assert_array_equal(filled(seed, InvertFill()).values(), FULL - before.values())
    assert (filled(seed, LiftFill()).values() == round(0.3 * FULL)).all()


def test_rerunning_the_undercoat_keeps_the_paint():
    channel = painted(5, 50)
    paint = channel.paint.copy()
    channel.undercoat = 0.9
    expected = 0.9 * (FULL - channel.cover.astype(float)) + paint
    np.testing.assert_allclose(channel.values(), expected, atol=0.51)


def test_channel_of_values_keeps_eight_bit_steps():
    steps = np.arange(256)
    channel = channel_of_values((steps / 255).astype(np.float32))
    np.testing.assert_array_equal(np.rint(channel.values() / FULL * 255), steps)
