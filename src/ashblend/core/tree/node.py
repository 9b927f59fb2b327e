"""The nodes of the expression tree.

Nodes are interned: making one with the parts of another gives that other one back. So equality is
identity, equal subexpressions are one node, and comparing two trees costs nothing. (Compared by
structure instead, two equal trees twenty sums deep, each of a node with itself, took 38 s.)
Whatever no output reaches is never met by a back end. A scalar is a node of width 1.
"""

from abc import ABCMeta
from dataclasses import dataclass, fields
from threading import Lock
from typing import TYPE_CHECKING, Any, Literal, Union
from weakref import WeakValueDictionary

from ashblend.core.tree.host import HostExpression
from ashblend.core.tree.pack import PackName

if TYPE_CHECKING:
    from ashblend.core.noise import NoiseKind

# Points that something drawn by hand may have: of a curve, of a gradient.
KNOTS = {"curve": 16, "gradient": 8}

_KNOWN: WeakValueDictionary[tuple[Any, ...], Any] = WeakValueDictionary()
_LOCK = Lock()


class _Interned(ABCMeta):
    def __call__(cls, *args: Any, **named: Any) -> Any:
        made = super().__call__(*args, **named)
        # By repr: 0.0 and -0.0 are equal numbers, but not the same constant.
        parts = (getattr(made, f.name) for f in fields(made))
        key = (cls, *(repr(part) if isinstance(part, float) else part for part in parts))
        with _LOCK:
            return _KNOWN.setdefault(key, made)


@dataclass(frozen=True, eq=False)
class _Node(metaclass=_Interned):
    """Arithmetic on nodes."""

    def __add__(self, other: "Operand") -> "Node":
        return _operation("add", self, other)

    def __radd__(self, other: "Operand") -> "Node":
        return _operation("add", other, self)

    def __sub__(self, other: "Operand") -> "Node":
        return _operation("subtract", self, other)

    def __rsub__(self, other: "Operand") -> "Node":
        return _operation("subtract", other, self)

    def __mul__(self, other: "Operand") -> "Node":
        return _operation("multiply", self, other)

    def __rmul__(self, other: "Operand") -> "Node":
        return _operation("multiply", other, self)

    def __truediv__(self, other: "Operand") -> "Node":
        return _operation("divide", self, other)

    def __neg__(self) -> "Node":
        return _operation("subtract", 0.0, self)

    def __getitem__(self, letters: str) -> "Node":
        return Component(self, letters)  # type: ignore[arg-type]


@dataclass(frozen=True, eq=False)
class Constant(_Node):
    """A number that is part of the structure."""

    value: float

    @property
    def width(self) -> int:
        return 1


@dataclass(frozen=True, eq=False)
class Parameter(_Node):
    """Numbers that may change without changing the structure: a uniform.

    name: unique in the tree, letters, digits and underscores. values: what each component is worth.
    """

    name: str
    values: tuple[HostExpression, ...]

    @property
    def width(self) -> int:
        return len(self.values)


@dataclass(frozen=True, eq=False)
class Table(_Node):
    """The points of something drawn by hand over 0..1: a uniform array of KNOTS of them, the last one repeated.

    name: unique in the tree. pointer: where the drawing stands in the document. reading: a curve is a cubic between each
    two of its points (place, height, slope); a gradient straight between (place, red, green, blue). Tried: 33 even steps,
    in which two stops 0.002 apart came out wrong by 0.94. width: of what is read.
    """

    name: str
    pointer: str
    reading: Literal["curve", "gradient"]
    width: int


@dataclass(frozen=True, eq=False)
class SiteInput(_Node):
    """A stream that is known at the place: position, normal, tangent, uv, weights0, a measure …"""

    name: str
    width: int


@dataclass(frozen=True, eq=False)
class TextureSample(_Node):
    """Four components of a pack at texture coordinates (in tiles, v down the image), wrapped.

    slot: layer of the pack's texture array: a number, or what says it at every place, rounded and kept among those that
    there are (OpenGL ES 3.0.6, section 3.8.10). steady: coordinates that run evenly over the surface, for how
    finely to sample where `at` jumps; or None where it does not.
    """

    pack: PackName
    slot: "int | Node"
    at: "Node"
    steady: "Node | None" = None

    @property
    def width(self) -> int:
        return 4


@dataclass(frozen=True, eq=False)
class TextureMean(_Node):
    """The mean of a pack's texels: four components."""

    pack: PackName
    slot: int

    @property
    def width(self) -> int:
        return 4


@dataclass(frozen=True, eq=False)
class Scatter(_Node):
    """Three numbers in 0..1 that a corner of a lattice has by chance; see `core.noise`.

    at: (3) whole numbers. whole: (3) further ones to add, as for `Noise`.
    """

    at: "Node"
    whole: "Node"

    @property
    def width(self) -> int:
        return 3


@dataclass(frozen=True, eq=False)
class Noise(_Node):
    """Noise in 0..1; see `core.noise`.

    at: (3) place in features, small numbers. whole: (3) whole features to add to it, so that the
    pattern stays where it is when places are counted from another origin.
    """

    at: "Node"
    whole: "Node"
    seed: int
    octaves: int
    kind: "NoiseKind" = "gradient"

    @property
    def width(self) -> int:
        return 1


@dataclass(frozen=True, eq=False)
class Lookup(_Node):
    """What a table is worth at 0..1; level before its first point and after its last."""

    table: Table
    at: "Node"

    @property
    def width(self) -> int:
        return self.table.width


@dataclass(frozen=True, eq=False)
class Component(_Node):
    """Some components of a vector, by letters of xyzw."""

    of: "Node"
    letters: str

    @property
    def width(self) -> int:
        return len(self.letters)


@dataclass(frozen=True, eq=False)
class Spread(_Node):
    """A scalar as a vector of equal components."""

    of: "Node"
    width: int


@dataclass(frozen=True, eq=False)
class Operation(_Node):
    """A named operation on arguments of the widths that its type wants. Made by `operation` only."""

    name: str
    arguments: tuple["Node", ...]
    width: int


@dataclass(frozen=True, eq=False)
class Where(_Node):
    """inside where the condition (1) is more than zero, otherwise elsewhere; both of one width.

    A promise that the two are alike where the condition is zero, so that a back end may leave out whatever only the
    inside needs. branch: a name for all that is left out together, with one condition.
    """

    branch: str
    condition: "Node"
    inside: "Node"
    otherwise: "Node"

    @property
    def width(self) -> int:
        return self.inside.width


Node = Union[  # noqa: UP007
    Constant,
    Parameter,
    Table,
    SiteInput,
    TextureSample,
    TextureMean,
    Noise,
    Scatter,
    Lookup,
    Component,
    Spread,
    Operation,
    Where,
]
Operand = Union[_Node, float]  # noqa: UP007


def as_node(value: Operand) -> Node:
    return value if isinstance(value, _Node) else Constant(float(value))  # type: ignore[return-value]


def _operation(name: str, *arguments: Operand) -> Node:
    from ashblend.core.tree.operations import operation

    return operation(name, *arguments)


def children(node: Node) -> tuple[Node, ...]:
    """The nodes that a node is made from."""
    match node:
        case Operation():
            return node.arguments
        case Where():
            return (node.condition, node.inside, node.otherwise)
        case Component() | Spread():
            return (node.of,)
        case TextureSample():
            more = (node.steady, node.slot if isinstance(node.slot, _Node) else None)
            return (node.at, *(child for child in more if child is not None))
        case Noise() | Scatter():
            return (node.at, node.whole)
        case Lookup():
            return (node.table, node.at)
        case _:
            return ()
