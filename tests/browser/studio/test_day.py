"""What a day of work with it showed: number fields, views, history, export, parts, the bottom line."""

import io
import re

import numpy as np
from browser.window import centre, channel, differs, open_surface, paint, picture, settle, shows, stage
from limits import until
from PIL import Image
from playwright.sync_api import Page, expect
from samples import small_project
from shapes import plane

from ashblend.core.sites.mesh import Mesh


def type_into(page, label: str, text: str) -> None:
    field = page.get_by_label(f"{label}, number")
    field.fill(text)
    field.press("Enter")


def test_number_fields_take_units_and_sums_and_say_their_limits(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    radius, strength = page.get_by_label("Radius, number"), page.get_by_label("Strength, number")
    for typed, shown in (
        ("5 cm", "5.00 cm"),
        ("12", "12.0 cm"),
        ("0.2 m + 50 mm", "25.0 cm"),
        ("(1 + 2) * 4 cm", "12.0 cm"),
        ("1/4 m", "25.0 cm"),
        ("8 mm", "8.00 mm"),
    ):
        type_into(page, "Radius", typed)
        expect(radius).to_have_value(shown)
    type_into(page, "Radius", "99 m")
    expect(radius).to_have_value("1.41 m")
    expect(page.get_by_text("At most 1.41 m")).to_be_visible()
    type_into(page, "Radius", "0")
    expect(page.get_by_text("At least 1.41 mm")).to_be_visible()
    type_into(page, "Radius", "wide")
    expect(page.get_by_text("Not a number: wide")).to_be_visible()
    expect(radius).to_have_value("1.41 mm")
    for typed, shown in (("35", "35 %"), ("0.5 * 60", "30 %"), ("12 %", "12 %")):
        type_into(page, "Strength", typed)
        expect(strength).to_have_value(shown)
    type_into(page, "Strength", "0.4")
    expect(strength).to_have_value("0.4 %")


def test_views_by_key_and_a_drag_beside_the_surface_that_does_nothing(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    first = picture(page)
    for key in ("Shift+ArrowUp", "Shift+ArrowDown", "Shift+ArrowRight"):
        page.keyboard.press(key)
        settle(page)
        if key == "Shift+ArrowUp":
            differs(page, first, 20)
    page.keyboard.press("Home")
    shows(page, first)
    box = page.get_by_test_id("surface").bounding_box()
    corner = (box["x"] + 30, box["y"] + 90)

    def drag_beside() -> None:
        page.mouse.move(*corner)
        page.mouse.down()
        page.mouse.move(corner[0] + 60, corner[1] + 10, steps=4)
        page.mouse.up()

    page.get_by_role("button", name="A drag beside the surface turns the view").click()
    drag_beside()
    shows(page, first)
    page.get_by_role("button", name="A drag beside the surface does nothing").click()
    drag_beside()
    differs(page, first, 20)
    page.keyboard.press("Home")
    shows(page, first)


def test_later_steps_that_are_painted_over_can_be_had_back_and_all_steps_get_pictures(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    # Faster than the screen.
    page.evaluate(
        """async () => {
          for (const keys of ['I', 'I', 'F', 'I']) {
            document.body.dispatchEvent(new KeyboardEvent('keydown', { key: keys, shiftKey: true, bubbles: true }));
          }
        }"""
    )
    settle(page)
    paint(page)
    full = picture(page)
    page.get_by_role("button", name="History").click()
    listed = page.get_by_role("region", name="Steps", exact=True)
    rows = listed.get_by_role("button")
    expect(rows.first).to_contain_text("Paint Channel R")
    steps = rows.count() - 1
    assert steps >= 3
    expect(listed.locator("img")).to_have_count(steps)
    page.get_by_role("button", name="As it was imported").click()
    settle(page)
    bare = picture(page)
    paint(page)
    note = page.get_by_text(f"{steps} later steps were painted over.")
    expect(note).to_be_visible()
    expect(page.get_by_role("button", name=f"{steps} steps painted over", exact=True)).to_be_visible()
    page.get_by_role("button", name="Undo", exact=True).click()
    settle(page)
    shows(page, full)
    for _ in range(2):
        page.keyboard.press("Control+z")
        settle(page)
    shows(page, bare)


def test_a_step_has_its_picture_in_the_lens_that_shows_it(page, db):
    """Channel R is read by the blend, B by nobody: each is painted while the other lens is shown."""
    sample = small_project(db)
    open_surface(page, sample.surface)
    listed = page.get_by_role("region", name="Steps", exact=True)
    page.get_by_role("button", name="History").click()
    channel(page, "Channel B").click()
    paint(page)
    expect(listed.locator("img")).to_have_count(1)
    page.keyboard.press("c")
    channel(page, "Channel R").click()
    paint(page)
    expect(listed.locator("img")).to_have_count(2)

    def colourful(row: int) -> float:
        """How far red and blue are apart in the middle of a step's picture: cividis goes from blue to yellow."""
        data = page.request.get(listed.locator("img").nth(row).get_attribute("src")).body()
        seen = np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(float)[18:-18, 40:-40]
        return float(np.abs(seen[..., 0] - seen[..., 2]).mean())

    assert colourful(1) > 25 > 12 > colourful(0)


def test_the_bottom_line_follows_an_undo_and_a_fill_is_shown_where_it_can_be_seen(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    paint(page)
    settle(page)
    line = page.get_by_test_id("core-sample")
    expect(line).to_contain_text("Light")
    # By the button, with the pointer off the surface.
    page.get_by_role("button", name=re.compile("^Undo: Paint")).click()
    expect(line).not_to_contain_text("Light")
    page.get_by_role("button", name=re.compile("^Redo: Paint")).click()
    expect(line).to_contain_text("Light")
    channel(page, "Channel B").click()
    stage(page, "Fill")
    # Nothing is shown that was not asked for.
    expect(page.get_by_text("Choose what to do to the whole channel")).to_be_visible()
    expect(page.get_by_role("radio", name="Blend", exact=True).last).to_be_checked()
    expect(page.get_by_role("button", name="Keep it")).to_be_disabled()
    page.get_by_role("radio", name="Height", exact=True).first.click()
    expect(page.get_by_role("radio", name="Channel", exact=True).last).to_be_checked()
    expect(page.get_by_text("Channel B · Channel B · preview")).to_be_visible()


def test_export_is_what_is_open_and_says_before_what_it_will_be(page, db):
    sample = small_project(db, plane(17, 2.0, uv=True))
    open_surface(page, sample.surface)
    page.get_by_role("button", name="Export").click()
    status = page.get_by_role("dialog").get_by_role("status")
    expect(status).to_contain_text("Your file, untouched but for the weights")
    page.keyboard.press("Escape")
    page.get_by_role("radio", name="Prepare").click()
    page.get_by_role("button", name="Levels of detail, map").click()
    page.get_by_role("button", name=re.compile("^Make:")).click()
    page.get_by_role("button", name="Keep it").click()
    page.get_by_role("button", name="Level 1", exact=True).click()
    settle(page)
    page.get_by_role("button", name="Export").click()
    expect(page.get_by_label("What goes out")).to_contain_text("Level 1")
    expect(status).to_contain_text("A new file, because a level has no file of its own")
    with page.expect_download() as download:
        page.get_by_role("button", name="Save Plane.glb").click()
    assert download.value.suggested_filename == "Plane level 1.glb"
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Level 0, full detail").click()
    page.get_by_role("button", name="Export").click()
    expect(page.get_by_label("What goes out")).to_contain_text("The mesh")
    expect(status).to_contain_text("Your file, untouched")


def two_sheets_apart() -> Mesh:
    one = plane(9, 1.0, uv=True)
    return Mesh(
        np.concatenate([one.positions, one.positions + np.float32([1.2, 0, 0])]),
        np.concatenate([one.triangles, one.triangles + np.uint32(81)]),
        uvs=(np.concatenate([one.uvs[0], one.uvs[0]]),),
    )


def test_parts_are_picked_by_clicking_and_protected(page, db):
    sample = small_project(db, two_sheets_apart())
    open_surface(page, sample.surface)
    page.keyboard.press("Shift+ArrowUp")
    settle(page)
    page.get_by_label("Brush", exact=True).get_by_role("button", name="Protect").click()
    page.get_by_role("button", name="Pick parts").first.click()
    box = page.get_by_test_id("surface").bounding_box()
    left = (box["x"] + box["width"] * 0.35, box["y"] + box["height"] / 2)
    page.mouse.click(*left)
    expect(page.get_by_text("1 part", exact=True).first).to_be_visible()
    page.get_by_label("Protect the picked parts").check()
    page.keyboard.press("Escape")
    settle(page)
    page.keyboard.press("Shift+f")
    settle(page)
    expect(channel(page, "Channel R")).to_contain_text("50 %")
    page.get_by_label("Brush", exact=True).get_by_role("button", name="Protect").click()
    page.get_by_role("button", name="Let go").first.click()
    expect(page.get_by_text("None picked").first).to_be_visible()


def on_screen(page: Page, mesh: Mesh, places: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Where places of a flat surface, seen from above, are on the page."""
    seen = picture(page)
    rows, columns = np.nonzero(np.abs(seen - seen[:, :1]).max(axis=2) > 12)
    box = page.get_by_test_id("picture").bounding_box()
    low, high = mesh.positions[:, [0, 2]].min(axis=0), mesh.positions[:, [0, 2]].max(axis=0)
    corner = np.array([columns.min() + box["x"] + 20, rows.min() + box["y"] + 50])
    scale = np.array([np.ptp(columns), np.ptp(rows)]) / (high - low)
    return [tuple(corner + (np.array(at) - low) * scale) for at in places]


SLOW = """
window.slow = setInterval(() => {
  const began = performance.now();
  while (performance.now() - began < 250);
}, 1);
"""


def test_quick_clicks_are_all_taken_while_frames_are_slow(page, db):
    """Each part once, one after the other, the last let go by a second click before the first was answered."""
    one = plane(5, 0.5, uv=True)
    places = [(x, z) for z in (0.0, 0.7) for x in (0.0, 0.7, 1.4)]
    mesh = Mesh(
        np.concatenate([one.positions + np.float32([x, 0, z]) for x, z in places]),
        np.concatenate([one.triangles + np.uint32(i * len(one.positions)) for i in range(6)]),
        uvs=(np.concatenate([one.uvs[0]] * 6),),
    )
    sample = small_project(db, mesh)
    open_surface(page, sample.surface)
    page.keyboard.press("Shift+ArrowUp")
    settle(page)
    page.get_by_label("Brush", exact=True).get_by_role("button", name="Protect").click()
    page.get_by_role("button", name="Pick parts").first.click()
    seen = on_screen(page, mesh, [(x + 0.25, z + 0.25) for x, z in places])
    page.evaluate(SLOW)
    for at in (*seen, seen[-1]):
        page.mouse.click(*at)
    page.evaluate("clearInterval(window.slow)")
    expect(page.get_by_text("5 parts", exact=True).first).to_be_visible()


def test_numbers_beside_a_curve_move_its_points(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    stage(page, "Fill")
    page.get_by_role("radio", name="Levels", exact=True).click()
    height = page.get_by_label("Levels, height of the point")
    height.fill("0.25")
    height.press("Enter")
    expect(page.get_by_role("slider", name="Levels, point 1")).to_have_attribute(
        "aria-valuetext", "0.00 to 0.25"
    )
    page.get_by_role("button", name="Keep it").click()
    settle(page)
    expect(channel(page, "Channel R")).to_contain_text("25 %")


def stairs(steps: int, width: float) -> Mesh:
    """Level treads that rise by a fifth of their width each, joined by walls."""
    edge = np.array([[i * width, i * width / 5] for i in range(steps)])
    profile = np.concatenate([[[x, y], [x + width, y]] for x, y in edge])
    points = np.concatenate([np.c_[profile, np.full(len(profile), z)] for z in (0.0, steps * width)])
    n = len(profile)
    quads = np.array([[i, i + n, i + n + 1, i + 1] for i in range(n - 1)])
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])
    return Mesh((points - points.mean(axis=0)).astype(np.float32), triangles.astype(np.uint32))


OUTLINE = """
() => {
  const canvas = document.querySelector('[data-testid=surface]');
  const ring = canvas instanceof HTMLCanvasElement ? canvas : canvas.querySelector('canvas');
  const { data, width, height } = ring.getContext('2d').getImageData(0, 0, ring.width, ring.height);
  const lit = [];
  for (let i = 3; i < data.length; i += 4)
    if (data[i] > 200 && data[i - 1] > 200) lit.push([((i - 3) / 4) % width, Math.floor((i - 3) / 4 / width)]);
  return lit;
}
"""


def test_the_ring_is_a_closed_line_without_notches_over_steps(page, db):
    sample = small_project(db, stairs(5, 0.4))
    open_surface(page, sample.surface)
    type_into(page, "Radius", "0.5 m")
    page.keyboard.press("Escape")
    x, y = centre(page)
    page.mouse.move(x - 4, y)
    page.mouse.move(x, y, steps=3)
    lit = until(
        lambda: np.array(page.evaluate(OUTLINE), float), lambda drawn: len(drawn) > 100, "there is no ring"
    )
    away = lit - (lit.max(axis=0) + lit.min(axis=0)) / 2
    turn = np.arctan2(away[:, 1], away[:, 0])
    far = np.linalg.norm(away, axis=1)
    slots = ((turn + np.pi) / (2 * np.pi) * 56).astype(int) % 56
    outer = np.array([far[slots == i].max(initial=0) for i in range(56)])
    assert (outer > 0.2 * outer.max()).all(), "closed all around"
    # Four turns of an ellipse seen from the side may be sharp; a line that follows each step has eight.
    sharpest = np.sort(np.abs(np.roll(outer, 1) - 2 * outer + np.roll(outer, -1)))
    assert sharpest[-5] < 0.08 * outer.max(), np.round(sharpest[-8:], 1).tolist()


def test_a_control_tells_what_it_does_and_its_key(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    said = page.locator("[data-tooltip-content]")
    page.get_by_role("button", name="History").hover()
    expect(said).to_have_text(re.compile(r"History\s*H"))
    page.get_by_role("button", name="Keys and gestures").hover()
    expect(said).to_have_text(re.compile(r"Keys and gestures\s*\?"))
    page.get_by_role("radio", name="Undercoat").hover()
    expect(said).to_have_text(re.compile(r"What lies under the paint of a channel\s*U"))
    page.mouse.move(5, 300)
    expect(said).to_have_count(0)
    # By the keyboard as well, and away with Escape.
    page.get_by_role("button", name="History").focus()
    page.keyboard.press("Tab")
    expect(said).to_have_text("Light interface")
    page.keyboard.press("Escape")
    expect(said).to_have_count(0)
