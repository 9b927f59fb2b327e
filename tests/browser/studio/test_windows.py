"""A surface in its windows: painted, looked at, its layers ordered."""

from uuid import UUID

import numpy as np
from browser.window import (
    centre,
    channel,
    differs,
    drag,
    layer,
    layer_names,
    open_surface,
    paint,
    picture,
    set_slider,
    settle,
    shows,
    undo_label,
)
from limits import until
from playwright.sync_api import expect
from samples import small_project, stored_channels


def kept(db, surface) -> np.ndarray:
    with db() as session:
        [channels] = stored_channels(session, UUID(str(surface))).values()
    return np.stack([c.values() for c in channels], axis=1)


def test_two_windows_on_one_surface_show_the_same(page, other, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    open_surface(other, sample.surface)
    empty = picture(other)
    paint(page)
    expect(other.get_by_role("button", name="Undo: Paint Channel R")).to_be_enabled()
    shows(other, picture(page))
    differs(other, empty, 40)
    # A document changed in one is loaded by the other.
    other.get_by_role("button", name="Lock Channel R against painting").click()
    expect(page.get_by_role("button", name="Unlock Channel R")).to_be_visible()
    drag(page, [(0, -40), (30, -40)])
    expect(page.get_by_text("Channel R is locked.")).to_be_visible()
    other.get_by_role("button", name="Unlock Channel R").click()
    expect(page.get_by_role("button", name="Lock Channel R against painting")).to_be_visible()
    # While one paints, the other is told to wait, once.
    picture(page)
    x, y = centre(other)
    other.mouse.move(x, y)
    other.mouse.down()
    other.mouse.move(x + 20, y)
    expect(other.get_by_test_id("save-state")).to_have_text("Painting")
    drag(page, [(0, -40), (30, -40), (50, -40)])
    expect(page.get_by_text("Another window is painting on this surface.")).to_be_visible()
    expect(page.locator("[data-sonner-toast]")).to_have_count(1)
    other.mouse.up()
    settle(other)


def test_lenses_and_the_core_sample(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    set_slider(page, "Radius", "0.5 m")
    paint(page)
    blend = picture(page)
    page.keyboard.press("c")
    expect(page.get_by_text("Channel R · Channel R")).to_be_visible()
    channel = picture(page)
    # Cividis from its dark end to its light one.
    reds = channel[..., 0] - channel[..., 2]
    assert reds.max() > 90 and reds.min() < -50
    page.keyboard.press("s")
    expect(page.get_by_text("Set · Masks")).to_be_visible()
    colours = picture(page)
    assert (colours[..., 0] - colours[..., 1]).max() > 120, "channel R shows red"
    page.keyboard.press("b")
    shows(page, blend)
    box = page.get_by_test_id("surface").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(page.get_by_test_id("core-sample")).to_contain_text("Light")
    shown = (
        page.get_by_test_id("share-bar")
        .locator("span")
        .evaluate_all("parts => parts.map((part) => getComputedStyle(part).backgroundImage)")
    )
    assert shown and all("/picture" in image for image in shown), "every part has its material's picture"
    expect(page.get_by_test_id("sites-under-brush")).to_contain_text("sites under it")


def test_layer_edits_show_at_once_and_stay(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    paint(page)
    full = picture(page)
    set_slider(page, "Opacity", "0")
    none = differs(page, full, 60)
    set_slider(page, "Opacity", "100")
    shows(page, full)
    page.keyboard.press("v")
    expect(page.get_by_text("2 samples a pixel")).to_be_visible()
    shows(page, none)
    page.keyboard.press("v")
    expect(page.get_by_text("4 samples a pixel")).to_be_visible()
    # A second layer on top, reading the same channel, hides the first; moved below, it does not.
    page.get_by_role("button", name="Add a layer on top").click()
    page.get_by_role("combobox", name="Mask").click()
    page.get_by_role("option", name="Channel R").last.click()
    settle(page)
    covered = differs(page, full, 40)
    top = layer(page, "Dark")
    top.focus()
    page.keyboard.press("Alt+ArrowDown")
    differs(page, covered, 40)
    settle(page)
    page.reload()
    settle(page)
    assert layer_names(page) == ["Light", "Dark"]


def test_dragging_beside_the_surface_and_other_buttons_never_paint(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    before = picture(page)
    drag(page, [(0, 0), (40, 20), (80, 10)], button="right")
    differs(page, before, 20)
    drag(page, [(0, 0), (30, 0)], button="middle")
    page.keyboard.down(" ")
    drag(page, [(0, 0), (30, 10)])
    page.keyboard.up(" ")
    settle(page)
    assert undo_label(page) == "Nothing to undo"
    page.keyboard.press("Home")
    settle(page)
    paint(page, [(0, 0), (20, 0)])
    assert undo_label(page) == "Undo: Paint Channel R"


def test_pen_pressure_drives_strength(page, db):
    """Real pen events through the debugging protocol."""
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    box = page.get_by_test_id("surface").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    session = page.context.new_cdp_session(page)
    tops = []
    for force in (0.25, 0.9):
        common = {"button": "left", "buttons": 1, "pointerType": "pen", "force": force, "clickCount": 1}
        session.send("Input.dispatchMouseEvent", {"type": "mousePressed", "x": x, "y": y, **common})
        for step in range(4):
            session.send(
                "Input.dispatchMouseEvent", {"type": "mouseMoved", "x": x + 6 * step, "y": y, **common}
            )
        session.send("Input.dispatchMouseEvent", {"type": "mouseReleased", "x": x + 18, "y": y, **common})
        settle(page)
        expect(page.get_by_role("button", name="Undo: Paint Channel R")).to_be_enabled()
        tops.append(kept(db, sample.surface)[:, 0].max() / 65535)
        page.keyboard.press("Control+z")
        settle(page)
        expect(page.get_by_role("button", name="Nothing to undo")).to_be_disabled()
    assert 0.15 < tops[0] <= 0.26 and 0.8 < tops[1] <= 0.91


def test_escape_takes_the_stroke_back(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    before = picture(page)
    box = page.get_by_test_id("surface").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 30, y, steps=3)
    expect(page.get_by_test_id("save-state")).to_have_text("Painting")
    page.keyboard.press("Escape")
    page.mouse.up()
    settle(page)
    shows(page, before)
    assert undo_label(page) == "Nothing to undo" and not kept(db, sample.surface).any()


def test_layers_are_dragged_into_another_order(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    page.get_by_role("button", name="Add a layer on top").click()
    settle(page)
    assert layer_names(page) == ["Dark", "Light"]
    box = page.get_by_role("button", name="Move Dark: drag").bounding_box()
    page.mouse.move(box["x"] + 8, box["y"] + 8)
    page.mouse.down()
    for step in range(1, 9):
        page.mouse.move(box["x"] + 8, box["y"] + 8 + 5 * step)
        page.wait_for_timeout(60)
    page.mouse.up()
    until(lambda: layer_names(page), lambda names: names == ["Light", "Dark"], "the layers stay as they were")
    settle(page)
    page.reload()
    settle(page)
    assert layer_names(page) == ["Light", "Dark"]


def test_settings_of_the_brush_are_kept_and_keys_change_them(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Radius", "0.2 m")
    page.keyboard.press("e")
    expect(page.get_by_role("radio", name="Erase")).to_be_checked()
    page.keyboard.press(".")
    expect(page.get_by_label("Radius, number")).to_have_value("22.4 cm")
    page.keyboard.press("Shift+,")
    expect(page.get_by_label("Strength, number")).to_have_value("55 %")
    page.keyboard.press("3")
    expect(channel(page, "Channel B")).to_have_attribute("aria-pressed", "true")
    page.reload()
    settle(page)
    expect(page.get_by_role("radio", name="Erase")).to_be_checked()
    expect(page.get_by_label("Radius, number")).to_have_value("22.4 cm")
