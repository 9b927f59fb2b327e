"""Takes docs/screenshots anew from the demo data: ./ash screenshots, while ./ash demo runs."""

import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
from browsers import AS_SEEN, chromium

FOLDER = Path(__file__).parent / "screenshots"
# What the start page shows of the sample before anybody has opened it.
SMALL = Path(__file__).parents[1] / "src/ashblend/demo/pictures"


def settle(page: Page) -> None:
    page.wait_for_timeout(900)
    expect(page.get_by_test_id("viewport")).to_have_attribute("data-settled", "true", timeout=240_000)


def start_page(page: Page) -> None:
    # Each surface has a picture of how it was last seen.
    for name in ("Skerry", "Mooring post", "Sea-thrift tuft", "Slipway"):
        with page.expect_response(lambda answer: answer.url.endswith("/view"), timeout=180_000) as seen:
            open_surface(page, name)
        (SMALL / f"{name}.webp").write_bytes(page.request.get(seen.value.url).body())
    page.goto("/")
    expect(page.get_by_role("heading", name="Skerry Station")).to_be_visible()
    page.wait_for_load_state("networkidle")


def studio_blend(page: Page) -> None:
    page.get_by_role("link", name="Slipway").click()
    settle(page)
    page.mouse.move(560, 500)
    settle(page)
    expect(page.get_by_test_id("core-sample")).to_be_visible()


def light(page: Page) -> None:
    """A lamp at night, and the card of light."""
    page.mouse.move(5, 300)
    page.get_by_role("button", name="Light", exact=True).click()
    page.get_by_role("button", name="Lamp at night", exact=True).click()
    settle(page)


def studio_channel(page: Page) -> None:
    page.get_by_role("button", name="Raking sun", exact=True).click()
    page.keyboard.press("Escape")
    page.keyboard.press("3")
    page.keyboard.press("c")
    settle(page)


def undercoat(page: Page) -> None:
    """Where the weather reaches, measured, its ramp over how it is spread."""
    page.keyboard.press("4")
    page.keyboard.press("u")
    page.get_by_role("button", name="Weather side").click()
    page.get_by_role("button", name="Undo: Undercoat of Rime").wait_for(timeout=60_000)
    page.wait_for_timeout(2000)
    settle(page)


def share(page: Page) -> None:
    """Undone again; where wrack is left to see."""
    while page.get_by_role("button", name="Undo: Undercoat of Rime").count():
        page.get_by_role("button", name="Undo: Undercoat of Rime").click()
        page.wait_for_timeout(1500)
    page.get_by_label("Right side").get_by_role("radio", name="Blend", exact=True).click()
    page.get_by_label("Layers", exact=True).get_by_role("button", name="Wrack").first.click()
    page.keyboard.press("y")
    page.mouse.move(5, 300)
    settle(page)


def export(page: Page) -> None:
    page.keyboard.press("b")
    page.mouse.move(5, 300)
    settle(page)
    page.get_by_role("button", name="Export").click()
    page.wait_for_timeout(500)


def open_surface(page: Page, name: str) -> None:
    page.goto("/")
    page.get_by_role("link", name=name).click()
    settle(page)


def prepare(page: Page, part: str) -> None:
    page.get_by_label("Right side").get_by_role("radio", name="Prepare").click()
    page.get_by_role("button", name=part, exact=True).click()


def prepare_refine(page: Page) -> None:
    open_surface(page, "Slipway")
    page.keyboard.press("4")
    prepare(page, "Refine")
    page.get_by_role("radio", name="To a mask").click()
    field = page.get_by_label("To, number")
    field.fill("0.2 m")
    field.press("Enter")
    page.get_by_role("button", name="Count first").click()
    page.get_by_text("Ready to keep").wait_for(timeout=240_000)
    page.get_by_role("button", name="Look").click()
    page.keyboard.press("c")
    settle(page)


def history(page: Page) -> None:
    page.get_by_role("button", name="Leave it").click()
    settle(page)
    page.keyboard.press("3")
    page.keyboard.press("b")
    page.keyboard.press("Home")
    settle(page)
    strokes = [
        [(640, 420), (700, 400), (760, 380)],
        [(520, 520), (580, 480), (660, 450)],
        [(470, 590), (540, 530), (620, 480)],
    ]
    for stroke in strokes:
        page.mouse.move(*stroke[0])
        page.mouse.down()
        for place in stroke[1:]:
            page.mouse.move(*place, steps=4)
        page.mouse.up()
        settle(page)
        page.wait_for_timeout(600)
    page.keyboard.press("h")
    page.wait_for_timeout(900)
    settle(page)


def mooring_post(page: Page) -> None:
    open_surface(page, "Mooring post")


def sea_thrift(page: Page) -> None:
    open_surface(page, "Sea-thrift tuft")


def skerry(page: Page) -> None:
    """The island from the south-west, low over the sea."""
    open_surface(page, "Skerry")
    page.mouse.move(600, 470)
    settle(page)


def terrain_profile(page: Page) -> None:
    """The heath's rule over the profile of this very ground, beside what it makes."""
    page.keyboard.press("Home")
    page.keyboard.press("2")
    page.keyboard.press("c")
    page.keyboard.press("u")
    page.get_by_role("button", name="Slope", exact=False).first.click()
    page.wait_for_timeout(2500)
    settle(page)


def terrain_export(page: Page) -> None:
    page.get_by_role("button", name="Export").click()
    page.wait_for_timeout(1200)


def take_back(page: Page) -> None:
    """Leave the sample as it was."""
    for _ in range(3):
        page.keyboard.press("Control+z")
        page.wait_for_timeout(500)
    settle(page)


VIEWS: dict[str, Callable[[Page], None]] = {
    "start-page": start_page,
    "studio-blend": studio_blend,
    "light": light,
    "studio-channel": studio_channel,
    "undercoat": undercoat,
    "share": share,
    "export": export,
    "prepare-refine": prepare_refine,
    "history": history,
}


TERRAIN: dict[str, Callable[[Page], None]] = {
    "skerry": skerry,
    "terrain-profile": terrain_profile,
    "terrain-export": terrain_export,
}


expect.set_options(timeout=60_000)


def main(address: str) -> None:
    with chromium(*AS_SEEN) as browser:
        context = browser.new_context(
            viewport={"width": 1280, "height": 800}, base_url=address, color_scheme="dark"
        )
        page = context.new_page()
        for name, show in VIEWS.items():
            show(page)
            page.screenshot(path=FOLDER / f"{name}.png")
            print(name)
        take_back(page)
        for name, show in {"mooring-post": mooring_post, "sea-thrift": sea_thrift}.items():
            show(page)
            page.screenshot(path=FOLDER / f"{name}.png")
            print(name)
        for name, show in TERRAIN.items():
            show(page)
            page.screenshot(path=FOLDER / f"{name}.png")
            print(name)
        page.set_viewport_size({"width": 1920, "height": 1080})
        open_surface(page, "Slipway")
        page.screenshot(path=FOLDER / "studio-wide.png")
        print("studio-wide")


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8321")
