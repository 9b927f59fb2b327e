"""GLSL ES 3.00.

Writes declarations and a function `Blended blended(Site site)` that a host shader calls. It
names two texture arrays, `pack_surface` and `pack_detail`, one layer for each slot.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from ashblend.core.blend.tree import (
    Component,
    Constant,
    Node,
    Operation,
    Parameter,
    SiteInput,
    TextureSample,
    in_order,
)

# "derivative" picks the mip level from screen derivatives; "level0" reads the full-size level,
# which is what the reference does and what can be compared with it.
Sampling = Literal["derivative", "level0"]
TYPES = {1: "float", 2: "vec2", 3: "vec3", 4: "vec4"}


@dataclass(frozen=True)
class GlslBlend:
    """source: the text. uniforms: name in the shader and parameter. inputs: members of Site, in order.

    samples: texture samples a pixel.
    """

    source: str
    uniforms: tuple[tuple[str, Parameter], ...]
    inputs: tuple[tuple[str, int], ...]
    samples: int


def _number(value: float) -> str:
    text = repr(float(value))
    return text if "." in text or "e" in text else f"{text}.0"


def _infix(sign: str) -> Callable[..., str]:
    return lambda a, b: f"({a} {sign} {b})"


def _call(name: str) -> Callable[..., str]:
    return lambda *arguments: f"{name}({', '.join(arguments)})"


OPERATIONS: dict[str, Callable[..., str]] = {
    "add": _infix("+"),
    "subtract": _infix("-"),
    "multiply": _infix("*"),
    "divide": _infix("/"),
    **{name: _call(name) for name in ("min", "max", "abs", "sqrt", "mix", "clamp")},
    **{name: _call(name) for name in ("dot", "cross", "normalize")},
}


class _Writer:
    def __init__(self, sampling: Sampling) -> None:
        self._sampling = sampling
        self.names: dict[Node, str] = {}
        self.lines: list[str] = []
        self.parameters: dict[str, Parameter] = {}
        self.inputs: dict[str, int] = {}
        self.samples = 0

    def write(self, node: Node) -> None:
        if isinstance(node, Constant):
            self.names[node] = _number(node.value)
        elif isinstance(node, Parameter):
            self.parameters[node.name] = node
            self.names[node] = f"p_{node.name}"
        elif isinstance(node, SiteInput):
            self.inputs[node.name] = node.width
            self.names[node] = f"site.{node.name}"
        elif isinstance(node, Component):
            self.names[node] = f"{self.names[node.of]}.{node.letters}"
        elif isinstance(node, TextureSample):
            self.samples += 1
            at = f"vec3({self.names[node.at]}, {_number(node.slot)})"
            if self._sampling == "level0":
                self._let(node, f"textureLod(pack_{node.pack}, {at}, 0.0)")
            else:
                self._let(node, f"texture(pack_{node.pack}, {at})")
        else:
            self._let(node, self._operation(node))

    def _operation(self, node: Operation) -> str:
        arguments = [self._spread(a, node) for a in node.arguments]
        if node.name == "vector":
            return f"{TYPES[node.width]}({', '.join(arguments)})"
        return OPERATIONS[node.name](*arguments)

    def _spread(self, argument: Node, into: Operation) -> str:
        """GLSL lets a scalar stand beside a vector in arithmetic, but not in every built-in."""
        text = self.names[argument]
        takes_both = into.name in ("add", "subtract", "multiply", "divide", "vector", "dot")
        last_of_mix = into.name == "mix" and argument is into.arguments[2]
        if takes_both or last_of_mix or argument.width == into.width:
            return text
        return f"{TYPES[into.width]}({text})"

    def _let(self, node: Node, expression: str) -> None:
        name = f"t{len(self.lines)}"
        self.lines.append(f"  {TYPES[node.width]} {name} = {expression};")
        self.names[node] = name


def emit_glsl(outputs: Mapping[str, Node], sampling: Sampling = "derivative") -> GlslBlend:
    """Write the function that computes the outputs; nothing they do not reach is in it."""
    writer = _Writer(sampling)
    for node in in_order(outputs.values()):
        writer.write(node)
    uniforms = tuple((f"p_{name}", parameter) for name, parameter in writer.parameters.items())
    text = [
        "uniform highp sampler2DArray pack_surface;",
        "uniform highp sampler2DArray pack_detail;",
        *(f"uniform float {name};" for name, _ in uniforms),
        "struct Site {",
        # A struct may not be empty; every host knows the position.
        "  vec3 position;",
        *(f"  {TYPES[w]} {n};" for n, w in writer.inputs.items() if n != "position"),
        "};",
        "struct Blended {",
        *(f"  {TYPES[node.width]} {name};" for name, node in outputs.items()),
        "};",
        "Blended blended(Site site) {",
        *writer.lines,
        "  Blended result;",
        *(f"  result.{name} = {writer.names[node]};" for name, node in outputs.items()),
        "  return result;",
        "}",
    ]
    inputs = {"position": 3, **writer.inputs}
    return GlslBlend("\n".join(text) + "\n", uniforms, tuple(inputs.items()), writer.samples)
