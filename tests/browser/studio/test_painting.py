"""What a hand does while painting, in the real browser."""

import re

import numpy as np
from browser.window import (
    centre,
    differs,
    drag,
    open_surface,
    paint,
    picture,
    set_slider,
    settle,
    shows,
    undo_label,
)
from playwright.sync_api import Page, expect
from samples import small_project, stored_channels
from shapes import plane

from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.images import write_png


def metres(shown: str) -> float:
    """A length as a field shows it."""
    number, unit = shown.split()
    return float(number) * {"mm": 0.001, "cm": 0.01, "m": 1.0}[unit]


def held(db, sample, channel: int = 0) -> np.ndarray:
    """(33, 33) weights of a channel on the sample's plane, rows along z."""
    with db() as session:
        channels = stored_channels(session, sample.surface)[sample.channel_set]
    return channels[channel].values().reshape(33, 33) / FULL


def more(page: Page, name: str) -> None:
    """Open one of the four buttons under the brush."""
    page.get_by_label("Brush", exact=True).get_by_role("button", name=name).click()


def test_a_real_pen_drives_strength_by_its_pressure(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    session = page.context.new_cdp_session(page)
    x, y = centre(page)

    def pen(kind: str, dx: float, force: float) -> None:
        session.send(
            "Input.dispatchMouseEvent",
            {
                "type": kind, "x": x + dx, "y": y, "button": "left", "buttons": 1,
                "clickCount": 1, "pointerType": "pen", "force": force, "tiltX": 20, "tiltY": 10,
            },
        )  # fmt: skip

    peaks = []
    for force in (0.3, 0.9):
        pen("mousePressed", -20, force)
        pen("mouseMoved", 20, force)
        pen("mouseReleased", 20, force)
        settle(page)
        peaks.append(held(db, sample).max())
        page.keyboard.press("Control+z")
        settle(page)
    assert abs(peaks[0] - 0.3) < 0.06 and abs(peaks[1] - 0.9) < 0.06


def test_a_stencil_stamps_its_picture(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    image = np.zeros((64, 64), np.uint8)
    image[:, 32:] = 255
    more(page, "Stencil")
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="Add", exact=True).last.click()
    chooser.value.set_files({"name": "half.png", "mimeType": "image/png", "buffer": write_png(image)})
    expect(page.get_by_text("On the tip")).to_be_visible()
    set_slider(page, "Radius", "0.6 m")
    set_slider(page, "Strength", "100")
    page.get_by_role("radio", name="Flat").click()
    # A click: one dab. On level ground the stencil's right is the world's x.
    x, y = centre(page)
    page.mouse.click(x, y)
    settle(page)
    weights = held(db, sample)
    middle = np.argwhere(weights > 0.5)[:, 1]
    columns = np.arange(33) / 16
    painted = columns[np.unique(middle)]
    assert painted.size and painted.max() - painted.min() < 0.75, "half of a brush of 1.2 m"
    whole = small_project(db)
    open_surface(page, whole.surface)
    more(page, "Stencil")
    page.get_by_label("Stencil", exact=True).click()
    page.get_by_role("option", name="None").click()
    set_slider(page, "Radius", "0.6 m")
    page.mouse.click(x, y)
    settle(page)
    both = columns[np.unique(np.argwhere(held(db, whole) > 0.5)[:, 1])]
    assert both.max() - both.min() > 1.0


def test_mirror_repeats_the_stroke_on_the_other_side(page, db):
    mesh = plane(33, 2.0, uv=True)
    mesh.positions[:, 0] -= 1
    sample = small_project(db, mesh)
    open_surface(page, sample.surface)
    set_slider(page, "Radius", "0.25 m")
    more(page, "Mirror")
    page.get_by_role("button", name="X", exact=True).click()
    drag(page, [(60, 0), (100, 10)])
    settle(page)
    weights = held(db, sample)
    assert weights.max() > 0.4
    np.testing.assert_allclose(weights, weights[:, ::-1], atol=0.03)
    assert weights[:, 16].max() < weights.max() / 2, "not painted in the middle"


def test_keys_change_the_brush_and_x_lowers(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    page.keyboard.press("a")
    set_slider(page, "Amount", "0.5")
    paint(page)
    assert abs(held(db, sample).max() - 0.5) < 0.05
    assert undo_label(page) == "Undo: Add to Channel R"
    page.keyboard.down("x")
    paint(page)
    page.keyboard.up("x")
    # Where the stroke covers w, 0.5 w is left of by 1 − w: an eighth at most.
    assert held(db, sample).max() < 0.13
    assert undo_label(page) == "Undo: Subtract from Channel R"
    # D held: across for the radius, up for the strength.
    radius = page.get_by_label("Radius, number")
    before = metres(radius.input_value())
    x, y = centre(page)
    page.mouse.move(x, y)
    page.keyboard.down("d")
    page.mouse.down()
    page.mouse.move(x + 80, y, steps=4)
    page.mouse.up()
    page.keyboard.up("d")
    assert metres(radius.input_value()) > 1.2 * before
    assert undo_label(page) == "Undo: Subtract from Channel R", "nothing was painted"
    for key, name in (
        ("m", "Smooth"),
        ("Shift+M", "Sharpen"),
        ("r", "Smear"),
        ("n", "Spread"),
        ("e", "Erase"),
        ("e", "Spread"),
    ):
        page.keyboard.press(key)
        expect(page.get_by_role("radio", name=name, exact=True).first).to_have_attribute(
            "aria-checked", "true"
        )


def test_shift_click_draws_a_straight_line(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Radius", "0.12 m")
    set_slider(page, "Strength", "100")
    x, y = centre(page)
    page.mouse.click(x - 90, y)
    settle(page)
    one = held(db, sample).copy()
    page.mouse.move(x + 90, y)
    page.keyboard.down("Shift")
    page.mouse.click(x + 90, y)
    page.keyboard.up("Shift")
    settle(page)
    line = held(db, sample)
    assert (line > 0.5).sum() > 3 * (one > 0.5).sum()
    # Straight: what is painted lies close to one line.
    z, u = np.argwhere(line > 0.5).T
    spread = np.linalg.svd(np.stack([u - u.mean(), z - z.mean()]), compute_uv=False)
    assert spread[1] < spread[0] / 4


def test_a_gradient_runs_between_the_two_places_of_a_drag(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    page.get_by_role("radio", name="Gradient").click()
    drag(page, [(-80, 20), (80, -20)])
    settle(page)
    weights = held(db, sample)
    assert weights.min() == 0 and weights.max() == 1
    assert ((weights > 0.2) & (weights < 0.8)).sum() > 150
    assert undo_label(page) == "Undo: Gradient on Channel R"


def test_steady_lags_behind_the_pointer(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Radius", "0.15 m")
    set_slider(page, "Strength", "100")
    more(page, "Pen")
    set_slider(page, "Steady", "60")
    # Within the rope the brush does not move: a shaking hand leaves one dab.
    drag(page, [(0, 0), (15, 8), (-12, 10), (10, -14), (0, 0)])
    settle(page)
    dab = (held(db, sample) > 0.4).sum()
    page.keyboard.press("Control+z")
    settle(page)
    set_slider(page, "Steady", "0")
    drag(page, [(0, 0), (15, 8), (-12, 10), (10, -14), (0, 0)])
    settle(page)
    assert (held(db, sample) > 0.4).sum() > 1.2 * dab


def test_a_fill_is_previewed_kept_and_undone(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    page.keyboard.press("c")
    settle(page)
    empty = picture(page)
    page.keyboard.press("f")
    page.get_by_role("radio", name="Noise").click()
    previewed = differs(page, empty, 60)
    assert not held(db, sample).any(), "shown, not done"
    page.get_by_role("button", name="Hide preview").click()
    shows(page, empty)
    page.get_by_role("button", name="Preview", exact=True).click()
    shows(page, previewed)
    page.get_by_role("button", name="Keep it").click()
    settle(page)
    assert held(db, sample).max() > 0.9 and undo_label(page) == "Undo: Noise on Channel R"
    page.get_by_role("button", name="Done").click()
    shows(page, previewed)
    page.keyboard.press("Control+z")
    settle(page)
    shows(page, empty)


def test_the_history_shows_pictures_jumps_and_compares_with_a_snapshot(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    empty = picture(page)
    paint(page)
    first = differs(page, empty, 60)
    page.keyboard.press("h")
    page.get_by_label("Name of the snapshot").fill("One stroke")
    page.get_by_role("button", name="Take").click()
    expect(page.get_by_role("button", name="One stroke", exact=True)).to_be_visible()
    paint(page, [(-60, 50), (60, 50)])
    second = differs(page, first, 60)
    steps = page.get_by_role("region", name="Steps")
    expect(steps.get_by_role("img")).to_have_count(0)
    expect(steps.locator("img")).to_have_count(2)
    # A wipe with the snapshot: left of the divider now, right of it then.
    page.get_by_role("button", name="Compare with One stroke").click()
    settle(page)
    wiped = differs(page, second, 40)
    half = wiped.shape[1] // 2
    assert np.abs(wiped[:, : half - 25] - second[:, : half - 25]).max() <= 2
    assert np.abs(wiped[120:, half + 25 :] - first[120:, half + 25 :]).max() <= 2
    page.get_by_role("slider", name="Divider of the wipe").focus()
    page.keyboard.press("ArrowLeft")
    differs(page, wiped, 40)
    page.get_by_role("button", name="Compare with One stroke").click()
    shows(page, second)
    steps.get_by_role("button", name=re.compile("Paint Channel R")).last.click()
    settle(page)
    shows(page, first)
    steps.get_by_role("button", name="As it was imported").click()
    settle(page)
    shows(page, empty)
    steps.get_by_role("button", name=re.compile("Paint Channel R")).first.click()
    settle(page)
    shows(page, second)
    page.get_by_role("button", name="One stroke", exact=True).click()
    expect(page.get_by_role("button", name="Undo: Back to One stroke")).to_be_enabled()
    settle(page)
    shows(page, first)


def test_a_wipe_shows_two_lenses(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    paint(page)
    blend = picture(page)
    page.keyboard.press("c")
    settle(page)
    channel = differs(page, blend, 40)
    page.keyboard.press("b")
    page.keyboard.press("w")
    settle(page)
    both = differs(page, blend, 40)
    half = both.shape[1] // 2
    assert np.abs(both[60:, : half - 25] - blend[60:, : half - 25]).max() <= 2
    assert np.abs(both[60:, half + 25 :] - channel[60:, half + 25 :]).max() <= 2
    page.keyboard.press("w")
    shows(page, blend)


def test_a_protecting_mask_keeps_what_is_there(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    paint(page)
    before = held(db, sample).copy()
    more(page, "Protect")
    page.get_by_label("Protecting mask").click()
    page.get_by_role("option", name="Masks · R Channel R").click()
    page.keyboard.press("2")
    page.keyboard.press("Shift+F")
    settle(page)
    np.testing.assert_allclose(held(db, sample, 1), 1 - before, atol=1e-4)
    np.testing.assert_array_equal(held(db, sample), before)


def test_a_stroke_that_takes_long_says_so_and_can_be_stopped(page, db):
    sample = small_project(db, plane(301, 2.0, uv=True))
    open_surface(page, sample.surface)
    set_slider(page, "Radius", "0.7 m")
    more(page, "Pen")
    set_slider(page, "Spacing", "2")
    more(page, "Mirror")
    set_slider(page, "Radial copies", "16")
    drag(page, [(-120, -20), (120, -10), (-120, 0), (120, 10), (-120, 20), (120, 30), (-120, 40)])
    state = page.get_by_test_id("save-state")
    expect(state).to_contain_text("The stroke is still being painted")
    state.get_by_role("button", name="Stop").click()
    expect(page.get_by_text("The stroke was stopped and put back.")).to_be_visible()
    settle(page)
    expect(page.get_by_role("button", name="Nothing to undo")).to_be_disabled()


def test_a_pen_that_rests_goes_on_painting(page, db):
    """Longer than a window may be silent."""
    sample = small_project(db)
    open_surface(page, sample.surface)
    x, y = centre(page)
    page.mouse.move(x - 60, y)
    page.mouse.down()
    page.mouse.move(x - 20, y, steps=3)
    page.wait_for_timeout(6500)
    expect(page.get_by_test_id("save-state")).to_have_text("Painting")
    page.mouse.move(x + 60, y, steps=3)
    page.mouse.up()
    settle(page)
    expect(page.get_by_role("button", name="Undo: Paint Channel R")).to_be_enabled()
