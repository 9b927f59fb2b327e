"""What is seen before everything is there, and that the page lives while it is drawn."""

import numpy as np
from browser.window import centre, differs, glimpse, picture, settle
from limits import until
from playwright.sync_api import Route, expect
from samples import small_project

RECORD = """
window.built = [];
const compile = WebGL2RenderingContext.prototype.shaderSource;
WebGL2RenderingContext.prototype.shaderSource = function (shader, text) {
  window.built.push(text.length);
  return compile.call(this, shader, text);
};
"""


def test_shape_and_light_are_seen_while_textures_are_on_their_way(page, db):
    sample = small_project(db)
    held: list[Route] = []
    wait = True

    def hold(route: Route) -> None:
        held.append(route) if wait else route.continue_()

    page.route("**/packs/**", hold)
    page.goto(f"/surface/{sample.surface}")
    viewport = page.get_by_test_id("viewport")
    expect(viewport).not_to_have_attribute("data-drawn", "0")
    expect(viewport).to_have_attribute("data-settled", "false")
    # Something with edges stands there: the ground behind it has none.
    clay = until(
        lambda: glimpse(page),
        lambda seen: np.abs(np.diff(seen.max(axis=2), axis=1)).max() > 8,
        "nothing is seen of the shape",
    )
    assert len(held) > 0
    page.get_by_role("button", name="History").click()
    expect(page.get_by_role("button", name="As it was imported")).to_be_visible()
    page.get_by_role("button", name="History").click()
    wait = False
    for route in held:
        route.continue_()
    settle(page)
    assert np.abs(picture(page) - clay).max() > 40


def test_small_programs_are_built_before_the_whole_blend(page, db):
    sample = small_project(db)
    page.add_init_script(RECORD)
    page.goto(f"/surface/{sample.surface}")
    settle(page)
    built = page.evaluate("window.built")
    # Shape and light, the ground alone, everything: each larger than the one before.
    largest = [max(built[: i + 1]) for i in range(len(built))]
    assert len(set(largest)) >= 3 and built.index(max(built)) > 3, built


def test_pictures_aside_never_reach_the_screen(page, db):
    """Small pictures of steps are drawn by the same renderer: the surface once vanished while History was open."""
    sample = small_project(db)
    page.goto(f"/surface/{sample.surface}")
    settle(page)
    page.evaluate(
        """() => {
          window.emptied = 0;
          const canvas = document.querySelector("[data-testid=picture]");
          const context = canvas.getContext("webgl2");
          const clear = context.clear.bind(context);
          context.clear = (bits) => {
            if (context.getParameter(context.FRAMEBUFFER_BINDING) === null) window.emptied++;
            clear(bits);
          };
        }"""
    )
    shown = picture(page)
    page.get_by_role("button", name="History").click()
    for _ in range(6):
        page.wait_for_timeout(400)
        np.testing.assert_array_equal(glimpse(page), shown)
    assert page.evaluate("window.emptied") == 0


ASKED = """
// Texts of programs that were asked about while the graphics process may still have been linking them, and after.
window.early = [];
window.late = [];
const lengths = new Map(), validated = new Set(), before = new Map(), linked = new Set();
const on = (name, after) => {
  const own = WebGL2RenderingContext.prototype[name];
  WebGL2RenderingContext.prototype[name] = function (...given) {
    const answer = own.apply(this, given);
    after.call(this, given, answer);
    return answer;
  };
};
on("attachShader", ([program, shader]) => {
  lengths.set(program, (lengths.get(program) ?? 0) + (lengths.get(shader) ?? 0));
});
on("shaderSource", ([shader, text]) => lengths.set(shader, text.length));
on("validateProgram", ([program]) => validated.add(program));
on("fenceSync", (_, fence) => before.set(fence, [...validated]));
on("getSyncParameter", ([fence], answer) => {
  if (answer === WebGL2RenderingContext.SIGNALED) for (const program of before.get(fence)) linked.add(program);
});
for (const question of ["getProgramParameter", "getProgramInfoLog", "getActiveUniform", "useProgram"]) {
  on(question, ([program]) => {
    if (program) (linked.has(program) ? window.late : window.early).push(lengths.get(program));
  });
}
"""


def test_a_large_program_is_asked_about_only_when_it_is_linked(page, db):
    """Without a graphics card whoever asks waits for the linking: it held the page for a second."""
    sample = small_project(db)
    page.add_init_script(ASKED)
    page.goto(f"/surface/{sample.surface}")
    settle(page)
    early, late = page.evaluate("[window.early, window.late]")
    # Shape and light are small, and drawn at once.
    assert max(late) > 2 * max(early), (sorted(set(early)), sorted(set(late)))


WATCH = """
() => {
  const viewport = document.querySelector('[data-testid=viewport]');
  const told = (window.told = []);
  new MutationObserver(() => told.push([viewport.dataset.settled, viewport.dataset.drawn]))
    .observe(viewport, { attributes: true });
  return viewport.dataset.drawn;
}
"""


def test_what_is_not_drawn_yet_is_not_called_settled(page, db):
    """On a machine that is busy the picture of before stood for seconds, and was called the one of now."""
    sample = small_project(db)
    page.goto(f"/surface/{sample.surface}")
    settle(page)
    before = picture(page)
    drawn = page.evaluate(WATCH)
    page.mouse.move(*centre(page))
    page.mouse.wheel(0, -400)
    differs(page, before)
    assert page.evaluate("window.told[0]") == ["false", drawn], "first of all it is said, then drawn"


WITHOUT = """
const given = HTMLCanvasElement.prototype.getContext;
HTMLCanvasElement.prototype.getContext = function (kind, ...more) {
  return kind.startsWith("webgl") ? null : given.call(this, kind, ...more);
};
"""


def test_a_browser_that_cannot_draw_is_told_so_and_the_rest_is_there(page, db):
    sample = small_project(db)
    page.add_init_script(WITHOUT)
    page.expected_errors = True
    page.goto(f"/surface/{sample.surface}")
    expect(page.get_by_test_id("viewport").get_by_role("alert")).to_contain_text("it gives no WebGL 2")
    expect(page.get_by_text("Loading the surface")).to_have_count(0)
    expect(page.get_by_label("Channel to paint on")).to_be_visible()
    expect(page.get_by_label("Layers", exact=True)).to_be_visible()
    page.get_by_role("button", name="Export").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save Plane.glb").click()
    assert download.value.suggested_filename == "Plane.glb"
