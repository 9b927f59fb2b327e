"""Terrain in a real browser: from a height map to splat maps and back, and what is under the pointer."""

import io
import json
import re
import zipfile

import numpy as np
from browser.window import (
    answered,
    centre,
    channel,
    differs,
    drag,
    layer_names,
    open_surface,
    paint,
    picture,
    set_slider,
    settle,
    shows,
    stage,
    undo_label,
)
from playwright.sync_api import expect
from samples import small_project

from ashblend.core.formats.images import write_png
from ashblend.store.models import ChannelSet, Surface


def valley(edge: int = 129) -> np.ndarray:
    """A valley with a flat floor, steep on both sides, as 16-bit numbers that use all of their range."""
    y, x = np.mgrid[:edge, :edge] / (edge - 1)
    tall = np.clip(np.abs(x - 0.5) - 0.16, 0, 0.17) * 4 + 0.12 * np.sin(9 * y) * x + 0.1 * y
    return np.rint((tall - tall.min()) / np.ptp(tall) * 65535).astype(np.uint16)


def bring(page, name: str, data: bytes, kind: str = "image/png") -> None:
    page.get_by_label("Mesh file").set_input_files({"name": name, "mimeType": kind, "buffer": data})


def surface_in(page) -> str:
    return page.url.rsplit("/", 1)[1]


def bottom(page, dx: float = 0, dy: float = 0) -> str:
    """What the bottom line says of a place beside the viewport's centre."""
    x, y = centre(page)
    page.mouse.move(x + dx - 4, y + dy)
    page.mouse.move(x + dx, y + dy)
    answered(page)
    return page.locator("footer").inner_text()


def cells_of(db, surface: str) -> list[np.ndarray]:
    from uuid import UUID

    with db() as session:
        row = (
            session.query(ChannelSet)
            .filter_by(surface_id=UUID(surface))
            .order_by(ChannelSet.position)
            .first()
        )
        edge = row.sites["cols"]
        held = stored_channels_of(session, UUID(surface), row.id)
    return [values.reshape(-1)[: edge * edge] for values in held]


def stored_channels_of(session, surface, channel_set):
    from ashblend.core.surface.kinds.registry import SITE_KIND
    from ashblend.core.surface.shapes import shape_of
    from ashblend.store.states import read_surface_mesh
    from ashblend.store.surfaces import get_surface, read_channels

    row = get_surface(session, surface)
    shape = shape_of(read_surface_mesh(session, row))

    def extent(entry) -> int:
        return SITE_KIND.validate_python(entry.sites).sites(shape).layout.extent

    return [c.values() for c in read_channels(session, row, extent)[channel_set]]


