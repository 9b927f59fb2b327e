"""That the picture is lit from where its light stands, and seen from where its eye is."""

import numpy as np
import pytest
from browser.window import LIT, centre, differs, open_surface, picture, settle, shows
from PIL import Image
from playwright.sync_api import expect
from samples import small_project
from shapes import plane

from ashblend.core.sites.mesh import Mesh


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


@pytest.fixture
def in_the_light(page):
    """With sky, shadows and all, as an artist has it."""
    page.add_init_script(LIT)
    return page


def post_on_ground() -> Mesh:
    """A tower of 0.4 × 1.6 × 0.4 m in the middle of the ground."""
    ground = plane(5, 4.0)
    corners = np.array([[x, y, z] for y in (0.0, 1.6) for z in (-0.2, 0.2) for x in (-0.2, 0.2)])
    centre_of = ground.positions.mean(axis=0)
    faces = [
        (4, 6, 5),
        (5, 6, 7),
        (0, 1, 5),
        (0, 5, 4),
        (2, 7, 3),
        (2, 6, 7),
        (0, 4, 6),
        (0, 6, 2),
        (1, 3, 7),
        (1, 7, 5),
    ]
    parts = [corners[list(face)] + centre_of for face in faces]
    normals = [np.cross(p[1] - p[0], p[2] - p[0]) for p in parts]
    positions = np.concatenate([ground.positions, *parts]).astype(np.float32)
    added = np.arange(3 * len(faces), dtype=np.uint32).reshape(-1, 3) + len(ground.positions)
    up = np.tile([0, 1.0, 0], (len(ground.positions), 1))
    sides = np.repeat([n / np.linalg.norm(n) for n in normals], 3, axis=0)
    return Mesh(
        positions,
        np.concatenate([ground.triangles, added]),
        normals=np.concatenate([up, sides]).astype(np.float32),
        uvs=(np.zeros((len(positions), 2), np.float32),),
    )


def grey(db, page, sample) -> None:
    blend = page.request.get(f"/api/surfaces/{sample.surface}/blend").json()
    ground = {"material": None, "colour": [0.5, 0.5, 0.5], "roughness": 1.0}
    body = {"revision": blend["revision"], "document": {**blend["document"], "ground": ground, "layers": []}}
    assert page.request.put(f"/api/blends/{blend['id']}", data=body).ok


def under(page, sample, **light) -> None:
    """Look at a surface from straight above under a light."""
    sight = {"light": {"sky": "clear", "angle": 0.5, **light}, "stand": None}
    assert page.request.put(f"/api/surfaces/{sample.surface}/sight", data=sight).ok
    open_surface(page, sample.surface)
    page.keyboard.press("Shift+ArrowUp")
    settle(page)


def shadow_in(shot: np.ndarray) -> np.ndarray:
    """Rows and columns of what lies in the shadow, about the middle; the strip of lenses and the dome are not looked at."""
    light = shot.mean(axis=2)
    rows, cols = np.nonzero(light < 0.72 * np.median(light))
    # Of the view; the picture is cut further at its foot than at its top.
    middle = np.array(light.shape) / 2 + [10, 0]
    near = np.abs(rows - middle[0]) < 0.43 * light.shape[0]
    # At the right is the dome.
    near &= (cols > 0.02 * light.shape[1]) & (cols - middle[1] < 0.3 * light.shape[1])
    return np.stack([rows[near] - middle[0], cols[near] - middle[1]], axis=1)


@pytest.mark.parametrize("azimuth", [0, 90, 205])
def test_a_tower_throws_its_shadow_away_from_the_sun_as_long_as_it_must(in_the_light, db, azimuth):
    """From above north is up: the shadow lies opposite to the bearing, the tower's height over the tangent long."""
    page = in_the_light
    sample = small_project(db, post_on_ground())
    grey(db, page, sample)
    reach = []
    for tilt in (55, 68):
        under(page, sample, azimuth=azimuth, tilt=tilt)
        found = shadow_in(picture(page))
        assert len(found) > 300, (tilt, len(found))
        a = np.radians(azimuth)
        away, aside = np.array([np.cos(a), -np.sin(a)]), np.array([np.sin(a), np.cos(a)])
        assert found.mean(axis=0) @ away > 8 and abs(found.mean(axis=0) @ aside) < 6, found.mean(axis=0)
        reach.append(np.quantile(found @ away, 0.98))
    # 1.6 m over the tangents, and half the tower's width as it is turned.
    half = 0.2 * (abs(np.cos(np.radians(azimuth))) + abs(np.sin(np.radians(azimuth))))
    wanted = [1.6 / np.tan(np.radians(t)) + half for t in (55, 68)]
    np.testing.assert_allclose(reach[0] / reach[1], wanted[0] / wanted[1], rtol=0.12)


