"""Compiling: shares, structure, what is left out, and both back ends' surroundings."""

from uuid import UUID

import numpy as np
import pytest
from blends import FACTS, blend_documents, random_inputs, random_textures, slots_of
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from ashblend.core.blend.compile import compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.layers.cover import CoverLayer
from ashblend.core.blend.shares import LayerShares, layer_shares, share_outputs
from ashblend.core.blend.told import told
from ashblend.core.emit.glsl import emit_glsl
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.emit.work_out import WorkOut
from ashblend.core.materials.packing import PACKS, pack_texture_set, packed_size
from ashblend.core.materials.texture_set import decode_srgb, normal_from_height, texture_set
from ashblend.core.recipe.document import Recipe
from ashblend.core.tree.host import pointer
from ashblend.core.tree.node import Constant, Parameter, SiteInput, TextureSample
from ashblend.core.tree.operations import mix, operation
from ashblend.core.tree.walk import in_order
from ashblend.demo.materials import MATERIALS


def shares_at(tree, document, inputs, textures) -> LayerShares:
    outputs = share_outputs(tree)
    count = inputs["position"].shape[0]
    return layer_shares(WorkOut(outputs, document.model_dump(mode="json"), FACTS, textures).at(inputs, count))


@settings(max_examples=30)
@given(blend_documents())
def test_shares_sum_to_one_and_stay_in_range(document):
    tree = compile_blend(document)
    inputs = random_inputs(tree, 40, seed=1)
    textures = random_textures(slots_of(tree), 16, seed=2)
    answer = shares_at(tree, document, inputs, textures)
    np.testing.assert_allclose(answer.shares.sum(axis=1), 1, atol=1e-12)
    assert (answer.shares >= 0).all() and (answer.weights[:, 0] == 1).all()
    assert tree.layers == (-1, *(i for i, layer in enumerate(document.layers) if layer.visible))


@settings(max_examples=30)
@given(blend_documents(least=1))
def test_a_hidden_layer_costs_nothing_and_values_are_not_structure(document):
    shown = [layer for layer in document.layers if layer.visible]
    shader = emit_glsl(compile_blend(document).outputs())
    # One material at one placing is sampled once, however many layers have it.
    uses = {(x.material, x.mapping) for x in (document.ground, *shown)}
    assert shader.samples == sum(6 if m.projection == "triplanar" else 2 for _, m in uses)
    hidden = document.model_copy(
        update={"layers": tuple(x.model_copy(update={"visible": False}) for x in document.layers)}
    )
    bare = document.model_copy(update={"layers": ()})
    assert emit_glsl(compile_blend(hidden).outputs()) == emit_glsl(compile_blend(bare).outputs())

    def otherwise(x):
        """Other numbers and materials, alike where they were alike: which uses are shared is structure."""
        mapping = x.mapping.model_copy(
            update={"rotation": x.mapping.rotation / 2, "metres_per_tile": x.mapping.metres_per_tile * 1.5}
        )
        return {"material": UUID(int=x.material.int + 50), "mapping": mapping}

    changed = document.model_copy(
        update={
            "ground": document.ground.model_copy(update=otherwise(document.ground)),
            "layers": tuple(
                x.model_copy(update={**otherwise(x), "bite": -x.bite, "opacity": 1.01 - x.opacity})
                for x in document.layers
            ),
        }
    )
    assert emit_glsl(compile_blend(changed).outputs()).source == shader.source


def test_mappings_that_are_read_once_are_told_so_that_one_of_them_may_change():
    """A slider on the ground must not move a layer that happened to lie alike."""
    layer = {
        "name": "A",
        "kind": "cover",
        "mask": {"terms": []},
        "mapping": {"rotation": 20},
    }
    document = BlendDocument.model_validate(
        {
            "ground": {"material": str(UUID(int=1)), "mapping": {"rotation": 20}},
            "layers": [
                {**layer, "id": "a", "material": str(UUID(int=2))},
                {**layer, "id": "b", "material": str(UUID(int=3)), "mapping": {"rotation": 21}},
            ],
        }
    )
    assert compile_blend(document).alike == (("/ground/mapping", "/layers/0/mapping"),)