def test_from_a_height_map_to_splat_maps_and_back(page, db):
    sample = small_project(db)
    page.goto(f"/project/{sample.project}")
    bring(page, "valley.png", write_png(valley()))
    card = page.get_by_role("dialog")
    expect(card.get_by_test_id("terrain-size")).to_have_text("128.00 m × 128.00 m")
    card.get_by_label("Between heights").fill("2")
    card.get_by_label("Between heights").press("Tab")
    expect(card.get_by_test_id("terrain-size")).to_have_text("256.00 m × 256.00 m")
    card.get_by_label("Highest number is").fill("60")
    card.get_by_label("Highest number is").press("Tab")
    expect(card.get_by_role("img")).to_be_visible()
    card.get_by_role("button", name="Bring it in").click()
    settle(page)
    surface = surface_in(page)
    bare = picture(page)

    # Banded start: one step.
    page.get_by_role("button", name="Propose bands").click()
    for band in ("Low and flat", "Wet", "High", "Steep"):
        page.get_by_label(f"Material of {band}").click()
        page.get_by_role("option", name="Light", exact=True).click()
    page.get_by_role("button", name="Lay these bands").click()
    expect(page.get_by_label("Layers, topmost first")).to_contain_text("Steep")
    settle(page)
    assert layer_names(page) == ["Steep", "High", "Wet", "Low and flat"]
    differs(page, bare, 40)

    # The steep band's ramp is dragged on its profile.
    stage(page, "Undercoat")
    channel(page, "Steep").click()
    expect(page.get_by_text("ha", exact=False).first).to_be_visible()
    before = cells_of(db, surface)[3].copy()
    end = page.get_by_label("Ramp of Slope, none", exact=True)
    box = end.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] - 20, box["y"] + 4, steps=4)
    page.mouse.up()
    expect(page.get_by_role("button", name=re.compile("^Undo: Undercoat of Steep"))).to_be_visible(
        timeout=20_000
    )
    settle(page)
    now = cells_of(db, surface)[3]
    assert now.astype(float).mean() > before.astype(float).mean(), "less is steep enough the other way"

    # Painted over.
    set_slider(page, "Radius", "14 m")
    set_slider(page, "Strength", "100")
    set_slider(page, "Weight", "0")
    paint(page, [(-150, -10), (-60, 0), (60, 0), (150, 10)])
    painted = cells_of(db, surface)[3]
    assert (painted != now).any() and painted.astype(float).mean() < now.astype(float).mean()

    # A bank is raised; what was measured is stale, and run again the paint is still there.
    page.get_by_label("Channel set", exact=True).click()
    page.get_by_role("option", name="Ground", exact=True).click()
    page.get_by_role("radio", name="Raise", exact=True).click()
    # What lies here is metres, which no layer need read.
    page.keyboard.press("c")
    settle(page)
    expect(page.get_by_label("Channel to paint on")).to_have_text(re.compile("Height +0 % moved"))
    expect(page.get_by_role("note")).to_have_text(re.compile(r"^-?[\d.]+ m +[\d.]+ m"))
    page.keyboard.press("b")
    set_slider(page, "By", "12")
    low = bottom(page, 40, 60)
    assert "R 0" not in low
    drag(page, [(30, 60), (45, 60), (60, 62)])
    settle(page)
    expect(page.get_by_label("Channel to paint on")).to_have_text(re.compile("[1-9]\\d? % moved"))
    assert "Raise" in undo_label(page) or "Height" in undo_label(page)
    high = bottom(page, 40, 60)
    metres = [float(re.search(r"(-?[\d.]+) m", text).group(1)) for text in (low, high)]
    assert metres[1] > metres[0] + 2, (low, high)
    page.get_by_label("Channel set", exact=True).click()
    page.get_by_role("option", name="Splat 1", exact=True).click()
    # Raising is for the ground: weights are painted as before.
    expect(page.get_by_role("radio", name="Paint", exact=True).first).to_be_checked()
    expect(channel(page, "Steep")).to_contain_text("stale")
    stage(page, "Undercoat")
    channel(page, "Steep").click()
    page.get_by_role("button", name="Run what is stale again").click()
    expect(page.get_by_text("stale", exact=False)).to_have_count(0)
    settle(page)
    again = cells_of(db, surface)[3]
    cleared = (painted < 8000) & (now > 30_000)
    assert (again != painted).any()
    assert cleared.sum() > 50 and (again[cleared] < 8800).all(), "where it was painted away it stays away"

    # Out, and in again: the same.
    page.get_by_role("button", name="Export").click()
    sheet = page.get_by_role("dialog", name="Export")
    sheet.get_by_role("radio", name="NPY").first.click()
    sheet.get_by_role("radio", name="Float").click()
    sheet.get_by_role("radio", name="16 bits").last.click()
    with page.expect_download() as download:
        sheet.get_by_role("button", name="Save valley.zip").click()
    packed = download.value.path().read_bytes()
    with zipfile.ZipFile(io.BytesIO(packed)) as archive:
        manifest = json.loads(archive.read("manifest.json"))
        heights = np.load(io.BytesIO(archive.read("heights.npy")))
    assert (
        manifest["heights"]["spacing"] == 2.0
        and [c["name"] for c in manifest["splat"][0]["channels"]][3] == "Steep"
    )
    page.keyboard.press("Escape")
    page.goto(f"/project/{sample.project}")
    bring(page, "valley.zip", packed, "application/zip")
    page.get_by_role("dialog").get_by_role("button", name="Bring it in").click()
    expect(page).to_have_url(re.compile("/surface/"))
    settle(page)
    other = surface_in(page)
    assert other != surface
    theirs, ours = cells_of(db, other), cells_of(db, surface)
    assert all(np.array_equal(a, b) for a, b in zip(theirs, ours, strict=True))
    data = page.request.get(f"/api/surfaces/{other}/heights").body()
    assert data[-heights.nbytes :] == heights.astype("<f4").tobytes()
    assert page.strange == []


def steps_terrain(page, db) -> str:
    """Two levels with a cliff between them along the middle: 0 m to the west, 16 m to the east; opened."""
    sample = small_project(db)
    tall = np.zeros((65, 65), np.uint16)
    tall[:, 33:] = 65535
    looked = page.request.post(
        "/api/heights",
        multipart={"files": {"name": "cliff.png", "mimeType": "image/png", "buffer": write_png(tall)}},
    ).json()
    body = {"file": looked["file"], "name": "cliff.png", "taking": {"spacing": 1.0, "low": 0, "high": 16}}
    made = page.request.post(f"/api/projects/{sample.project}/terrains", data=body).json()
    open_surface(page, made["id"])
    return made["id"]


