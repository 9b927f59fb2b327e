"""The start page: a newcomer's first minute, real files as found, and what becomes of what is there."""

import io
import json
import re
from urllib.parse import urlsplit

import numpy as np
from browser.window import differs, open_surface, paint, picture, settle
from limits import until
from playwright.sync_api import Page, expect
from samples import small_project
from shapes import plane
from sqlalchemy import func, select

from ashblend.core.formats.glb_write import build_glb
from ashblend.demo.shelf import stock_shelf
from ashblend.store.models import BlobPart, LastView, Project, Surface


def seen_last(page: Page) -> None:
    """Wait until what is seen last is kept as the surface's picture."""
    path = f"/api{urlsplit(page.url).path}/view".replace("/surface/", "/surfaces/")
    until(lambda: page.request.get(path), lambda answer: answer.ok, "no picture of it is kept")


# A box of 71 × 70 × 60 that stands on z = 0: of which unit, the file does not say.
CORNERS = [(x * 71 - 35.5, y * 70 - 35, z * 60) for x in (0, 1) for y in (0, 1) for z in (0, 1)]
FACES = ["1 2 4 3", "5 7 8 6", "1 5 6 2", "3 4 8 7", "1 3 7 5", "2 6 8 4"]
NUT = "\n".join([*(f"v {x} {y} {z}" for x, y, z in CORNERS), *(f"f {f}" for f in FACES)]).encode()


def give(page, *files: tuple[str, bytes]) -> None:
    page.get_by_label("Mesh file").set_input_files(
        [{"name": name, "mimeType": "a/b", "buffer": data} for name, data in files]
    )


def drop(page, name: str, data: bytes) -> None:
    """A file let go in the middle of the page, wherever that is."""
    transfer = page.evaluate_handle(
        """([name, bytes]) => {
          const transfer = new DataTransfer();
          transfer.items.add(new File([new Uint8Array(bytes)], name));
          return transfer;
        }""",
        [name, list(data)],
    )
    page.dispatch_event("body", "dragover", {"dataTransfer": transfer})
    expect(page.get_by_text("Let it go anywhere here")).to_be_visible()
    page.dispatch_event("body", "drop", {"dataTransfer": transfer})


def test_the_first_minute_from_nothing_to_a_stroke_that_shows(page, db):
    """No project, no material of one's own, nothing read: drop, one click, paint."""
    with db.begin() as session:
        stock_shelf(session, 64)
    page.goto("/")
    expect(page.get_by_role("heading", name="Begin with a mesh")).to_be_visible()
    drop(page, "quay.glb", build_glb(plane(33, 4.0, uv=True), [], "Quay"))
    expect(page.get_by_role("heading", name="quay")).to_be_visible()
    settle(page)
    assert page.title() == "quay · Ash Blend"
    bare = picture(page)
    page.get_by_role("button", name="Add the first layer").click()
    settle(page)
    paint(page)
    differs(page, bare, 40)
    expect(page.get_by_test_id("save-state")).to_contain_text("All strokes saved")
    # Back by the browser's own button: the project that was made, with a picture of what was seen last.
    seen_last(page)
    page.go_back()
    expect(page.get_by_role("heading", name="First project")).to_be_visible()
    expect(page.locator("a[href*=surface] img")).to_be_visible()
    expect(page.get_by_text("Plain clay")).to_be_visible()
    with db() as session:
        assert session.scalar(select(func.count()).select_from(LastView)) == 1
        document = session.scalars(select(Surface)).one()
        assert document.facts["size"] == [4.0, 0.0, 4.0]