@settings(max_examples=30)
@given(blend_documents())
def test_at_mask_one_and_full_opacity_a_cover_is_all_there_is(document):
    document = document.model_copy(
        update={
            "layers": tuple(x.model_copy(update={"opacity": 1.0, "visible": True}) for x in document.layers)
        }
    )
    tree = compile_blend(document)
    inputs = random_inputs(tree, 25, seed=3)
    for name in inputs:
        if name.startswith("weights"):
            inputs[name] = np.ones_like(inputs[name])
    textures = random_textures(slots_of(tree), 16, seed=4)
    answer = shares_at(tree, document, inputs, textures)
    assert (answer.shares[:, -1] == 1).all()


@given(st.floats(-1e9, 1e9), st.floats(1e-3, 1e3))
def test_noise_counts_its_features_in_numbers_that_a_shader_holds(origin, metres):
    """Beyond 2^24 features a float32 knows no odd numbers any more; below 2^23 nothing is changed."""
    document = BlendDocument.model_validate(
        {"ground": {"material": str(UUID(int=1))}, "layers": [{
            "id": "a", "name": "A", "kind": "cover", "material": str(UUID(int=2)),
            "mask": {"terms": [{"source": {"kind": "noise", "metres": metres, "octaves": 8}}]}}]}
    )  # fmt: skip
    facts = {"metres_per_uv": 1.0, **{f"origin_{axis}": origin for axis in "xyz"}}
    values = parameter_values(compile_blend(document).outputs(), document.model_dump(mode="json"), facts)
    wholes = [value for name, value in values.items() if name.endswith("_whole")]
    assert wholes
    for whole in wholes:
        assert (whole == np.rint(whole)).all() and (np.abs(whole) * 128 < 2**31).all()
        assert (whole.astype(np.float32) == whole).all()
        features = np.floor(origin / metres)
        assert (whole == features).all() or abs(features) >= 2**23 - 1


def test_equal_subexpressions_are_one_node():
    x = SiteInput("x", 1)
    twice = operation("sqrt", x + 1.0) * operation("sqrt", x + 1.0)
    assert len(list(in_order([twice]))) == 5, "x, 1, their sum, its root, the product"
    assert mix(x, Constant(1.0), Constant(0.5)) is mix(x, 1.0, 0.5)
    assert Parameter("a", (pointer("/b"),)) is not Parameter("b", (pointer("/b"),))
    assert Constant(0.0) is not Constant(-0.0)


def test_operations_refuse_widths_that_do_not_fit():
    with pytest.raises(ValueError, match="widths"):
        operation("add", SiteInput("a", 2), SiteInput("b", 3))
    with pytest.raises(ValueError, match="unknown"):
        operation("wobble", SiteInput("a", 2))


def test_heights_only_matter_where_a_layer_reads_them():
    """The topmost layer's own height is used, but its mixed height is not: nothing lies on it."""
    document = BlendDocument.model_validate(
        {"ground": {"material": str(UUID(int=1)), "mapping": {"projection": "uv"}}}
    )
    tree = compile_blend(document)
    assert "height" not in tree.outputs()
    nodes = list(in_order(tree.outputs().values()))
    assert sum(isinstance(n, TextureSample) for n in nodes) == 2


def test_a_flat_normal_map_leaves_the_normal_alone():
    """Projected either way, a level detail texture gives the surface's own normal."""
    level = np.zeros((1, 4, 4, 4), np.float32)
    level[..., :2] = 0.5
    surface = np.full((1, 4, 4, 4), 0.5, np.float32)
    for projection in ("uv", "triplanar"):
        document = BlendDocument.model_validate(
            {"ground": {"material": str(UUID(int=1)), "mapping": {"projection": projection}}}
        )
        tree = compile_blend(document)
        inputs = random_inputs(tree, 30, seed=5)
        parameters = parameter_values(tree.outputs(), document.model_dump(mode="json"), FACTS)
        out = evaluate(tree.outputs(), inputs, parameters, {"surface": list(surface), "detail": list(level)})
        np.testing.assert_allclose(out["normal"], inputs["normal"], atol=1e-12)


