"""The compiled GLSL against the NumPy reference, in a real browser, and through glslang."""

import base64
import json
import subprocess
from collections.abc import Iterator
from uuid import UUID

import numpy as np
import pytest
from ashblend.core.blend.tree import Node, vector
from blends import blend_documents, random_inputs, random_texels
from hypothesis import given, settings
from playwright.sync_api import Browser, Page

from ashblend.core.blend import BlendDocument, BlendTree, compile_blend
from ashblend.core.emit import emit_glsl, evaluate, parameter_values
from ashblend.core.materials import PACKS

COUNT = 512
SIZE = 32
TYPES = {1: "float", 2: "vec2", 3: "vec3", 4: "vec4"}

EVALUATE = """
async ({ vertex, fragment, inputs, uniforms, packs, slots, size, count, targets, eightBit }) => {
  const bytes = (text) => Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  const canvas = document.createElement('canvas');
  const gl = canvas.getContext('webgl2');
  if (!gl.getExtension('EXT_color_buffer_float')) throw new Error('no float targets');
  if (!gl.getExtension('OES_texture_float_linear')) throw new Error('no float filtering');
  const program = gl.createProgram();
  for (const [kind, source] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]]) {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, source);
    gl.compileShader(shader);
    if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader));
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(program));
  gl.useProgram(program);
  ['surface', 'detail'].forEach((name, unit) => {
    gl.activeTexture(gl.TEXTURE0 + unit);
    gl.bindTexture(gl.TEXTURE_2D_ARRAY, gl.createTexture());
    if (eightBit) {
      const format = name === 'surface' ? gl.SRGB8_ALPHA8 : gl.RGBA8;
      gl.texImage3D(gl.TEXTURE_2D_ARRAY, 0, format, size, size, slots, 0, gl.RGBA, gl.UNSIGNED_BYTE, bytes(packs[name]));
    } else {
      const data = new Float32Array(bytes(packs[name]).buffer);
      gl.texImage3D(gl.TEXTURE_2D_ARRAY, 0, gl.RGBA32F, size, size, slots, 0, gl.RGBA, gl.FLOAT, data);
    }
    gl.texParameteri(gl.TEXTURE_2D_ARRAY, gl.TEXTURE_MIN_FILTER, gl.LINEAR);
    gl.texParameteri(gl.TEXTURE_2D_ARRAY, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
    gl.uniform1i(gl.getUniformLocation(program, 'pack_' + name), unit);
  });
  for (const [name, value] of Object.entries(uniforms)) gl.uniform1f(gl.getUniformLocation(program, name), value);
  for (const { name, width, data } of inputs) {
    const place = gl.getAttribLocation(program, 'a_' + name);
    if (place < 0) continue;
    gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
    gl.bufferData(gl.ARRAY_BUFFER, bytes(data), gl.STATIC_DRAW);
    gl.enableVertexAttribArray(place);
    gl.vertexAttribPointer(place, width, gl.FLOAT, false, 0, 0);
  }
  gl.uniform1f(gl.getUniformLocation(program, 'count'), count);
  gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
  const attachments = [];
  for (let i = 0; i < targets; i++) {
    const buffer = gl.createRenderbuffer();
    gl.bindRenderbuffer(gl.RENDERBUFFER, buffer);
    gl.renderbufferStorage(gl.RENDERBUFFER, gl.RGBA32F, count, 1);
    gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0 + i, gl.RENDERBUFFER, buffer);
    attachments.push(gl.COLOR_ATTACHMENT0 + i);
  }
  gl.drawBuffers(attachments);
  gl.viewport(0, 0, count, 1);
  gl.drawArrays(gl.POINTS, 0, count);
  const out = [];
  for (let i = 0; i < targets; i++) {
    gl.readBuffer(gl.COLOR_ATTACHMENT0 + i);
    const pixels = new Float32Array(count * 4);
    gl.readPixels(0, 0, count, 1, gl.RGBA, gl.FLOAT, pixels);
    out.push(Array.from(pixels));
  }
  const error = gl.getError();
  if (error) throw new Error('GL error ' + error);
  gl.getExtension('WEBGL_lose_context')?.loseContext();
  return out;
}
"""


@pytest.fixture(scope="module")
def page(browser: Browser) -> Iterator[Page]:
    made = browser.new_page()
    yield made
    made.close()


def in_fours(tree: BlendTree) -> dict[str, Node]:
    """Every output of a tree, in vectors of four that fit into colour targets."""
    look = tree.look
    outputs: dict[str, Node] = {
        "first": vector(look.albedo, look.roughness),
        "second": vector(look.normal, look.occlusion),
        "third": vector(look.height, *tree.shares[:3], *([0.0] * (3 - len(tree.shares[:3])))),
    }
    rest = tree.shares[3:5]
    if rest:
        outputs["fourth"] = vector(*rest, *([0.0] * (4 - len(rest))))
    return outputs


