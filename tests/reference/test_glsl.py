"""The compiled GLSL against the NumPy reference, in a real browser, and through glslang."""

import json
import subprocess
from collections.abc import Iterator
from uuid import UUID

import numpy as np
import pytest
from blends import any_blends, blend_documents, random_inputs, random_texels, slots_of, softest
from directed import DIRECTED
from hypothesis import HealthCheck, Phase, given, settings
from playwright.sync_api import Browser, Page
from reference.shader import COUNT, SIZE, both_ways, shaders

from ashblend.core.blend.compile import BlendTree, compile_blend
from ashblend.core.blend.document import BlendDocument
from ashblend.core.recipe.document import of_channel
from ashblend.core.tree.node import Node
from ashblend.core.tree.operations import vector

FACTS = {"metres_per_uv": 2.5, "origin_x": 100.0, "origin_y": -3.0, "origin_z": 12_000.0, "time": 4.5}


@pytest.fixture(scope="module")
def page(browser: Browser) -> Iterator[Page]:
    made = browser.new_page()
    yield made
    made.close()


def in_fours(tree: BlendTree) -> dict[str, Node]:
    """Every output of a tree, in vectors of four that fit into colour targets."""
    look = tree.look
    shares = [*tree.shares, *([0.0] * 8)]
    return {
        "first": vector(look.albedo, look.roughness),
        "second": vector(look.normal, look.occlusion),
        "third": vector(look.height, look.metallic, *shares[:2]),
        "fourth": vector(look.emission, look.sink),
        "fifth": vector(*shares[2:5], look.thin),
    }


def glslang(vertex: str, fragment: str, folder) -> None:
    files = []
    for suffix, text in (("vert", vertex), ("frag", fragment)):
        file = folder / f"blend.{suffix}"
        file.write_text(text)
        files.append(str(file))
    run = subprocess.run(["glslangValidator", "-l", *files], capture_output=True, text=True, check=False)
    assert run.returncode == 0, run.stdout


def document_of(layers: int, projection: str, *, softness: float = 0.15, bite: float = 1.2) -> BlendDocument:
    mapping = {"projection": projection, "metres_per_tile": 1.3, "rotation": 25.0, "offset": [0.2, -0.4]}
    return BlendDocument.model_validate(
        {
            "ground": {"material": str(UUID(int=1)), "mapping": mapping},
            "layers": [
                {
                    "id": f"l{i}",
                    "name": f"L{i}",
                    "material": str(UUID(int=2 + i)),
                    "mapping": {**mapping, "rotation": 40.0 * i},
                    "opacity": 1 - 0.1 * i,
                    "kind": "cover",
                    "mask": of_channel(UUID(int=31 + i % 2), i % 4).model_dump(mode="json"),
                    "bite": bite * (-1) ** i,
                    "softness": softness,
                }
                for i in range(layers)
            ],
        }
    )


BLENDS = {
    "ground alone, uv": document_of(0, "uv"),
    "ground alone, triplanar": document_of(0, "triplanar"),
    "one layer, uv": document_of(1, "uv"),
    "three layers, triplanar": document_of(3, "triplanar"),
    "four layers, hard": document_of(4, "uv", softness=0.02, bite=4),
    "four layers, soft": document_of(4, "triplanar", softness=5, bite=-3),
}


def within(document: BlendDocument) -> float:
    """How far float32 may be off: a narrow interlock multiplies what a height is off."""
    return max(2e-4, 4e-5 / softest(document))


def rendered(page: Page, document: BlendDocument, seed: int, **more):
    """Outputs in fours by the browser and by the reference: two dicts of (COUNT, 4)."""
    tree = compile_blend(document)
    inputs = {k: v.astype(np.float32) for k, v in random_inputs(tree, COUNT, seed).items()} | more
    texels = random_texels(slots_of(tree), SIZE, seed=3)
    plain = document.model_dump(mode="json")
    return both_ways(page, in_fours(tree), plain, inputs, texels, FACTS)


