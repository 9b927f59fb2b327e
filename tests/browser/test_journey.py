"""Whole ways of the artist through the application, in the real browser."""

import re
from uuid import UUID

import numpy as np
import pygltflib
from browser.window import (
    differs,
    drag,
    open_surface,
    paint,
    picture,
    set_slider,
    settle,
    shows,
    stage,
    undo_label,
)
from glbs import GlbMaker, split_glb
from playwright.sync_api import expect
from samples import small_project, stored_channels
from shapes import plane, sphere
from sqlalchemy import select

from ashblend.core.channels.quantise import quantise
from ashblend.core.formats.images import write_png
from ashblend.store.models import Surface


def own_glb() -> bytes:
    """A bumpy square with a custom attribute and extras, written by hand."""
    mesh = plane(41, 2.0, uv=True)
    positions = mesh.positions.copy()
    positions[:, 1] = 0.05 * np.sin(7 * positions[:, 0]) * np.cos(5 * positions[:, 2])
    maker = GlbMaker()
    attributes = {
        "POSITION": maker.add(positions.astype("<f4"), bounds=True),
        "TEXCOORD_0": maker.add(mesh.uvs[0].astype("<f4")),
        "_WETNESS": maker.add(np.linspace(0, 1, 1681, dtype="<f4")[:, None]),
    }
    indices = maker.add(mesh.triangles.reshape(-1, 1).astype("<u2"), target=34963)
    maker.document["meshes"] = [
        {
            "name": "Ledge",
            "extras": {"tide": 1.5},
            "primitives": [{"attributes": attributes, "indices": indices}],
        }
    ]
    maker.document["nodes"][0].update(translation=[3.0, 1.0, -2.0], extras={"id": 7})
    return maker.bytes()


def kept(db, surface) -> np.ndarray:
    with db() as session:
        [channels] = stored_channels(session, UUID(str(surface))).values()
    return np.stack([c.values() for c in channels], axis=1)


def test_from_import_to_export(page, server, db):
    small_project(db)
    original = own_glb()
    page.goto("/")
    page.get_by_label("Mesh file").set_input_files(
        {"name": "ledge.glb", "mimeType": "model/gltf-binary", "buffer": original}
    )
    page.wait_for_url("**/surface/*")
    settle(page)
    surface = page.url.rsplit("/", 1)[1]
    expect(page.get_by_role("heading", name="ledge")).to_be_visible()

    # The new surface has a ground only: add a layer that reads channel R.
    page.get_by_role("button", name="Add a layer on top").click()
    settle(page)
    empty = picture(page)
    set_slider(page, "Radius", "0.4 m")
    set_slider(page, "Strength", "100")
    paint(page)
    painted = differs(page, empty, 60)
    assert undo_label(page) == "Undo: Paint Channel R"

    page.reload()
    settle(page)
    shows(page, painted)

    page.keyboard.press("Control+z")
    settle(page)
    assert undo_label(page) == "Undo: Add layer Light"
    shows(page, empty)
    page.keyboard.press("Control+Shift+z")
    settle(page)
    shows(page, painted)

    # Kill the server hard right after it said "saved".
    page.expected_errors = True
    drag(page, [(-50, -60), (0, -50), (50, -60)])
    expect(page.get_by_test_id("save-state")).to_have_text("All strokes saved")
    server.kill()
    expect(page.get_by_test_id("save-state")).to_contain_text("Connection lost")
    server.start()
    settle(page)
    page.expected_errors = False
    both = differs(page, painted, 60)
    page.reload()
    settle(page)
    shows(page, both)
    values = kept(db, surface)
    assert (values[:, 0] > 0).sum() > 100 and not values[:, 1:].any()

    page.get_by_role("button", name="Export").click()
    page.get_by_role("radio", name="16 bits").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save ledge.glb").click()
    out = download.value.path().read_bytes()
    gltf = pygltflib.GLTF2().load_from_bytes(out)
    attributes = gltf.meshes[0].primitives[0].attributes
    accessor = gltf.accessors[attributes._MASK0]
    where = gltf.bufferViews[accessor.bufferView].byteOffset
    exported = np.frombuffer(gltf.binary_blob(), "<u2", 1681 * 4, where).reshape(-1, 4)
    np.testing.assert_array_equal(exported, values)
    before, after = split_glb(original), split_glb(out)
    assert after[1].startswith(before[1]) and after[0]["nodes"] == before[0]["nodes"]
    assert after[0]["accessors"][:-1] == before[0]["accessors"]
    del after[0]["meshes"][0]["primitives"][0]["attributes"]["_MASK0"]
    # What the attribute holds stands beside it, and nothing else is new.
    [told] = after[0]["meshes"][0]["extras"].pop("channel_sets")
    assert told["attribute"] == "_MASK0" and len(told["channels"]) == 4
    if not after[0]["meshes"][0]["extras"]:
        del after[0]["meshes"][0]["extras"]
    assert after[0]["meshes"] == before[0]["meshes"]

    # The default is eight bits.
    page.get_by_role("radio", name="8 bits").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save ledge.glb").click()
    eight = pygltflib.GLTF2().load_from_bytes(download.value.path().read_bytes())
    accessor = eight.accessors[eight.meshes[0].primitives[0].attributes._MASK0]
    where = eight.bufferViews[accessor.bufferView].byteOffset
    stored = np.frombuffer(eight.binary_blob(), np.uint8, 1681 * 4, where).reshape(-1, 4)
    np.testing.assert_array_equal(stored, quantise(values / 65535, 8))


