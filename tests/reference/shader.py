"""A shader's outputs at many places, by a real browser."""

import base64
from collections.abc import Mapping
from typing import Any

import numpy as np
from blends import EVERY_PACK
from playwright.sync_api import Page

from ashblend.core.emit.glsl import emit_glsl
from ashblend.core.emit.numpy_reference import evaluate
from ashblend.core.emit.parameters import parameter_values
from ashblend.core.tree.node import Node

COUNT = 512
SIZE = 32
TYPES = {1: "float", 2: "vec2", 3: "vec3", 4: "vec4"}

EVALUATE = """
async ({ vertex, fragment, inputs, uniforms, tables, packs, slots, size, count, targets, eightBit, matrices, threes, volume, depth }) => {
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
  if (slots) ['surface', 'detail', 'picture'].forEach((name, unit) => {
    if (!packs[name]) return;
    gl.activeTexture(gl.TEXTURE0 + unit);
    gl.bindTexture(gl.TEXTURE_2D_ARRAY, gl.createTexture());
    if (eightBit) {
      const format = name === 'surface' ? gl.SRGB8_ALPHA8 : gl.RGBA8;
      gl.texImage3D(gl.TEXTURE_2D_ARRAY, 0, format, size, size, slots, 0, gl.RGBA, gl.UNSIGNED_BYTE, bytes(packs[name]));
    } else {
      const data = new Float32Array(bytes(packs[name]).buffer);
      gl.texImage3D(gl.TEXTURE_2D_ARRAY, 0, gl.RGBA32F, size, size, slots, 0, gl.RGBA, gl.FLOAT, data);
    }
    // Means are read from the smallest level.
    gl.generateMipmap(gl.TEXTURE_2D_ARRAY);
    gl.texParameteri(gl.TEXTURE_2D_ARRAY, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_NEAREST);
    gl.texParameteri(gl.TEXTURE_2D_ARRAY, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
    gl.uniform1i(gl.getUniformLocation(program, 'pack_' + name), unit);
  });
  for (const [name, value] of Object.entries(uniforms)) {
    gl['uniform' + value.length + 'fv'](gl.getUniformLocation(program, name), value);
  }
  for (const [name, entries] of Object.entries(tables ?? {})) {
    gl.uniform4fv(gl.getUniformLocation(program, name), entries);
  }
  for (const [name, values] of Object.entries(threes ?? {})) {
    gl.uniform3fv(gl.getUniformLocation(program, name), values);
  }
  for (const [name, values] of Object.entries(matrices ?? {})) {
    gl[values.length === 9 ? 'uniformMatrix3fv' : 'uniformMatrix4fv'](gl.getUniformLocation(program, name), false, values);
  }
  // A volume of RGBA, filtered, and a map of depths, not filtered: both in 32 bits.
  for (const [unit, given, kind] of [[4, volume, gl.TEXTURE_3D], [5, depth, gl.TEXTURE_2D]]) {
    if (!given) continue;
    gl.activeTexture(gl.TEXTURE0 + unit);
    gl.bindTexture(kind, gl.createTexture());
    const data = new Float32Array(bytes(given.data).buffer);
    const filter = kind === gl.TEXTURE_3D ? gl.LINEAR : gl.NEAREST;
    if (kind === gl.TEXTURE_3D) gl.texImage3D(kind, 0, gl.RGBA32F, ...given.size, 0, gl.RGBA, gl.FLOAT, data);
    else gl.texImage2D(kind, 0, gl.R32F, ...given.size, 0, gl.RED, gl.FLOAT, data);
    for (const end of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(kind, end, filter);
    for (const way of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T, gl.TEXTURE_WRAP_R]) gl.texParameteri(kind, way, gl.CLAMP_TO_EDGE);
    gl.uniform1i(gl.getUniformLocation(program, given.name), unit);
  }
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
    // As text: numbers one by one take ten times as long on their way.
    const held = new Uint8Array(pixels.buffer);
    let text = '';
    for (let at = 0; at < held.length; at += 8192) text += String.fromCharCode(...held.subarray(at, at + 8192));
    out.push(btoa(text));
  }
  const error = gl.getError();
  if (error) throw new Error('GL error ' + error);
  gl.getExtension('WEBGL_lose_context')?.loseContext();
  return out;
}
"""


