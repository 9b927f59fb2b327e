"""The blend builder in a real browser: recipes by hand, masks kept, mixed undo, two windows, broken documents."""

import re

import numpy as np
from browser.window import (
    another_page,
    channel,
    differs,
    layer,
    layer_names,
    new_page,
    open_surface,
    paint,
    picture,
    set_slider,
    settle,
    shows,
    stage,
)
from limits import until
from playwright.sync_api import expect
from samples import small_project, stored_channels
from shapes import plane

from ashblend.core.channels.quantise import FULL
from ashblend.core.formats.images import write_png
from ashblend.core.sites.mesh import Mesh
from ashblend.store.documents import get_row
from ashblend.store.models import Blend


def ramp() -> Mesh:
    """45°, from 2 m down to 0, turned to the first view."""
    mesh = plane(33, 2.0, uv=True)
    positions = mesh.positions.copy()
    positions[:, 1] = 2 - positions[:, 0]
    return Mesh(positions, mesh.triangles, uvs=mesh.uvs)


def document(db, sample) -> dict:
    with db() as session:
        return get_row(session, Blend, sample.blend).document


def add_term(page, title: str) -> None:
    page.get_by_role("button", name="Add a term").click()
    page.get_by_role("dialog", name="Add a term").get_by_role("button", name=re.compile(f"^{title} ")).click()
    settle(page)


