"""What the bottom line says of a place is what the picture shows there, on vertices and on a map.

Nothing of the core is asked for the expected picture: pixels of the blend are measured against pixels of
the same two materials at even shares, which a layer without bite gives by its opacity alone.
"""

import re

import numpy as np
import pytest
from browser.window import centre, open_surface, picture, settle
from samples import small_project

from ashblend.core.formats.images import write_png
from ashblend.store.materials import create_material

EVEN = [0.0, 0.25, 0.5, 0.75, 1.0]
PLACES = [(x, y) for y in (-40, -15, 10, 35, 60) for x in (-110, -60, -10, 40, 90)]


def bumps(seed: int) -> bytes:
    """Heights of 512² that differ from texel to texel, as gravel does: half the size shows something else."""
    rng = np.random.default_rng(seed)
    coarse = rng.random((128, 128)).repeat(4, 0).repeat(4, 1)
    fine = rng.random((512, 512))
    return write_png(np.rint((0.5 * coarse + 0.5 * fine) * 65535).astype(np.uint16))


def level(value: int) -> bytes:
    return write_png(np.full((512, 512, 3), value, np.uint8))


def flat_normal() -> bytes:
    return write_png(np.full((512, 512, 3), (128, 128, 255), np.uint8))


def shown(page, surface, change) -> np.ndarray:
    """The picture after the blend has been changed from outside the page."""
    view = page.request.get(f"/api/surfaces/{surface}").json()
    document = change(view["blend"]["document"])
    body = {"revision": view["blend"]["revision"], "surface": str(surface), "document": document}
    answer = page.request.put(f"/api/blends/{view['blend']['id']}", data=body)
    assert answer.ok, answer.text()
    page.reload()
    settle(page)
    return picture(page)


def told(page, x: float, y: float) -> dict[str, float]:
    """Shares at a place, as the bottom line gives them."""
    page.mouse.move(x - 3, y)
    page.mouse.move(x, y)
    page.wait_for_timeout(250)
    text = page.get_by_test_id("core-sample").inner_text()
    return {name: int(percent) / 100 for name, percent in re.findall(r"(\w+) (\d+)", text)}


@pytest.mark.parametrize("on", ["vertices", "map"])
def test_the_cursor_says_what_the_picture_shows(page, db, on):
    sample = small_project(db)
    with db.begin() as session:
        maps = {"normal": flat_normal()}
        dark = create_material(
            session, sample.project, "Grit", {**maps, "albedo": level(30), "height": bumps(1)}
        ).id
        light = create_material(
            session, sample.project, "Lime", {**maps, "albedo": level(200), "height": bumps(2)}
        ).id
    page.add_init_script("localStorage.setItem('ash.resolution', '1')")
    open_surface(page, sample.surface)
    channel_set = str(sample.channel_set)
    if on == "map":
        body = {"name": "Map", "sites": {"kind": "texels", "size": 256}, "channels": 1}
        assert page.request.post(f"/api/surfaces/{sample.surface}/sets", data=body).ok
        page.wait_for_timeout(500)
        settle(page)
        channel_set = page.request.get(f"/api/surfaces/{sample.surface}").json()["channel_sets"][1]["id"]
        page.get_by_label("Channel set", exact=True).click()
        page.get_by_role("option", name="Map").click()
    # Weights from 0 to 1 and back in waves, so that neighbouring sites differ.
    page.keyboard.press("f")
    page.get_by_role("radio", name="Noise").click()
    page.get_by_role("button", name="Keep it").click()
    settle(page)
    page.get_by_role("button", name="Done").click()

    mapping = {"projection": "uv", "metres_per_tile": 10.0, "rotation": 20.0, "offset": [0.3, 0.1]}

    def blend(document, **layer):
        one = {**document["layers"][0], "material": str(light), "mapping": mapping, "name": "Lime"}
        one |= {"mask": {"kind": "channel", "channel_set": channel_set, "channel": 0}, **layer}
        ground = {**document["ground"], "material": str(dark), "mapping": mapping, "name": "Grit"}
        return {**document, "ground": ground, "layers": [one]}

    # A channel that is one everywhere: softness as wide as it goes leaves the mask as it is, so an empty
    # undercoat is avoided by measuring even shares on the channel's own paint of one.
    even_set = str(sample.channel_set)
    fill = page.request.get(f"/api/surfaces/{sample.surface}").json()["channel_sets"][0]
    channels = fill["document"]["channels"]
    channels[3] = {**channels[3], "undercoat": {"kind": "constant", "value": 1.0}}
    body = {"revision": fill["revision"], "document": {**fill["document"], "channels": channels}}
    assert page.request.put(f"/api/channel-sets/{even_set}", data=body).ok
    full = {"kind": "channel", "channel_set": even_set, "channel": 3}
    scale = np.stack(
        [shown(page, sample.surface, lambda d, q=q: blend(d, mask=full, opacity=q, bite=0.0)) for q in EVEN]
    )[..., 1]
    now = shown(page, sample.surface, lambda d: blend(d, bite=2.0, softness=0.3, opacity=1.0))[..., 1]

    middle = centre(page)
    box = page.get_by_test_id("picture").bounding_box()
    compared, off = [], []
    for dx, dy in PLACES:
        x, y = middle[0] + dx, middle[1] + dy
        row, column = round(y - box["y"] - 50), round(x - box["x"] - 20)
        around = (slice(row - 1, row + 2), slice(column - 1, column + 2))
        # Where the picture changes from pixel to pixel, half a pixel decides: those tell nothing.
        if np.ptp(now[around]) > 14:
            continue
        share = told(page, x, y).get("Lime", 0.0)
        ends = scale[:, row, column].astype(float)
        if ends[-1] - ends[0] < 60:
            continue
        compared.append(share)
        off.append(abs(float(np.interp(now[row, column], ends, EVEN)) - share))
    assert len(compared) >= 8 and np.ptp(compared) > 0.5, "places that differ were compared"
    assert max(off) < 0.08, list(zip(compared, np.round(off, 3), strict=True))
