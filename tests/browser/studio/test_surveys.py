"""Measures of a mesh as the artist meets them: chosen by picture, dragged on their histogram, painted over, run again."""

import re
from dataclasses import replace

import numpy as np
from browser.studio.test_preparing import keep_plan
from browser.window import (
    channel,
    differs,
    glimpse,
    layer,
    open_surface,
    paint,
    picture,
    set_slider,
    settle,
    shows,
    stage,
)
from limits import until
from playwright.sync_api import expect
from samples import small_project, stored_channels
from shapes import plane

from ashblend.core.channels.quantise import FULL


def kerb(side: int = 49):
    """Level ground with a step of 0.4 m across the middle, folded by right angles above and below."""
    mesh = plane(side, 2.0, uv=True)
    at = mesh.positions.copy()
    line = np.linspace(0, 2, side, dtype=np.float32)
    middle = side // 2
    along = line.copy()
    tall = np.where(np.arange(side) <= middle, 0.4, 0.0).astype(np.float32)
    # Two columns stand one above the other.
    along[middle + 1] = along[middle]
    at[:, 0] = np.tile(along, side)
    at[:, 1] = np.tile(tall, side)
    return replace(mesh, positions=at, normals=None)


def held(db, sample, number: int = 0) -> np.ndarray:
    with db() as session:
        return stored_channels(session, sample.surface)[sample.channel_set][number].values().copy()


def test_worn_edges_are_chosen_dragged_broken_painted_over_and_run_again(page, other, db):
    sample = small_project(db, kerb())
    open_surface(page, sample.surface)
    bare = picture(page)
    stage(page, "Undercoat")
    page.get_by_role("button", name="Worn edges").click()
    expect(page.get_by_role("button", name="Undo: Undercoat of Channel R")).to_be_enabled()
    settle(page)
    differs(page, bare, 40)
    x = sample.mesh.positions[:, 0]
    first = held(db, sample)
    edge = np.abs(x - 1.0) < 0.02
    assert first[edge].max() > 0.5 * FULL and first[np.abs(x - 1.0) > 0.3].max() == 0
    open_surface(other, sample.surface)

    # Wider: its far end is dragged on the histogram, seen before it is kept.
    end = page.get_by_label("Ramp of Wear edges, none", exact=True)
    expect(end).to_be_visible()
    worn = picture(page)
    box = end.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + 4, steps=5)
    until(lambda: np.abs(glimpse(page) - worn).max(), lambda off: off > 20, "nothing is seen of the drag")
    page.wait_for_timeout(900)
    np.testing.assert_array_equal(held(db, sample), first)
    page.mouse.up()
    wide = until(
        lambda: held(db, sample), lambda now: (now > 0).sum() > (first > 0).sum() + 200, "it stays as narrow"
    )
    settle(page)
    shows(other, picture(page))

    # Even again, then painted over; the other channels were never touched.
    set_slider(page, "Uneven", "0")
    even = until(
        lambda: held(db, sample),
        lambda now: now.mean(dtype=float) > wide.mean(dtype=float),
        "it stays uneven",
    )
    settle(page)
    set_slider(page, "Weight", "0")
    set_slider(page, "Strength", "100")
    set_slider(page, "Radius", "0.3 m")
    paint(page)
    painted = held(db, sample)
    gone = painted < 0.7 * even
    assert gone.sum() > 10 and (even[gone] > 0.3 * FULL).any()
    assert all(not held(db, sample, k).any() for k in (1, 2, 3))
    expect(page.get_by_text(re.compile("Paint covers [1-9]"))).to_be_visible()

    # Another mesh: what was measured is stale, and run again the paint is still there.
    stage(page, "Prepare")
    page.get_by_role("button", name="Refine", exact=True).click()
    page.get_by_role("radio", name="Everywhere").click()
    page.get_by_role("button", name="Count first").click()
    keep_plan(page)
    stage(page, "Undercoat")
    expect(channel(page, "Channel R")).to_contain_text("stale")
    page.get_by_role("button", name="Run what is stale again").click()
    expect(page.get_by_text("stale", exact=False)).to_have_count(0)
    settle(page)
    again = held(db, sample)[: len(painted)]
    # The first vertices are as they were, paint and all.
    np.testing.assert_allclose(again[gone], painted[gone], atol=0.02 * FULL)
    np.testing.assert_allclose(again, painted, atol=0.1 * FULL)
    assert page.strange == []


def test_a_long_measure_is_stopped_halfway_and_nothing_has_changed(page, db):
    sample = small_project(db, kerb(701))
    open_surface(page, sample.surface)
    bare = picture(page)
    stage(page, "Undercoat")
    page.get_by_role("button", name="Add a term").click()
    page.get_by_role("button", name="Occlusion").click()
    # So many that it takes minutes.
    set_slider(page, "Rays", "512")
    stop = page.get_by_role("button", name="Stop", exact=True)
    expect(stop).to_be_visible()
    expect(page.get_by_text("Measuring occlusion")).to_be_visible()
    stop.click()
    expect(stop).to_have_count(0)
    shows(page, bare)
    assert not held(db, sample).any()
    expect(page.get_by_role("button", name="Nothing to undo")).to_be_disabled()
    assert page.strange == []


def test_a_mask_reads_a_measure_by_way_of_a_free_channel(page, db):
    sample = small_project(db, kerb())
    open_surface(page, sample.surface)
    bare = picture(page)
    stage(page, "Blend")
    layer(page, "Light").click()
    page.get_by_role("button", name="Add a term").click()
    page.get_by_role("button", name="Occlusion").click()
    expect(channel(page, "Occlusion")).to_be_visible()
    page.get_by_label(re.compile("^How Channel G goes onto")).select_option("max")
    expect(page.get_by_role("button", name=re.compile("^Undo: "))).to_be_enabled()
    settle(page)
    differs(page, bare, 20)
    # The step's foot is the least open; what the mask read before is as it was.
    measured = until(lambda: held(db, sample, 1), lambda now: now.any(), "nothing was measured")
    x = sample.mesh.positions[:, 0]
    assert (
        measured[np.abs(x - 1.083) < 0.01].astype(float).mean()
        > measured[np.abs(x - 1.9) < 0.05].astype(float).mean() + 3000
    )
    assert not held(db, sample).any() and page.strange == []