def test_a_lost_connection_is_told_and_nothing_is_painted_until_it_is_back(page, server, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    paint(page)
    before = picture(page)
    page.expected_errors = True
    server.kill()
    expect(page.get_by_test_id("save-state")).to_contain_text("Connection lost: painting is paused")
    drag(page, [(-50, 60), (0, 60), (50, 60)])
    expect(page.get_by_text("Painting is paused: the connection to the server is lost.")).to_be_visible()
    server.start()
    settle(page)
    page.expected_errors = False
    shows(page, before)
    drag(page, [(-50, 60), (0, 60), (50, 60)])
    settle(page)
    differs(page, before, 40)


def test_an_undercoat_that_was_edited_without_a_connection_is_run_when_it_is_back(page, server, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    stage(page, "Undercoat")
    page.get_by_role("button", name="Add a term").click()
    page.get_by_role("dialog", name="Add a term").get_by_role("button", name=re.compile("^Noise ")).click()
    expect(page.get_by_role("button", name="Undo: Undercoat of Channel R")).to_be_enabled()
    settle(page)
    with db() as session:
        before = stored_channels(session, sample.surface)[sample.channel_set][0].values().copy()
    page.expected_errors = True
    server.kill()
    expect(page.get_by_test_id("save-state")).to_contain_text("Connection lost")
    set_slider(page, "How much", "20")
    # For longer than an edit rests: it stays on the screen, and is asked for when somebody hears it.
    page.wait_for_timeout(1000)
    expect(page.get_by_label("How much, number")).to_have_value("20 %")
    server.start()
    settle(page)
    page.expected_errors = False
    with db() as session:
        after = stored_channels(session, sample.surface)[sample.channel_set][0].values()
    assert before.any()
    np.testing.assert_allclose(after, 0.2 * before.astype(float), atol=2)


def test_a_broken_file_is_explained_on_the_page(page, db):
    small_project(db)
    page.goto("/")
    page.expected_errors = True
    for name, data, text in (
        ("cut.glb", own_glb()[:-300], "cut off"),
        ("empty.ply", b"", "The file is empty."),
        ("picture.obj", b"\x89PNG....", "no faces"),
    ):
        page.get_by_label("Mesh file").set_input_files({"name": name, "mimeType": "a/b", "buffer": data})
        alert = page.get_by_role("alert").filter(has_text=name)
        expect(alert).to_contain_text(text)
        expect(alert).to_contain_text("Nothing was kept of it.")
    with db() as session:
        assert len(session.scalars(select(Surface)).all()) == 1


def test_a_new_project_its_material_and_an_all_white_mesh(page, db):
    page.goto("/")
    page.get_by_role("button", name="New project").last.click()
    page.get_by_label("Name of the project").fill("Harbour")
    page.get_by_role("button", name="Create").click()
    page.get_by_role("button", name="Add material", exact=True).click()
    rng = np.random.default_rng(1)
    page.get_by_label("Map files").set_input_files(
        [
            {
                "name": "rust_albedo.png",
                "mimeType": "image/png",
                "buffer": write_png(rng.integers(0, 255, (32, 32, 3), np.uint8)),
            },
            {
                "name": "rust_height.png",
                "mimeType": "image/png",
                "buffer": write_png(rng.integers(0, 65535, (32, 32), np.uint16)),
            },
            {
                "name": "rust_rough.png",
                "mimeType": "image/png",
                "buffer": write_png(np.full((32, 32), 90, np.uint8)),
            },
        ]
    )
    expect(page.get_by_label("Role of rust_rough.png")).to_contain_text("Roughness")
    expect(page.get_by_label("Name", exact=True)).to_have_value("rust")
    page.get_by_role("button", name="Add material", exact=True).last.click()
    expect(page.get_by_text("32 px · 3 maps")).to_be_visible()

    maker = GlbMaker()
    ball = sphere(3)
    white = np.full((ball.vertex_count, 4), 255, np.uint8)
    attributes = {
        "POSITION": maker.add(ball.positions.astype("<f4"), bounds=True),
        "COLOR_0": maker.add(white, normalized=True),
    }
    indices = maker.add(ball.triangles.reshape(-1, 1).astype("<u2"), target=34963)
    maker.document["meshes"] = [{"primitives": [{"attributes": attributes, "indices": indices}]}]
    page.get_by_label("Mesh file").set_input_files(
        {"name": "ball.glb", "mimeType": "a/b", "buffer": maker.bytes()}
    )
    page.wait_for_url("**/surface/*")
    settle(page)
    surface = page.url.rsplit("/", 1)[1]
    expect(page.get_by_text("COLOR_0 is all white")).to_be_visible()
    assert (kept(db, surface) == 65535).all()
    page.get_by_role("button", name="Start COLOR_0 empty").click()
    settle(page)
    expect(page.get_by_role("button", name="Undo: Start COLOR_0 empty")).to_be_enabled()
    assert not kept(db, surface).any()


def test_every_page_and_sheet_loads_nothing_from_elsewhere(page, server, db):
    """The page fixture fails on any request off-origin and on any violation of the policy."""
    sample = small_project(db)
    seen = []
    page.on("response", lambda answer: seen.append(answer))  # noqa: PLW0108 - Playwright marks its handlers
    page.goto("/")
    expect(page.get_by_role("heading", name="Test")).to_be_visible()
    page.get_by_role("button", name="Add material").click()
    expect(page.get_by_role("heading", name="Add a material")).to_be_visible()
    page.keyboard.press("Escape")
    open_surface(page, sample.surface)
    page.keyboard.press("?")
    expect(page.get_by_role("heading", name="Keys and gestures")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Export").click()
    page.get_by_role("radio", name="COLOR_0").click()
    expect(page.get_by_text("plain viewers multiply the base colour by it")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_label("Material", exact=True).click()
    expect(page.get_by_role("option", name="Dark")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Light interface").click()
    assert len([r for r in seen if "/assets/" in r.url]) >= 4
    assert all(r.status < 400 for r in seen)
    for asset in {r.url for r in seen if r.url.endswith((".css", ".js"))}:
        text = page.request.get(asset).text()
        assert "@import url" not in text and "src:url(http" not in text
    page.goto("/surface/00000000-0000-0000-0000-000000000000")
    page.expected_errors = True
    expect(page.get_by_role("alert")).to_contain_text("There is no surface")
    page.strange[:] = [s for s in page.strange if "404" not in s]


def test_the_server_stops_cleanly_with_a_window_open(page, server, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    paint(page)
    values = kept(db, sample.surface)
    page.expected_errors = True
    assert server.stop() in (0, -2)
    with db() as session:
        row = session.get(Surface, sample.surface)
        assert row.checkpoint == 1, "the tiles were brought up to the journal"
    np.testing.assert_array_equal(kept(db, sample.surface), values)
    server.start()
    settle(page)
    # The history has survived too.
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name="Nothing to undo")).to_be_disabled()
    assert not kept(db, sample.surface).any()
