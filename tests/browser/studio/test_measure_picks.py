"""What an artist picks for a measure: a group, a line on the surface, the key light, a channel to borrow; terms alone."""

import re

import httpx2 as httpx
import numpy as np
from browser.studio.test_preparing import add_map
from browser.studio.test_surveys import held, kerb
from browser.window import (
    centre,
    channel,
    differs,
    open_surface,
    paint,
    picture,
    set_slider,
    settle,
    shows,
    stage,
)
from limits import until
from PIL import Image
from playwright.sync_api import Page, expect
from samples import small_project
from server.test_borrowing import beside
from shapes import plane

from ashblend.core.channels.quantise import FULL
from ashblend.core.sites.mesh import Group, Mesh


def two_halves(side: int = 33) -> Mesh:
    """A plate in two groups along X."""
    mesh = plane(side, 2.0, uv=True)
    right = mesh.positions[mesh.triangles].mean(axis=1)[:, 0] > 1
    order = np.argsort(right, kind="stable")
    half = int((~right).sum())
    return Mesh(
        mesh.positions,
        mesh.triangles[order],
        uvs=mesh.uvs,
        groups=(Group("west", 0, half), Group("east", half, len(order) - half)),
    )


def add(page: Page, title: str) -> None:
    page.get_by_role("button", name="Add a term").click()
    page.get_by_role("dialog", name="Add a term").get_by_text(title, exact=True).click()


def test_a_group_a_line_and_the_key_light_are_picked(page, db):
    sample = small_project(db, two_halves())
    x = sample.mesh.positions[:, 0]
    open_surface(page, sample.surface)
    stage(page, "Undercoat")
    add(page, "Inside a group")
    # The first group, until another one is chosen.
    until(lambda: held(db, sample), lambda v: (v[x < 0.9] == FULL).all() and not v[x > 1.1].any(), "west")
    page.get_by_label("Group", exact=True).click()
    page.get_by_role("option", name="east").click()
    until(lambda: held(db, sample), lambda v: (v[x > 1.1] == FULL).all() and not v[x < 0.9].any(), "east")
    page.get_by_role("button", name="Remove Inside a group").click()

    add(page, "Along an axis")
    page.get_by_label("Axis", exact=True).click()
    page.get_by_role("option", name="A picked line").click()
    expect(page.get_by_text("none yet")).to_be_visible()
    page.get_by_role("button", name="Pick", exact=True).click()
    cx, cy = centre(page)
    before = held(db, sample)
    for dx in (-120, 0, 120):
        page.mouse.click(cx + dx, cy)
    expect(page.get_by_text("3 picked; Enter ends")).to_be_visible()
    page.keyboard.press("Backspace")
    expect(page.get_by_text("2 picked; Enter ends")).to_be_visible()
    page.mouse.click(cx + 140, cy)
    page.keyboard.press("Enter")
    expect(page.get_by_text("3 places")).to_be_visible()
    along = until(lambda: held(db, sample), lambda v: (v != before).any() and v.max() == FULL, "a line")
    # It runs across the picture from left to right, on the level plate.
    assert np.ptp(along.astype(float)) > 0.9 * FULL and abs(np.corrcoef(x, along)[0, 1]) > 0.5
    # Painting goes on as before: the pointer picks no more.
    set_slider(page, "Radius", "0.2 m")
    paint(page)
    expect(page.get_by_text("3 places")).to_be_visible()

    page.get_by_role("button", name="Remove Along an axis").click()
    add(page, "Openness")
    number = page.get_by_label("From, number")
    expect(number).to_have_value("240°")
    settle(page)
    page.get_by_role("button", name="From the key light").click()
    expect(number).not_to_have_value("240°")
    tilt = page.get_by_label("Height of it, number")
    expect(tilt).to_have_value(re.compile(r"^[3-7]\d°$"))
    assert page.strange == []


def test_the_distance_to_one_of_those_around_is_picked_by_its_name(page, server, db):
    sample = small_project(db)
    other = beside(db, sample).surface
    url = f"{server.address}/api/surfaces/{sample.surface}/surroundings"
    stands = {"revision": 1, "document": {"neighbours": [{"surface": str(other), "above": 1.0}]}}
    httpx.put(url, json=stands).raise_for_status()
    open_surface(page, sample.surface)
    stage(page, "Undercoat")
    add(page, "Distance")
    page.get_by_label("To", exact=True).click()
    page.get_by_role("option", name="Neighbours").click()
    which = page.get_by_label("Which", exact=True)
    # Nothing need be picked: the nearest of all will do.
    expect(which).to_have_text("The nearest")
    expect(page.get_by_role("button", name=re.compile("^Undo: Undercoat"))).to_be_visible()
    which.click()
    page.get_by_role("option", name="Rough").click()
    settle(page)

    def measured_to() -> str | None:
        channel = httpx.get(f"{server.address}/api/surfaces/{sample.surface}").json()["channel_sets"][0]
        terms = channel["document"]["channels"][0]["undercoat"].get("recipe", {}).get("terms", [{}])
        return terms[-1].get("source", {}).get("neighbour")

    until(measured_to, lambda neighbour: neighbour == str(other), "the one that was picked is measured to")
    # Taken away, it is said where it was picked.
    httpx.put(url, json={"revision": 2, "document": {"neighbours": []}}).raise_for_status()
    expect(which).to_have_text("Stands around no more")


