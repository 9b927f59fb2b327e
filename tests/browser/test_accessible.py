"""axe-core (Deque, MPL 2.0) finds nothing on any screen, dark and light; nothing is out of reach in a small window.

axe's rules stand for WCAG 2.1 at level A and AA and common practice.
"""

from pathlib import Path

import numpy as np
import pytest
from browser.window import PREPARE, channel, layer, settle, stage
from limits import HANG
from playwright.sync_api import Browser, Page, expect
from samples import small_project
from shapes import plane

from ashblend.core.formats.attribute import ExportAttribute
from ashblend.core.formats.glb_write import build_glb
from ashblend.demo.shelf import stock_shelf

AXE = Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js"


# Parts of a screen.
LEFT, MIDDLE, RIGHT = "aside:has(~ main)", "main", "main ~ aside"
CARD = "[role=dialog], [role=menu]"


def faults(page: Page, within: str | None, rules: list[str] | None) -> list[str]:
    """What axe finds wrong with what is on the screen now. within: a part of it, by a selector. rules: None for all."""
    if not page.evaluate("() => 'axe' in window"):
        page.add_script_tag(path=str(AXE))
    asked = {"resultTypes": ["violations"], **({"runOnly": rules} if rules else {})}
    found = page.evaluate("([of, asked]) => axe.run(of ?? document, asked)", [within, asked])
    return [
        f"{fault['id']}: {node['html'][:140]} {node['any'][0]['message'] if node['any'] else ''}"
        for fault in found["violations"]
        for node in fault["nodes"]
    ]


class Walk:
    """Goes through the screens; `wrong` has what was found on each."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.wrong: dict[str, list[str]] = {}

    def look(self, screen: str, within: str | None = None) -> None:
        """within: the part that is new, where the rest has been looked at. Most of a look's time goes into the rest."""
        # What the pointer happens to rest on has a tip, which is no part of the screen.
        self.page.mouse.move(0, 0)
        expect(self.page.locator("[data-tooltip-content]")).to_have_count(0)
        self.page.evaluate(
            "() => Promise.all(document.getAnimations().map((a) => a.finished.catch(() => {})))"
        )
        if within:
            expect(self.page.locator(within).last).to_be_visible()
        found = faults(self.page, within, None)
        # Light and dark differ in nothing but their colours.
        show = "(name) => (document.documentElement.dataset.theme = name)"
        self.page.evaluate(show, "light")
        found += [f"light {fault}" for fault in faults(self.page, within, ["color-contrast"])]
        self.page.evaluate(show, "dark")
        if found:
            self.wrong[screen] = found


@pytest.fixture
def walker(browser: Browser, server):
    context = browser.new_context(
        viewport={"width": 1280, "height": 800},
        base_url=server.address,
        color_scheme="dark",
        # The test's own script is added to the page; nothing else changes.
        bypass_csp=True,
        reduced_motion="reduce",
    )
    context.add_init_script(PREPARE)
    page = context.new_page()
    page.set_default_timeout(HANG * 1000)
    yield Walk(page)
    context.close()


