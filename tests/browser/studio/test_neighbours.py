"""Other surfaces around the one that is painted, as the artist sees them."""

import numpy as np
from browser.window import differs, open_surface, paint, picture, set_slider, settle, stage
from playwright.sync_api import expect
from samples import small_project
from shapes import plane

from ashblend.core.formats.glb_write import build_glb


def test_a_neighbour_is_seen_beside_the_surface_by_its_own_blend_and_is_not_painted(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    # What stands beside it is white all over where the plate is dark.
    page.goto(f"/project/{sample.project}")
    wall = build_glb(plane(5, 2.0, uv=True), [], "Wall")
    page.get_by_label("Mesh file").set_input_files(
        {"name": "wall.glb", "mimeType": "model/gltf-binary", "buffer": wall}
    )
    page.wait_for_url("**/surface/*")
    settle(page)
    wall_id = page.url.rsplit("/", 1)[1]
    open_surface(page, sample.surface)
    alone = picture(page)
    stage(page, "Prepare")
    page.get_by_role("button", name="Neighbours").click()
    page.get_by_label("Add a neighbour").select_option(wall_id)
    card = page.get_by_role("group", name="wall")
    expect(card).to_be_visible()
    set_slider(card, "Across (X)", "1.8")
    set_slider(card, "Above ground", "0.3")
    beside = differs(page, alone)
    # What is under the pointer is still the surface, and paint goes there alone.
    before = picture(page)
    paint(page)
    differs(page, before)
    page.get_by_role("button", name="Look at wall").click()
    settle(page)
    near = picture(page)
    card.get_by_role("button", name="Take wall away").click()
    expect(card).to_have_count(0)
    differs(page, near)
    page.keyboard.press("Home")
    settle(page)
    page.reload()
    settle(page)
    assert np.abs(picture(page).astype(int) - beside.astype(int)).max() > 20
