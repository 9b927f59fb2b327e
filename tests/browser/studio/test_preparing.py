"""Preparing a mesh, in the real browser."""

import re
from dataclasses import replace

import numpy as np
import pytest
from browser.window import (
    answered,
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
from ashblend.core.formats.glb_write import build_glb
from ashblend.core.formats.registry import read_mesh
from ashblend.core.sites.mesh import Group, Mesh
from ashblend.store.models import Surface
from ashblend.store.states import read_surface_mesh


def halves(side: int = 9) -> Mesh:
    """A plane in two groups, cut along x = 1."""
    mesh = plane(side, 2.0, uv=True)
    right = mesh.positions[mesh.triangles].mean(axis=1)[:, 0] > 1
    order = np.argsort(right, kind="stable")
    half = int((~right).sum())
    groups = (Group("left", 0, half), Group("right", half, len(order) - half))
    return Mesh(mesh.positions, mesh.triangles[order], uvs=mesh.uvs, groups=groups)


def prepare(page: Page, part: str) -> None:
    page.get_by_role("radio", name="Prepare").click()
    button = page.get_by_role("button", name=part, exact=True)
    if button.get_attribute("aria-expanded") != "true":
        button.click()


def keep_plan(page: Page) -> None:
    plan = page.get_by_test_id("plan")
    expect(plan.get_by_text("Ready to keep")).to_be_visible()
    plan.get_by_role("button", name="Keep it").click()
    expect(plan).to_have_count(0)
    settle(page)


def kept_mesh(db, surface) -> Mesh:
    with db() as session:
        return read_surface_mesh(session, session.get(Surface, surface))


def point_at_middle(page: Page) -> None:
    box = page.get_by_test_id("surface").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2 + 3, box["y"] + box["height"] / 2)


def test_too_few_sites_are_warned_of_refined_and_painted(page, db):
    sample = small_project(db, plane(7, 2.0, uv=True))
    open_surface(page, sample.surface)
    set_slider(page, "Radius", "0.2 m")
    set_slider(page, "Strength", "100")
    point_at_middle(page)
    expect(page.get_by_test_id("sites-under-brush")).to_contain_text(re.compile(r"Only \d sites? under"))
    page.get_by_role("button", name="Refine here").click()
    # The remedy: the grain to look at, and a spacing that the brush can work with.
    expect(page.get_by_text("Grain", exact=True).first).to_be_visible()
    expect(page.get_by_role("note").filter(has_text="cm")).to_be_visible()
    page.get_by_role("radio", name="Everywhere").click()
    page.get_by_role("button", name="Count first").click()
    plan = page.get_by_test_id("plan")
    expect(plan.get_by_text(re.compile("^49 →"))).to_be_visible()
    assert kept_mesh(db, sample.surface).vertex_count == 49, "only counted so far"
    keep_plan(page)
    mesh = kept_mesh(db, sample.surface)
    assert mesh.vertex_count > 500
    page.keyboard.press("b")
    point_at_middle(page)
    expect(page.get_by_test_id("sites-under-brush")).to_contain_text(re.compile(r"\d\d sites under it"))
    page.get_by_role("radio", name="Blend").first.click()
    page.mouse.move(5, 300)
    empty = picture(page)
    paint(page)
    differs(page, empty, 60)
    with db() as session:
        channel = stored_channels(session, sample.surface)[sample.channel_set][0]
    near = np.linalg.norm(mesh.positions - [1, 0, 1], axis=1) < 0.05
    assert channel.values()[near].max() > 0.8 * FULL
    # Two steps back: the stroke, then the mesh.
    page.keyboard.press("Control+z")
    settle(page)
    page.keyboard.press("Control+z")
    settle(page)
    assert kept_mesh(db, sample.surface).vertex_count == 49
    assert undo_label(page) == "Nothing to undo"