def test_only_what_matters_is_asked(page, db):
    sample = small_project(db, kerb())
    open_surface(page, sample.surface)
    stage(page, "Undercoat")
    add(page, "Distance")
    height, way = page.get_by_label("The height, number"), page.get_by_label("Way", exact=True)
    expect(way).to_be_visible()
    expect(height).to_have_count(0)
    page.get_by_label("To", exact=True).click()
    page.get_by_role("option", name="A height").click()
    expect(height).to_be_visible()
    page.get_by_label("To", exact=True).click()
    page.get_by_role("option", name="A painted area").click()
    expect(height).to_have_count(0)
    # What has still to be picked is said, where it is picked.
    expect(page.get_by_text("Pick the channel that holds the area.")).to_be_visible()
    page.get_by_label("Painted in", exact=True).click()
    expect(page.get_by_role("option", name=re.compile("^R"))).to_have_count(0)
    page.get_by_role("option", name=re.compile("^G")).click()
    expect(page.get_by_text("Nothing is painted in the channel")).to_be_visible()


def test_a_channel_is_borrowed_and_its_change_is_told(page, other, db):
    sample = small_project(db)
    lender = beside(db, sample)
    open_surface(page, lender.surface)
    set_slider(page, "Strength", "100")
    set_slider(page, "Radius", "0.5 m")
    paint(page)
    expect(page.get_by_role("button", name=re.compile("^Undo"))).to_be_enabled()
    open_surface(page, sample.surface)
    bare = picture(page)
    stage(page, "Undercoat")
    add(page, "Borrow")
    expect(page.get_by_label("From", exact=True)).to_contain_text("Rough")
    taken = until(lambda: held(db, sample), lambda v: v.max() > 0.5 * FULL, "nothing was lent")
    assert (taken == 0).any()
    differs(page, bare)
    open_surface(other, sample.surface)
    shows(other, picture(page))
    open_surface(page, lender.surface)
    paint(page, [(-0.2, 0.2), (0.2, 0.2)])
    open_surface(page, sample.surface)
    stage(page, "Undercoat")
    page.get_by_role("button", name="Run what is stale again").click()
    until(lambda: held(db, sample), lambda v: (v != taken).any(), "it was not borrowed again")
    settle(page)
    shows(other, picture(page))
    assert page.strange == []


def test_a_measured_term_is_looked_at_alone_and_without_paint(page, other, db):
    """By the Term lens, for as long as it is chosen: also while another window paints."""
    sample = small_project(db, two_halves())
    x = sample.mesh.positions[:, 0]
    open_surface(page, sample.surface)
    stage(page, "Undercoat")
    add(page, "Inside a group")
    until(lambda: held(db, sample), lambda v: (v[x < 0.9] == FULL).all(), "west")
    add(page, "Random per part")
    until(lambda: held(db, sample), lambda v: 0 < v[x < 0.9].max() < FULL, "multiplied")
    set_slider(page, "Weight", "1")
    set_slider(page, "Strength", "100")
    set_slider(page, "Radius", "0.3 m")
    paint(page)
    page.keyboard.press("c")
    settle(page)
    whole = picture(page)
    page.get_by_role("button", name=re.compile("^Inside a group")).click()
    page.get_by_role("button", name="Alone, by the Term lens").click()
    alone = differs(page, whole)
    open_surface(other, sample.surface)
    set_slider(other, "Radius", "0.3 m")
    paint(other, [(0.1, 0.1), (-0.1, 0.1)])
    page.wait_for_timeout(1000)
    shows(page, alone)
    page.get_by_role("button", name="Alone, by the Term lens").click()
    settle(page)
    now = picture(page)
    assert (now != alone).any()
    other.keyboard.press("c")
    settle(other)
    shows(other, now)
    assert page.strange == []


