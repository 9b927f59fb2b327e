"""New ways to lay and mix materials against what was published of them, and against their own limits."""

from uuid import UUID

import numpy as np
import pytest
from blends import FACTS, random_inputs, random_textures
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from ashblend.core.blend.compile import compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.layers.relief import reoriented
from ashblend.core.emit.glsl import emit_glsl
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.recipe.document import Recipe, of_channel
from ashblend.core.recipe.lower import lower_recipe
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.tree.node import SiteInput

ONE, TWO = str(UUID(int=1)), str(UUID(int=2))


def unit(v):
    return v / np.linalg.norm(v, axis=1, keepdims=True)


def previewed(document: dict, inputs, textures, facts=FACTS):
    """Every property of a blend that is given as plain JSON."""
    parsed = BlendDocument.model_validate(document)
    tree = compile_blend(parsed)
    nodes = {name: getattr(tree.look, name) for name in ("albedo", "normal", "height", "roughness")}
    parameters = parameter_values(nodes, parsed.model_dump(mode="json"), facts)
    return evaluate(nodes, inputs, parameters, textures)


def samples_of(document: dict) -> int:
    return emit_glsl(compile_blend(BlendDocument.model_validate(document)).outputs()).samples


def places(count: int, seed: int = 1):
    return random_inputs(compile_blend(BlendDocument(ground={"material": None})), count, seed)


def test_reoriented_normals_are_those_of_the_paper():
    """Barré-Brisebois and Hill (2012), in tangent space: t = n1 + (0,0,1), u = n2·(−1,−1,1), t·dot(t,u)/t.z − u."""
    rng = np.random.default_rng(1)
    base, detail = (unit(rng.standard_normal((500, 3)) + [0, 0, 1.5]) for _ in range(2))
    base, detail = base[base[:, 2] > 0], detail[base[:, 2] > 0]
    t, u = base + [0, 0, 1], detail * [-1, -1, 1]
    published = t * (t * u).sum(axis=1, keepdims=True) / t[:, 2:] - u
    node = reoriented(SiteInput("base", 3), SiteInput("detail", 3), SiteInput("up", 3))
    up = np.tile([0.0, 0.0, 1.0], (len(base), 1))

    def by_tree(b, d, upright=up):
        return evaluate({"n": node}, {"base": b, "detail": d, "up": upright}, {}, {})["n"]

    np.testing.assert_allclose(by_tree(base, detail), unit(published), atol=1e-12)
    # Its limits: on a flat base it is the detail, of a flat detail it is the base.
    np.testing.assert_allclose(by_tree(up, detail), detail, atol=1e-12)
    np.testing.assert_allclose(by_tree(base, up), base, atol=1e-12)
    # However the surface lies in space.
    turn = np.linalg.qr(rng.standard_normal((3, 3)))[0]
    turn *= np.sign(np.linalg.det(turn))
    np.testing.assert_allclose(
        by_tree(base @ turn.T, detail @ turn.T, up @ turn.T), unit(published) @ turn.T, atol=1e-12
    )


@pytest.mark.parametrize("projection", ["planar", "uv"])
def test_broken_tiling_keeps_mean_and_variance_and_does_not_repeat(projection):
    """Heitz and Neyret (2018): mixed around the mean over the length of the weights, both stay."""
    rng = np.random.default_rng(3)
    # Little contrast, so that nothing is cut off at 0 or 1.
    texels = (0.5 + 0.05 * rng.standard_normal((64, 64, 4))).clip(0.2, 0.8)
    textures = {"surface": [texels], "detail": [np.full((4, 4, 4), 0.5)]}
    count = 40_000
    inputs = places(count)
    # At texel centres, where bilinear filtering takes nothing away: shifts are not whole texels, so filter them, too.
    at = rng.uniform(-20, 20, (count, 2))
    inputs |= {"normal": np.tile([0.0, 1.0, 0.0], (count, 1)), "uv": at / 2.5}
    inputs["position"] = np.column_stack([at[:, 0], np.zeros(count), at[:, 1]])
    mapping = {"projection": projection, "metres_per_tile": 1.0}

    def found(broken, moved=0.0):
        here = inputs | {"uv": inputs["uv"] + moved / 2.5, "position": inputs["position"] + [moved, 0, 0]}
        ground = {"material": ONE, "mapping": {**mapping, "broken": broken}}
        return previewed({"ground": ground}, here, textures)["albedo"][:, 0]

    plain, broken = found(False), found(True)
    assert abs(broken.mean() - texels[..., 0].mean()) < 0.002
    # Plain samples lose variance to filtering; broken ones lose the same, no more and no less.
    assert broken.std() == pytest.approx(plain.std(), rel=0.03)
    np.testing.assert_allclose(found(False, moved=1.0), plain, atol=1e-9)
    assert abs(np.corrcoef(found(True, moved=1.0), broken)[0, 1]) < 0.12, "the next tile shows something else"
    assert samples_of({"ground": {"material": ONE, "mapping": {**mapping, "broken": True}}}) == 8


