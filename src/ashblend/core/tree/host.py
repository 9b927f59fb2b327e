"""What a uniform is worth: a small expression over the document, worked out by the host in float64.

It is data (numbers, and tuples that begin with a word), so the page evaluates the very rule that is
written here, and a slider needs no answer from the server. Sines and remainders belong here, too: a
shader's own sine may be wrong by 2^-11 (Vulkan 1.3, "Precision of Core Instructions"), and a float32
has no room for an offset of a kilometre in tiles of a millimetre.
"""

import math
from collections.abc import Callable, Mapping
from typing import Any

HostExpression = float | tuple[Any, ...]

FUNCTIONS: dict[str, Callable[..., float]] = {
    "add": lambda a, b: a + b,
    "subtract": lambda a, b: a - b,
    "multiply": lambda a, b: a * b,
    "divide": lambda a, b: a / b,
    "floor": lambda a: float(math.floor(a)),
    "fract": lambda a: a - math.floor(a),
    "cosine": lambda degrees: math.cos(degrees * math.pi / 180),
    "sine": lambda degrees: math.sin(degrees * math.pi / 180),
}


def pointer(path: str) -> HostExpression:
    """The number at a JSON pointer (RFC 6901) of the document."""
    return ("pointer", path)


def fact(name: str) -> HostExpression:
    """A fact of the surface: "metres_per_uv", "origin_x" …"""
    return ("fact", name)


def host(function: str, *arguments: HostExpression) -> HostExpression:
    """A function of FUNCTIONS over other expressions. Raises ValueError for an unknown one."""
    if function not in FUNCTIONS:
        raise ValueError(f"unknown host function {function!r}")
    return (function, *arguments)


def value_at(document: Any, path: str) -> Any:
    """What stands at a JSON pointer of plain JSON. Raises KeyError, IndexError where nothing does."""
    at = document
    for step in path.split("/")[1:]:
        at = at[int(step)] if isinstance(at, list) else at[step]
    return at


def host_value(expression: HostExpression, document: Any, facts: Mapping[str, float]) -> float:
    """An expression's value for a document and a surface."""
    if not isinstance(expression, tuple):
        return float(expression)
    word, *arguments = expression
    if word == "pointer":
        return float(value_at(document, arguments[0]))
    if word == "fact":
        return float(facts[arguments[0]])
    return FUNCTIONS[word](*(host_value(a, document, facts) for a in arguments))