def test_a_slope_tilts_the_normal_towards_the_falling_side():
    """A ground that rises along +x must lean its normal towards −x, by UV and by projection alike."""
    rise = np.zeros((1, 4, 4, 4), np.float32)
    # Normal map of a rise to the right: x = −sin 30°, so red is below its middle.
    rise[..., 0], rise[..., 1] = (1 - np.sin(np.pi / 6)) / 2, 0.5
    place = {
        "position": np.array([[0.3, 0, 0.2]]),
        "normal": np.array([[0.0, 1, 0]]),
        "tangent": np.array([[1.0, 0, 0, 1]]),
        "uv": np.array([[0.3, 0.2]]),
    }
    for projection in ("uv", "triplanar"):
        document = BlendDocument.model_validate(
            {"ground": {"material": str(UUID(int=1)), "mapping": {"projection": projection}}}
        )
        tree = compile_blend(document)
        parameters = parameter_values(tree.outputs(), document.model_dump(mode="json"), FACTS)
        out = evaluate(tree.outputs(), place, parameters, {"surface": list(rise), "detail": list(rise)})
        np.testing.assert_allclose(out["normal"], [[-0.5, np.sqrt(0.75), 0]], atol=1e-6)


def test_documents_refuse_nonsense():
    good = {"ground": {"material": str(UUID(int=1))}}
    layer = {
        "id": "a",
        "name": "A",
        "material": str(UUID(int=1)),
        "kind": "cover",
        "mask": {"terms": []},
    }
    BlendDocument.model_validate({**good, "layers": [layer]})
    for bad in (
        {**good, "layers": [layer, layer]},
        {**good, "layers": [{**layer, "bite": 5}]},
        {**good, "layers": [{**layer, "softness": 0}]},
        {**good, "layers": [{**layer, "opacity": float("nan")}]},
        {**good, "layers": [{**layer, "mapping": {"metres_per_tile": 0}}]},
        {**good, "layers": [{**layer, "mask": {"channel_set": str(UUID(int=2)), "channel": 4}}]},
        {**good, "surprise": 1},
    ):
        with pytest.raises(ValidationError):
            BlendDocument.model_validate(bad)


def test_srgb_half_is_0_2140_linear():
    """IEC 61966-2-1. No byte is exactly one half; its neighbours lie on either side."""
    table = decode_srgb(np.arange(256, dtype=np.uint8))
    half = (table[127] + table[128]) / 2
    assert abs(half - 0.2140) < 2e-4
    assert table[0] == 0 and table[255] == 1


def test_normal_of_a_ramp_is_its_slope():
    """A tile-wide sine of relief r rises at most 2πr·amplitude."""
    size = 256
    x = np.arange(size) / size
    height = np.tile(0.5 + 0.5 * np.sin(2 * np.pi * x), (size, 1))
    normal = normal_from_height(np.rint(height * 65535).astype(np.uint16), 0.1).astype(float) / 127.5 - 1
    steepest = np.abs(normal[..., 0] / normal[..., 2]).max()
    assert abs(steepest - np.pi * 0.1) < 0.02


def test_packs_hold_every_map_where_the_table_says():
    rng = np.random.default_rng(6)
    maps = {
        "albedo": rng.integers(0, 256, (32, 32, 3)).astype(np.uint8),
        "height": rng.integers(0, 65536, (32, 32)).astype(np.uint16),
        "normal": rng.integers(0, 256, (32, 32, 3)).astype(np.uint8),
        "roughness": rng.integers(0, 256, (32, 32)).astype(np.uint8),
        "occlusion": rng.integers(0, 256, (32, 32)).astype(np.uint8),
    }
    textures = texture_set(maps)
    assert packed_size(textures) == 32
    packs = pack_texture_set(textures, 32)
    np.testing.assert_array_equal(packs["surface"][..., :3], maps["albedo"])
    assert np.abs(packs["surface"][..., 3] * 257.0 - maps["height"]).max() <= 129
    np.testing.assert_array_equal(packs["detail"][..., :2], maps["normal"][..., :2])
    np.testing.assert_array_equal(packs["detail"][..., 2], maps["roughness"])
    np.testing.assert_array_equal(packs["detail"][..., 3], maps["occlusion"])
    assert PACKS["surface"].decoded(packs["surface"])[0, 0, 3] == np.float32(packs["surface"][0, 0, 3]) / 255


