"""NumPy: the reference that every other back end must equal. Float64 throughout.

Places are worked through in chunks and what nothing needs any more is let go, so that memory does
not follow the number of places; a texture is only ever read.
"""

import itertools
from collections.abc import Callable, Mapping, Sequence

import numpy as np
from numpy.typing import ArrayLike

from ashblend.core.arrays import F32, F64, I64
from ashblend.core.materials.packing import PackedTexels
from ashblend.core.noise import STRETCH, NoiseKind
from ashblend.core.tree.node import (
    Component,
    Constant,
    Lookup,
    Node,
    Noise,
    Operation,
    Parameter,
    Scatter,
    SiteInput,
    Spread,
    Table,
    TextureMean,
    TextureSample,
    Where,
)
from ashblend.core.tree.pack import PackName
from ashblend.core.tree.walk import in_order, last_uses

CHUNK = 16_384


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
    "floor": np.floor,
    "fract": lambda x: x - np.floor(x),
    "sine": np.sin,
    "power": np.power,
    "less": lambda a, b: (a < b).astype(np.float64),
    "select": lambda which, a, b: np.asarray(np.where(which >= 0.5, a, b)),
    "mix": lambda a, b, t: a * (1 - t) + b * t,
    "clamp": np.clip,
    "dot": lambda a, b: (a * b).sum(axis=1, keepdims=True),
    "cross": lambda a, b: np.asarray(np.cross(a, b), np.float64),
    "normalize": _normalize,
    "vector": lambda *parts: np.concatenate(
        [np.broadcast_to(p, (max(q.shape[0] for q in parts), p.shape[1])) for p in parts], axis=1
    ),
}


Texels = F32 | PackedTexels


def bilinear(texels: Texels, at: F64) -> F64:
    """Wrapped bilinear sample of level 0, as OpenGL ES 3.0.6 section 3.8.10 defines LINEAR with REPEAT.

    texels: (rows, cols, k), decoded or packed. at: (n, 2) in tiles, v down the rows.
    """
    rows, cols = texels.shape[:2]
    read = texels.at if isinstance(texels, PackedTexels) else lambda r, c: texels[r, c]
    x = at[:, 0] * cols - 0.5
    y = at[:, 1] * rows - 0.5
    x0, y0 = np.floor(x), np.floor(y)
    fx, fy = (x - x0)[:, None], (y - y0)[:, None]
    left, top = x0.astype(np.int64) % cols, y0.astype(np.int64) % rows
    right, bottom = (left + 1) % cols, (top + 1) % rows
    upper = read(top, left) * (1 - fx) + read(top, right) * fx
    lower = read(bottom, left) * (1 - fx) + read(bottom, right) * fx
    return np.asarray(upper * (1 - fy) + lower * fy, np.float64)


def _by_slot(slots: Sequence[Texels], which: F64, at: F64) -> F64:
    """Each place (n, 2) from the slot that is nearest to its number (n,) or (1,)."""
    wanted = np.broadcast_to(which.clip(0, len(slots) - 1).astype(np.int64), at.shape[:1])
    out = np.empty((at.shape[0], 4))
    for slot in np.unique(wanted):
        here = wanted == slot
        out[here] = bilinear(slots[slot], at[here])
    return out


def _mean(texels: Texels) -> F64:
    """(1, 4) what the smallest level of a pyramid holds."""
    whole = texels.pack.decoded(texels.texels) if isinstance(texels, PackedTexels) else texels
    return np.asarray(whole.reshape(-1, 4).mean(axis=0, dtype=np.float64)[None])


def _toward(code: I64, x: F64, y: F64, z: F64) -> F64:
    h = code & 15
    u = np.where(h < 8, x, y)
    v = np.where(h < 4, y, np.where((h == 12) | (h == 14), x, z))
    return np.where(h & 1 == 0, u, -u) + np.where(h & 2 == 0, v, -v)


def _codes(corner: I64, seed: int) -> I64:
    """(n, 3) pcg3d (Jarzynski and Olano 2020) of corners (n, 3)."""
    a, b, c = ((corner + np.array([seed * 0x9E3779B9, 0, 0])) & 0xFFFFFFFF).astype(np.uint32).T
    a, b, c = (v * np.uint32(1664525) + np.uint32(1013904223) for v in (a, b, c))
    for last in (False, True):
        a = a + b * c
        b = b + c * a
        c = c + a * b
        if not last:
            a, b, c = (v ^ (v >> np.uint32(16)) for v in (a, b, c))
    return np.stack([a, b, c], axis=1).astype(np.int64)


def _scatter(corner: I64, seed: int) -> F64:
    return (_codes(corner, seed) >> 8) / 2.0**24


def _cells(at: F64, whole: I64, seed: int) -> F64:
    low = np.floor(at)
    nearest = np.ones(at.shape[0])
    for step in itertools.product((-1, 0, 1), repeat=3):
        corner = low.astype(np.int64) + whole + np.array(step)
        away = low + np.array(step) + _scatter(corner, seed) - at
        nearest = np.minimum(nearest, (away * away).sum(axis=1))
    return np.asarray(np.sqrt(nearest))