def test_a_hard_border_lets_a_group_be_filled_without_bleeding(page, db):
    sample = small_project(db, halves())
    open_surface(page, sample.surface)

    def fill_right() -> np.ndarray:
        page.get_by_role("radio", name="Faces").click()
        page.get_by_role("radio", name="Group", exact=True).click()
        box = page.get_by_test_id("surface").bounding_box()
        page.mouse.click(box["x"] + box["width"] / 2 + 90, box["y"] + box["height"] / 2)
        page.get_by_role("radio", name="Channel").click()
        settle(page)
        page.mouse.move(5, 300)
        return picture(page)

    def between(image: np.ndarray) -> int:
        """Pixels near the border that are neither the scale's dark end nor its light end."""
        rows, columns = image.shape[0] // 2, image.shape[1] // 2
        near = image[rows - 50 : rows + 50, columns - 70 : columns + 70]
        off = near[..., 0] - near[..., 2]
        return int(((off < 90) & (off > -30)).sum())

    soft = between(fill_right())
    page.keyboard.press("Control+z")
    settle(page)
    prepare(page, "Groups and hard borders")
    page.get_by_label("Select right").click()
    page.get_by_role("button", name="Hard border", exact=True).click()
    expect(page.get_by_text("hard", exact=True)).to_be_visible()
    settle(page)
    hard = between(fill_right())
    assert soft > 1500 and hard < soft / 4, (soft, hard)
    mesh = kept_mesh(db, sample.surface)
    assert mesh.vertex_count == 81 + 9
    with db() as session:
        values = stored_channels(session, sample.surface)[sample.channel_set][0].values()
    right = np.unique(mesh.triangles[mesh.group_of_face == 1])
    expected = np.zeros(90)
    expected[right] = FULL
    np.testing.assert_array_equal(values, expected)


