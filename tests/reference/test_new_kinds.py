"""A kind of site, of layer and of term, each of one file (tests/toys), through brush, tree, shader and reference."""

from collections.abc import Iterator
from uuid import UUID

import numpy as np
import pytest
from blends import EVERY_PACK, random_inputs, random_texels, slots_of
from playwright.sync_api import Browser, Page
from reference.shader import COUNT, SIZE, both_ways
from toys.dew import DewLayer, lower_dew
from toys.hills import Hills
from toys.rings import RingsSource, lower_rings

from ashblend.core.blend.compile import compile_blend
from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.blend.layers.registry import LAYER_KINDS
from ashblend.core.brush.document import Brush, PointerSample
from ashblend.core.brush.fills.border import BorderFill
from ashblend.core.brush.fills.even import EvenFill
from ashblend.core.brush.fills.facing import FacingFill
from ashblend.core.brush.fills.fill import fill_delta
from ashblend.core.brush.fills.smooth_all import SmoothAllFill
from ashblend.core.brush.stroke import Stroke
from ashblend.core.channels.channel import empty_channel
from ashblend.core.channels.quantise import FULL
from ashblend.core.emit.glsl import emit_glsl
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.emit.tape import flatten
from ashblend.core.emit.tape_kernel import play
from ashblend.core.recipe.document import Recipe, Term, of_channel
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.registry import SOURCES
from ashblend.core.tree.node import SiteInput, TextureSample
from ashblend.core.tree.operations import only_where, vector

FACTS = {"metres_per_uv": 2.5, "origin_x": 40.0, "origin_y": 0.0, "origin_z": -7.0}
SIDE, SPACING = 61, 0.05


@pytest.fixture(scope="module")
def page(browser: Browser) -> Iterator[Page]:
    made = browser.new_page()
    yield made
    made.close()


def hills() -> Hills:
    at = np.arange(SIDE) * SPACING
    return Hills(0.3 * np.sin(at[None, :] * 2) * np.cos(at[:, None] * 1.5), SPACING)


@pytest.mark.parametrize("act", ["paint", "smooth", "smear", "sharpen"])
@pytest.mark.parametrize("reach", ["ball", "skin"])
def test_a_new_kind_of_site_is_brushed(reach, act):
    """Nothing in the brush knows of heights; the undo is exact."""
    sites = hills()
    channel = empty_channel(sites.count)
    seeded = np.random.default_rng(1).integers(0, FULL + 1, sites.count).astype(np.uint16)
    channel.cover[:], channel.paint[:] = FULL, seeded
    before = channel.values().copy()
    row, column = 30, 20
    centre = sites._places([row * SIDE + column])[0]
    normal = sites.window(np.array([row * SIDE + column], np.uint32)).normals[0]
    stroke = Stroke(sites, channel, 0, Brush(act=act, radius=0.3, strength=1, falloff="flat", reach=reach))
    for step in (0.0, 0.2):
        place = (centre[0] + step, centre[1], centre[2])
        stroke.extend([PointerSample(position=place, normal=tuple(map(float, normal)))])
    deltas = stroke.finish()
    changed = np.flatnonzero(channel.values() != before)
    apart = np.linalg.norm(sites._places(changed)[:, [0, 2]] - centre[[0, 2]], axis=1)
    assert changed.size > 60 and apart.max() < 0.52
    if act == "paint":
        assert (channel.values()[changed] == FULL).all()
    if act == "smooth":
        assert channel.values()[changed].std() < 0.6 * before[changed].std()
    for delta in deltas:
        delta.reversed().apply(channel)
    np.testing.assert_array_equal(channel.values(), before)


def test_a_new_kind_of_site_is_filled():
    sites = hills()
    channel = empty_channel(sites.count)
    fill_delta(EvenFill(weight=0.5), 0, channel, sites).apply(channel)
    assert set(channel.values().tolist()) == {round(FULL / 2)}
    fill_delta(FacingFill(weight=1, full=5, none=20), 0, channel, sites).apply(channel)
    up = sites.window(np.arange(sites.count, dtype=np.uint32)).normals[:, 1]
    assert (channel.values()[up > np.cos(np.radians(5))] == FULL).all()
    rim = fill_delta(
        BorderFill(weight=1, keep=0.06, width=0.1), 0, empty_channel(sites.count), sites,
        border=lambda _: sites.open_edges(),
    )  # fmt: skip
    assert np.isin(sites.open_edges(), rim.sites).all() and rim.sites.size < sites.count / 2
    smoothed = fill_delta(SmoothAllFill(metres=0.3), 0, channel, sites)
    smoothed.apply(channel)
    assert np.ptp(channel.values()) > 0


