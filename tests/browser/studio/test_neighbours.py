"""Other surfaces around the one that is painted, as the artist sees them."""

from dataclasses import replace

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


def test_one_surface_that_stands_twice_is_built_once_and_lit_in_both_places_by_where_it_stands(page, db):
    """Two leaning plates, turned otherwise: together they look as each does by itself."""
    sample = small_project(db)
    leaning = plane(9, 1.0, uv=True)
    places = leaning.positions.copy()
    places[:, 1] = 0.6 * places[:, 0]
    data = build_glb(replace(leaning, positions=places, normals=None), [], "Leaning")
    looked = page.request.post(
        "/api/meshes",
        multipart={"files": {"name": "leaning.glb", "mimeType": "model/gltf-binary", "buffer": data}},
    ).json()
    body = {"file": looked["file"], "name": looked["name"], "placing": looked["guess"]}
    other = page.request.post(f"/api/projects/{sample.project}/surfaces", data=body).json()["id"]
    left = {"surface": other, "x": 0.1, "z": 0.3, "turn": 25, "above": 0.3}
    right = {"surface": other, "x": 1.9, "z": 1.6, "turn": 190, "above": 0.4}
    fetched = []
    page.on("request", lambda made: fetched.append(made.url) if f"{other}/geometry" in made.url else None)

    def amid(*standing: dict) -> np.ndarray:
        url = f"/api/surfaces/{sample.surface}/surroundings"
        revision = page.request.get(url).json()["revision"]
        answer = page.request.put(
            url, data={"revision": revision, "document": {"neighbours": list(standing)}}
        )
        assert answer.ok, answer.text()
        fetched.clear()
        page.reload()
        settle(page)
        return picture(page)

    open_surface(page, sample.surface)
    bare, first, second = amid(), amid(left), amid(right)
    both = amid(left, right)
    assert len(fetched) == 1
    stands = [np.abs(one - bare).max(axis=2) > 12 for one in (first, second)]
    assert min(mask.sum() for mask in stands) > 2000, "both are seen"
    for one, own, theirs in ((first, *stands), (second, *stands[::-1])):
        alone = own & ~theirs
        assert alone.sum() > 1500 and np.abs(both - one)[alone].mean() < 2
    shades = [float(one[own].mean()) for one, own in zip((first, second), stands, strict=True)]
    assert abs(shades[0] - shades[1]) > 15, "turned otherwise they are lit otherwise"