@pytest.mark.parametrize("name", BLENDS)
def test_the_shader_equals_the_reference(name, page, tmp_path):
    """Textures as floats: how finely a graphics driver filters eight bits is not ours to test."""
    document = BLENDS[name]
    glslang(*shaders(in_fours(compile_blend(document))), tmp_path)
    shader, expected = rendered(page, document, len(name))
    for key in expected:
        np.testing.assert_allclose(shader[key], expected[key], atol=within(document), rtol=0, err_msg=key)
    assert np.ptp(expected["first"], axis=0).min() > 0.05, "the places do differ"


@pytest.mark.parametrize("document", DIRECTED.values(), ids=DIRECTED.keys())
def test_each_thing_alone_is_rendered_as_the_reference_says(document, page):
    shader, expected = rendered(page, document, 9)
    for key in expected:
        np.testing.assert_allclose(shader[key], expected[key], atol=within(document), rtol=0, err_msg=key)


def test_packed_bytes_are_decoded_as_the_reference_says(page):
    """At texel centres nothing is filtered: sRGB and linear components as uploaded by the viewport."""
    mapping = {"projection": "uv", "metres_per_tile": 2.5}
    document = BlendDocument.model_validate({"ground": {"material": str(UUID(int=1)), "mapping": mapping}})
    tree = compile_blend(document)
    inputs = {k: v.astype(np.float32) for k, v in random_inputs(tree, COUNT, seed=1).items()}
    rng = np.random.default_rng(4)
    inputs["uv"] = ((rng.integers(0, SIZE, (COUNT, 2)) + 0.5) / SIZE).astype(np.float32)
    texels = random_texels(slots_of(tree), SIZE, seed=3)
    plain = document.model_dump(mode="json")
    shader, expected = both_ways(page, in_fours(tree), plain, inputs, texels, FACTS, eight_bit=True)
    for key in ("first", "third"):
        np.testing.assert_allclose(shader[key], expected[key], atol=1.2e-3, rtol=0, err_msg=key)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(blend_documents(most=5))
def test_random_blends_are_rendered_as_the_reference_says(page, document):
    """All outputs, not only that the text is accepted. Interlocks as narrow as 0.02 multiply what is off."""
    shader, expected = rendered(page, document, 5)
    for key in expected:
        np.testing.assert_allclose(shader[key], expected[key], atol=within(document), rtol=0, err_msg=key)


def test_blends_of_every_kind_are_rendered_as_the_reference_says(page):
    """Places beside an edge of noise or of the lattice may fall on its other side in single precision: few do."""
    differed = []

    @settings(max_examples=40, phases=[Phase.explicit, Phase.generate])
    @given(any_blends(least=1))
    def every(document):
        shader, expected = rendered(page, document, 5)
        for key in expected:
            off = np.abs(shader[key] - expected[key]).max(axis=1)
            # Parallax over small tiles with doubled normals multiplies what single precision is off.
            near = np.quantile(off, 0.9) < 1e-3 and np.quantile(off, 0.99) < 1e-2
            assert near and off.max() < 0.2, (key, np.sort(off)[-8:])
        differed.append(float(np.ptp(expected["first"], axis=0).max()))

    every()
    assert max(differed) > 0.5, "the places do differ"


@settings(max_examples=12)
@given(any_blends() | blend_documents())
def test_every_blend_passes_glslang(tmp_path_factory, document):
    vertex, fragment = shaders(in_fours(compile_blend(document)))
    glslang(vertex, fragment, tmp_path_factory.mktemp("glsl"))


def test_glslang_does_find_errors(tmp_path):
    vertex, fragment = shaders(in_fours(compile_blend(document_of(1, "uv"))))
    with pytest.raises(AssertionError, match="ERROR"):
        glslang(vertex, fragment.replace("mix(", "mixx("), tmp_path)


def test_a_json_document_survives_the_way_to_the_browser():
    document = BLENDS["three layers, triplanar"]
    assert BlendDocument.model_validate(json.loads(document.model_dump_json())) == document
