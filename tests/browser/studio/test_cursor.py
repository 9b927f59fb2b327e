"""What the bottom line says of a place is what the picture shows there, on vertices and on a map.

Nothing of the core is asked for the expected picture: pixels of the blend are measured against pixels of
the same two materials at even shares, which a layer without bite gives by its opacity alone.
"""

import re
from uuid import UUID

import numpy as np
from browser.window import answered, centre, open_surface, picture, settle
from samples import small_project
from shapes import plane

from ashblend.core.formats.images import write_png
from ashblend.core.recipe.document import of_channel
from ashblend.core.sites.mesh import Mesh
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
    # A fill went to the Channel lens to be seen, and the lens stays over a reload.
    page.get_by_role("radio", name="Blend", exact=True).last.click()
    settle(page)
    return picture(page)


def told(page, x: float, y: float) -> dict[str, float]:
    """Shares at a place, as the bottom line gives them."""
    page.mouse.move(x - 3, y)
    page.mouse.move(x, y)
    answered(page)
    text = page.get_by_test_id("core-sample").inner_text()
    return {name: int(percent) / 100 for name, percent in re.findall(r"(\w+) (\d+)", text)}


class Compared:
    """A surface with a layer of light stones over dark ones, whose pictures tell shares."""

    def __init__(self, page, db, metres_per_tile: float, mesh: Mesh | None = None) -> None:
        self.page = page
        sample = small_project(db, mesh)
        with db.begin() as session:
            maps = {"normal": flat_normal()}
            self.dark, self.light = (
                str(
                    create_material(
                        session, sample.project, name, {**maps, "albedo": level(value), "height": bumps(seed)}
                    ).id
                )
                for name, value, seed in (("Grit", 30, 1), ("Lime", 200, 2))
            )
        self.surface, self.set = sample.surface, str(sample.channel_set)
        self.mapping = {
            "projection": "uv", "metres_per_tile": metres_per_tile, "rotation": 20.0, "offset": [0.3, 0.1],
        }  # fmt: skip
        page.add_init_script("localStorage.setItem('ash.resolution', '1')")
        open_surface(page, sample.surface)
        # The last channel is the same everywhere: its undercoat says how much.
        self.flat = of_channel(UUID(self.set), 3).model_dump(mode="json")

    def flatten(self, weight: float) -> None:
        found = self.page.request.get(f"/api/surfaces/{self.surface}").json()["channel_sets"][0]
        channels = found["document"]["channels"]
        channels[3] = {**channels[3], "undercoat": {"kind": "constant", "value": weight}}
        body = {"revision": found["revision"], "document": {**found["document"], "channels": channels}}
        assert self.page.request.put(f"/api/channel-sets/{self.set}", data=body).ok

    def picture(self, **layer) -> np.ndarray:
        def blend(document):
            one = {**document["layers"][0], "material": self.light, "mapping": self.mapping, "name": "Lime"}
            ground = {**document["ground"], "material": self.dark, "mapping": self.mapping, "name": "Grit"}
            return {**document, "ground": ground, "layers": [{**one, "mask": self.flat, **layer}]}

        return shown(self.page, self.surface, blend)[..., 1]

    def even_shares(self) -> np.ndarray:
        """(5, rows, columns) pictures of the two materials at even shares."""
        self.flatten(1.0)
        return np.stack([self.picture(opacity=share, bite=0.0) for share in EVEN])

    def held(self, scale: np.ndarray, now: np.ndarray, most: float) -> tuple[list[float], list[float]]:
        """At places that change little from pixel to pixel: shares as told, and how far the picture's are off."""
        middle = centre(self.page)
        box = self.page.get_by_test_id("picture").bounding_box()
        compared, off = [], []
        for dx, dy in PLACES:
            x, y = middle[0] + dx, middle[1] + dy
            row, column = round(y - box["y"] - 50), round(x - box["x"] - 20)
            # Where the picture changes much, half a pixel decides: that tells nothing.
            if np.ptp(now[row - 1 : row + 2, column - 1 : column + 2]) > most:
                continue
            share = told(self.page, x, y).get("Lime", 0.0)
            ends = scale[:, row, column].astype(float)
            if ends[-1] - ends[0] < 60:
                continue
            compared.append(share)
            off.append(abs(float(np.interp(now[row, column], ends, EVEN)) - share))
        return compared, off


def waves_on(compared: Compared, place: dict | None) -> str:
    """Noise from 0 to 1 and back on a set, so that neighbouring sites differ; the set's id. place: its map."""
    page = compared.page
    ident = compared.set
    if place is not None:
        body = {
            "name": f"Map {place['uv']}",
            "sites": {"kind": "texels", "size": 256, **place},
            "channels": 1,
        }
        assert page.request.post(f"/api/surfaces/{compared.surface}/sets", data=body).ok
        ident = page.request.get(f"/api/surfaces/{compared.surface}").json()["channel_sets"][-1]["id"]
        page.get_by_label("Channel set", exact=True).click()
        page.get_by_role("option", name=body["name"]).click()
    page.keyboard.press("f")
    page.get_by_role("radio", name="Noise").click()
    page.get_by_role("button", name="Keep it").click()
    settle(page)
    page.get_by_role("button", name="Done").click()
    return ident


def test_the_cursor_says_what_the_picture_shows(page, db):
    """On vertices, on a map, and on a map over the second UVs."""
    mesh = plane(33, 2.0, uv=True)
    mesh = Mesh(mesh.positions, mesh.triangles, uvs=(mesh.uvs[0], mesh.uvs[0][:, ::-1].copy()))
    compared = Compared(page, db, 10.0, mesh)
    waves = {str(place): waves_on(compared, place) for place in (None, {"uv": 0}, {"uv": 1})}
    scale = compared.even_shares()
    for place, ident in waves.items():
        mask = of_channel(UUID(ident), 0).model_dump(mode="json")
        now = compared.picture(mask=mask, bite=2.0, softness=0.3, opacity=1.0)
        shares, off = compared.held(scale, now, 14)
        assert len(shares) >= 8 and np.ptp(shares) > 0.5, f"places that differ were compared on {place}"
        assert max(off) < 0.08, (place, list(zip(shares, np.round(off, 3), strict=True)))


def test_the_cursor_reads_the_very_heights_that_the_picture_shows(page, db):
    """At half a mask, bite 1 and softness 1 the share is ½ + (h − h₀)/2: heights alone, never at an end.

    Tiles so large that a texel is as wide as many pixels: heights of half the size would be means of four.
    """
    compared = Compared(page, db, 60.0)
    scale = compared.even_shares()
    compared.flatten(0.5)
    shares, off = compared.held(scale, compared.picture(bite=1.0, softness=1.0, opacity=1.0), 20)
    assert len(shares) >= 12 and np.ptp(shares) > 0.2, "places that differ were compared"
    assert max(off) < 0.05, list(zip(shares, np.round(off, 3), strict=True))
