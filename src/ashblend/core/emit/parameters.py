"""The values of a tree's parameters and tables, for a document and a surface."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.curve import Curve
from ashblend.core.tree.host import host_value, value_at
from ashblend.core.tree.node import KNOTS, Node, Parameter, Table
from ashblend.core.tree.walk import in_order


def _filled(points: F64, kind: str) -> F64:
    return np.concatenate([points, np.repeat(points[-1:], KNOTS[kind] - points.shape[0], axis=0)])


def _curve(drawing: Any) -> F64:
    """(place, height, slope, 0)."""
    knots = Curve.model_validate(drawing).knots()
    return _filled(np.pad(knots, ((0, 0), (0, 1))), "curve")


def _gradient(drawing: Any) -> F64:
    """(place, r, g, b), ascending, linear colours."""
    return _filled(np.array(drawing, np.float64), "gradient")


READINGS: dict[str, Callable[[Any], F64]] = {"curve": _curve, "gradient": _gradient}


def parameter_values(
    outputs: Mapping[str, Node], document: Any, facts: Mapping[str, float]
) -> dict[str, F64]:
    """Every parameter (width,) and table (KNOTS, 4) that the outputs reach, by name.

    document: plain JSON. facts: of the surface ("metres_per_uv", "origin_x" …).
    """
    values: dict[str, F64] = {}
    for node in in_order(outputs.values()):
        if isinstance(node, Parameter):
            values[node.name] = np.array([host_value(v, document, facts) for v in node.values])
        elif isinstance(node, Table):
            values[node.name] = READINGS[node.reading](value_at(document, node.pointer))
    return values