def test_a_recipe_mask_is_built_kept_painted_over_and_run_again(page, db):
    sample = small_project(db, ramp())
    open_surface(page, sample.surface)
    bare = picture(page)
    # Height alone: the painted channel's term goes, a ramp over the surface's own heights comes.
    page.get_by_role("button", name="Remove Channel R").click()
    add_term(page, "Height")
    settle(page)
    by_height = differs(page, bare, 60)
    term = document(db, sample)["layers"][0]["mask"]["terms"][0]
    assert term["source"] == {"kind": "height"} and (term["low"], term["high"]) == (0, 2)
    # Dragged on its histogram: the picture follows before anything is written.
    none = page.get_by_role("slider", name="Ramp of Height, none")
    box = page.get_by_role("group", name="Ramp of Height").bounding_box()
    at = none.bounding_box()
    page.mouse.move(at["x"] + at["width"] / 2, at["y"] + at["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, steps=4)
    page.mouse.up()
    settle(page)
    dragged = differs(page, by_height, 40)
    field = page.get_by_label("Ramp of Height, none at")
    expect(field).to_have_value(re.compile(r"^(9\d(\.\d)? cm|1(\.\d+)? m)$"))
    field.fill("1 m")
    field.press("Enter")
    page.get_by_label("Ramp of Height, full at").fill("1.5 m")
    page.get_by_label("Ramp of Height, full at").press("Enter")
    settle(page)
    settle(page)
    masked = picture(page)
    # Kept in a channel it looks the same, and the shader reads the channel alone.
    page.get_by_role("combobox", name="Keep this mask in a channel").click()
    page.get_by_role("option", name="B · Channel B").click()
    expect(page.get_by_role("combobox", name="Mask", exact=True)).to_contain_text("Channel B")
    settle(page)
    off = np.abs(picture(page) - masked)
    assert off.mean() < 1.5, "interpolated between vertices instead of worked out at every pixel"
    channel(page, "Channel B").click()
    set_slider(page, "Strength", "100")
    paint(page, [(0, 0), (20, 8), (40, 0)])
    with db() as session:
        painted = stored_channels(session, sample.surface)[sample.channel_set][2]
    covered = painted.cover > 0.3 * FULL
    assert covered.any()
    # Run again with another ramp: the paint stays where it is.
    stage(page, "Undercoat")
    page.get_by_role("button", name="Height", exact=False).first.click()
    page.get_by_role("button", name="Invert").click()
    expect(page.get_by_role("button", name="Undo: Undercoat of Channel B")).to_be_enabled()
    settle(page)
    with db() as session:
        again = stored_channels(session, sample.surface)[sample.channel_set][2]
    np.testing.assert_array_equal(again.cover, painted.cover)
    low = (sample.mesh.positions[:, 1] < 0.9) & (painted.cover == 0)
    assert (again.values()[low] == FULL).all()
    # Mixed with strokes and edits of the blend, undo goes back in order.
    for label in ("Undercoat of Channel B", "Paint Channel B", "Undercoat of Channel B"):
        page.get_by_role("button", name=f"Undo: {label}").click()
        settle(page)
    stage(page, "Blend")
    expect(page.get_by_role("combobox", name="Mask", exact=True)).to_contain_text("A recipe of 1")
    shows(page, masked)
    assert np.abs(dragged - masked).max() > 0


def test_a_slope_ramp_is_dragged_on_its_histogram(page, db):
    """From level at one side to steep at the other."""
    mesh = plane(33, 2.0, uv=True)
    positions = mesh.positions.copy()
    positions[:, 1] = 0.5 * (2 - positions[:, 0]) ** 2
    sample = small_project(db, Mesh(positions, mesh.triangles, uvs=mesh.uvs))
    open_surface(page, sample.surface)
    page.get_by_role("button", name="Remove Channel R").click()
    add_term(page, "Slope")
    settle(page)
    settle(page)
    first = picture(page)
    bars = page.get_by_role("group", name="Ramp of Slope").locator("rect")
    expect(bars.first).to_be_visible()
    assert bars.count() > 20, "its slopes run from level to 63°"
    box = page.get_by_role("group", name="Ramp of Slope").bounding_box()
    for end, share in (("none", 0.45), ("full", 0.6)):
        at = page.get_by_role("slider", name=f"Ramp of Slope, {end}").bounding_box()
        page.mouse.move(at["x"] + at["width"] / 2, at["y"] + at["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * share, box["y"] + box["height"] / 2, steps=4)
        page.mouse.up()
    settle(page)
    differs(page, first, 40)
    settle(page)
    term = document(db, sample)["layers"][0]["mask"]["terms"][0]
    for end, value in (("none", term["low"]), ("full", term["high"])):
        expect(page.get_by_label(f"Ramp of Slope, {end} at")).to_have_value(f"{round(value, 1):g}°")
    assert 15 < term["low"] < term["high"] < 60, term


def test_lenses_show_the_mask_the_share_a_term_and_the_shape(page, db):
    sample = small_project(db, ramp())
    open_surface(page, sample.surface)
    add_term(page, "Height")
    page.keyboard.press("Shift+C")
    expect(page.get_by_text("Mask · Light")).to_be_visible()
    settle(page)
    mask = picture(page)
    assert np.abs(mask - mask[0, 0]).max() < 200, "an even channel times height is nothing yet"
    page.get_by_role("button", name="More lenses").click()
    page.get_by_role("button", name=re.compile("^Term")).click()
    settle(page)
    term = differs(page, mask, 60)
    page.keyboard.press("Shift+H")
    expect(page.get_by_text(re.compile("a band is"))).to_be_visible()
    settle(page)
    differs(page, term, 20)
    page.keyboard.press("Shift+S")
    settle(page)
    slopes = picture(page)
    # One slope everywhere, one band: nothing but shading differs over the surface.
    middle = slopes[slopes.shape[0] // 2, slopes.shape[1] // 2]
    assert np.abs(slopes - middle).sum(axis=2)[100:-100:9, 200:-200:9].min() < 12
    page.keyboard.press("y")
    expect(page.get_by_text("Share · Light")).to_be_visible()
    page.keyboard.press("b")
    settle(page)


def test_layers_of_every_kind_are_added_doubled_copied_and_looked_at_alone(page, server, db):
    sample = small_project(db, ramp())
    other = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    paint(page)
    for about, name in (("Lies on it as a thin coat", "Film"), ("Changes only colour", "Tint")):
        page.get_by_role("button", name="More kinds").click()
        page.get_by_text(about).click()
        expect(layer(page, name)).to_be_visible()
    page.get_by_role("button", name="More kinds").click()
    page.get_by_role("button", name="A cover of Dark").click()
    settle(page)
    assert layer_names(page) == ["Dark", "Tint", "Film", "Light"]
    page.get_by_role("button", name="Dark once more").click()
    settle(page)
    assert layer_names(page)[0] == "Dark 2"
    layer(page, "Light").click()
    page.get_by_role("button", name="Copy Light, for another blend").click()
    everything = picture(page)
    page.keyboard.press("Shift+V")
    settle(page)
    settle(page)
    expect(page.get_by_role("button", name="Look at Light alone")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Shift+V")
    settle(page)
    shows(page, everything)
    kept = document(db, sample)
    assert [x["kind"] for x in kept["layers"]] == ["cover", "film", "tint", "cover", "cover"]
    assert all(x["visible"] for x in kept["layers"]), "looking at one alone wrote nothing"
    # Another surface takes it, in another window, on a set of its own that stands where the copied one's was.
    second = another_page(page.context, server.address)
    open_surface(second, other.surface)
    second.get_by_role("button", name="More kinds").click()
    second.get_by_role("button", name="Paste Light").click()
    expect(second.get_by_text("it has a channel of Masks and a material of this project.")).to_be_visible()
    settle(second)
    assert layer_names(second) == ["Light", "Light"]
    pasted = document(db, other)["layers"][1]
    assert pasted["mask"]["terms"][0]["source"]["channel_set"] == str(other.channel_set)
    assert pasted["material"] == str(other.materials[1])
    second.close()


def test_no_texture_at_all_and_a_swapped_material_keep_the_paint(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    paint(page)
    painted = picture(page)
    with db() as session:
        before = stored_channels(session, sample.surface)[sample.channel_set][0].values()
    layer(page, "Ground").click()
    page.get_by_label("Material", exact=True).click()
    page.get_by_role("option", name="No material: a colour").click()
    expect(page.get_by_text("2 samples a pixel")).to_be_visible()
    settle(page)
    differs(page, painted, 40)
    layer(page, "Light").click()
    page.get_by_role("button", name="Remove Light").click()
    page.get_by_role("button", name="More kinds").click()
    page.get_by_text("Changes only colour").click()
    page.get_by_role("radio", name="Look", exact=True).first.click()
    page.get_by_role("radio", name="Set", exact=True).first.click()
    page.get_by_role("radio", name="Replace").click()
    expect(page.get_by_text("0 samples a pixel")).to_be_visible()
    settle(page)
    settle(page)
    bare = picture(page)
    assert (bare[..., 0] - bare[..., 1]).max() > 60, "R of the set is red"
    with db() as session:
        after = stored_channels(session, sample.surface)[sample.channel_set][0].values()
    np.testing.assert_array_equal(after, before)


def test_of_two_windows_the_later_is_told_and_nothing_is_merged(page, server, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    second = new_page(page.context.browser, server.address)
    open_surface(second, sample.surface)
    # Between the second's last word and its write, the first one's edit is kept.
    second.route("**/api/blends/*", lambda route: (second.wait_for_timeout(700), route.continue_()))
    for window in (page, second):
        window.get_by_role("radio", name="Border", exact=True).click()
    set_slider(page, "Bite", "2")
    set_slider(second, "Softness", "0.5")
    second.expected_errors = True
    expect(second.get_by_label("Bite, number")).to_have_value("2.00")
    toasts = second.locator("[data-sonner-toast]")
    kept, told = until(
        lambda: (document(db, sample)["layers"][0], toasts.count()),
        lambda now: now[0]["bite"] == 2 and (now[0]["softness"] == 0.5 or now[1]),
        "it is neither taken nor refused",
    )
    assert kept["bite"] == 2 and (kept["softness"] == 0.5) != bool(told), "taken whole, or refused and told"
    second.strange[:] = [s for s in second.strange if "409" not in s]
    second.context.close()


def test_a_layer_that_cannot_be_drawn_is_marked_and_the_rest_works(page, db):
    sample = small_project(db)
    with db.begin() as session:
        row = get_row(session, Blend, sample.blend)
        lost = {**row.document["layers"][0], "id": "lost", "name": "Lost", "material": str(sample.blend)}
        row.document = {**row.document, "layers": [*row.document["layers"], lost]}
    open_surface(page, sample.surface)
    before = picture(page)
    expect(layer(page, "Lost")).to_contain_text("!")
    layer(page, "Lost").click()
    expect(page.get_by_role("alert").filter(has_text="material")).to_contain_text("It is left out.")
    layer(page, "Light").click()
    set_slider(page, "Strength", "100")
    paint(page)
    differs(page, before, 40)
    layer(page, "Lost").click()
    page.get_by_label("Material", exact=True).click()
    page.get_by_role("option", name="Dark", exact=True).click()
    expect(layer(page, "Lost")).not_to_contain_text("!")
    settle(page)


def test_layers_are_grouped_folded_hidden_and_moved_as_one(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    paint(page)
    for name in ("Rain", "Salt"):
        layer(page, "Light").click()
        page.get_by_role("button", name="Light once more").click()
        page.get_by_label("Name of the layer").fill(name)
        page.get_by_label("Name of the layer").press("Enter")
    expect(layer(page, "Salt")).to_be_visible()
    layer(page, "Rain").click()
    page.get_by_label("Group of Rain", exact=True).click()
    page.get_by_role("option", name="A new group").click()
    page.get_by_label("Name of the group").fill("Weather")
    page.get_by_label("Name of the group").press("Enter")
    layer(page, "Light").click()
    page.get_by_label("Group of Light", exact=True).click()
    page.get_by_role("option", name="Weather").click()
    settle(page)
    settle(page)
    # Joining from below it lies lowest of the group: little else moves.
    assert layer_names(page) == ["Rain", "Light", "Salt"]
    kept = document(db, sample)
    assert [x["group"] for x in kept["layers"]] == [None, "group-1", "group-1"]
    together = picture(page)
    head = page.get_by_role("button", name=re.compile("^Weather"))
    head.click()
    expect(head).to_have_attribute("aria-expanded", "false")
    assert layer_names(page) == ["Salt"]
    # By the keyboard under the third, as one.
    page.get_by_label("Move Weather").press("Enter")
    page.get_by_label("Move Weather").press("ArrowDown")
    page.get_by_label("Move Weather").press("Enter")
    settle(page)
    settle(page)
    assert [x["name"] for x in document(db, sample)["layers"]] == ["Light", "Rain", "Salt"]
    head.click()
    assert layer_names(page) == ["Salt", "Rain", "Light"]
    # Down from over the group, a layer goes into it first.
    layer(page, "Salt").press("Alt+ArrowDown")
    settle(page)
    assert [x["group"] for x in document(db, sample)["layers"]] == ["group-1"] * 3
    page.get_by_role("button", name="Hide Weather").click()
    settle(page)
    settle(page)
    differs(page, together, 40)
    expect(page.get_by_text("2 samples a pixel")).to_be_visible()
    for _ in range(3):
        page.keyboard.press("Control+z")
        settle(page)
    shows(page, together)


def test_a_recipe_is_kept_with_a_picture_and_laid_on_another_surface(page, db):
    sample = small_project(db, ramp())
    open_surface(page, sample.surface)
    add_term(page, "Height")
    settle(page)
    page.get_by_role("button", name="Kept", exact=True).click()
    page.get_by_label("Name to keep this recipe by").fill("Tide")
    page.get_by_role("button", name="Keep", exact=True).click()
    held = page.get_by_role("button", name="Tide", exact=True)
    expect(held.locator("img")).to_be_visible()
    shades = page.evaluate(
        """async () => {
        const image = await createImageBitmap(await (await fetch(
          document.querySelector('[aria-label="What is kept"] img').src)).blob());
        const c = new OffscreenCanvas(image.width, image.height).getContext('2d');
        c.drawImage(image, 0, 0);
        return [...c.getImageData(0, 0, image.width, image.height).data];
        }"""
    )
    drawn = np.asarray(shades, int).reshape(-1, 4)[:, :3]
    assert np.ptp(drawn, axis=0).max() > 60, "a ramp over the height is light and dark"
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Remove Height").click()
    settle(page)
    # Its terms come back in the place of what is there; let go, it can be kept again.
    page.get_by_role("button", name="Kept", exact=True).click()
    page.get_by_role("button", name="Tide", exact=True).click()
    expect(page.get_by_text("A recipe of 2")).to_be_visible()
    settle(page)
    settle(page)
    kinds = [t["source"]["kind"] for t in document(db, sample)["layers"][0]["mask"]["terms"]]
    assert kinds == ["channel", "height"]
    page.get_by_role("button", name="Kept", exact=True).click()
    page.get_by_role("button", name="Let Tide go").click()
    expect(page.get_by_text("Nothing is kept yet.")).to_be_visible()
    page.get_by_role("button", name="Keep it").click()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Kept", exact=True).click()
    expect(page.get_by_role("button", name="Tide", exact=True).locator("img")).to_be_visible()


def test_the_last_program_stays_while_another_links_and_when_it_does_not(page, db):
    """A graphics card that takes its time, and one that takes no more."""
    page.add_init_script(
        """
        // KHR_parallel_shader_compile, whose only word is COMPLETION_STATUS_KHR.
        const extension = WebGL2RenderingContext.prototype.getExtension;
        WebGL2RenderingContext.prototype.getExtension = function (name) {
          if (name === 'KHR_parallel_shader_compile') return { COMPLETION_STATUS_KHR: 0x91B1 };
          return extension.call(this, name);
        };
        const get = WebGL2RenderingContext.prototype.getProgramParameter;
        WebGL2RenderingContext.prototype.getProgramParameter = function (program, what) {
          if (what === 0x91B1) return !window.slow;
          if (window.refuses && what === this.LINK_STATUS) return false;
          return get.call(this, program, what);
        };
        """
    )
    sample = small_project(db)
    open_surface(page, sample.surface)
    set_slider(page, "Strength", "100")
    paint(page)
    painted = picture(page)
    viewport = page.get_by_test_id("viewport")
    page.evaluate("window.slow = true")
    page.get_by_role("button", name="Hide Light").click()
    page.wait_for_timeout(1000)
    expect(viewport).to_have_attribute("data-settled", "false")
    page.evaluate("window.slow = false")
    settle(page)
    bare = differs(page, painted, 40)
    page.evaluate("window.refuses = true")
    page.expected_errors = True
    page.get_by_role("button", name="More kinds").click()
    page.get_by_text("Lies on it as a thin coat").click()
    expect(page.get_by_text("The graphics card takes no program for this blend")).to_be_visible()
    shows(page, bare)
    page.evaluate("window.refuses = false")
    paint(page)
    page.keyboard.press("Control+z")
    settle(page)
    page.keyboard.press("Control+z")
    settle(page)
    shows(page, bare)


def test_a_picture_made_elsewhere_is_a_mask_by_pixel_and_by_site(page, db):
    sample = small_project(db)
    open_surface(page, sample.surface)
    bare = picture(page)
    page.get_by_role("button", name="Remove Channel R").click()
    settle(page)
    page.get_by_role("button", name="Add a term").click()
    grey = np.zeros((64, 64), np.uint8)
    grey[:, 32:] = 255
    with page.expect_file_chooser() as chooser:
        page.get_by_role("dialog", name="Add a term").get_by_role(
            "button", name=re.compile("^Picture ")
        ).click()
    chooser.value.set_files({"name": "half.png", "mimeType": "image/png", "buffer": write_png(grey)})
    expect(page.get_by_role("button", name="Remove Picture")).to_be_visible()
    settle(page)
    masked = differs(page, bare, 60)
    # u runs along x, which runs to the right and down from the first view: one half is light.
    changed = np.abs(masked - bare).max(axis=2) > 60
    surface = np.abs(bare - bare[2, 2]).max(axis=2) > 25
    share = changed.sum() / surface.sum()
    assert 0.3 < share < 0.7, f"{share:.2f} of the surface is light"
    page.get_by_role("combobox", name="Keep this mask in a channel").click()
    page.get_by_role("option", name="G · Channel G").click()
    expect(page.get_by_role("combobox", name="Mask", exact=True)).to_contain_text("Channel G")
    settle(page)
    with db() as session:
        held = stored_channels(session, sample.surface)[sample.channel_set][1].values() / FULL
    u = sample.mesh.uvs[0][:, 0]
    inner = (np.abs(u - 0.5) > 0.04) & (u > 0.02) & (u < 0.98)
    np.testing.assert_allclose(held[inner], u[inner] > 0.5, atol=0.01)
    for _ in range(3):
        page.keyboard.press("Control+z")
        settle(page)
    shows(page, bare, within=3)