def _gradients(at: F64, whole: I64, seed: int) -> F64:
    low = np.floor(at)
    x, y, z = (at - low).T
    u, v, w = (t * t * t * (t * (t * 6 - 15) + 10) for t in (x, y, z))
    out = np.zeros(at.shape[0])
    for dx, dy, dz in itertools.product((0, 1), repeat=3):
        codes = _codes(low.astype(np.int64) + whole + np.array([dx, dy, dz]), seed)[:, 0]
        share = (u if dx else 1 - u) * (v if dy else 1 - v) * (w if dz else 1 - w)
        out += share * _toward(codes, x - dx, y - dy, z - dz)
    return out


ONCE: dict[NoiseKind, Callable[[F64, I64, int], F64]] = {
    "gradient": _gradients,
    "ridged": lambda at, whole, seed: np.maximum(0, 1 - 2 * np.abs(_gradients(at, whole, seed))),
    "cellular": _cells,
}


def _noise(at: F64, whole: F64, seed: int, octaves: int, kind: NoiseKind) -> F64:
    """See core.noise: written again here, apart from its kernel, so that each holds the other."""
    total, gains, gain = np.zeros(at.shape[0]), 0.0, 1.0
    whole_now = np.rint(whole).astype(np.int64)
    for _ in range(octaves):
        total = total + gain * ONCE[kind](at, whole_now, seed)
        gains += gain
        gain *= 0.5
        at, whole_now = 2 * at, 2 * whole_now
    if kind == "gradient":
        return np.clip(0.5 + STRETCH * total / gains, 0, 1)[:, None]
    return np.asarray((total / gains)[:, None])


def _lookup(table: F64, reading: str, at: F64) -> F64:
    x = np.clip(at, table[0, 0], table[-1, 0])
    low = np.clip(np.searchsorted(table[:, 0], x[:, 0], side="right") - 1, 0, table.shape[0] - 2)
    a, b = table[low], table[low + 1]
    wide = b[:, :1] - a[:, :1]
    t = (x - a[:, :1]) / np.maximum(wide, 1e-9)
    if reading == "gradient":
        return a[:, 1:] * (1 - t) + b[:, 1:] * t
    # The cubic by heights and slopes at both ends (Hermite).
    rise = t * t * (3 - 2 * t)
    slopes = t * (1 - t) ** 2 * a[:, 2:3] - t * t * (1 - t) * b[:, 2:3]
    return a[:, 1:2] + rise * (b[:, 1:2] - a[:, 1:2]) + wide * slopes


Textures = Mapping[PackName, Sequence[Texels]]


def _value(
    node: Node, known: dict[Node, F64], arrays: Mapping[str, F64], parameters: Mapping[str, F64], textures: Textures
) -> F64:  # fmt: skip
    match node:
        case Constant():
            return np.full((1, 1), node.value)
        case Parameter():
            return np.atleast_1d(np.asarray(parameters[node.name], np.float64))[None]
        case Table():
            return np.asarray(parameters[node.name], np.float64)
        case SiteInput():
            return arrays[node.name]
        case TextureSample():
            slots, at = textures[node.pack], known[node.at]
            if isinstance(node.slot, int):
                return bilinear(slots[node.slot], at)
            return _by_slot(slots, np.floor(known[node.slot][:, 0] + 0.5), at)
        case TextureMean():
            return _mean(textures[node.pack][node.slot])
        case Noise():
            return _noise(known[node.at], known[node.whole], node.seed, node.octaves, node.kind)
        case Scatter():
            return _scatter(
                np.rint(known[node.at]).astype(np.int64) + np.rint(known[node.whole]).astype(np.int64), 0
            )
        case Lookup():
            return _lookup(known[node.table], node.table.reading, known[node.at])
        case Component():
            return known[node.of][:, ["xyzw".index(c) for c in node.letters]]
        case Spread():
            return np.repeat(known[node.of], node.width, axis=1)
        case Where():
            return np.asarray(np.where(known[node.condition] > 0, known[node.inside], known[node.otherwise]))
        case Operation():
            return OPERATIONS[node.name](*(known[a] for a in node.arguments))


def evaluate(
    outputs: Mapping[str, Node],
    inputs: Mapping[str, ArrayLike],
    parameters: Mapping[str, F64],
    textures: Textures,
) -> dict[str, F64]:
    """Evaluate outputs at n places.

    inputs: site inputs by name, each (n, width). parameters: of `parameter_values`.
    textures: for each pack, the decoded texels (rows, cols, 4) of every slot.
    Returns each output (n, width).
    """
    arrays = {name: np.asarray(values) for name, values in inputs.items()}
    count = next(iter(arrays.values())).shape[0]
    nodes = list(in_order(outputs.values()))
    freed = last_uses(nodes, outputs.values())
    out = {name: np.empty((count, node.width)) for name, node in outputs.items()}
    for begin in range(0, count, CHUNK):
        rows = slice(begin, min(begin + CHUNK, count))
        here = {name: values[rows].astype(np.float64) for name, values in arrays.items()}
        known: dict[Node, F64] = {}
        for node, gone in zip(nodes, freed, strict=True):
            known[node] = _value(node, known, here, parameters, textures)
            for past in gone:
                del known[past]
        for name, node in outputs.items():
            out[name][rows] = known[node]
    return out
