"""The slipway's blend from nothing, by hand: ends equal to the shipped one."""

import re

import numpy as np
from browser.window import layer, layer_names, open_surface, set_slider, settle
from samples import plain_maps, small_project

from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.materials.mapping import TileMapping
from ashblend.demo.blends import slipway_blend
from ashblend.store.documents import get_row
from ashblend.store.materials import create_material
from ashblend.store.models import Blend

MATERIALS = ("Granite setts", "Lime mortar", "Silt", "Barnacle crust", "Wrack", "Salt rime")
# What an eight-bit sRGB colour field can say.
COLOUR_STEP = 0.003


def on_setts(db):
    """A surface whose blend is the setts alone, and the shipped blend for it."""
    sample = small_project(db)
    with db.begin() as session:
        made = {
            name: create_material(session, sample.project, name, plain_maps((40 * n, 90, 80), 90 + n)).id
            for n, name in enumerate(MATERIALS)
        }
        wanted = slipway_blend(made, sample.channel_set)
        ground = Ground(
            name="Setts", material=made["Granite setts"], mapping=TileMapping(projection="triplanar")
        )
        get_row(session, Blend, sample.blend).document = BlendDocument(
            name=wanted.name, ground=ground
        ).model_dump(mode="json")
    return sample, wanted.model_dump(mode="json")


class Hand:
    """What the artist does, by the names that stand on the screen."""

    def __init__(self, page) -> None:
        self.page = page

    def tab(self, name: str) -> None:
        self.page.get_by_label("Of the layer").get_by_role("radio", name=name).click()

    def cover(self, material: str, name: str, tile: str, bite: float, softness: float) -> None:
        self.page.get_by_role("button", name="More kinds").click()
        self.page.get_by_role("button", name=f"A cover of {material}", exact=True).click()
        self.named(name)
        self.tab("Tiling")
        set_slider(self.page, "Tile size", tile)
        self.tab("Border")
        set_slider(self.page, "Bite", str(bite))
        set_slider(self.page, "Softness", str(softness))
        self.tab("Mask")

    def named(self, name: str) -> None:
        field = self.page.get_by_label("Name of the layer")
        field.fill(name)
        field.press("Enter")

    def no_term(self) -> None:
        head = self.page.get_by_label("Terms, in order").get_by_role("button", name=re.compile("^Channel"))
        if head.get_attribute("aria-expanded") == "false":
            head.click()
        self.page.get_by_role("button", name=re.compile("^Remove Channel")).click()

    def term(
        self, title: str, none: str | None = None, full: str | None = None, op: str | None = None
    ) -> None:
        self.page.get_by_role("button", name="Add a term").click()
        dialog = self.page.get_by_role("dialog", name="Add a term")
        dialog.get_by_role("button", name=re.compile(f"^{title} ")).click()
        for value, end in ((none, "none at"), (full, "full at")):
            if value is not None:
                field = self.page.get_by_label(f"Ramp of {title}, {end}")
                field.fill(value)
                field.press("Enter")
        if op is not None:
            self.page.get_by_label(f"How {title} goes onto what is above").select_option(op)

    def extra(self, which: str, **values: str) -> None:
        self.page.get_by_role("button", name=which, exact=True).click()
        for label, value in values.items():
            set_slider(self.page, f"{which} {label}", value)


def flat(document, at: str = ""):
    if isinstance(document, dict):
        for key, value in document.items():
            yield from flat(value, f"{at}/{key}")
    elif isinstance(document, list):
        for number, value in enumerate(document):
            yield from flat(value, f"{at}/{number}")
    else:
        yield at, document


