"""How water runs over a height field: depressions filled, and what drains where.

Filling: Barnes, Lehman and Mulla (2014), "Priority-flood: an optimal depression-filling and watershed-labeling
algorithm for digital elevation models", Computers & Geosciences 62, algorithm 2. The edge of the ground is the outlet.
The cell that a cell was reached from is kept: it lies no higher, so flats and lakes drain along it without being
tilted. Tried elsewhere: a bucket queue, which gained nothing.

Draining: Freeman (1991), Computers & Geosciences 17(3), 413-422: to all lower neighbours by the power 1.1 of the
slope toward them.
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, I32

STEPS = np.array([[-1, -1], [-1, 0], [-1, 1], [0, -1], [0, 1], [1, -1], [1, 0], [1, 1]], np.int64)
POWER = 1.1


@numba.njit(cache=True, inline="always")
def _push(keys: F32, ids: I32, size: int, key: float, ident: int) -> int:
    at = size
    while at > 0:
        up = (at - 1) >> 1
        if keys[up] <= key:
            break
        keys[at], ids[at] = keys[up], ids[up]
        at = up
    keys[at], ids[at] = key, ident
    return size + 1


@numba.njit(cache=True, inline="always")
def _pop(keys: F32, ids: I32, size: int) -> tuple[int, int]:
    top = ids[0]
    size -= 1
    key, ident = keys[size], ids[size]
    at = 0
    while True:
        down = 2 * at + 1
        if down >= size:
            break
        if down + 1 < size and keys[down + 1] < keys[down]:
            down += 1
        if keys[down] >= key:
            break
        keys[at], ids[at] = keys[down], ids[down]
        at = down
    keys[at], ids[at] = key, ident
    return top, size


@numba.njit(cache=True, nogil=True)
def flood(heights: F32) -> tuple[F32, I32, I32]:
    """Filled heights (rows, cols), the order in which cells were reached (n,), none before a lower one, and what each
    was reached from (n,), −1 at the edge. Cells are numbered row by row.
    """
    rows, cols = heights.shape
    count = rows * cols
    filled = heights.copy()
    flat = filled.reshape(-1)
    parent = np.full(count, -1, np.int32)
    order = np.empty(count, np.int32)
    closed = np.zeros(count, np.bool_)
    keys, ids = np.empty(count, np.float32), np.empty(count, np.int32)
    pit = np.empty(count, np.int32)
    size = first = last = 0
    for r in range(rows):
        for c in range(cols):
            if r in (0, rows - 1) or c in (0, cols - 1):
                n = r * cols + c
                size = _push(keys, ids, size, flat[n], n)
                closed[n] = True
    done = 0
    while size > 0 or first < last:
        if first < last:
            n = pit[first]
            first += 1
        else:
            n, size = _pop(keys, ids, size)
            first = last = 0
        order[done] = n
        done += 1
        r, c = n // cols, n % cols
        for k in range(8):
            rr, cc = r + STEPS[k, 0], c + STEPS[k, 1]
            if rr < 0 or cc < 0 or rr >= rows or cc >= cols:
                continue
            m = rr * cols + cc
            if closed[m]:
                continue
            closed[m] = True
            parent[m] = n
            if flat[m] <= flat[n]:
                flat[m] = flat[n]
                pit[last] = m
                last += 1
            else:
                size = _push(keys, ids, size, flat[m], m)
    return filled, order, parent


@numba.njit(cache=True, nogil=True)
def gathered(filled: F32, order: I32, parent: I32) -> F32:
    """(rows, cols) how many cells drain through each, itself among them."""
    rows, cols = filled.shape
    flat = filled.reshape(-1)
    out = np.ones(rows * cols)
    shares = np.empty(8)
    for k in range(order.shape[0] - 1, -1, -1):
        n = order[k]
        r, c = n // cols, n % cols
        total = 0.0
        for s in range(8):
            shares[s] = 0.0
            rr, cc = r + STEPS[s, 0], c + STEPS[s, 1]
            if rr < 0 or cc < 0 or rr >= rows or cc >= cols:
                continue
            drop = flat[n] - flat[rr * cols + cc]
            if drop > 0:
                far = np.sqrt(2.0) if s in (0, 2, 5, 7) else 1.0
                shares[s] = (drop / far) ** POWER
                total += shares[s]
        if total > 0:
            for s in range(8):
                if shares[s] > 0:
                    out[(r + STEPS[s, 0]) * cols + c + STEPS[s, 1]] += out[n] * shares[s] / total
        elif parent[n] >= 0:
            out[parent[n]] += out[n]
    return out.astype(np.float32).reshape(rows, cols)