def shaders(outputs: dict[str, Node]) -> tuple[str, str, list[str]]:
    shader = emit_glsl(outputs, "level0")
    vertex = ["#version 300 es", "precision highp float;", "uniform float count;"]
    fragment = [
        "#version 300 es",
        "precision highp float;",
        "precision highp sampler2DArray;",
        shader.source,
    ]
    body, copies = [], []
    for name, width in shader.inputs:
        kind = TYPES[width]
        vertex.append(f"in {kind} a_{name}; flat out {kind} v_{name};")
        fragment.append(f"flat in {kind} v_{name};")
        body.append(f"  v_{name} = a_{name};")
        copies.append(f"  site.{name} = v_{name};")
    vertex += [
        "void main() {",
        *body,
        "  gl_Position = vec4((float(gl_VertexID) + 0.5) / count * 2.0 - 1.0, 0.0, 0.0, 1.0);",
        "  gl_PointSize = 1.0;",
        "}",
    ]
    fragment += [f"layout(location = {i}) out vec4 o_{name};" for i, name in enumerate(outputs)]
    fragment += ["void main() {", "  Site site;", *copies, "  Blended b = blended(site);"]
    fragment += [f"  o_{name} = b.{name};" for name in outputs] + ["}"]
    return "\n".join(vertex) + "\n", "\n".join(fragment) + "\n", [name for name, _ in shader.uniforms]


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
                    "mask": {"channel_set": str(UUID(int=31 + i % 2)), "channel": i % 4},
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


def both_ways(page: Page, document: BlendDocument, inputs, *, eight_bit: bool):
    """Outputs in fours by the browser and by the reference: two dicts of (COUNT, 4)."""
    tree = compile_blend(document)
    outputs = in_fours(tree)
    texels = random_texels(len(tree.slots), SIZE, seed=3)
    decoded = {k: [pack.decoded(t) for t in texels[k]] for k, pack in PACKS.items()}
    parameters = parameter_values(outputs, document.model_dump(mode="json"), {"metres_per_uv": 2.5})
    vertex, fragment, uniforms = shaders(outputs)
    packs = texels if eight_bit else {k: np.stack(v).astype("<f4") for k, v in decoded.items()}
    answer = page.evaluate(
        EVALUATE,
        {
            "vertex": vertex,
            "fragment": fragment,
            "inputs": [
                {"name": k, "width": v.shape[1], "data": base64.b64encode(v.tobytes()).decode()}
                for k, v in inputs.items()
            ],
            "uniforms": {name: parameters[name.removeprefix("p_")] for name in uniforms},
            "packs": {k: base64.b64encode(v.tobytes()).decode() for k, v in packs.items()},
            "slots": len(tree.slots),
            "size": SIZE,
            "count": COUNT,
            "targets": len(outputs),
            "eightBit": eight_bit,
        },
    )
    shader = {key: np.array(answer[i]).reshape(COUNT, 4) for i, key in enumerate(outputs)}
    return shader, evaluate(outputs, inputs, parameters, decoded)


@pytest.mark.parametrize("name", BLENDS)
def test_the_shader_equals_the_reference(name, page, tmp_path):
    """Textures as floats: how finely a graphics driver filters eight bits is not ours to test."""
    document = BLENDS[name]
    tree = compile_blend(document)
    glslang(*shaders(in_fours(tree))[:2], tmp_path)
    inputs = {k: v.astype(np.float32) for k, v in random_inputs(tree, COUNT, seed=len(name)).items()}
    shader, expected = both_ways(page, document, inputs, eight_bit=False)
    for key in expected:
        np.testing.assert_allclose(shader[key], expected[key], atol=1e-4, rtol=0, err_msg=key)
    assert np.ptp(expected["first"], axis=0).min() > 0.05, "the places do differ"


def test_packed_bytes_are_decoded_as_the_reference_says(page):
    """At texel centres nothing is filtered: sRGB and linear components as uploaded by the viewport."""
    mapping = {"projection": "uv", "metres_per_tile": 2.5}
    document = BlendDocument.model_validate({"ground": {"material": str(UUID(int=1)), "mapping": mapping}})
    inputs = {
        k: v.astype(np.float32) for k, v in random_inputs(compile_blend(document), COUNT, seed=1).items()
    }
    rng = np.random.default_rng(4)
    inputs["uv"] = ((rng.integers(0, SIZE, (COUNT, 2)) + 0.5) / SIZE).astype(np.float32)
    shader, expected = both_ways(page, document, inputs, eight_bit=True)
    for key in ("first", "third"):
        np.testing.assert_allclose(shader[key], expected[key], atol=1.2e-3, rtol=0, err_msg=key)


@settings(max_examples=6)
@given(blend_documents())
def test_every_blend_passes_glslang(tmp_path_factory, document):
    vertex, fragment, _ = shaders(in_fours(compile_blend(document)))
    glslang(vertex, fragment, tmp_path_factory.mktemp("glsl"))


def test_glslang_does_find_errors(tmp_path):
    vertex, fragment, _ = shaders(in_fours(compile_blend(document_of(1, "uv"))))
    with pytest.raises(AssertionError, match="ERROR"):
        glslang(vertex, fragment.replace("mix(", "mixx("), tmp_path)


def test_a_json_document_survives_the_way_to_the_browser():
    document = BLENDS["three layers, triplanar"]
    assert BlendDocument.model_validate(json.loads(document.model_dump_json())) == document
