"""Channels, sets, layers and materials as documents, through the interface."""

import io
import re

import httpx2 as httpx
import numpy as np
from browser.window import (
    alike,
    channel,
    differs,
    layer,
    open_surface,
    paint,
    picture,
    set_slider,
    settle,
    shows,
)
from limits import until
from PIL import Image
from playwright.sync_api import expect
from samples import small_project
from shapes import plane
from sqlalchemy import func, select

from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.glb_write import build_glb
from ashblend.store.models import ChannelSet, Material


def upload(page, project, name: str, data: bytes) -> None:
    page.goto(f"/project/{project}")
    page.get_by_label("Mesh file").set_input_files({"name": name, "mimeType": "a/b", "buffer": data})
    page.wait_for_url("**/surface/*")
    settle(page)


def test_an_undercoat_shows_where_there_is_no_paint_and_erasing_brings_it_back(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    bare = picture(page)
    page.get_by_label("More for Channel R").click()
    field = page.get_by_label("Undercoat of Channel R")
    field.fill("1")
    field.press("Enter")
    page.keyboard.press("Escape")
    full = differs(page, bare, 60)
    set_slider(page, "Strength", "100")
    set_slider(page, "Weight", "0")
    paint(page)
    differs(page, full, 60)
    page.keyboard.press("e")
    set_slider(page, "Radius", "1.2 m")
    paint(page)
    shows(page, full)
    with db() as session:
        document = session.get(ChannelSet, sample.channel_set).document
    assert document["channels"][0]["undercoat"] == {"kind": "constant", "value": 1.0}


def test_channels_are_renamed_filled_and_inverted(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    channel(page, "Channel G").dblclick()
    field = page.get_by_label("Name of channel G")
    field.fill("Lichen")
    field.press("Enter")
    expect(channel(page, "Lichen")).to_be_visible()
    # Names are written a moment after they are typed; faster than that would be the earlier step.
    expect(page.get_by_role("button", name="Undo: Rename Channel G to Lichen")).to_be_enabled()
    channel(page, "Lichen").click()
    page.keyboard.press("Shift+F")
    expect(page.get_by_role("button", name="Undo: Fill Lichen with 1.00")).to_be_enabled()
    expect(channel(page, "Lichen")).to_contain_text("100 % unread")
    page.keyboard.press("Shift+I")
    expect(page.get_by_role("button", name="Undo: Invert Lichen")).to_be_enabled()
    expect(channel(page, "Lichen")).to_contain_text("0 % unread")
    page.get_by_label("More for Lichen").click()
    page.get_by_role("button", name="Lift all paint off").click()
    expect(page.get_by_role("button", name="Undo: Lift all paint off Lichen")).to_be_enabled()
    page.reload()
    settle(page)
    expect(channel(page, "Lichen")).to_be_visible()


def test_a_double_click_takes_what_is_typed_as_the_name(page, db):
    """Letters are shortcuts elsewhere, and a space presses what has the focus."""
    sample = small_project(db)
    open_surface(page, sample.surface)
    channel(page, "Channel B").dblclick()
    expect(page.get_by_label("Name of channel B")).to_be_focused()
    page.keyboard.type("Fresh moss")
    page.keyboard.press("Enter")
    expect(channel(page, "Fresh moss")).to_be_visible()
    expect(page.get_by_label("Name of channel B")).to_have_count(0)
    expect(page.get_by_role("radio", name="Blend", exact=True).first).to_be_checked()
    # Erase, and back to what was before.
    page.keyboard.press("m")
    page.keyboard.press("e")
    expect(page.get_by_role("radio", name="Erase")).to_be_checked()
    page.keyboard.press("e")
    expect(page.get_by_role("radio", name="Smooth", exact=True).first).to_be_checked()
    # A new layer reads the next channel that none reads.
    page.get_by_role("button", name="Add a layer on top").click()
    expect(page.get_by_role("combobox", name="Mask")).to_contain_text("Fresh moss")
    channel(page, "Channel R").click()
    page.get_by_role("button", name="Add a layer on top").click()
    expect(page.get_by_role("combobox", name="Mask")).to_contain_text("Channel G")
    settle(page)


def test_what_changed_before_a_window_was_told_anything_is_shown_all_the_same(page, server, db):
    """Between loading the surface and the first word over the socket somebody renames a channel and a layer."""
    sample = small_project(db)

    def late(socket) -> None:
        view = httpx.get(f"{server.address}/api/surfaces/{sample.surface}").json()
        found, blend = view["channel_sets"][0], view["blend"]
        channels = found["document"]["channels"]
        channels[1] = {**channels[1], "name": "Lichen", "locked": True}
        body = {"revision": found["revision"], "document": {**found["document"], "channels": channels}}
        httpx.put(f"{server.address}/api/channel-sets/{found['id']}", json=body).raise_for_status()
        document = blend["document"]
        document["layers"][0]["name"] = "Crust"
        body = {"revision": blend["revision"], "surface": str(sample.surface), "document": document}
        httpx.put(f"{server.address}/api/blends/{blend['id']}", json=body).raise_for_status()
        socket.connect_to_server()

    page.route_web_socket(re.compile("/live"), late)
    open_surface(page, sample.surface)
    expect(channel(page, "Lichen")).to_be_visible()
    expect(page.get_by_text("Crust").first).to_be_visible()


def test_what_is_kept_while_a_window_still_joins_is_done_when_it_has_joined(page, db):
    """The first time, and after the list of sets has become another one."""
    sample = small_project(db, plane(33, 2.0, uv=True))
    held = []

    def slow(socket) -> None:
        there = socket.connect_to_server()

        def hand_on(message) -> None:
            if isinstance(message, str) and '"ready"' in message:
                held.append(lambda: socket.send(message))
            else:
                socket.send(message)

        there.on_message(hand_on)

    def let_in() -> None:
        until(
            lambda: page.wait_for_timeout(50) or held, bool, "the server has said that the window has joined"
        )
        held.pop()()

    def keep(kind: str) -> None:
        page.get_by_role("radio", name=kind).click()
        page.get_by_role("button", name="Keep it").click()
        expect(page.get_by_test_id("save-state")).to_have_text("Connecting …")
        let_in()
        settle(page)

    page.route_web_socket(re.compile("/live"), slow)
    page.goto(f"/surface/{sample.surface}")
    expect(channel(page, "Channel R")).to_be_visible()
    page.keyboard.press("f")
    keep("Noise")
    body = {"name": "Map", "sites": {"kind": "texels", "size": 256, "uv": 0}, "channels": 1}
    assert page.request.post(f"/api/surfaces/{sample.surface}/sets", data=body).ok
    page.get_by_label("Channel set", exact=True).click()
    page.get_by_role("option", name="Map").click()
    keep("Axis gradient")
    steps = page.request.get(f"/api/surfaces/{sample.surface}/history").json()["steps"]
    assert [s["label"] for s in steps] == ["Noise on Channel R", "Add Map", "Gradient on Channel R (Map)"]


def test_a_layer_may_read_any_set_of_the_surface(page, db):
    sample = small_project(db)
    mesh = plane(21, 2.0, uv=True)
    left = (mesh.positions[:, :1] < 1).astype(np.float32)
    near = (mesh.positions[:, 2:] > 1).astype(np.float32)
    zero = np.zeros_like(left)
    first, second = np.hstack([left, zero, zero, zero]), np.hstack([zero, near, zero, zero])
    data = build_glb(
        mesh, [ExportAttribute("COLOR_0", first, 8), ExportAttribute("_MASK0", second, 8)], "Two"
    )
    upload(page, sample.project, "two.glb", data)
    page.get_by_role("button", name="Add the first layer").click()
    settle(page)
    by_first = picture(page)
    page.get_by_label("Mask", exact=True).click()
    page.get_by_role("option", name="_MASK0 · G · Channel G").click()
    by_second = differs(page, by_first, 60)
    page.get_by_label("Channel set", exact=True).click()
    page.get_by_role("option", name="_MASK0", exact=True).click()
    page.keyboard.press("s")
    greens = picture(page)
    assert (greens[..., 1] - greens[..., 0]).max() > 120, "the Set lens shows the second set"
    # Painting goes to the chosen set.
    page.keyboard.press("2")
    page.keyboard.press("b")
    set_slider(page, "Strength", "100")
    paint(page)
    differs(page, by_second, 40)


def test_materials_are_swapped_at_once_and_jpegs_are_taken(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    layer(page, "Ground").click()
    dark = picture(page)
    page.get_by_label("Material", exact=True).click()
    page.get_by_role("option", name="Light", exact=True).click()
    differs(page, dark, 60)
    # Two layers of one material at one placing share their samples.
    expect(page.get_by_text("2 samples a pixel")).to_be_visible()
    file = io.BytesIO()
    Image.new("RGB", (64, 64), (180, 20, 20)).save(file, "JPEG")
    page.get_by_role("button", name="Add a material from your own maps").click()
    page.get_by_label("Map files").set_input_files(
        {"name": "rust_color.jpg", "mimeType": "image/jpeg", "buffer": file.getvalue()}
    )
    page.get_by_role("button", name="Add material", exact=True).click()
    expect(page.get_by_label("Material", exact=True)).to_contain_text("rust")
    settle(page)
    settle(page)
    rust = picture(page)
    assert (rust[..., 0] - rust[..., 1]).max() > 60, "the new material is on the ground already"
    with db() as session:
        of_project = Material.project_id == sample.project
        assert session.scalar(select(func.count()).select_from(Material).where(of_project)) == 3


def test_the_mapping_moves_the_tiles(page, db):
    """A material with a mark: turned, shifted and scaled it looks different each time, and comes back."""
    sample = small_project(db)
    file = io.BytesIO()
    image = Image.new("RGB", (64, 64), (40, 40, 40))
    image.paste((240, 200, 40), (0, 0, 20, 44))
    image.save(file, "PNG")
    open_surface(page, sample.surface)
    layer(page, "Ground").click()
    page.get_by_role("button", name="Add a material from your own maps").click()
    page.get_by_label("Map files").set_input_files(
        {"name": "mark.png", "mimeType": "image/png", "buffer": file.getvalue()}
    )
    page.get_by_role("button", name="Add material", exact=True).click()
    expect(page.get_by_label("Material", exact=True)).to_contain_text("mark")
    settle(page)
    first = picture(page)
    for label, value, back in (
        ("Rotation", "40", "0"),
        ("Offset across", "0.2", "0"),
        ("Tile size", "0.9 m", "0.5 m"),
    ):
        set_slider(page, label, value)
        differs(page, first, 60)
        set_slider(page, label, back)
        alike(page, first)
    page.get_by_role("radio", name="Triplanar").click()
    expect(page.get_by_text("8 samples a pixel")).to_be_visible()
    settle(page)
    # On a level square of 2 m with a map of 2 m, both projections lay the tiles alike.
    alike(page, first)


def test_a_layers_name_goes_with_its_material_until_it_is_given_one(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    layer(page, "Light").click()

    def lay(material: str) -> None:
        page.get_by_label("Material", exact=True).click()
        page.get_by_role("option", name=material, exact=True).click()

    lay("Dark")
    expect(layer(page, "Dark")).to_be_visible()
    name = page.get_by_label("Name of the layer")
    name.fill("Scree")
    name.press("Enter")
    expect(layer(page, "Scree")).to_be_visible()
    lay("Light")
    settle(page)
    expect(layer(page, "Scree")).to_be_visible()
    page.reload()
    settle(page)
    expect(layer(page, "Scree")).to_be_visible()


def test_an_edit_that_is_on_its_way_is_not_called_saved(page, db):
    """The bottom line waits for documents as it does for strokes."""
    sample = small_project(db)
    open_surface(page, sample.surface)
    held = []
    page.route(
        "**/api/blends/*",
        lambda route: held.append(route) if route.request.method == "PUT" else route.continue_(),
    )
    set_slider(page, "Opacity", "40")
    state = page.get_by_test_id("save-state")
    expect(state).to_have_text("Saving …")
    while not held:
        page.wait_for_timeout(50)
    expect(state).to_have_text("Saving …")
    held[0].continue_()
    expect(state).to_have_text("All strokes saved")