def test_a_broken_tiling_stays_where_it_is_when_places_are_counted_from_elsewhere():
    textures = random_textures(1, 16, 5)
    inputs = places(200) | {"normal": np.tile([0.0, 1.0, 0.0], (200, 1))}
    ground = {"material": ONE, "mapping": {"projection": "planar", "metres_per_tile": 0.7, "broken": True}}
    here = previewed({"ground": ground}, inputs, textures)["albedo"]
    moved = inputs | {"position": inputs["position"] - [300.0, 0, -41.0]}
    facts = FACTS | {"origin_x": 300.0, "origin_z": -41.0}
    np.testing.assert_allclose(
        previewed({"ground": ground}, moved, textures, facts)["albedo"], here, atol=1e-7
    )


@pytest.mark.parametrize("level", [1.0, 0.5])
def test_parallax_of_a_level_map_is_a_plain_shift_and_none_at_the_top(level):
    textures = random_textures(1, 16, 6)
    textures["surface"][0][..., 3] = level
    inputs = places(300) | {"normal": np.tile([0.0, 1.0, 0.0], (300, 1))}
    view = unit(np.random.default_rng(2).uniform(-0.5, 0.5, (300, 3)) + [0, 1, 0])
    mapping = {"projection": "planar", "metres_per_tile": 0.9}
    depth = 0.08

    def found(where, parallax):
        ground = {"material": ONE, "mapping": {**mapping, "parallax": parallax}}
        return previewed({"ground": ground}, inputs | {"view": view, "position": where}, textures)["albedo"]

    shift = view / view[:, 1:2] * depth * (1 - level) * [1, 0, 1]
    np.testing.assert_allclose(
        found(inputs["position"], depth), found(inputs["position"] - shift, 0.0), atol=1e-9
    )


def test_each_way_of_laying_costs_what_is_said_and_nothing_when_it_is_not_used():
    def cost(**mapping) -> int:
        return samples_of({"ground": {"material": ONE, "mapping": mapping}})

    assert [cost(projection=p) for p in ("uv", "planar", "triplanar")] == [2, 2, 6]
    assert cost(projection="triplanar", sharpness=9) == 6
    assert cost(projection="uv", far={"times": 4}) == 4
    assert cost(projection="uv", parallax=0.05) == 9 and cost(projection="uv", parallax=0) == 2
    assert samples_of({"ground": {"material": None}}) == 0
    layer = {
        "id": "a", "name": "A", "kind": "cover", "material": TWO, "mapping": {"projection": "uv"},
        "mask": of_channel(UUID(int=9), 0).model_dump(mode="json"),
    }  # fmt: skip
    ground = {"material": ONE, "mapping": {"projection": "uv"}}
    assert samples_of({"ground": ground, "layers": [layer]}) == 4
    for hidden in ({"visible": False}, {"opacity": 0}):
        assert samples_of({"ground": ground, "layers": [{**layer, **hidden}]}) == 2
    together = [{"id": "g", "name": "Weather", "visible": False}]
    assert samples_of({"ground": ground, "layers": [{**layer, "group": "g"}], "groups": together}) == 2
    same = {**layer, "material": ONE, "finish": {"tint": [0.2, 1, 1], "normal": 2}}
    assert samples_of({"ground": ground, "layers": [same]}) == 2, (
        "one material at one placing is sampled once"
    )
    film = {"id": "f", "name": "F", "kind": "film", "mask": layer["mask"]}
    tint = {"id": "t", "name": "T", "kind": "tint", "mask": layer["mask"]}
    assert samples_of({"ground": ground, "layers": [film, tint]}) == 2


def film_over(mask: float, **film) -> dict:
    recipe = {"terms": [{"source": {"kind": "constant", "value": mask}}]}
    layer = {"id": "f", "name": "F", "kind": "film", "mask": recipe, **film}
    return {"ground": {"material": ONE, "mapping": {"projection": "uv"}}, "layers": [layer]}