def test_what_arrives_late_takes_no_later_edit_out_of_the_hand(page, db):
    """What was run a moment ago is loaded while the artist has gone on to something that is still to be picked."""
    sample = small_project(db)
    open_surface(page, sample.surface)
    stage(page, "Undercoat")
    late: list = []

    def wait(route) -> None:
        late.append(route)

    page.route(re.compile(r"/api/surfaces/[^/]+/sets/"), wait)
    add(page, "Along an axis")
    until(lambda: (page.wait_for_timeout(50), late)[1], bool, "what was run is not loaded")
    page.get_by_label("Axis", exact=True).click()
    page.get_by_role("option", name="A picked line").click()
    expect(page.get_by_text("none yet")).to_be_visible()
    for route in late:
        with page.expect_response(route.request.url):
            route.continue_()
    page.unroute_all(behavior="ignoreErrors")
    page.wait_for_timeout(300)
    expect(page.get_by_text("none yet")).to_be_visible()
    # What is taken back then is what was run, and the edit of it goes with it.
    page.get_by_role("button", name="Undo: Undercoat of Channel R").click()
    expect(page.get_by_text("none yet")).to_have_count(0)
    expect(page.get_by_role("button", name="Nothing to undo")).to_be_disabled()


def test_an_edit_that_is_not_run_yet_is_what_undo_takes_back(page, db):
    sample = small_project(db, kerb())
    open_surface(page, sample.surface)
    stage(page, "Undercoat")
    add(page, "Along an axis")
    until(lambda: held(db, sample), lambda v: v.any(), "it is not run")
    settle(page)
    shown, kept = picture(page), held(db, sample)
    amount = page.get_by_label("How much, number")
    set_slider(page, "How much", "10")
    page.locator("body").press("Control+z")
    expect(amount).to_have_value("100 %")
    # For longer than an edit waits.
    page.wait_for_timeout(1200)
    shows(page, shown)
    assert (held(db, sample) == kept).all()
    expect(page.get_by_role("button", name="Undo: Undercoat of Channel R")).to_be_enabled()
    # One that waits when another channel is chosen is run all the same.
    set_slider(page, "How much", "10")
    channel(page, "Channel G").click()
    until(lambda: held(db, sample), lambda v: v.max() < 0.2 * FULL, "the edit is lost")


def test_faces_are_chosen_for_a_measure_and_become_a_group(page, db):
    sample = small_project(db, two_halves())
    open_surface(page, sample.surface)
    stage(page, "Undercoat")
    add(page, "Distance")
    page.get_by_label("To", exact=True).click()
    page.get_by_role("option", name="A group").click()
    page.get_by_role("button", name="Choose faces").click()
    page.mouse.click(*centre(page))
    # One triangle or the two of a square, as they lie under the pointer.
    expect(page.get_by_text(re.compile(r"^[12] chosen$"))).to_be_visible()
    page.get_by_role("button", name="A group of them").click()
    expect(page.get_by_label("Group", exact=True)).to_contain_text("Faces")
    # A few places hold all of it (what was measured before, to the rim, has many), round them it fades, and most of the
    # plate is far away.
    near = until(lambda: held(db, sample), lambda v: 3 <= (v == FULL).sum() <= 4, "nothing is near")
    assert (near > 0).sum() > 9 and (near == 0).mean() > 0.5
    # Painting goes on, and the group is one of the surface.
    set_slider(page, "Radius", "0.2 m")
    paint(page)
    stage(page, "Prepare")
    page.get_by_role("button", name="Groups and hard borders").click()
    for name in ("west", "east", "Faces"):
        expect(page.get_by_role("checkbox", name=f"Select {name}", exact=True)).to_be_visible()


def test_a_map_is_measured_at_its_own_density(page, db):
    sample = small_project(db, kerb())
    open_surface(page, sample.surface)
    add_map(page, 512)
    page.keyboard.press("c")
    settle(page)
    empty = picture(page)
    stage(page, "Undercoat")
    page.get_by_role("button", name="Worn edges").click()
    expect(page.get_by_role("button", name="Undo: Undercoat of Channel R")).to_be_enabled()
    settle(page)
    differs(page, empty, 60)
    page.get_by_role("button", name="Export").click()
    expect(page.get_by_label("What goes out")).to_contain_text("Splat · map of 512²")
    with page.expect_download() as download:
        page.get_by_role("button", name="Save Plane.png").click()
    image = np.asarray(Image.open(download.value.path()))
    assert image.shape == (512, 512, 4) and not image[..., 1:3].any()
    # The upper fold is the middle of the map, at the 24th of 48 columns; beyond the wear beside it there is none.
    red = image[..., 0].astype(int)
    across = np.abs(np.arange(512) + 0.5 - 256)
    assert (
        red[:, across < 4].max() > 150 and red[:, across < 4].mean() > 40 and not red[:, across > 120].any()
    )
    # It fades from texel to texel, where vertices are ten texels apart, and is broken up along the fold.
    line = red[200, 236:256]
    assert len(set(line[line > 0].tolist())) >= 6, line
    assert np.ptp(red[:, across < 4].mean(axis=1)) > 40