def test_axe_finds_nothing_on_any_screen(walker, db):
    page = walker.page
    with db.begin() as session:
        stock_shelf(session, 64)
    page.goto("/")
    walker.look("empty start page")
    sample = small_project(db)
    page.reload()
    expect(page.get_by_role("link", name="Plane")).to_be_visible()
    walker.look("start page")
    page.get_by_role("button", name="More for Test").click()
    walker.look("menu of a project", CARD)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Add material").click()
    walker.look("add a material", CARD)
    page.keyboard.press("Escape")
    obj = b"v 0 0 0\nv 100 0 0\nv 0 0 90\nf 1 3 2\n"
    page.get_by_label("Mesh file").set_input_files({"name": "a.obj", "mimeType": "a/b", "buffer": obj})
    expect(page.get_by_role("button", name="Bring it in")).to_be_visible()
    walker.look("import card")
    page.get_by_role("button", name="Leave it").click()
    page.get_by_role("button", name="Delete Plane").click()
    walker.look("asked before deleting")
    page.get_by_role("button", name="Keep", exact=True).click()
    mesh = plane(9, 2.0, uv=True)
    white = ExportAttribute("COLOR_0", np.ones((81, 4), np.float32), 8)
    data = build_glb(mesh, [white], "White")
    page.get_by_label("Mesh file").set_input_files({"name": "white.glb", "mimeType": "a/b", "buffer": data})
    settle(page)
    expect(page.get_by_role("note")).to_be_visible()
    walker.look("noticed at import", "[role=note]")
    page.goto(f"/surface/{sample.surface}")
    settle(page)
    walker.look("studio")
    page.get_by_role("button", name="Channel sets").click()
    walker.look("channel sets", CARD)
    # It does find something there.
    page.evaluate("() => document.querySelector('[role=dialog]').append(document.createElement('button'))")
    assert any("button-name" in fault for fault in faults(page, CARD, None))
    page.evaluate("() => document.querySelector('[role=dialog] > button:last-child').remove()")
    page.get_by_role("button", name="Add a set").click()
    page.get_by_role("radio", name="On a map").click()
    walker.look("a new set", CARD)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="More for Channel R").click()
    walker.look("more for a channel", CARD)
    page.keyboard.press("Escape")
    channel(page, "Channel R").dblclick()
    expect(page.get_by_label("Name of channel R")).to_be_focused()
    walker.look("a channel's name being typed", LEFT)
    page.keyboard.press("Escape")
    for part in ("Pen", "Stencil", "Mirror", "Protect"):
        page.get_by_label("Brush", exact=True).get_by_role("button", name=part).click()
        walker.look(f"{part} of the brush", CARD)
        page.keyboard.press("Escape")
    page.get_by_role("button", name="More kinds").click()
    walker.look("kinds of layer", CARD)
    page.get_by_text("Lies on it as a thin coat").click()
    settle(page)
    walker.look("a film's mask", RIGHT)
    page.get_by_role("button", name="Add a term").click()
    walker.look("sources of a term", CARD)
    page.get_by_role("button", name="Slope").click()
    settle(page)
    walker.look("a recipe of two terms", RIGHT)
    for tab in ("Look", "Mask"):
        page.get_by_role("radio", name=tab, exact=True).first.click()
        walker.look(f"{tab} of a film", RIGHT)
    layer(page, "Ground").click()
    walker.look("tiling of the ground", RIGHT)
    page.get_by_role("radio", name="Look", exact=True).click()
    walker.look("look of the ground", RIGHT)
    page.get_by_role("button", name="Drive one property").click()
    walker.look("a driven property", RIGHT)
    page.get_by_role("button", name="More lenses").click()
    walker.look("more lenses", CARD)
    page.keyboard.press("Escape")
    for side in ("Undercoat", "Fill", "Prepare"):
        stage(page, side)
        walker.look(side, RIGHT)
    page.get_by_role("button", name="History").click()
    walker.look("History", RIGHT)
    stage(page, "Prepare")
    for part in (
        "Size and standing",
        "Refine",
        "Groups and hard borders",
        "Levels of detail, map",
        "New version",
    ):
        page.get_by_role("button", name=part).click()
        walker.look(part, RIGHT)
    stage(page, "Fill")
    page.get_by_role("radio", name="Levels", exact=True).click()
    walker.look("a curve", RIGHT)
    page.get_by_role("radio", name="Grain").click()
    settle(page)
    walker.look("a lens with a scale", MIDDLE)
    page.keyboard.press("w")
    walker.look("wipe", MIDDLE)
    page.keyboard.press("w")
    page.get_by_role("button", name="Compare").click()
    walker.look("compare", CARD)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Export").click()
    expect(page.get_by_text("untouched but for the weights")).to_be_visible()
    walker.look("export", CARD)
    page.keyboard.press("Escape")
    page.keyboard.press("?")
    walker.look("help", CARD)
    page.keyboard.press("Escape")
    page.goto("/surface/00000000-0000-0000-0000-000000000000")
    expect(page.get_by_role("alert")).to_be_visible()
    walker.look("not there")
    told = "\n".join(f"{screen}: {fault}" for screen, found in walker.wrong.items() for fault in found)
    assert not told, told