def test_a_film_is_damp_before_it_stands_and_fills_low_places_first():
    """0.75 and 0.05 are common practice for wet albedo and for water's roughness."""
    textures = random_textures(1, 32, 7)
    inputs = places(2000)
    dry = previewed(film_over(0.0), inputs, textures)
    bare = previewed({"ground": film_over(0)["ground"]}, inputs, textures)
    for name in dry:
        np.testing.assert_allclose(dry[name], bare[name], atol=1e-12, err_msg=name)
    damp = previewed(film_over(0.4), inputs, textures)
    np.testing.assert_allclose(damp["albedo"], bare["albedo"] * (1 - 0.25 * 0.4), atol=1e-12)
    assert (damp["roughness"] <= bare["roughness"].clip(0.05) + 1e-12).all()
    full = previewed(film_over(1.0, deepens=0.0), inputs, textures)
    np.testing.assert_allclose(full["roughness"], 0.05, atol=1e-12)
    np.testing.assert_allclose(full["normal"], inputs["normal"], atol=1e-9)
    np.testing.assert_allclose(full["height"], 0.5, atol=1e-12)
    # On the way there the low places stand first.
    half = previewed(film_over(0.75, bite=4.0, softness=0.05), inputs, textures)
    stands = np.isclose(half["height"][:, 0], 0.5, atol=1e-6)
    low = bare["height"][:, 0] < 0.35
    assert stands[low].all() and not stands[bare["height"][:, 0] > 0.65].any() and low.any()


def test_a_surface_is_coloured_by_its_channels_alone():
    """No texture at all: R, G and B of a set are the colour, as vertex colours are."""
    full = {"terms": [{"source": {"kind": "constant"}}]}
    colouring = {"kind": "channels", "channel_set": ONE}
    tint = {"id": "t", "name": "T", "kind": "tint", "mask": full, "colouring": colouring}
    document = {"ground": {"material": None}, "layers": [tint]}
    inputs = places(50) | {"weights0": np.random.default_rng(1).random((50, 4))}
    found = previewed(document, inputs, {})
    np.testing.assert_allclose(found["albedo"], inputs["weights0"][:, :3], atol=1e-12)
    assert samples_of(document) == 0


def slope_mask(low: float, high: float, degrees: np.ndarray) -> np.ndarray:
    recipe = Recipe.model_validate({"terms": [{"source": {"kind": "slope"}, "low": low, "high": high}]})
    node = lower_recipe(recipe, "", Lowering())
    angle = np.radians(degrees)
    normal = np.column_stack([np.sin(angle), np.cos(angle), 0 * angle])
    parameters = parameter_values({"m": node}, recipe.model_dump(mode="json"), FACTS)
    return evaluate({"m": node}, {"normal": normal}, parameters, {})["m"][:, 0]


@settings(max_examples=60)
@given(st.floats(0, 180), st.floats(0, 180))
def test_slopes_are_degrees_and_ramps_fall_or_step_as_their_ends_say(low, high):
    # Nearer in their cosines, as right above and below, two ends are no width and make a step at the first.
    assume(low == high or abs(np.cos(np.deg2rad(low)) - np.cos(np.deg2rad(high))) > 1e-8)
    at = np.linspace(0, 180, 721)
    found = slope_mask(low, high, at)
    assert found.min() >= 0 and found.max() <= 1
    step = np.diff(found)
    if low < high:
        assert (step >= -1e-9).all() and (found[at < low - 0.01] < 1e-6).all()
        assert (found[at > high + 0.01] > 1 - 1e-6).all()
    elif low > high:
        assert (step <= 1e-9).all()
    else:
        assert set(found.tolist()) <= {0.0, 1.0}


def test_half_a_normals_component_is_sixty_degrees():
    at = np.array([59.9, 60.1])
    np.testing.assert_array_equal(slope_mask(60, 60, at), [0, 1])
    assert np.cos(np.radians(60)) == pytest.approx(0.5)


def test_a_missing_part_is_left_out_and_told():
    from ashblend.core.blend.references import Known, faults

    mask = of_channel(UUID(int=9), 2).model_dump(mode="json")
    layers = [
        {"id": "a", "name": "A", "kind": "cover", "material": ONE, "mask": mask},
        {"id": "b", "name": "B", "kind": "cover", "material": TWO, "mask": {"terms": []}},
        {"id": "c", "name": "C", "kind": "film", "mask": of_channel(UUID(int=8), 0).model_dump(mode="json")},
    ]
    document = BlendDocument.model_validate({"ground": {"material": ONE}, "layers": layers})
    known = Known(frozenset([UUID(int=1)]), frozenset([(UUID(int=9), 2)]))
    found = faults(document, known)
    assert [f.part for f in found] == ["/layers/0", "/layers/1", "/layers/2"]
    assert "channel" in found[0].problem and "material" in found[1].problem and "set" in found[2].problem
    tree = compile_blend(document, faulty=[f.part for f in found])
    assert tree.layers == (-1,) and emit_glsl(tree.outputs()).samples == 6
    whole = Known(frozenset([UUID(int=1), UUID(int=2)]), frozenset([(UUID(int=9), 4), (UUID(int=8), 1)]))
    assert faults(document, whole) == []
