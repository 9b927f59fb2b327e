"""GLSL ES 3.00.

Writes declarations and a function `Blended blended(Site site)` that a host shader calls. It
names two texture arrays, `pack_surface` and `pack_detail`, one layer for each slot.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from ashblend.core.emit.writer import Written, write
from ashblend.core.noise import STRETCH, NoiseKind
from ashblend.core.tree.node import KNOTS, Node, Parameter, Table

# "derivative" picks the mip level from screen derivatives; "level0" reads the full-size level,
# which is what the reference does and what can be compared with it, and all that a vertex stage can.
Sampling = Literal["derivative", "level0"]
TYPES = {1: "float", 2: "vec2", 3: "vec3", 4: "vec4"}


def _infix(sign: str) -> Callable[..., str]:
    return lambda a, b: f"({a} {sign} {b})"


def _call(name: str) -> Callable[..., str]:
    return lambda *arguments: f"{name}({', '.join(arguments)})"


SCATTER = """
uvec3 corner_codes(ivec3 corner, uint seed) {
  uvec3 v = uvec3(corner);
  v.x += seed * 0x9E3779B9u;
  v = v * 1664525u + 1013904223u;
  v.x += v.y * v.z; v.y += v.z * v.x; v.z += v.x * v.y;
  v ^= v >> 16u;
  v.x += v.y * v.z; v.y += v.z * v.x; v.z += v.x * v.y;
  return v;
}
vec3 scattered(ivec3 corner, uint seed) { return vec3(corner_codes(corner, seed) >> 8u) / 16777216.0; }
"""
GRADIENT = """
float noise_toward(uint code, vec3 d) {
  uint h = code & 15u;
  float u = h < 8u ? d.x : d.y;
  float v = h < 4u ? d.y : (h == 12u || h == 14u ? d.x : d.z);
  return ((h & 1u) == 0u ? u : -u) + ((h & 2u) == 0u ? v : -v);
}
float noise_once(vec3 at, ivec3 whole, uint seed) {
  vec3 low = floor(at);
  ivec3 corner = ivec3(low) + whole;
  vec3 d = at - low;
  vec3 f = d * d * d * (d * (d * 6.0 - 15.0) + 10.0);
  float total = 0.0;
  for (int i = 0; i < 8; i++) {
    ivec3 step = ivec3(i & 1, (i >> 1) & 1, i >> 2);
    vec3 share = mix(1.0 - f, f, vec3(step));
    total += share.x * share.y * share.z * noise_toward(corner_codes(corner + step, seed).x, d - vec3(step));
  }
  return total;
}
"""
CELLULAR = """
float cell_distance(vec3 at, ivec3 whole, uint seed) {
  vec3 low = floor(at);
  ivec3 corner = ivec3(low) + whole;
  vec3 d = at - low;
  float nearest = 1.0;
  for (int i = 0; i < 27; i++) {
    ivec3 step = ivec3(i % 3, (i / 3) % 3, i / 9) - 1;
    vec3 away = vec3(step) + scattered(corner + step, seed) - d;
    nearest = min(nearest, dot(away, away));
  }
  return sqrt(nearest);
}
"""


def _octaves(kind: NoiseKind, once: str, finished: str) -> str:
    return f"""
