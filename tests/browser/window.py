"""What browser tests do with a page."""

import contextlib
import io
import re
import time

import numpy as np
from limits import HANG
from PIL import Image
from playwright.sync_api import Browser, BrowserContext, Locator, Page, TimeoutError, expect

# A small, coarse picture without a sky: software rendering takes most of a test's time.
PREPARE = """
localStorage.setItem('ash.resolution', '0.4');
localStorage.setItem('ash.light', 'plain');
window.addEventListener('securitypolicyviolation', (e) =>
  console.error('policy violation', e.violatedDirective, e.blockedURI));
"""


# Behind PREPARE: with sky, shadows and all.
LIT = "localStorage.setItem('ash.light', 'sky');"


def new_page(browser: Browser, address: str) -> Page:
    """A page that records whatever should not happen in `strange`, as of another visitor."""
    context = browser.new_context(
        viewport={"width": 1100, "height": 640}, base_url=address, color_scheme="dark"
    )
    context.add_init_script(PREPARE)
    return another_page(context, address)


def another_page(context: BrowserContext, address: str) -> Page:
    """A further page of the same visitor."""
    page = context.new_page()
    page.set_default_timeout(HANG * 1000)
    page.strange = []
    page.expected_errors = False

    def console(message) -> None:
        if message.type == "error" and not page.expected_errors:
            page.strange.append(message.text)

    def request(made) -> None:
        if not made.url.startswith((address, address.replace("http", "ws"), f"blob:{address}")):
            page.strange.append(f"off-origin: {made.url}")

    page.on("console", console)
    page.on("pageerror", lambda error: page.strange.append(str(error)))
    page.on("request", request)
    return page


def settle(page: Page) -> None:
    """Everything is saved and the picture shows it."""
    expect(page.get_by_test_id("save-state")).to_have_text("All strokes saved")
    expect(page.get_by_test_id("viewport")).to_have_attribute("data-settled", "true")


def answered(page: Page) -> None:
    """What is under the cursor has been asked for, and told."""
    page.wait_for_timeout(100)
    expect(page.locator("footer")).to_have_attribute("data-asking", "false")


def open_surface(page: Page, surface) -> None:
    page.goto(f"/surface/{surface}")
    settle(page)


def picture(page: Page) -> np.ndarray:
    """The viewport's pixels (rows, columns, 3), without ring and controls on it.

    A loaded machine may still show the frame before the one that was drawn, and something may come in meanwhile
    that is drawn coarsely first: two in a row must agree, and nothing must have been drawn since the first.
    """
    _get_ready(page)
    drawn, before = _drawn(page), glimpse(page)
    for _ in range(20):
        now = glimpse(page)
        if np.array_equal(before, now) and drawn == _drawn(page):
            return now
        settle(page)
        drawn, before = _drawn(page), now
    return before


def _drawn(page: Page) -> tuple[str | None, ...]:
    viewport = page.get_by_test_id("viewport")
    return viewport.get_attribute("data-drawn"), viewport.get_attribute("data-settled")


def shows(page: Page, wanted: np.ndarray, within: int = 2) -> None:
    """Wait until the picture is the wanted one, to a few steps of 255."""
    deadline = time.monotonic() + HANG
    while True:
        off = np.abs(_shot(page) - wanted).max()
        if off <= within:
            return
        assert time.monotonic() < deadline, f"the picture stays {off} steps off the wanted one"


def differs(page: Page, other: np.ndarray, by: int = 40) -> np.ndarray:
    """Wait until the picture is another one by so many steps of 255 somewhere; that picture."""
    deadline = time.monotonic() + HANG
    while True:
        now = picture(page)
        off = np.abs(now - other).max()
        if off > by:
            return now
        assert time.monotonic() < deadline, f"the picture stays within {off} steps of the other one"


def alike(page: Page, wanted: np.ndarray) -> None:
    """Wait until the picture is the wanted one but for a few pixels: less than a step on average."""
    deadline = time.monotonic() + HANG
    while True:
        off = np.abs(_shot(page) - wanted).mean()
        if off < 1:
            return
        assert time.monotonic() < deadline, f"the picture stays {off:.2f} steps off on average"


def _shot(page: Page) -> np.ndarray:
    _get_ready(page)
    return glimpse(page)


def _get_ready(page: Page) -> None:
    """Nothing over the picture, everything drawn."""
    toasts = page.locator("[data-sonner-toast]")
    deadline = time.monotonic() + HANG
    while toasts.count() and time.monotonic() < deadline:
        # One may go by itself meanwhile, and an answer under way may bring another.
        with contextlib.suppress(TimeoutError):
            toasts.locator("[data-close-button]").first.click(timeout=1000)
        page.wait_for_timeout(100)
    expect(toasts).to_have_count(0)
    page.mouse.move(5, 300)
    settle(page)
    # The ring is taken away in the picture after the one in which the pointer left.
    page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")


def glimpse(page: Page) -> np.ndarray:
    """The viewport's pixels as they are just now, whatever the pointer is doing."""
    box = page.get_by_test_id("picture").bounding_box()
    clip = {"x": box["x"] + 20, "y": box["y"] + 50, "width": box["width"] - 40, "height": box["height"] - 120}
    data = page.screenshot(clip=clip)
    pixels = np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)
    # The light's dome, and the button under it.
    pixels[:48, -110:] = 0
    return pixels


def centre(page: Page) -> tuple[float, float]:
    box = page.get_by_test_id("surface").bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def drag(page: Page, moves: list[tuple[float, float]], button: str = "left") -> None:
    """Press at the first place, relative to the viewport's centre, and move through the others."""
    x, y = centre(page)
    page.mouse.move(x + moves[0][0], y + moves[0][1])
    page.mouse.down(button=button)
    for dx, dy in moves[1:]:
        page.mouse.move(x + dx, y + dy, steps=2)
    page.mouse.up(button=button)


STROKE = [(-60, 0), (-20, 8), (20, 0), (60, 10)]


def paint(page: Page, moves: list[tuple[float, float]] = STROKE) -> None:
    """A stroke, and wait until it is saved."""
    drag(page, moves)
    settle(page)


def set_slider(page: Page, label: str, value: str) -> None:
    field = page.get_by_label(f"{label}, number")
    field.fill(value)
    field.press("Enter")


def undo_label(page: Page) -> str:
    return page.get_by_role("button", name=re.compile("^Undo|Nothing to undo")).get_attribute("aria-label")


def channel(page: Page, name: str) -> Locator:
    """The row of a channel of the chosen set."""
    rows = page.get_by_label("Channel to paint on")
    return rows.get_by_role("button", name=re.compile(rf"^[RGBA]\s+{re.escape(name)}"))


def stage(page: Page, name: str) -> None:
    """Go to a stage of the work: Prepare, Undercoat, Paint, Blend."""
    page.get_by_label("Right side").get_by_role("radio", name=name, exact=True).click()


def layer(page: Page, name: str) -> Locator:
    """The slab of a layer, or of the ground."""
    return page.get_by_label("Layers", exact=True).get_by_role(
        "button", name=re.compile(rf"^(! )?{re.escape(name)} ")
    )


def layer_names(page: Page) -> list[str]:
    """Of the layers, topmost first."""
    slabs = page.get_by_label("Layers, topmost first").locator("button[aria-pressed]")
    return [text.split("\n")[0] for text in slabs.all_inner_texts()]