def test_a_file_without_unit_is_seen_beside_a_person_and_changed_before_and_after(page, db):
    small_project(db)
    page.goto("/")
    give(page, ("nut.obj", NUT))
    card = page.get_by_role("dialog")
    expect(card.get_by_test_id("import-size")).to_have_text("71.0 × 60.0 × 70.0 cm")
    expect(card.get_by_role("img", name=re.compile("beside a person of 1.8 m"))).to_be_visible()
    card.get_by_role("radio", name="mm").click()
    expect(card.get_by_test_id("import-size")).to_have_text("7.10 × 6.00 × 7.00 cm")
    card.get_by_role("radio", name="Y", exact=True).click()
    expect(card.get_by_test_id("import-size")).to_have_text("7.10 × 7.00 × 6.00 cm")
    page.get_by_role("button", name="Bring it in").click()
    settle(page)
    expect(page.get_by_text("8 sites")).to_be_visible()
    paint(page)
    with page.expect_response(re.compile("/placing")):
        page.get_by_role("radio", name="Prepare").click()
        page.get_by_role("button", name="Size and standing").click()
        field = page.get_by_label("Longest side")
        expect(field).to_have_value("7.10 cm")
        field.fill("7 cm + 3 mm")
        field.press("Enter")
    expect(page.get_by_label("Longest side")).to_have_value("7.30 cm")
    expect(page.get_by_role("button", name=re.compile("Undo: Size × 1.028"))).to_be_enabled()
    with page.expect_response(re.compile("/placing")):
        page.get_by_role("button", name="Z up").click()
    expect(page.get_by_role("button", name="Undo: Z up")).to_be_enabled()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.get_by_label("Longest side")).to_have_value("7.10 cm")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="Nothing to undo")).to_be_disabled()


def test_a_gltf_with_its_parts_is_taken_and_without_them_refused(page, db):
    small_project(db)
    mesh = plane(9, 1.0)
    binary = mesh.positions.astype("<f4").tobytes() + mesh.triangles.astype("<u4").tobytes()
    document = {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": len(binary), "uri": "yard.bin"}],
        "bufferViews": [
            {"buffer": 0, "byteLength": 81 * 12},
            {"buffer": 0, "byteOffset": 81 * 12, "byteLength": len(binary) - 81 * 12},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 81, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5125, "count": mesh.triangles.size, "type": "SCALAR"},
        ],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "nodes": [{"mesh": 0}],
        "scenes": [{"nodes": [0]}],
    }
    page.goto("/")
    page.expected_errors = True
    give(page, ("yard.gltf", json.dumps(document).encode()))
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("yard.gltf was not taken")
    expect(alert).to_contain_text("Drop the .gltf together with all its parts")
    give(page, ("yard.gltf", json.dumps(document).encode()), ("yard.bin", binary))
    expect(page.get_by_text("kept as one GLB")).to_be_visible()
    settle(page)


def test_sending_shows_how_far_it_is_and_can_be_stopped(page, db):
    small_project(db)
    page.goto("/")
    held = []
    page.route(re.compile("/api/meshes"), lambda route: held.append(route))  # noqa: PLW0108 - Playwright looks into it
    give(page, ("large.glb", bytes(3_000_000)))
    expect(page.get_by_role("progressbar", name="Sending the mesh")).to_be_visible()
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_role("button", name="Choose a file")).to_be_enabled()
    expect(page.get_by_role("alert")).to_have_count(0)
    with db() as session:
        assert session.scalar(select(func.count()).select_from(Surface)) == 1
    page.unroute_all(behavior="ignoreErrors")
    page.expected_errors = True