def test_a_material_needs_an_albedo():
    with pytest.raises(ValueError, match="albedo"):
        texture_set({"height": np.zeros((4, 4), np.uint8)})


@pytest.mark.parametrize("name", sorted(MATERIALS))
def test_sample_materials_tile_without_a_seam(name):
    """Steps across the tile's edge are no larger than those inside it."""
    textures = MATERIALS[name](11, 128)
    for image in (textures.albedo.astype(float), textures.height[..., None] / 257.0):
        for axis in (0, 1):
            inside = np.abs(np.diff(image, axis=axis)).mean(axis=(1 - axis, 2))
            across = np.abs(np.take(image, 0, axis) - np.take(image, -1, axis)).mean()
            assert across <= inside.max() * 1.05
    again = MATERIALS[name](11, 128)
    assert again.albedo.tobytes() == textures.albedo.tobytes(), "the same seed gives the same material"


def test_the_layers_of_a_group_lie_one_on_the_other():
    def document(*groups: str | None, known=("a", "b")) -> dict:
        layers = [
            CoverLayer(id=f"l{i}", name="L", material=UUID(int=1), mask=Recipe(), group=group).model_dump()
            for i, group in enumerate(groups)
        ]
        return {
            "ground": {"material": UUID(int=1)},
            "layers": layers,
            "groups": [{"id": k, "name": k} for k in known],
        }

    BlendDocument.model_validate(document(None, "a", "a", "b", None))
    for wrong, problem in (
        (document("a", None, "a"), "one on the other"),
        (document("a", "b", "a"), "one on the other"),
        (document("c"), "not there"),
        (document(known=("a", "a")), "same id"),
    ):
        with pytest.raises(ValidationError, match=problem):
            BlendDocument.model_validate(wrong)


def test_an_edit_is_told_by_what_changed():
    def layer(**more):
        term = {"source": {"kind": "slope"}, "low": 20, "high": 40}
        return {"id": "a", "name": "Wrack", "kind": "cover", "material": str(UUID(int=2)),
                "mask": {"terms": [term]}, **more}  # fmt: skip

    def blend(*layers, **more):
        ground = {"material": str(UUID(int=1)), **more.pop("ground", {})}
        return BlendDocument.model_validate({"ground": ground, "layers": list(layers), **more})

    other = {**layer(), "id": "b", "name": "Silt"}
    for before, after, words in (
        (blend(layer(opacity=0.8)), blend(layer(opacity=0.55)), "Change layer Wrack: opacity 80 → 55 %"),
        (blend(layer()), blend(layer(border="plain")), "Change layer Wrack: border interlock → plain"),
        (blend(layer()), blend(layer(visible=False)), "Hide layer Wrack"),
        (blend(layer(visible=False)), blend(layer()), "Show layer Wrack"),
        (blend(layer()), blend(layer(name="Weed")), "Rename layer Wrack to Weed"),
        (blend(layer()), blend(layer(mask={"terms": []})), "Change layer Wrack: mask"),
        (blend(layer()), blend(layer(), other), "Add layer Silt"),
        (blend(layer(), other), blend(layer()), "Remove layer Silt"),
        (blend(layer(), other), blend(other, layer()), "Order layers"),
        (
            blend(ground={"roughness": 0.5}),
            blend(ground={"roughness": 0.7}),
            "Change Ground: roughness 0.5 → 0.7",
        ),
    ):
        assert told(before, after) == words
    several = blend(layer(mapping={"metres_per_tile": 2.0, "rotation": 10.0}))
    assert told(blend(layer()), several) == "Change layer Wrack: tiling"