def shaders(outputs: Mapping[str, Node]) -> tuple[str, str]:
    """Vertex and fragment stage that write every output, in vectors of four, to a colour target of its own."""
    shader = emit_glsl(outputs, "level0")
    vertex = ["#version 300 es", "precision highp float;", "uniform float count;"]
    fragment = [
        "#version 300 es",
        "precision highp float;",
        "precision highp int;",
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
    return "\n".join(vertex) + "\n", "\n".join(fragment) + "\n"


def stages(inputs: Mapping[str, int], text: str) -> tuple[str, str]:
    """A vertex stage that hands inputs (by name: width) on, and the head of a fragment stage around a text, with one target `o`."""
    vertex = (
        "#version 300 es\nprecision highp float;\nuniform float count;\n"
        + "".join(f"in {TYPES[w]} a_{n}; flat out {TYPES[w]} v_{n};\n" for n, w in inputs.items())
        + "void main() {\n"
        + "".join(f"  v_{n} = a_{n};\n" for n in inputs)
        + "  gl_Position = vec4((float(gl_VertexID) + 0.5) / count * 2.0 - 1.0, 0.0, 0.0, 1.0);\n"
        + "  gl_PointSize = 1.0;\n}\n"
    )
    fragment = (
        "#version 300 es\nprecision highp float;\nprecision highp int;\n"
        + "".join(f"flat in {TYPES[w]} v_{n};\n" for n, w in inputs.items())
        + text
        + "\nlayout(location = 0) out vec4 o;\n"
    )
    return vertex, fragment


def as_texture(name: str, values: Any) -> dict[str, Any]:
    """A volume (depth, height, width, 4) or a map of depths (height, width), for `run`."""
    size = (
        [values.shape[2], values.shape[1], values.shape[0]] if values.ndim == 4 else list(values.shape[::-1])
    )
    return {"name": name, "size": size, "data": base64.b64encode(values.astype("<f4").tobytes()).decode()}


def run(page: Page, vertex: str, fragment: str, inputs: Mapping[str, Any], targets: int, **more: Any) -> Any:
    """(targets, count, 4) of what the fragment stage writes. inputs: (count, width) float32."""
    count = next(iter(inputs.values())).shape[0]
    given = {
        "vertex": vertex,
        "fragment": fragment,
        "inputs": [
            {"name": k, "width": v.shape[1], "data": base64.b64encode(v.astype("<f4").tobytes()).decode()}
            for k, v in inputs.items()
        ],
        "uniforms": {},
        "packs": dict.fromkeys(EVERY_PACK, ""),
        "slots": 0,
        "size": SIZE,
        "count": count,
        "targets": targets,
        "eightBit": False,
    }
    told = page.evaluate(EVALUATE, {**given, **more})
    return np.stack([np.frombuffer(base64.b64decode(t), "<f4").reshape(count, 4) for t in told])


def both_ways(
    page: Page,
    outputs: Mapping[str, Node],
    document: Any,
    inputs: Mapping[str, Any],
    texels: Mapping[str, Any],
    facts: Mapping[str, float],
    *,
    eight_bit: bool = False,
) -> tuple[dict[str, Any], dict[str, Any]]:
    """Outputs of width four by the browser and by the reference. document: plain JSON."""
    decoded = {k: [pack.decoded(t) for t in texels[k]] for k, pack in EVERY_PACK.items() if k in texels}
    parameters = parameter_values(outputs, document, facts)
    shader = emit_glsl(outputs, "level0")
    packs = texels if eight_bit else {k: np.stack(v).astype("<f4") for k, v in decoded.items() if len(v)}
    tables = {name: parameters[table.name].reshape(-1).tolist() for name, table in shader.tables}
    answer = run(
        page,
        *shaders(outputs),
        inputs,
        len(outputs),
        uniforms={name: parameters[p.name].tolist() for name, p in shader.uniforms},
        tables=tables,
        packs={k: base64.b64encode(np.asarray(v).tobytes()).decode() for k, v in packs.items()},
        slots=len(next(iter(texels.values()))),
        eightBit=eight_bit,
    )
    count = next(iter(inputs.values())).shape[0]
    expected = evaluate(outputs, inputs, parameters, decoded)
    wide = {k: np.broadcast_to(v, (count, 4)) for k, v in expected.items()}
    return {key: answer[i] for i, key in enumerate(outputs)}, wide
