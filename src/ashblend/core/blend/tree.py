"""The expression tree that a blend compiles to.

Nodes are frozen and compare by structure, so equal subexpressions become one when a back end
collects them, and whatever no output reaches is never met. A scalar is a node of width 1.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, fields
from typing import Literal, Union

from ashblend.core.materials.packing import PackName

Reading = Literal["value", "cosine", "sine"]


@dataclass(frozen=True, eq=False)
class _Hashed:
    """What all nodes share: equality by structure, a hash worked out once, and arithmetic.

    Nodes are looked up often, and a tree's hash would walk all of it each time.
    """

    _hash: int = field(init=False, repr=False, default=0)

    def _parts(self) -> tuple[object, ...]:
        return tuple(getattr(self, f.name) for f in fields(self) if f.init)

    def __post_init__(self) -> None:
        object.__setattr__(self, "_hash", hash((type(self).__name__, *self._parts())))

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        if type(self) is not type(other) or not isinstance(other, _Hashed) or self._hash != other._hash:
            return False
        return self._parts() == other._parts()

    def __add__(self, other: "Operand") -> "Node":
        return operation("add", self, other)

    def __radd__(self, other: "Operand") -> "Node":
        return operation("add", other, self)

    def __sub__(self, other: "Operand") -> "Node":
        return operation("subtract", self, other)

    def __rsub__(self, other: "Operand") -> "Node":
        return operation("subtract", other, self)

    def __mul__(self, other: "Operand") -> "Node":
        return operation("multiply", self, other)

    def __rmul__(self, other: "Operand") -> "Node":
        return operation("multiply", other, self)

    def __truediv__(self, other: "Operand") -> "Node":
        return operation("divide", self, other)

    def __neg__(self) -> "Node":
        return operation("subtract", 0.0, self)

    def __getitem__(self, components: str) -> "Node":
        return Component(self, components)  # type: ignore[arg-type]


@dataclass(frozen=True, eq=False)
class Constant(_Hashed):
    """A number that is part of the structure."""

    value: float

    @property
    def width(self) -> int:
        return 1


@dataclass(frozen=True, eq=False)
class Parameter(_Hashed):
    """A number that may change without changing the structure: a uniform.

    name: unique in the tree, letters, digits and underscores. path: where the value stands, a
    JSON pointer (RFC 6901) into the blend document, or "surface:NAME" for a fact of the surface.
    reading: the value itself, or the cosine or sine of it as degrees. These are worked out once
    by the host: a shader's own sine may be wrong by 2^-11 (Vulkan 1.3, "Precision of Core
    Instructions"), which moved texture coordinates enough to fail the comparison with NumPy.
    """

    name: str
    path: str
    reading: Reading = "value"

    @property
    def width(self) -> int:
        return 1


@dataclass(frozen=True, eq=False)
class SiteInput(_Hashed):
    """Something known at the place: position, normal, tangent, uv, weights0, weights1 …"""

    name: str
    width: int


@dataclass(frozen=True, eq=False)
class TextureSample(_Hashed):
    """Four components of a pack at texture coordinates (in tiles, v down the image), wrapped.

    slot: layer of the texture array, which is the number of the material use in the blend.
    """

    pack: PackName
    slot: int
    at: "Node"

    @property
    def width(self) -> int:
        return 4


@dataclass(frozen=True, eq=False)
class Component(_Hashed):
    """Some components of a vector, by letters of xyzw."""

    of: "Node"
    letters: str

    @property
    def width(self) -> int:
        return len(self.letters)


@dataclass(frozen=True, eq=False)
class Operation(_Hashed):
    """A named operation; scalars spread over vectors. See OPERATIONS for the names."""

    name: str
    arguments: tuple["Node", ...]
    width: int


Node = Union[Constant, Parameter, SiteInput, TextureSample, Component, Operation]  # noqa: UP007
Operand = Union[_Hashed, float]  # noqa: UP007

SPREADING = frozenset({"add", "subtract", "multiply", "divide", "min", "max", "mix", "clamp", "abs", "sqrt"})
OPERATIONS = SPREADING | {"dot", "cross", "normalize", "vector"}


def as_node(value: Operand) -> Node:
    return value if isinstance(value, _Hashed) else Constant(float(value))  # type: ignore[return-value]


def operation(name: str, *arguments: Operand) -> Node:
    """Build an operation, checking widths. Raises ValueError where they cannot go together."""
    nodes = tuple(as_node(a) for a in arguments)
    widths = [n.width for n in nodes]
    if name in SPREADING:
        width = max(widths)
        if any(w not in (1, width) for w in widths):
            raise ValueError(f"{name} cannot take widths {widths}")
    elif name == "dot":
        width = 1
    elif name == "vector":
        width = sum(widths)
    elif name in OPERATIONS:
        width = widths[0]
    else:
        raise ValueError(f"unknown operation {name!r}")
    return Operation(name, nodes, width)


def mix(a: Operand, b: Operand, t: Operand) -> Node:
    return operation("mix", a, b, t)


def clamp(x: Operand, low: float, high: float) -> Node:
    return operation("clamp", x, low, high)


def vector(*parts: Operand) -> Node:
    return operation("vector", *parts)


def normalize(v: Operand) -> Node:
    return operation("normalize", v)


def dot(a: Operand, b: Operand) -> Node:
    return operation("dot", a, b)


def children(node: Node) -> tuple[Node, ...]:
    if isinstance(node, Operation):
        return node.arguments
    if isinstance(node, Component):
        return (node.of,)
    if isinstance(node, TextureSample):
        return (node.at,)
    return ()


def in_order(outputs: Iterable[Node]) -> Iterator[Node]:
    """Each distinct node that the outputs reach, once, after everything it needs."""
    done: set[Node] = set()
    for output in outputs:
        waiting: list[tuple[Node, bool]] = [(output, False)]
        while waiting:
            node, ready = waiting.pop()
            if node in done:
                continue
            if ready:
                done.add(node)
                yield node
            else:
                waiting.append((node, True))
                waiting += [(child, False) for child in reversed(children(node))]