def test_a_new_mesh_is_looked_at_refused_and_then_kept(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    empty = picture(page)
    paint(page)
    painted = differs(page, empty, 60)
    new = plane(41, 2.0, uv=True)
    new.positions[:, 1] += 0.05 * np.exp(-20 * ((new.positions[:, 0] - 0.4) ** 2)).astype(np.float32)
    data = build_glb(new, [], "New")

    def bring() -> None:
        prepare(page, "New version of the mesh")
        page.get_by_label("New mesh file").set_input_files(
            {"name": "new.glb", "mimeType": "model/gltf-binary", "buffer": data}
        )
        expect(page.get_by_test_id("plan").get_by_text("Ready to keep")).to_be_visible()

    bring()
    plan = page.get_by_test_id("plan")
    expect(plan).to_contain_text("1,089 → 1,681")
    expect(plan).to_contain_text("5.00 cm worst")
    plan.get_by_role("button", name="Look").click()
    expect(page.get_by_text("Plan · Distance to the old surface")).to_be_visible()
    settle(page)
    page.keyboard.press("b")
    shown = picture(page)
    assert np.abs(shown - painted).mean() < 12, "the paint lies where it lay"
    plan.get_by_role("button", name="Leave it").click()
    settle(page)
    shows(page, painted)
    assert kept_mesh(db, sample.surface).vertex_count == 33 * 33
    bring()
    keep_plan(page)
    assert kept_mesh(db, sample.surface).vertex_count == 41 * 41
    with db() as session:
        assert stored_channels(session, sample.surface)[sample.channel_set][0].values().max() > 0.9 * FULL
    page.keyboard.press("Control+z")
    settle(page)
    shows(page, painted)


def test_a_level_follows_a_stroke_and_is_seen_beside(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    prepare(page, "Levels of detail, map")
    page.get_by_role("button", name="Make:").click()
    keep_plan(page)
    page.get_by_role("button", name="Level 1", exact=True).click()
    page.keyboard.press("c")
    settle(page)
    empty = picture(page)
    page.get_by_role("button", name="Level 0, full detail").click()
    settle(page)
    set_slider(page, "Strength", "100")
    paint(page)
    page.get_by_role("button", name="Level 1", exact=True).click()
    settle(page)
    carried = differs(page, empty, 60)
    expect(page.get_by_text("nothing painted here")).to_be_visible()
    # Touched up here, the level holds its own, says so, and has a way back.
    page.keyboard.press("e")
    set_slider(page, "Radius", "0.5 m")
    page.keyboard.press("e")
    set_slider(page, "Weight", "0")
    paint(page)
    differs(page, carried, 60)
    back = page.get_by_role("button", name=re.compile("% own: back"))
    expect(back).to_be_visible()
    back.click()
    settle(page)
    shows(page, carried)
    page.get_by_role("button", name="Beside", exact=True).click()
    settle(page)
    both = picture(page)
    half = both.shape[1] // 2
    assert np.abs(both[:, :half] - carried[:, :half]).max() > 30
    expect(page.get_by_text("Level 1", exact=True).last).to_be_visible()


def test_what_is_under_the_pointer_is_not_asked_for_by_a_triangle_of_another_level(page, db):
    """A level is chosen while what was under the pen is still to be asked for again: the saved stroke may have changed it."""
    sample = small_project(db)
    open_surface(page, sample.surface)
    prepare(page, "Levels of detail, map")
    page.get_by_role("button", name="Make:").click()
    keep_plan(page)
    refused = []
    for _ in range(3):
        # To the far corner, whose triangles have the highest numbers.
        drag(page, [(-60, 0), (0, 60), (10, 90)])
        expect(page.get_by_test_id("save-state")).to_have_text("All strokes saved")
        page.keyboard.press("j")
        settle(page)
        page.wait_for_timeout(200)
        answered(page)
        refused += page.locator("[data-sonner-toast]").all_inner_texts()
        page.keyboard.press("j")
        settle(page)
    assert refused == []


def add_map(page, edge: int) -> None:
    """A set on a map of so many texels along an edge, called Splat, and choose it."""
    page.get_by_role("button", name="Channel sets").click()
    page.get_by_role("button", name="Add a set").click()
    page.get_by_label("Name of the new set").fill("Splat")
    page.get_by_role("radio", name="On a map").click()
    page.get_by_role("radio", name=str(edge)).click()
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_text(f"On a map of {edge}²")).to_be_visible()
    page.keyboard.press("Escape")
    settle(page)


def test_a_set_on_a_map_is_added_painted_and_undone(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    add_map(page, 256)
    page.keyboard.press("c")
    set_slider(page, "Strength", "100")
    empty = picture(page)
    paint(page)
    painted = differs(page, empty, 60)
    page.reload()
    settle(page)
    page.get_by_label("Channel set", exact=True).click()
    page.get_by_role("option", name="Splat").click()
    page.keyboard.press("c")
    settle(page)
    shows(page, painted)
    page.keyboard.press("Control+z")
    settle(page)
    shows(page, empty)
    page.keyboard.press("Control+Shift+z")
    settle(page)
    # What is open goes out.
    page.get_by_role("button", name="Export").click()
    expect(page.get_by_label("What goes out")).to_contain_text("Splat · map of 256²")
    with page.expect_download() as download:
        page.get_by_role("button", name="Save Plane.png").click()
    with open(download.value.path(), "rb") as file:
        from PIL import Image

        image = np.asarray(Image.open(file))
    assert image.shape == (256, 256, 4) and image[..., 0].max() > 200 and not image[..., 1].any()


@pytest.mark.parametrize("by", ["Creases", "Parts", "Facing"])
def test_faces_are_grouped_hidden_and_shown(page, db, by):
    sample = small_project(db, halves())
    open_surface(page, sample.surface)
    whole = picture(page)
    prepare(page, "Groups and hard borders")
    page.get_by_role("button", name="Hide left").click()
    hidden = differs(page, whole, 60)
    page.get_by_role("button", name="Show left").click()
    shows(page, whole)
    page.get_by_role("button", name="Only right").click()
    shows(page, hidden)
    page.get_by_role("button", name="Only right").click()
    shows(page, whole)
    page.get_by_role("radio", name=by).click()
    page.get_by_role("button", name="Group", exact=True).click()
    expect(page.get_by_label("Select left")).to_have_count(0)
    settle(page)
    # All of the plane is one smooth, connected piece that faces up.
    expect(page.get_by_label(re.compile("^Select "))).to_have_count(1)


def test_an_outline_takes_what_is_seen_and_with_a_switch_what_lies_behind(page, db):
    """Two plates, one over the other; an outline round the middle."""
    upper = plane(17, 2.0, uv=True)
    lower = plane(17, 2.0, uv=True)
    at = np.concatenate([upper.positions + np.float32([0, 0.6, 0]), lower.positions])
    triangles = np.concatenate([upper.triangles, lower.triangles + np.uint32(upper.vertex_count)])
    sample = small_project(db, Mesh(at, triangles, uvs=(np.concatenate([upper.uvs[0], lower.uvs[0]]),)))
    open_surface(page, sample.surface)
    prepare(page, "Groups and hard borders")
    page.get_by_role("button", name="Choose faces").click()
    box = page.get_by_test_id("surface").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    counts = []
    for through in (False, True):
        page.get_by_label("Through").set_checked(through)
        page.mouse.move(x - 40, y - 25)
        page.mouse.down()
        for dx, dy in ((40, -25), (40, 25), (-40, 25)):
            page.mouse.move(x + dx, y + dy, steps=5)
        page.mouse.up()
        chosen = page.get_by_text(re.compile(r"^\d+ chosen$"))
        expect(chosen).not_to_have_text("0 chosen")
        counts.append(int(chosen.inner_text().split()[0]))
        page.get_by_role("button", name="None", exact=True).click()
        expect(page.get_by_text("0 chosen", exact=True)).to_be_visible()
    assert counts[1] > 1.6 * counts[0] > 20, counts


def test_outlined_faces_become_a_group(page, db):
    sample = small_project(db, halves(17))
    open_surface(page, sample.surface)
    prepare(page, "Groups and hard borders")
    page.get_by_role("button", name="Choose faces").click()
    box = page.get_by_test_id("surface").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x - 70, y - 30)
    page.mouse.down()
    for dx, dy in ((70, -30), (70, 40), (-70, 40)):
        page.mouse.move(x + dx, y + dy, steps=6)
    page.mouse.up()
    chosen = page.get_by_text(re.compile(r"^\d+ chosen$"))
    expect(chosen).not_to_have_text("0 chosen")
    count = int(chosen.inner_text().split()[0])
    assert 40 < count < 400
    page.get_by_label("Name of the new group").fill("Patch")
    page.get_by_role("button", name="Of chosen faces").click()
    expect(page.get_by_label("Select Patch")).to_be_visible()
    settle(page)
    mesh = kept_mesh(db, sample.surface)
    assert {g.name: g.count for g in mesh.groups}["Patch"] == count


def test_a_broken_file_changes_nothing_and_says_so(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    before = picture(page)
    page.expected_errors = True
    prepare(page, "New version of the mesh")
    page.get_by_label("New mesh file").set_input_files(
        {"name": "torn.glb", "mimeType": "a/b", "buffer": build_glb(plane(9, 1.0), [], "x")[:300]}
    )
    expect(page.locator("[data-sonner-toast]")).to_contain_text(re.compile("file", re.I))
    page.get_by_label("New mesh file").set_input_files(
        {"name": "words.glb", "mimeType": "a/b", "buffer": b"not a mesh at all"}
    )
    page.get_by_role("radio", name="Blend").first.click()
    shows(page, before)
    assert read_mesh("plane.glb", build_glb(kept_mesh(db, sample.surface), [], "x")).vertex_count == 33 * 33


def test_a_level_counted_from_another_place_lies_where_level_0_does(page, db):
    """Far from the origin, in a wipe: the level has only half of the ground, so its own origin is another."""
    far = np.array([5e4, 0, -3e4], np.float32)
    ground = plane(33, 2.0, uv=True)
    sample = small_project(db, replace(ground, positions=ground.positions + far))
    half = ground.triangles[ground.positions[ground.triangles].mean(axis=1)[:, 0] > 1]
    used = np.unique(half)
    part = Mesh(
        ground.positions[used] + far,
        np.searchsorted(used, half).astype(np.uint32),
        uvs=(ground.uvs[0][used],),
    )
    open_surface(page, sample.surface)
    set_slider(page, "Radius", "0.4 m")
    paint(page)
    prepare(page, "Levels of detail, map")
    data = {"name": "half.glb", "mimeType": "a/b", "buffer": build_glb(part, [], "Half")}
    page.get_by_label("Level file").set_input_files(data)
    keep_plan(page)
    whole = picture(page)
    page.get_by_role("button", name="Compare", exact=True).click()
    page.get_by_role("button", name=re.compile("^Level 1 · ")).click()
    page.keyboard.press("Escape")
    settle(page)
    wiped = picture(page)
    # Right of the cut, where the level has all that level 0 has.
    right = (slice(60, None), slice(int(0.7 * wiped.shape[1]), None))
    assert np.ptp(whole[right]) > 60, "ground, its edges and what is behind it"
    assert np.abs(wiped[right] - whole[right]).mean() < 1
    left = (slice(60, 140), slice(200, 230))
    assert np.abs(wiped[left] - whole[left]).max() <= 2
