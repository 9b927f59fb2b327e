"""The values of a tree's parameters and tables, for a document and a surface."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.curve import Curve
from ashblend.core.tree import TABLE_SIZE, Node, Parameter, Table, host_value, in_order, value_at


def _curve(drawing: Any) -> F64:
    return Curve.model_validate(drawing).at(np.linspace(0, 1, TABLE_SIZE))[:, None]


def _gradient(drawing: Any) -> F64:
    """Stops as (place, r, g, b), ascending, linear colours; straight between them."""
    stops = np.array(drawing, np.float64)
    at = np.linspace(0, 1, TABLE_SIZE)
    return np.stack([np.interp(at, stops[:, 0], stops[:, c]) for c in (1, 2, 3)], axis=1)


READINGS: dict[str, Callable[[Any], F64]] = {"curve": _curve, "gradient": _gradient}


def parameter_values(
    outputs: Mapping[str, Node], document: Any, facts: Mapping[str, float]
) -> dict[str, F64]:
    """Every parameter (width,) and table (TABLE_SIZE, width) that the outputs reach, by name.

    document: plain JSON. facts: of the surface ("metres_per_uv", "origin_x" …).
    """
    values: dict[str, F64] = {}
    for node in in_order(outputs.values()):
        if isinstance(node, Parameter):
            values[node.name] = np.array([host_value(v, document, facts) for v in node.values])
        elif isinstance(node, Table):
            values[node.name] = READINGS[node.reading](value_at(document, node.pointer))
    return values
