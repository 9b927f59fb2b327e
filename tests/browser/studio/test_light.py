"""That the picture is lit from where its light stands, and seen from where its eye is."""

import numpy as np
import pytest
from browser.window import centre, open_surface, picture, settle
from playwright.sync_api import expect
from samples import small_project


def move_light(page, dx: float, dy: float) -> None:
    x, y = centre(page)
    page.mouse.move(x, y)
    page.keyboard.down("k")
    page.mouse.down()
    page.mouse.move(x + dx, y + dy, steps=4)
    page.mouse.up()
    page.keyboard.up("k")
    settle(page)


def in_the_middle(shot: np.ndarray) -> float:
    rows, cols = shot.shape[:2]
    return float(shot[2 * rows // 5 : 3 * rows // 5, 2 * cols // 5 : 3 * cols // 5].mean())


@pytest.mark.parametrize("lens", ["Blend", "Channel"])
def test_level_ground_is_brighter_under_a_high_light_than_under_a_low_one(page, db, lens):
    """No program had the light or the eye for a while, and no test saw it: an even sky proves no light."""
    sample = small_project(db)
    open_surface(page, sample.surface)
    page.get_by_test_id("viewport").get_by_role("radio", name=lens).click()
    settle(page)
    move_light(page, 0, -200)
    high = in_the_middle(picture(page))
    for _ in range(3):
        move_light(page, 0, 200)
    low = in_the_middle(picture(page))
    assert high > 1.08 * low, (high, low)


def test_where_the_key_light_comes_from_is_told_as_measures_tell_it(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    told = page.get_by_test_id("light")
    expect(told).to_have_count(0)
    # Degrees clockwise from −Z; pushed up as far as it goes.
    move_light(page, 0, -300)
    expect(told).to_have_text("Key light from 221°, 90° up")
    expect(told).to_have_count(0)


def test_what_is_mirrored_moves_with_the_eye(page, db):
    """Smooth ground: the same place is of another brightness from another side, though the light stands."""
    sample = small_project(db)
    blend = page.request.get(f"/api/surfaces/{sample.surface}/blend").json()
    ground = {"material": None, "colour": [0.05, 0.05, 0.05], "roughness": 0.25}
    body = {"revision": blend["revision"], "document": {**blend["document"], "ground": ground, "layers": []}}
    assert page.request.put(f"/api/blends/{blend['id']}", data=body).ok
    open_surface(page, sample.surface)
    x, y = centre(page)
    seen = [in_the_middle(picture(page))]
    for _ in range(3):
        page.mouse.move(x, y)
        page.keyboard.down(" ")
        page.mouse.down()
        page.mouse.move(x, y + 60, steps=4)
        page.mouse.up()
        page.keyboard.up(" ")
        settle(page)
        seen.append(in_the_middle(picture(page)))
    assert np.ptp(seen) > 6, seen
