"""Boxes over things in Morton order, as a complete binary tree.

One tree answers for every radius. (A hashed grid is as fast, but only at its own cell size: with pen
pressure driving the radius, a stroke made a grid of the whole mesh at every step.)
Node 1 is the root, leaves begin at `leaves`; leaf k holds the things LEAF·k … of the order.
"""

from dataclasses import dataclass

import numba
import numpy as np

from ashblend.core.arrays import F32, F64, I32


@dataclass(frozen=True)
class Boxes:
    """order: (n,) things in Morton order. boxes: (2 · leaves, 6) low and high corners. leaf: things a leaf."""

    order: I32
    boxes: F32
    leaves: int
    leaf: int


@numba.njit(cache=True, nogil=True)
def _spread(x: int) -> int:
    """Ten bits with two zeros between each."""
    x &= 0x3FF
    x = (x | x << 16) & 0x30000FF
    x = (x | x << 8) & 0x300F00F
    x = (x | x << 4) & 0x30C30C3
    return (x | x << 2) & 0x9249249


@numba.njit(cache=True, nogil=True)
def _morton(middles: F32, low: F64, scale: float) -> I32:
    out = np.empty(middles.shape[0], np.int32)
    for t in range(middles.shape[0]):
        code = 0
        for axis in range(3):
            cell = int(min(1023.0, max(0.0, (middles[t, axis] - low[axis]) * scale)))
            code |= _spread(cell) << axis
        out[t] = code
    return out


@numba.njit(cache=True, nogil=True)
def _fill(lows: F32, highs: F32, order: I32, leaves: int, leaf: int) -> F32:
    boxes = np.empty((2 * leaves, 6), np.float32)
    boxes[:, :3] = np.inf
    boxes[:, 3:] = -np.inf
    for k in range(order.shape[0]):
        node = leaves + k // leaf
        for axis in range(3):
            boxes[node, axis] = min(boxes[node, axis], lows[order[k], axis])
            boxes[node, 3 + axis] = max(boxes[node, 3 + axis], highs[order[k], axis])
    for node in range(leaves - 1, 0, -1):
        for axis in range(3):
            boxes[node, axis] = min(boxes[2 * node, axis], boxes[2 * node + 1, axis])
            boxes[node, 3 + axis] = max(boxes[2 * node, 3 + axis], boxes[2 * node + 1, 3 + axis])
    return boxes


def morton_order(places: F32) -> I32:
    """(n,) places (n, 3) in Morton order: those near each other come near each other."""
    low = places.min(axis=0).astype(np.float64)
    # One scale for all axes: with one each, the ripples of level ground decided the order.
    extent = float((places.max(axis=0) - low).max())
    return np.argsort(_morton(places, low, 1024 / max(extent, 1e-30)), kind="stable").astype(np.int32)


def boxes_over(lows: F32, highs: F32, leaf: int) -> Boxes:
    """A tree over n things with corners (n, 3)."""
    middles: F32 = (lows + highs) * np.float32(0.5)
    order = morton_order(middles)
    leaves = 1
    while leaves * leaf < lows.shape[0]:
        leaves *= 2
    return Boxes(order, _fill(lows, highs, order, leaves, leaf), leaves, leaf)


@numba.njit(cache=True, inline="always")
def box_square(boxes: F32, node: int, x: float, y: float, z: float) -> float:
    """Squared distance from a place to a node's box; 0 inside."""
    dx = max(boxes[node, 0] - x, 0.0, x - boxes[node, 3])
    dy = max(boxes[node, 1] - y, 0.0, y - boxes[node, 4])
    dz = max(boxes[node, 2] - z, 0.0, z - boxes[node, 5])
    return dx * dx + dy * dy + dz * dz


@numba.njit(cache=True, nogil=True)
def leaves_within(boxes: F32, leaves: int, x: float, y: float, z: float, square: float, out: I32) -> int:
    """Write the leaves whose boxes come closer than sqrt(square), in order; how many. out: (leaves,)."""
    stack = np.empty(64, np.int32)
    stack[0] = 1
    size, count = 1, 0
    while size > 0:
        size -= 1
        node = stack[size]
        if box_square(boxes, node, x, y, z) > square:
            continue
        if node >= leaves:
            out[count] = node - leaves
            count += 1
        else:
            stack[size] = 2 * node + 1
            stack[size + 1] = 2 * node
            size += 2
    return count