float {kind}_noise(vec3 at, vec3 whole, uint seed, int octaves) {{
  ivec3 w = ivec3(round(whole));
  float total = 0.0, gains = 0.0, gain = 1.0;
  for (int i = 0; i < octaves; i++) {{
    total += gain * {once};
    gains += gain;
    gain *= 0.5;
    at *= 2.0;
    w *= 2;
  }}
  return {finished};
}}
"""


# Each kind by the functions it needs, and its octaves.
NOISES: dict[NoiseKind, tuple[tuple[str, ...], str]] = {
    "gradient": (
        (GRADIENT,),
        _octaves("gradient", "noise_once(at, w, seed)", f"clamp(0.5 + {STRETCH} * total / gains, 0.0, 1.0)"),
    ),
    "ridged": (
        (GRADIENT,),
        _octaves("ridged", "max(0.0, 1.0 - 2.0 * abs(noise_once(at, w, seed)))", "total / gains"),
    ),
    "cellular": ((CELLULAR,), _octaves("cellular", "cell_distance(at, w, seed)", "total / gains")),
}


def _chance(written: Written) -> list[str]:
    """The functions that noise and scattering need, each once."""
    kinds = [kind for kind in NOISES if kind in written.noises]
    if not kinds and not written.scatters:
        return []
    needed = dict.fromkeys(text for kind in kinds for text in NOISES[kind][0])
    return [SCATTER, *needed, *(NOISES[kind][1] for kind in kinds)]


class GlslSpelling:
    """GLSL ES 3.00 as of its specification, chapters 4, 5 and 8."""

    operations: Mapping[str, Callable[..., str]] = {
        "add": _infix("+"),
        "subtract": _infix("-"),
        "multiply": _infix("*"),
        "divide": _infix("/"),
        **{name: _call(name) for name in ("min", "max", "abs", "sqrt", "mix", "clamp", "floor", "fract")},
        **{name: _call(name) for name in ("dot", "cross", "normalize")},
        "sine": _call("sin"),
        "power": _call("pow"),
        # step(edge, x) is 0 where x < edge, else 1.
        "less": lambda a, b: f"(1.0 - step({b}, {a}))",
        "select": lambda which, a, b: f"mix({b}, {a}, step(0.5, {which}))",
    }

    def __init__(self, sampling: Sampling) -> None:
        self._sampling = sampling

    def number(self, value: float) -> str:
        text = repr(float(value))
        return text if "." in text or "e" in text else f"{text}.0"

    def type_of(self, width: int) -> str:
        return TYPES[width]

    def join(self, width: int, parts: list[str]) -> str:
        return f"{TYPES[width]}({', '.join(parts)})"

    def spread(self, width: int, text: str) -> str:
        return f"{TYPES[width]}({text})"

    def gradient(self, at: str) -> tuple[str, str] | None:
        return None if self._sampling == "level0" else (f"dFdx({at})", f"dFdy({at})")

    def when(self, condition: str) -> tuple[str, str]:
        return f"if ({condition} > 0.0) {{", "}"

    def sample(self, pack: str, slot: str, at: str, gradient: tuple[str, str] | None) -> str:
        place = f"vec3({at}, {slot})"
        if self._sampling == "level0":
            return f"textureLod(pack_{pack}, {place}, 0.0)"
        if gradient is not None:
            return f"textureGrad(pack_{pack}, {place}, {gradient[0]}, {gradient[1]})"
        return f"texture(pack_{pack}, {place})"

    def mean(self, pack: str, slot: int) -> str:
        # The smallest level of the pyramid is one texel.
        return f"textureLod(pack_{pack}, vec3(0.5, 0.5, {self.number(slot)}), 32.0)"

    def noise(self, at: str, whole: str, seed: int, octaves: int, kind: NoiseKind) -> str:
        return f"{kind}_noise({at}, {whole}, {seed}u, {octaves})"

    def scatter(self, at: str, whole: str) -> str:
        return f"scattered(ivec3(round({at})) + ivec3(round({whole})), 0u)"

    def lookup(self, table: Table, at: str) -> str:
        return f"lookup_{table.name}({at})"


def _table(table: Table) -> list[str]:
    """A uniform array and the function that reads it: between which two points, then by how they are joined."""
    kind, name, count = TYPES[table.width], f"p_{table.name}", KNOTS[table.reading]
    joined = (
        [
            "  float up = b.y - a.y;",
            "  return a.y + t * (wide * a.z + t * (3.0 * up - wide * (2.0 * a.z + b.z) + t * (wide * (a.z + b.z) - 2.0 * up)));",
        ]
        if table.reading == "curve"
        else ["  return mix(a.yzw, b.yzw, t);"]
    )
    return [
        f"uniform vec4 {name}[{count}];",
        f"{kind} lookup_{table.name}(float at) {{",
        f"  float x = clamp(at, {name}[0].x, {name}[{count - 1}].x);",
        f"  vec4 a = {name}[0], b = {name}[1];",
        f"  for (int i = 1; i < {count - 1}; i++) if (x >= {name}[i].x) {{ a = {name}[i]; b = {name}[i + 1]; }}",
        "  float wide = b.x - a.x;",
        "  float t = (x - a.x) / max(wide, 1e-9);",
        *joined,
        "}",
    ]


@dataclass(frozen=True)
class GlslBlend:
    """source: the text. uniforms: name in the shader and parameter. inputs: members of Site, in order.

    tables: name in the shader and table. samples: texture samples a place.
    """

    source: str
    uniforms: tuple[tuple[str, Parameter], ...]
    tables: tuple[tuple[str, Table], ...]
    inputs: tuple[tuple[str, int], ...]
    samples: int


def emit_glsl(outputs: Mapping[str, Node], sampling: Sampling = "derivative") -> GlslBlend:
    """Write the function that computes the outputs; nothing they do not reach is in it."""
    written = write(outputs.values(), GlslSpelling(sampling))
    uniforms = tuple((f"p_{name}", parameter) for name, parameter in written.parameters.items())
    tables = tuple((f"p_{name}", table) for name, table in written.tables.items())
    text = [
        *(f"uniform highp sampler2DArray pack_{pack};" for pack in sorted(written.packs)),
        *(f"uniform {TYPES[parameter.width]} {name};" for name, parameter in uniforms),
        *_chance(written),
        *(line for _, table in tables for line in _table(table)),
        "struct Site {",
        # A struct may not be empty; every host knows the position.
        "  vec3 position;",
        *(f"  {TYPES[w]} {n};" for n, w in written.inputs.items() if n != "position"),
        "};",
        "struct Blended {",
        *(f"  {TYPES[node.width]} {name};" for name, node in outputs.items()),
        "};",
        "Blended blended(Site site) {",
        *written.lines,
        "  Blended result;",
        *(f"  result.{name} = {written.names[node]};" for name, node in outputs.items()),
        "  return result;",
        "}",
    ]
    inputs = {"position": 3, **written.inputs}
    return GlslBlend("\n".join(text) + "\n", uniforms, tables, tuple(inputs.items()), written.samples)