def test_axe_finds_nothing_on_the_screens_of_terrain(walker, db):
    page = walker.page
    project = small_project(db).project
    page.goto(f"/project/{project}")
    # Bare numbers in few steps, so that the card says all that it can.
    y, x = np.mgrid[:65, :65]
    data = (np.rint(np.hypot(x - 32, y - 20) / 4) * 900).astype("<u2").tobytes()
    page.get_by_label("Mesh file").set_input_files(
        {"name": "dunes.raw", "mimeType": "application/octet-stream", "buffer": data}
    )
    card = page.get_by_role("dialog")
    expect(card.get_by_test_id("terrain-size")).to_be_visible()
    card.get_by_label("Only a part of it").click()
    walker.look("terrain card")
    card.get_by_role("button", name="Bring it in").click()
    settle(page)
    page.get_by_role("button", name="Propose bands").click()
    expect(page.get_by_role("button", name="Lay these bands")).to_be_visible()
    walker.look("bands", RIGHT)
    page.get_by_role("button", name="Lay these bands").click()
    settle(page)
    stage(page, "Undercoat")
    channel(page, "Wet").click()
    walker.look("a measure under paint", RIGHT)
    page.get_by_role("radio", name="Path", exact=True).click()
    walker.look("a path", LEFT)
    page.get_by_role("button", name="Protect").click()
    page.get_by_label("Only at some heights").click()
    walker.look("limits", CARD)
    page.keyboard.press("Escape")
    stage(page, "Prepare")
    walker.look("the terrain", RIGHT)
    page.get_by_role("button", name="Channel sets").click()
    page.get_by_role("button", name="Add a set").click()
    walker.look("a set of cells", CARD)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Export").click()
    sheet = page.get_by_role("dialog", name="Export")
    sheet.get_by_role("radio", name="4 bits").click()
    sheet.get_by_role("radio", name="4", exact=True).click()
    walker.look("terrain export", CARD)
    assert walker.wrong == {}


@pytest.mark.parametrize("size", [(850, 530), (900, 600), (853, 533)])
def test_nothing_is_out_of_reach_in_a_small_window(browser, server, db, size):
    """853 × 533 is a window of 1280 × 800 at 150 %."""
    sample = small_project(db)
    context = browser.new_context(viewport={"width": size[0], "height": size[1]}, base_url=server.address)
    context.add_init_script(PREPARE)
    page = context.new_page()
    page.goto(f"/surface/{sample.surface}")
    settle(page)
    out = page.evaluate(
        """() => {
          const wide = document.documentElement.clientWidth, high = document.documentElement.clientHeight;
          const scrolls = (e) => {
            for (let at = e.parentElement; at; at = at.parentElement) {
              const { overflowY } = getComputedStyle(at);
              if (overflowY === 'auto' || overflowY === 'scroll') return at;
            }
            return null;
          };
          return [...document.querySelectorAll('button, input, [role=slider], [role=radio], a')].flatMap((e) => {
            const box = e.getBoundingClientRect();
            if (box.width === 0 || e.type === 'file' || getComputedStyle(e).visibility === 'hidden') return [];
            const home = scrolls(e)?.getBoundingClientRect();
            const [left, right] = home ? [home.left, home.right] : [0, wide];
            const clipped = box.left < left - 1 || box.right > right + 1;
            const lost = !home && (box.top < -1 || box.bottom > high + 1);
            return clipped || lost ? [`${e.getAttribute('aria-label') ?? e.textContent} ${box.left} ${box.right}`] : [];
          });
        }"""
    )
    assert out == []
    # What lies over each other cannot be pressed: every lens can, in the strip or behind it.
    for name in ("Channel", "Mask", "Share", "Grain", "Blend"):
        in_strip = page.get_by_role("radio", name=name, exact=True)
        if in_strip.count():
            in_strip.last.click()
            continue
        page.get_by_role("button", name="More lenses").click()
        page.get_by_role("dialog", name="More lenses").get_by_role("button", name=name).click()
        expect(in_strip.last).to_be_checked()
    for name in ("Compare", "The first view"):
        page.get_by_role("button", name=name).first.click(trial=True)
    context.close()
