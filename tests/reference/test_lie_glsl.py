"""How the ground lies, by a real browser: heights, normals and tangents of pictures are those of the core."""

import base64
from collections.abc import Iterator

import numpy as np
import pytest
from playwright.sync_api import Browser, Page

from ashblend.core.surface.shapes import shape_of
from ashblend.core.terrain.frame import Frame, terrain_mesh
from ashblend.core.terrain.lie_glsl import LIE
from ashblend.core.terrain.terrain import terrain_of

ASK = """
async ({ fragment, heights, rows, cols, places, count }) => {
  const bytes = (text) => Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer;
  const gl = document.createElement('canvas').getContext('webgl2');
  if (!gl.getExtension('EXT_color_buffer_float')) throw new Error('no float targets');
  const vertex = `#version 300 es
    in vec2 over; out vec2 v_over; uniform float count;
    void main() { v_over = over; gl_PointSize = 1.0;
      gl_Position = vec4((float(gl_VertexID) + 0.5) / count * 2.0 - 1.0, 0.0, 0.0, 1.0); }`;
  const program = gl.createProgram();
  for (const [kind, source] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]]) {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, source);
    gl.compileShader(shader);
    if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader));
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  gl.useProgram(program);
  gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
  gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.R32F, cols, rows, 0, gl.RED, gl.FLOAT, new Float32Array(bytes(heights)));
  for (const side of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, side, gl.NEAREST);
  for (const [name, value] of Object.entries(SHARED)) gl.uniform3fv(gl.getUniformLocation(program, name), value);
  gl.uniform1f(gl.getUniformLocation(program, 'count'), count);
  const at = gl.getAttribLocation(program, 'over');
  gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
  gl.bufferData(gl.ARRAY_BUFFER, bytes(places), gl.STATIC_DRAW);
  gl.enableVertexAttribArray(at);
  gl.vertexAttribPointer(at, 2, gl.FLOAT, false, 0, 0);
  gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
  const out = [];
  const targets = [0, 1, 2].map((i) => {
    const buffer = gl.createRenderbuffer();
    gl.bindRenderbuffer(gl.RENDERBUFFER, buffer);
    gl.renderbufferStorage(gl.RENDERBUFFER, gl.RGBA32F, count, 1);
    gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0 + i, gl.RENDERBUFFER, buffer);
    return gl.COLOR_ATTACHMENT0 + i;
  });
  gl.drawBuffers(targets);
  gl.viewport(0, 0, count, 1);
  gl.drawArrays(gl.POINTS, 0, count);
  for (const target of targets) {
    gl.readBuffer(target);
    const pixels = new Float32Array(4 * count);
    gl.readPixels(0, 0, count, 1, gl.RGBA, gl.FLOAT, pixels);
    out.push(Array.from(pixels));
  }
  return out;
}
"""
FRAGMENT = f"""#version 300 es
precision highp float;
precision highp int;
in vec2 v_over;
layout(location = 0) out vec4 o_place;
layout(location = 1) out vec4 o_normal;
layout(location = 2) out vec4 o_tangent;
{LIE}
void main() {{
  vec3 lie = lie_over(v_over);
  o_place = vec4(place_of(v_over, lie.x), 0.0);
  o_normal = vec4(normal_of(lie), 0.0);
  o_tangent = tangent_of(normal_of(lie));
}}
"""


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    made = browser.new_page()
    yield made
    made.close()


@pytest.mark.parametrize(("rows", "cols", "spacing"), [(33, 65, 1.0), (2, 3, 0.5), (120, 77, 4.0)])
def test_the_picture_lies_as_the_core_says(page, rows, cols, spacing):
    """Inside, on the edges, at corners and between them."""
    random = np.random.default_rng(rows)
    y, x = np.mgrid[:rows, :cols]
    heights = (6 * np.sin(x / 5) * np.cos(y / 7) + random.random((rows, cols))).astype(np.float32) * spacing
    shape = shape_of(terrain_mesh(terrain_of(heights, spacing)))
    edges = [(u, v) for u in (0.0, 1.0, 0.37) for v in (0.0, 1.0, 0.61)]
    over = np.concatenate([edges, random.random((200, 2))]).astype(np.float32).astype(np.float64)
    inputs = shape.inputs()
    wanted = inputs.on_triangles(*vars(Frame(shape.mesh.terrain).places(over)).values())
    terrain = shape.mesh.terrain
    shared = {"spread": [spacing, terrain.width, terrain.depth], "counted": inputs.origin.tolist()}
    given = {
        "fragment": FRAGMENT,
        "heights": base64.b64encode(heights.tobytes()).decode(),
        "rows": rows,
        "cols": cols,
        "places": base64.b64encode(over.astype("<f4").tobytes()).decode(),
        "count": len(over),
    }
    script = ASK.replace("SHARED", str(shared).replace("'", '"'))
    place, normal, tangent = np.array(page.evaluate(script, given)).reshape(3, len(over), 4)
    # Places are float32 of some hundred metres; normals do not depend on where they are counted from.
    assert np.abs(place[:, :3] - wanted["position"]).max() < 2e-4 * spacing
    assert np.abs(normal[:, :3] - wanted["normal"]).max() < 2e-4
    assert np.abs(tangent - wanted["tangent"]).max() < 2e-4
    assert np.ptp(wanted["normal"], axis=0).max() > 0.05
