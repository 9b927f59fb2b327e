"""The operations, each typed once: back ends spell them and need not know about widths.

A spreading operation works component by component on arguments of one width; scalars among them are
spread here. less gives 1 where a < b and else 0; select(which, a, b) gives a where `which` is ½ or more
and else b, and both must be finite. power is of a base that is not negative. sine takes radians.
"""

from collections.abc import Callable
from dataclasses import dataclass

from ashblend.core.tree.node import Constant, Node, Operand, Operation, Spread, Where, as_node


def _width_of(widths: list[int]) -> int:
    width = max(widths)
    if any(w not in (1, width) for w in widths):
        raise ValueError(f"widths {widths} do not go together")
    return width


def _same(widths: list[int]) -> int:
    if len(set(widths)) != 1:
        raise ValueError(f"widths {widths} differ")
    return widths[0]


def _scalar_of_same(widths: list[int]) -> int:
    _same(widths)
    return 1


def _three(widths: list[int]) -> int:
    if set(widths) != {3}:
        raise ValueError(f"widths {widths} are not three each")
    return 3


def _sum(widths: list[int]) -> int:
    if sum(widths) > 4:
        raise ValueError(f"widths {widths} make more than four")
    return sum(widths)


@dataclass(frozen=True)
class OperationType:
    """count: of arguments, None for any. width: of the result from the arguments' widths.

    spreads: scalars are brought to the result's width. Both raise ValueError where arguments do not fit.
    """

    count: int | None
    width: Callable[[list[int]], int]
    spreads: bool = False


OPERATIONS: dict[str, OperationType] = {
    **{
        name: OperationType(count, _width_of, spreads=True)
        for name, count in {
            "add": 2,
            "subtract": 2,
            "multiply": 2,
            "divide": 2,
            "min": 2,
            "max": 2,
            "power": 2,
            "less": 2,
            "mix": 3,
            "clamp": 3,
            "select": 3,
            "abs": 1,
            "sqrt": 1,
            "floor": 1,
            "fract": 1,
            "sine": 1,
        }.items()
    },
    "dot": OperationType(2, _scalar_of_same),
    "cross": OperationType(2, _three),
    "normalize": OperationType(1, _same),
    "vector": OperationType(None, _sum),
}

ZERO, ONE = 0.0, 1.0


def _is(node: Node, value: float) -> bool:
    return isinstance(node, Constant) and node.value == value


def _simpler(name: str, nodes: tuple[Node, ...]) -> Node | None:
    """What an operation that changes nothing comes to: layers without a property must cost nothing."""
    if name == "mix" and nodes[0] is nodes[1]:
        return nodes[0]
    if name in ("add", "subtract") and _is(nodes[1], ZERO):
        return nodes[0]
    if name == "add" and _is(nodes[0], ZERO):
        return nodes[1]
    if name in ("multiply", "divide") and _is(nodes[1], ONE):
        return nodes[0]
    if name == "multiply" and _is(nodes[0], ONE):
        return nodes[1]
    return None


def operation(name: str, *arguments: Operand) -> Node:
    """Build an operation. Raises ValueError where its arguments cannot go together."""
    kind = OPERATIONS.get(name)
    if kind is None:
        raise ValueError(f"unknown operation {name!r}")
    nodes = tuple(as_node(a) for a in arguments)
    if kind.count is not None and len(nodes) != kind.count:
        raise ValueError(f"{name} takes {kind.count} arguments, not {len(nodes)}")
    try:
        width = kind.width([n.width for n in nodes])
    except ValueError as error:
        raise ValueError(f"{name}: {error}") from None
    simpler = _simpler(name, nodes)
    if simpler is not None and simpler.width == width:
        return simpler
    if kind.spreads and width > 1:
        nodes = tuple(n if n.width == width else Spread(n, width) for n in nodes)
    return Operation(name, nodes, width)


def mix(a: Operand, b: Operand, t: Operand) -> Node:
    return operation("mix", a, b, t)


def clamp(x: Operand, low: Operand, high: Operand) -> Node:
    return operation("clamp", x, low, high)


def vector(*parts: Operand) -> Node:
    return operation("vector", *parts)


def only_where(branch: str, condition: Node, inside: Node, otherwise: Node) -> Node:
    """What need be worked out only where a condition is more than zero; see `Where`. Raises ValueError."""
    if inside is otherwise or isinstance(condition, Constant):
        return inside
    if condition.width != 1 or inside.width != otherwise.width:
        raise ValueError(f"widths {condition.width}, {inside.width} and {otherwise.width} do not go together")
    return Where(branch, condition, inside, otherwise)


def normalize(v: Operand) -> Node:
    return operation("normalize", v)


def dot(a: Operand, b: Operand) -> Node:
    return operation("dot", a, b)