def test_the_slipways_blend_from_nothing_ends_equal_to_the_shipped_one(page, db):
    sample, wanted = on_setts(db)
    open_surface(page, sample.surface)
    hand = Hand(page)
    set_slider_of_ground(page, hand)
    hand.cover("Lime mortar", "Mortar", "0.9 m", -1.1, 0.16)

    hand.cover("Silt", "Silt", "1 m", -2.4, 0.1)
    hand.tab("Tiling")
    page.get_by_role("radio", name="Planar", exact=True).click()
    page.get_by_role("radio", name="Along Y").click()
    hand.tab("Mask")
    hand.no_term()
    hand.term("Height", "0.25 m", "-0.55 m")
    hand.extra("Warp", by="0.35 m", size="1.4 m", seed="3")
    hand.term("Slope", "34", "14")
    hand.term("Noise", "0.4", "0.58")
    set_slider(page, "Size", "1.7 m")
    set_slider(page, "Detail", "4")
    set_slider(page, "Seed", "4")

    hand.cover("Barnacle crust", "Barnacles", "0.55 m", 1.4, 0.12)
    hand.cover("Wrack", "Wrack", "1.1 m", 1.2, 0.14)

    page.get_by_role("button", name="More kinds").click()
    page.get_by_text("Lies on it as a thin coat").click()
    hand.named("Wet")
    hand.no_term()
    hand.term("Height", "0.34 m", "0.02 m")
    hand.extra("Warp", by="0.22 m", size="0.9 m", seed="5")
    hand.term("Even")
    page.get_by_role("button", name="Uneven", exact=True).click()
    set_slider(page, "Uneven", "45")
    set_slider(page, "Uneven by", "0.8 m")
    set_slider(page, "Uneven seed", "6")
    hand.tab("Border")
    set_slider(page, "Bite", "3")
    set_slider(page, "Softness", "0.12")
    hand.tab("Look")
    for label, value in (
        ("Pools above", "0.62"),
        ("Level", "0.34"),
        ("Darkens to", "0.62"),
        ("Roughness", "0.12"),
        ("Flattens", "0.35"),
        ("Deepens", "0.75"),
    ):
        set_slider(page, label, value)
    page.get_by_label("Colour", exact=True).fill("#1d2120")
    page.get_by_role("checkbox", name="Ripples").check()
    set_slider(page, "Size", "0.22 m")
    set_slider(page, "Speed", "0.12")
    set_slider(page, "Steepness", "0.1")
    hand.tab("Mask")

    hand.cover("Salt rime", "Rime", "0.5 m", 1.3, 0.14)
    hand.no_term()
    hand.term("Facing", "62", "22")
    set_slider(page, "From", "118")
    set_slider(page, "Height of it", "26")
    hand.term("Height", "0.55 m", "1.5 m")
    hand.extra("Warp", by="0.3 m", size="1.1 m", seed="7")
    hand.term("Noise", "0.3", "0.62")
    page.get_by_role("radio", name="Ridges").click()
    set_slider(page, "Size", "0.7 m")
    set_slider(page, "Detail", "4")
    set_slider(page, "Seed", "8")
    page.keyboard.press("Escape")
    page.get_by_label("Channel to paint on").get_by_role("button", name=re.compile(r"^A\s")).click()
    hand.term("Channel")
    page.get_by_label(re.compile("^How Channel A goes onto")).select_option("max")

    settle(page)
    assert layer_names(page) == ["Rime", "Wet", "Wrack", "Barnacles", "Silt", "Mortar"]
    with db() as session:
        kept = get_row(session, Blend, sample.blend).document
    made, shipped = dict(flat(kept)), dict(flat(wanted))
    assert made.keys() == shipped.keys()
    for at, value in shipped.items():
        if at.endswith("/id"):
            continue
        if isinstance(value, float):
            off = COLOUR_STEP if "/colour/" in at else 1e-9
            np.testing.assert_allclose(made[at], value, atol=off, err_msg=at)
        else:
            assert made[at] == value, at


def set_slider_of_ground(page, hand: Hand) -> None:
    layer(page, "Setts").click()
    hand.tab("Tiling")
    set_slider(page, "Tile size", "1.3 m")