def test_projects_are_renamed_copied_put_into_the_bin_and_had_back(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    paint(page)
    painted = picture(page)
    seen_last(page)
    page.get_by_role("link", name="Ash Blend").click()
    expect(page).to_have_url(re.compile(f"/project/{sample.project}"))
    expect(page.get_by_text("2.00 × 0.00 × 2.00 m")).to_be_visible()
    expect(page.get_by_text("Touched just now")).to_be_visible()
    page.get_by_role("button", name="More for Test").click()
    page.get_by_role("menuitem", name="Rename").click()
    page.get_by_label("New name of Test").fill("Harbour")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Harbour")).to_be_visible()
    page.get_by_role("button", name="More for Harbour").click()
    page.get_by_role("menuitem", name="Copy").click()
    expect(page.get_by_role("heading", name="Harbour copy")).to_be_visible()
    # The copy has the paint and the history.
    page.get_by_role("link", name=re.compile("^Plane")).click()
    settle(page)
    assert np.abs(picture(page) - painted).max() <= 3
    expect(page.get_by_role("button", name="Undo: Paint Channel R")).to_be_enabled()
    page.go_back()
    page.get_by_role("button", name="Rename Plane").click()
    page.get_by_label("New name of Plane").fill("Quay")
    page.keyboard.press("Enter")
    expect(page.get_by_role("link", name=re.compile("^Quay"))).to_be_visible()
    page.get_by_role("button", name="More for Harbour copy").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_text("Harbour copy is in the bin.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("heading", name="Harbour copy")).to_be_visible()
    page.get_by_role("button", name="Delete Quay").click()
    page.get_by_role("button", name="Delete", exact=True).click()
    expect(page.get_by_text("None yet.")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Bin")).click()
    expect(page.get_by_text("Surface of Harbour copy")).to_be_visible()
    page.get_by_role("button", name="Put it back").click()
    expect(page.get_by_text("The bin is empty.")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Harbour copy")).click()
    expect(page.get_by_role("link", name=re.compile("^Quay"))).to_be_visible()
    with db() as session:
        assert session.scalar(select(func.count()).select_from(Project)) == 2


def test_what_is_thrown_away_for_good_is_asked_once(page, db):
    small_project(db)
    page.goto("/")
    page.get_by_role("button", name="More for Test").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_role("heading", name="Begin with a mesh")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Bin")).click()
    expect(page.get_by_text("stays here for 14 days")).to_be_visible()
    page.get_by_role("button", name="Empty the bin now").click()
    page.get_by_role("button", name="Keep it").click()
    page.get_by_role("button", name="Empty the bin now").click()
    page.get_by_role("button", name="Empty it").click()
    expect(page.get_by_text("The bin is empty.")).to_be_visible()
    with db() as session:
        assert session.scalar(select(func.count()).select_from(Project)) == 0


def test_a_picture_of_a_mesh_that_is_no_mesh_is_refused_where_it_was_dropped(page, db):
    small_project(db)
    page.goto("/")
    page.expected_errors = True
    from PIL import Image

    file = io.BytesIO()
    Image.new("RGB", (4, 4)).save(file, "JPEG")
    give(page, ("brick.jpg", file.getvalue()))
    expect(page.get_by_role("alert")).to_contain_text("'brick.jpg': no kind of mesh file")


def test_a_surface_is_deleted_only_after_a_second_word(page, db):
    small_project(db)
    page.goto("/")
    page.get_by_role("button", name="Delete Plane").click()
    page.get_by_role("button", name="Keep").click()
    expect(page.get_by_role("link", name="Plane")).to_be_visible()
    page.get_by_role("button", name="Delete Plane").click()
    page.get_by_role("button", name="Delete", exact=True).click()
    expect(page.get_by_role("link", name="Plane")).to_have_count(0)
    expect(page.get_by_text("None yet.")).to_be_visible()
    with db() as session:
        assert session.scalars(select(Surface)).one().removed_at is not None, "in the bin"
        assert session.scalar(select(func.count()).select_from(BlobPart)) > 0


def test_a_file_dropped_before_the_projects_are_here_goes_into_the_open_one(page, db):
    sample = small_project(db)

    def late(route) -> None:
        page.wait_for_timeout(1500)
        route.continue_()

    page.route("**/api/projects", late)
    page.goto(f"/project/{sample.project}")
    give(page, ("plane.glb", build_glb(plane(9, 2.0, uv=True), [], "Plane")))
    page.wait_for_url("**/surface/*")
    settle(page)
    with db() as session:
        assert {s.project_id for s in session.scalars(select(Surface))} == {sample.project}
        assert len(session.scalars(select(Project)).all()) == 1
