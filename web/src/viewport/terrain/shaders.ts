/** GLSL around programs that draw a terrain: places come from columns and rows, and lie as the heights say. */

import { type VertexInput } from "../shading";

/** moving: see blendMaterial. Skirts hang from the edges of squares, as deep as two of their cells, or to the floor. */
export function terrainVertexShader(
  inputs: VertexInput[],
  lie: string,
  moving = { declare: "", fill: "" },
): string {
  const uses = (name: string) => inputs.some((input) => input.name === name);
  return `precision highp float;
precision highp int;
precision highp sampler2DArray;
uniform mat4 modelViewMatrix, projectionMatrix;
uniform vec3 eye;
uniform float floor_height;
in vec3 corner, chunk;
out vec2 v_uv;
${lie}
${moving.declare}
void main() {
  ivec2 last = textureSize(heights, 0) - 1;
  ivec2 at = min(ivec2(chunk.xy + corner.xy * chunk.z), last);
  vec2 uv = vec2(at) / vec2(last);
  v_uv = uv;
  float height = height_of(at);
  vec3 place = place_of(uv, height);
${
  moving.fill
    ? `  vec3 normal = normal_of(lie_over(uv)), position = place;
${uses("tangent") ? "  vec4 tangent = tangent_of(normal);" : ""}
${moving.fill}`
    : ""
}
  if (corner.z > 0.0) {
    bool outside = at.x == 0 || at.y == 0 || at.x == last.x || at.y == last.y;
    place.y = outside ? floor_height - counted.y : place.y - 2.0 * chunk.z * spread.x;
  }
  gl_Position = projectionMatrix * modelViewMatrix * vec4(place, 1.0);
}
`;
}

/** A fragment stage, whose inputs are worked out from the place over the whole terrain. */
export function terrainFragment(inputs: VertexInput[], lie: string, fragment: string): string {
  const rest = inputs.filter(({ name }) => name !== "uv");
  const worth: Record<string, string> = {
    position: "place_of(v_uv, lie_here.x)",
    normal: "normal_of(lie_here)",
    tangent: "tangent_of(normal_of(lie_here))",
    // Its texels lie at the ends, as the grid that they are of does.
    closed: "texture(closed_over, (v_uv * (closed_size - 1.0) + 0.5) / closed_size).r",
  };
  const fill = rest.map(({ name }) => `  v_${name} = ${worth[name]};`).join("\n");
  return `in vec2 v_uv;
uniform sampler2D closed_over;
uniform vec2 closed_size;
${lie}
${rest.map(({ name, type }) => `${type} v_${name};`).join("\n")}
${fragment
  .replaceAll("gl_FrontFacing", "true")
  .replace("void main() {", `void main() {\n  vec3 lie_here = lie_over(v_uv);\n${fill}\n`)}`;
}