def test_the_sun_is_turned_the_shadow_moves_and_a_light_is_kept_for_all(in_the_light, other, db):
    page = in_the_light
    other.add_init_script(LIT)
    sample = small_project(db, post_on_ground())
    grey(db, page, sample)
    under(page, sample, azimuth=90, tilt=45)
    before = shadow_in(picture(page)).mean(axis=0)
    open_surface(other, sample.surface)
    theirs = other.get_by_test_id("dome").get_attribute("aria-valuetext")
    page.get_by_test_id("dome").focus()
    for _ in range(36):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("light")).to_have_text("Key light from 270°, 45° up")
    settle(page)
    after = shadow_in(picture(page)).mean(axis=0)
    assert before[1] < -8 and after[1] > 8, (before, after)
    # Another window has its own, and can take what is kept.
    assert other.get_by_test_id("dome").get_attribute("aria-valuetext") == theirs
    page.get_by_role("button", name="Light", exact=True).click()
    page.get_by_role("button", name="Overcast").click()
    page.get_by_role("button", name="Keep this light").click()
    page.get_by_label("Name of this light").fill("Grey day")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Grey day", exact=True)).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Escape")
    other.reload()
    settle(other)
    other.keyboard.press("q")
    expect(other.get_by_text("Light: Grey day")).to_be_visible()
    expect(other.get_by_role("button", name="Light", exact=True)).to_have_text("Overcast")


def test_exposure_and_painting_leave_the_metering_alone(in_the_light, db):
    page = in_the_light
    sample = small_project(db)
    grey(db, page, sample)
    open_surface(page, sample.surface)
    x, y = centre(page)
    corner = picture(page)[-40:-20, 20:40].mean()
    page.mouse.move(x - 40, y)
    page.mouse.down()
    page.mouse.move(x + 40, y, steps=4)
    page.mouse.up()
    settle(page)
    assert abs(picture(page)[-40:-20, 20:40].mean() - corner) < 1
    page.get_by_role("button", name="Light", exact=True).click()
    field = page.get_by_label("Exposure, number")
    field.fill("-2")
    field.press("Enter")
    page.keyboard.press("Escape")
    settle(page)
    assert picture(page)[-40:-20, 20:40].mean() < 0.7 * corner


def test_a_picture_of_4096_pixels_is_clear_around_the_surface(in_the_light, db):
    page = in_the_light
    sample = small_project(db)
    grey(db, page, sample)
    open_surface(page, sample.surface)
    page.keyboard.press("Shift+P")
    page.get_by_role("radio", name="4096").click()
    page.get_by_label("With sky and ground").uncheck()
    with page.expect_download() as coming:
        page.get_by_role("button", name="Save", exact=True).click()
    saved = np.asarray(Image.open(coming.value.path()))
    box = page.get_by_test_id("surface").bounding_box()
    assert saved.shape[1:] == (4096, 4) and abs(saved.shape[0] - 4096 * box["height"] / box["width"]) < 2
    alpha = saved[..., 3]
    assert alpha[:60].max() == 0 and alpha[:, :20].max() == 0
    rows, cols = np.nonzero(alpha == 255)
    # In the middle, and as large as it is framed.
    assert abs(cols.mean() / 4096 - 0.5) < 0.05 and 0.2 < (alpha == 255).mean() < 0.8
    assert saved[int(rows.mean()), int(cols.mean()), :3].min() > 60


def test_edges_lie_over_any_lens_and_what_is_hidden_is_not_seen(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    for lens in ("Blend", "Share"):
        page.get_by_test_id("viewport").get_by_role("radio", name=lens).click()
        settle(page)
        without = picture(page)
        page.keyboard.press("Shift+W")
        edged = differs(page, without, 12)
        changed = (np.abs(edged.astype(int) - without).max(axis=2) > 12).mean()
        assert 0.005 < changed < 0.6, (lens, changed)
        page.keyboard.press("Shift+W")
        shows(page, without)
