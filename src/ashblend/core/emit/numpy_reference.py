"""NumPy: the reference that every other back end must equal. Float64 throughout."""

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from ashblend.core.arrays import F32, F64
from ashblend.core.blend.tree import (
    Component,
    Constant,
    Node,
    Parameter,
    Reading,
    SiteInput,
    TextureSample,
    in_order,
)
from ashblend.core.materials.packing import PackName


def _normalize(v: F64) -> F64:
    return v / np.sqrt((v * v).sum(axis=1, keepdims=True))


OPERATIONS: dict[str, Callable[..., F64]] = {
    "add": np.add,
    "subtract": np.subtract,
    "multiply": np.multiply,
    "divide": np.divide,
    "min": np.minimum,
    "max": np.maximum,
    "abs": np.abs,
    "sqrt": np.sqrt,
    "mix": lambda a, b, t: a * (1 - t) + b * t,
    "clamp": np.clip,
    "dot": lambda a, b: (a * b).sum(axis=1, keepdims=True),
    "cross": np.cross,
    "normalize": _normalize,
    "vector": lambda *parts: np.concatenate(
        [np.broadcast_to(p, (max(q.shape[0] for q in parts), p.shape[1])) for p in parts], axis=1
    ),
}


def bilinear(texels: F32, at: F64) -> F64:
    """Wrapped bilinear sample of level 0, as OpenGL ES 3.0.6 section 3.8.10 defines LINEAR with REPEAT.

    texels: (rows, cols, k), already decoded. at: (n, 2) in tiles, v down the rows.
    """
    rows, cols = texels.shape[:2]
    x = at[:, 0] * cols - 0.5
    y = at[:, 1] * rows - 0.5
    x0, y0 = np.floor(x), np.floor(y)
    fx, fy = (x - x0)[:, None], (y - y0)[:, None]
    left, top = x0.astype(np.int64) % cols, y0.astype(np.int64) % rows
    right, bottom = (left + 1) % cols, (top + 1) % rows
    upper = texels[top, left] * (1 - fx) + texels[top, right] * fx
    lower = texels[bottom, left] * (1 - fx) + texels[bottom, right] * fx
    return np.asarray(upper * (1 - fy) + lower * fy, np.float64)


def evaluate(
    outputs: Mapping[str, Node],
    inputs: Mapping[str, ArrayLike],
    parameters: Mapping[str, float],
    textures: Mapping[PackName, Sequence[F32]],
) -> dict[str, F64]:
    """Evaluate outputs at n places.

    inputs: site inputs by name, each (n, width). parameters: by name.
    textures: for each pack, the decoded texels (rows, cols, 4) of every slot.
    Returns each output (n, width).
    """
    arrays = {name: np.asarray(values, np.float64) for name, values in inputs.items()}
    count = next(iter(arrays.values())).shape[0]
    known: dict[Node, F64] = {}
    for node in in_order(outputs.values()):
        if isinstance(node, Constant):
            value = np.full((1, 1), node.value)
        elif isinstance(node, Parameter):
            value = np.full((1, 1), float(parameters[node.name]))
        elif isinstance(node, SiteInput):
            value = arrays[node.name]
        elif isinstance(node, TextureSample):
            value = bilinear(textures[node.pack][node.slot], known[node.at])
        elif isinstance(node, Component):
            value = known[node.of][:, ["xyzw".index(c) for c in node.letters]]
        else:
            value = OPERATIONS[node.name](*(known[a] for a in node.arguments))
        known[node] = value
    return {name: np.broadcast_to(known[node], (count, node.width)).copy() for name, node in outputs.items()}


READINGS: dict[Reading, Callable[[float], float]] = {
    "value": float,
    "cosine": lambda degrees: math.cos(math.radians(degrees)),
    "sine": lambda degrees: math.sin(math.radians(degrees)),
}


def _value_at(path: str, document: Any, surface: Mapping[str, float]) -> float:
    if path.startswith("surface:"):
        return surface[path.removeprefix("surface:")]
    at = document
    for step in path.split("/")[1:]:
        at = at[int(step)] if isinstance(at, list) else at[step]
    return float(at)


def parameter_values(
    outputs: Mapping[str, Node], document: Any, surface: Mapping[str, float]
) -> dict[str, float]:
    """The value of every parameter that the outputs reach.

    document: the blend document as plain JSON. surface: facts by name ("metres_per_uv").
    """
    values: dict[str, float] = {}
    for node in in_order(outputs.values()):
        if isinstance(node, Parameter):
            values[node.name] = READINGS[node.reading](_value_at(node.path, document, surface))
    return values
