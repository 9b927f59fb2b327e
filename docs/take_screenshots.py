"""Takes docs/screenshots anew from the demo data: ./ash screenshots, while ./ash demo runs."""

import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
from browsers import FLAGS

FOLDER = Path(__file__).parent / "screenshots"


def settle(page: Page) -> None:
    page.wait_for_timeout(900)
    expect(page.get_by_test_id("viewport")).to_have_attribute("data-settled", "true", timeout=120_000)


def go_near(page: Page) -> None:
    """Down to the tide line, where all four materials meet."""
    for _ in range(5):
        page.mouse.move(560, 520)
        page.mouse.wheel(0, -240)
        page.wait_for_timeout(250)
    settle(page)


def start_page(page: Page) -> None:
    page.goto("/")
    expect(page.get_by_role("heading", name="Skerry Station")).to_be_visible()
    page.wait_for_load_state("networkidle")


def studio_blend(page: Page) -> None:
    page.get_by_text("Slipway", exact=True).click()
    settle(page)
    go_near(page)
    page.mouse.move(600, 330)
    settle(page)
    expect(page.get_by_test_id("core-sample")).to_be_visible()


def studio_channel(page: Page) -> None:
    page.keyboard.press("c")
    settle(page)


def export(page: Page) -> None:
    page.keyboard.press("b")
    page.mouse.move(5, 300)
    settle(page)
    page.get_by_role("button", name="Export").click()
    page.wait_for_timeout(500)


VIEWS: dict[str, Callable[[Page], None]] = {
    "start-page": start_page,
    "studio-blend": studio_blend,
    "studio-channel": studio_channel,
    "export": export,
}


def main(address: str) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--headless=new", *FLAGS]
        )
        context = browser.new_context(
            viewport={"width": 1280, "height": 800}, base_url=address, color_scheme="dark"
        )
        page = context.new_page()
        for name, show in VIEWS.items():
            show(page)
            page.screenshot(path=FOLDER / f"{name}.png")
            print(name)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8321")