def test_the_pointer_finds_the_ground_that_is_seen(page, db):
    surface = steps_terrain(page, db)
    # From straight above: west is left, and both levels are seen as what they are.
    page.keyboard.press("Shift+ArrowUp")
    settle(page)
    told = {dx: bottom(page, dx, 40) for dx in (-90, -30, 30, 90)}
    for dx, text in told.items():
        height = float(re.search(r"(-?[\d.]+) (m|cm|mm)", text).group(1))
        assert abs(height - (0 if dx < 0 else 16)) < 0.01, (dx, text)
        assert "slope 0.0°" in text
    # A stroke with a narrow brush lands where it is drawn.
    bare = picture(page)
    page.get_by_role("button", name="Add the first layer").click()
    settle(page)
    set_slider(page, "Radius", "3 m")
    set_slider(page, "Strength", "100")
    paint(page, [(60, 40), (100, 40)])
    seen = np.abs(differs(page, bare, 40) - bare).max(axis=2) > 25
    rows, columns = np.nonzero(seen)
    box = page.get_by_test_id("picture").bounding_box()
    x, y = centre(page)
    assert (
        abs(columns.mean() - (x + 80 - box["x"] - 20)) < 6 and abs(rows.mean() - (y + 40 - box["y"] - 50)) < 6
    )
    # It is kept, and there again after the page is loaded anew.
    now = picture(page)
    page.reload()
    settle(page)
    page.keyboard.press("Shift+ArrowUp")
    settle(page)
    shows(page, now, 12)
    assert surface in page.url and page.strange == []


def test_two_windows_see_the_same_ground_move(page, other, db):
    surface = steps_terrain(page, db)
    open_surface(other, surface)
    for window in (page, other):
        window.keyboard.press("Shift+ArrowUp")
        window.get_by_label("Channel set", exact=True).click()
        window.get_by_role("option", name="Ground", exact=True).click()
        settle(window)
    other.keyboard.press("c")
    settle(other)
    before = picture(other)
    page.get_by_role("radio", name="Raise", exact=True).click()
    set_slider(page, "By", "10")
    set_slider(page, "Radius", "8 m")
    drag(page, [(-80, 40), (-60, 40)])
    settle(page)
    differs(other, before, 15)
    one, two = bottom(page, -70, 40), bottom(other, -70, 40)
    assert one.split("slope")[0] == two.split("slope")[0] and not one.startswith("0")
    page.keyboard.press("Control+z")
    settle(page)
    shows(other, before, 3)


def test_what_a_mesh_offers_and_a_terrain_does_not_is_not_shown(page, db):
    steps_terrain(page, db)
    expect(page.get_by_role("radio", name="Faces")).to_have_count(0)
    stage(page, "Prepare")
    expect(page.get_by_role("heading", name="The terrain")).to_be_visible()
    expect(page.get_by_role("button", name="Refine", exact=True)).to_have_count(0)
    # A second set of cells, and measures only where they can be worked out.
    page.get_by_role("button", name="Channel sets").click()
    page.get_by_role("button", name="Add a set").click()
    page.get_by_role("radio", name="512", exact=True).click()
    page.get_by_role("button", name="Add", exact=True).last.click()
    settle(page)
    stage(page, "Undercoat")
    page.get_by_role("button", name="Add a term").click()
    offered = page.get_by_role("dialog", name="Add a term")
    expect(offered).to_contain_text("Wetness")
    expect(offered).not_to_contain_text("Thickness")
    page.keyboard.press("Escape")
    stage(page, "Blend")
    page.get_by_role("button", name="Add the first layer").click()
    settle(page)
    page.get_by_role("button", name="Add a term").click()
    # A mask cannot tell it at a pixel: it comes in by way of a channel, and that is said.
    expect(offered).to_contain_text("Wetness")
    expect(offered).to_contain_text("into the undercoat of a free channel")


def test_a_broken_height_map_is_refused_where_it_was_dropped(page, db):
    sample = small_project(db)
    page.goto(f"/project/{sample.project}")
    page.expected_errors = True
    for name, data in (
        ("cut.png", write_png(valley())[:400]),
        ("odd.raw", bytes(6)),
        ("holes.npy", b"\x93NUMPY"),
    ):
        bring(page, name, data)
        expect(page.get_by_role("alert")).to_contain_text(f"{name} was not taken")
    with db() as session:
        assert session.query(Surface).filter_by(project_id=sample.project).count() == 1
