"""The compiled GLSL against the NumPy reference, in a real browser, and through glslang."""

import json
import subprocess
from collections.abc import Iterator
from pathlib import Path
from uuid import UUID

import numpy as np
import pytest
from blends import any_blends, blend_documents, random_inputs, random_texels, slots_of, softest
from directed import DIRECTED
from hypothesis import HealthCheck, Phase, given, settings
from playwright.sync_api import Browser, Page
from reference.shader import COUNT, SIZE, both_ways, run, shaders

from ashblend.core.blend import BlendDocument, BlendTree, compile_blend
from ashblend.core.recipe import of_channel
from ashblend.core.tree import Node, vector

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
        "fifth": vector(*shares[2:6]),
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
            near = np.quantile(off, 0.9) < 1e-3 and np.quantile(off, 0.99) < 5e-3
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


# Light

LIT = (Path(__file__).parents[2] / "web" / "src" / "viewport" / "lit.glsl").read_text()
FURNACE = f"""#version 300 es
precision highp float;
{LIT}
flat in vec4 v_matter;
flat in vec4 v_view;
layout(location = 0) out vec4 o_colour;
void main() {{
  Surroundings even = Surroundings(vec3(v_view.w), vec3(1.0 - v_view.w), vec3(1.0 - v_view.w));
  Matter m = Matter(vec3(v_matter.x), vec3(0.0, 1.0, 0.0), v_matter.y, 1.0, v_matter.z, vec3(v_matter.w));
  o_colour = vec4(lit(m, even, normalize(v_view.xyz), vec3(0.0, 1.0, 0.0)), 1.0);
}}
"""
PLACES = """#version 300 es
precision highp float;
uniform float count;
in vec4 a_matter; flat out vec4 v_matter;
in vec4 a_view; flat out vec4 v_view;
void main() {
  v_matter = a_matter;
  v_view = a_view;
  gl_Position = vec4((float(gl_VertexID) + 0.5) / count * 2.0 - 1.0, 0.0, 0.0, 1.0);
  gl_PointSize = 1.0;
}
"""


def furnace(page, albedo, roughness, metallic, cosine, emission=0.0, key=0.0):
    """What comes back toward the eye from a place that is lit by 1 from all sides (key: from above alone)."""
    parts = np.broadcast_arrays(
        *(np.asarray(x, np.float32) for x in (albedo, roughness, metallic, emission, cosine, key))
    )
    a, r, m, e, c, k = (p.reshape(-1) for p in parts)
    matter = np.stack([a, r, m, e], axis=1)
    view = np.stack([np.sqrt(1 - c * c), c, 0 * c, k], axis=1)
    return run(page, PLACES, FURNACE, {"matter": matter, "view": view}, 1)[0, :, 0].reshape(parts[0].shape)


def test_a_white_furnace_gives_no_more_than_it_gets(page):
    """Nothing may come back brighter than the even light of 1 that all sides give."""
    rough = np.linspace(0.03, 1, 12)[:, None, None]
    cosine = np.linspace(0.05, 1, 12)[None, :, None]
    for metallic in (0.0, 0.5, 1.0):
        back = furnace(page, np.ones((1, 1, 1)), rough, metallic, cosine)
        assert back.max() < 1.01, metallic
        assert back.min() > (0.99 if metallic == 0 else 0.3)
    dark = furnace(page, np.zeros((1, 1, 1)), rough, 0.0, cosine)
    assert dark.min() > 0.012 and dark.max() < 0.9, "what is black mirrors still, most at grazing"
    glow = furnace(page, np.zeros((1, 1, 1)), rough, 0.0, cosine, emission=0.7)
    np.testing.assert_allclose(glow, dark + 0.7, atol=1e-5)


def directional_albedo(roughness: float, cosine: float, facing: float, count: int = 40_000) -> float:
    """Share of even light mirrored toward a direction, by the integral itself.

    GGX sampled by its distribution (Walter et al. 2007, eq. 35 and 36), height-correlated Smith (Heitz 2014),
    Schlick's Fresnel term.
    """
    rng = np.random.default_rng(9)
    a2 = max(roughness**2, 0.002) ** 2
    u, turn = rng.random(count), 2 * np.pi * rng.random(count)
    nh = np.sqrt((1 - u) / (1 + (a2 - 1) * u))
    sine = np.sqrt(1 - nh**2)
    h = np.stack([sine * np.cos(turn), nh, sine * np.sin(turn)], axis=1)
    v = np.array([np.sqrt(1 - cosine**2), cosine, 0])
    vh = h @ v
    nl = (2 * vh[:, None] * h - v)[:, 1]
    ok = (nl > 0) & (vh > 0)
    nl, vh, nh = nl[ok], vh[ok], nh[ok]
    visible = 0.5 / (nl * np.sqrt(cosine**2 * (1 - a2) + a2) + cosine * np.sqrt(nl**2 * (1 - a2) + a2))
    f = facing + (1 - facing) * (1 - vh) ** 5
    return float((f * visible * nl * 4 * vh / nh).sum() / count)


@pytest.mark.parametrize("facing", [0.04, 1.0])
def test_what_is_mirrored_of_even_light_is_the_integral(page, facing):
    """The sky's mirror part against the integral it stands for."""
    rough, cosine = np.array([0.2, 0.5, 0.9]), np.array([0.2, 0.5, 0.9])
    albedo, metallic = (0.0, 0.0) if facing == 0.04 else (1.0, 1.0)
    found = furnace(page, np.full((3, 3), albedo), rough[:, None], metallic, cosine[None, :])
    expected = np.array([[directional_albedo(r, c, facing) for c in cosine] for r in rough])
    np.testing.assert_allclose(found, expected, atol=0.02)


def test_the_key_light_is_the_formula(page):
    """Light and eye straight above a rough place: Lambert's part and GGX's, worked out by hand."""
    r = np.array([0.3, 0.6, 1.0])
    found = furnace(page, np.full(3, 0.5), r, 0.0, np.full(3, 1.0), key=1.0)
    a2 = r**4
    by_hand = (0.5 * 0.96 / np.pi + 0.04 / (np.pi * a2) * 0.25) * np.pi * 0.5
    np.testing.assert_allclose(found, by_hand, rtol=2e-4)