def test_a_new_kind_of_layer_shows_in_shader_and_reference(page, monkeypatch):
    """Metal, glow and sinking included, which no other kind makes yet."""
    monkeypatch.setitem(LAYER_KINDS, "dew", lower_dew)
    ground = Ground(material=UUID(int=1))
    dew = DewLayer(id="dew", name="Dew", mask=of_channel(UUID(int=21), 2), opacity=0.8)
    document = BlendDocument(ground=ground).model_copy(update={"layers": (dew,)})
    plain = {
        "ground": ground.model_dump(mode="json"),
        "layers": [dew.model_dump(mode="json")],
    }
    tree = compile_blend(document)
    assert set(tree.vertex_outputs()) == {"sink"}
    assert emit_glsl(tree.vertex_outputs(), "level0").source.count("sample") == 0
    look = tree.look
    outputs = {
        "first": vector(look.albedo, look.roughness),
        "second": vector(look.emission, look.metallic),
        "third": vector(look.sink, *tree.shares, 0.0),
    }
    inputs = {k: v.astype(np.float32) for k, v in random_inputs(tree, COUNT, 4).items()}
    texels = random_texels(slots_of(tree), SIZE, seed=3)
    shader, expected = both_ways(page, outputs, plain, inputs, texels, FACTS)
    for key in outputs:
        np.testing.assert_allclose(shader[key], expected[key], atol=2e-4, err_msg=key)
    wet = 0.8 * inputs["weights0"][:, 2]
    np.testing.assert_allclose(shader["second"][:, 2], 0.2 * wet, atol=1e-5)
    np.testing.assert_allclose(shader["second"][:, 3], 0.5 * wet, atol=1e-5)
    np.testing.assert_allclose(shader["third"][:, 0], 0.01 * wet, atol=1e-6)


def test_a_new_term_is_worked_out_alike_everywhere(page, monkeypatch):
    monkeypatch.setitem(SOURCES, "rings", lower_rings)
    term = Term.model_construct(source=RingsSource(metres=0.7), low=0.25, high=0.75)
    recipe = Recipe.model_construct(terms=(term,))
    plain = {
        "terms": [{"source": {"kind": "rings", "metres": 0.7}, "low": 0.25, "high": 0.75, "amount": 1.0}]
    }
    node = lower_recipe(recipe, "", Lowering())
    places = np.random.default_rng(2).uniform(-3, 3, (COUNT, 3)).astype(np.float32)
    outputs = {"only": vector(node, 0.0, 0.0, 0.0)}
    empty = {
        "surface": np.zeros((0, SIZE, SIZE, 4), np.uint8),
        "detail": np.zeros((0, SIZE, SIZE, 4), np.uint8),
    }
    shader, expected = both_ways(page, outputs, plain, {"position": places}, empty, FACTS)
    parameters = parameter_values({"m": node}, plain, FACTS)
    tape = play(flatten({"m": node}), {"position": places}, parameters, {"surface": [], "detail": []}, COUNT)
    apart = np.hypot(places[:, 0] + 40.0, places[:, 2] - 7.0) / 0.7
    by_hand = np.clip(((apart % 1) - 0.25) / 0.5, 0, 1)
    for found in (shader["only"][:, 0], expected["only"][:, 0], tape["m"][:, 0]):
        np.testing.assert_allclose(found, by_hand, atol=2e-4)


def test_a_slot_that_every_place_says_for_itself_is_read_alike_everywhere(page):
    """Rounded, and kept among the slots that there are: at the first and the last, beyond both, and in one branch."""
    slots, rng = 5, np.random.default_rng(3)
    which = rng.uniform(-2.0, 7.0, (COUNT, 1))
    # Nobody says how a half is rounded (OpenGL ES 3.0.6, section 3.8.10).
    which = np.where(np.abs(which - np.floor(which) - 0.5) < 0.02, np.floor(which), which)
    inputs = {"uv": rng.uniform(-1, 2, (COUNT, 2)), "measure0": which}
    number = SiteInput("measure0", 1)
    place = SiteInput("uv", 2)
    sampled = TextureSample("surface", number, place, place)
    inside = only_where("p", number - 1.5, TextureSample("surface", number, place, place), sampled * 0.5)
    texels = random_texels(slots, SIZE, seed=4)
    shader, expected = both_ways(page, {"first": sampled, "second": inside}, {}, inputs, texels, {})
    for name, values in expected.items():
        assert np.abs(shader[name] - values).max() < 2e-3
        assert np.ptp(values, axis=0).min() > 0.3
    decoded = {k: [EVERY_PACK[k].decoded(t) for t in found] for k, found in texels.items()}
    tape = play(flatten({"first": sampled, "second": inside}), inputs, {}, decoded, COUNT)
    for name, values in expected.items():
        np.testing.assert_allclose(tape[name], values, atol=2e-5)
    # One by one, with the number in the tree.
    for slot in range(slots):
        near = np.clip(np.floor(which[:, 0] + 0.5), 0, slots - 1) == slot
        alone = evaluate({"v": TextureSample("surface", slot, place)}, inputs, {}, decoded)["v"]
        np.testing.assert_array_equal(expected["first"][near], alone[near])
