"""How water runs over a height field: depressions filled, and what drains where.

Filling: priority-flood, Barnes, Lehman and Mulla (2014), "Priority-flood: an optimal depression-filling and
watershed-labeling algorithm for digital elevation models", Computers & Geosciences 62, where what rises from a place
that is done is done at once, without the queue: Zhou, Sun and Fu (2016), "An efficient variant of the priority-flood
algorithm", Computers & Geosciences 90. Their test of two rings around a place is left out: whether a place may still
spill is asked when all that rises has been seen.

Draining: Freeman (1991), Computers & Geosciences 17(3), 413-422: to all lower neighbours by the power 1.1 of the
slope toward them; where nothing lies lower, on flats and lakes, to the cell from which it was reached. A cell hands on
what it has as soon as all above it have: Kahn (1962), "Topological sorting of large networks", CACM 5(11).

Measured on 4096² cells of rolling ground with pits, one processor: filled in 2.4 s (4.0 with every cell in the queue,
by order of height, all over memory; 1.6 where it is smooth), drained in 2.1 (4.2 by order of height, with `pow`). What
is left of both is memory: some 20 cells around each are looked at in an order that the ground gives. Tried: a stack for
what rises (as fast), a bucket queue (elsewhere; gained nothing), three steps of Newton without tables (as fast).
"""

import numba
import numpy as np

from ashblend.core.arrays import F32, I8, I32
from ashblend.core.survey.heap import pop, push

STEPS = np.array([[-1, -1], [-1, 0], [-1, 1], [0, -1], [0, 1], [1, -1], [1, 0], [1, 1]], np.int64)


@numba.njit(cache=True, inline="always")
def _around(wide: int) -> I32:
    """What to add to a cell's number for each of STEPS, in a grid with a rim of one cell, so many cells wide."""
    return np.array([-wide - 1, -wide, -wide + 1, -1, 1, wide - 1, wide, wide + 1], np.int32)


@numba.njit(cache=True, nogil=True)
def flood(heights: F32) -> tuple[F32, I8]:
    """Filled heights (rows, cols), and which of STEPS leads to what each was reached from (rows, cols) int8, −1 at the edge.

    The edge of the ground is the outlet. What a cell was reached from lies no higher, and the way from it to the edge is
    one of these steps after another.
    """
    rows, cols = heights.shape
    wide = cols + 2
    count = rows * cols
    flat = np.zeros((rows + 2) * wide, np.float32)
    closed = np.ones((rows + 2) * wide, np.bool_)
    back = np.full((rows + 2) * wide, -1, np.int8)
    for r in range(rows):
        begin = (r + 1) * wide + 1
        flat[begin : begin + cols] = heights[r]
        closed[begin : begin + cols] = False
    around = _around(wide)
    keys, ids = np.empty(count, np.float32), np.empty(count, np.int32)
    pit, rising, brim = np.empty(count, np.int32), np.empty(count, np.int32), np.empty(count, np.int32)
    size = first = last = 0
    for r in range(1, rows + 1):
        for c in range(1, cols + 1):
            if r in (1, rows) or c in (1, cols):
                n = r * wide + c
                size = push(keys, ids, size, flat[n], n)
                closed[n] = True
    while size > 0 or first < last:
        if first < last:
            n = pit[first]
            first += 1
        else:
            n, size = pop(keys, ids, size)
            first = last = 0
        level = flat[n]
        begin = end = brims = 0
        for k in range(8):
            m = n + around[k]
            if closed[m]:
                continue
            closed[m] = True
            back[m] = 7 - k
            if flat[m] <= level:
                flat[m] = level
                pit[last] = m
                last += 1
            else:
                rising[end] = m
                end += 1
        while begin < end:
            n = rising[begin]
            begin += 1
            level = flat[n]
            may_spill = False
            for k in range(8):
                m = n + around[k]
                if closed[m]:
                    continue
                if flat[m] > level:
                    closed[m] = True
                    back[m] = 7 - k
                    rising[end] = m
                    end += 1
                else:
                    may_spill = True
            if may_spill:
                brim[brims] = n
                brims += 1
        for j in range(brims):
            n = brim[j]
            for k in range(8):
                if not closed[n + around[k]]:
                    size = push(keys, ids, size, flat[n], n)
                    break
    whole = flat.reshape(rows + 2, wide), back.reshape(rows + 2, wide)
    return whole[0][1:-1, 1:-1].copy(), whole[1][1:-1, 1:-1].copy()


@numba.njit(cache=True, nogil=True, parallel=True)
def _above(flat: F32, back: I8, around: I32, wide: int) -> I8:
    """How many cells hand on to each, in a grid with a rim of NaN; −1 on the rim."""
    tall = flat.shape[0] // wide
    ends = np.zeros(flat.shape[0], np.bool_)
    out = np.full(flat.shape[0], -1, np.int8)
    for r in numba.prange(1, tall - 1):
        for n in range(r * wide + 1, (r + 1) * wide - 1):
            falls = False
            for k in range(8):
                falls |= flat[n + around[k]] < flat[n]
            ends[n] = not falls
    for r in numba.prange(1, tall - 1):
        for n in range(r * wide + 1, (r + 1) * wide - 1):
            count = 0
            for k in range(8):
                m = n + around[k]
                count += (flat[m] > flat[n]) | (ends[m] & (back[m] == 7 - k))
            out[n] = count
    return out


# Powers −1/10 of a float32 by its exponent and by the first bits of its mantissa, right to 1e-5.
_FIRST = 12
_BY_EXPONENT = (2.0 ** ((127.0 - np.arange(256)) / 10)).astype(np.float32)
_BY_MANTISSA = ((1 + (np.arange(2**_FIRST) + 0.5) / 2**_FIRST) ** -0.1).astype(np.float32)


@numba.njit(cache=True, nogil=True, error_model="numpy")
def _handed_on(flat: F32, back: I8, waiting: I8, around: I32, wide: int) -> F32:
    out = np.ones(flat.shape[0])
    nearer = np.array([0.5**0.5, 1, 0.5**0.5, 1, 1, 0.5**0.5, 1, 0.5**0.5], np.float32)
    slope, shares, guess = np.empty(8, np.float32), np.empty(8, np.float32), np.empty(8, np.float32)
    bits = guess.view(np.int32)
    # As locals: tables of a module are copied into the code.
    by_exponent, by_mantissa = _BY_EXPONENT, _BY_MANTISSA
    nothing = np.float32(0)
    ready = np.empty(flat.shape[0], np.int32)
    for start in range(wide + 1, flat.shape[0] - wide - 1):
        if waiting[start] != 0:
            continue
        ready[0] = start
        top = 1
        while top > 0:
            top -= 1
            n = ready[top]
            waiting[n] = -1
            # In loops of their own, so that all eight go together.
            for k in range(8):
                slope[k] = flat[n + around[k]]
            for k in range(8):
                fall = (flat[n] - slope[k]) * nearer[k]
                slope[k] = fall if fall > nothing else nothing
            for k in range(8):
                guess[k] = slope[k]
            for k in range(8):
                held = bits[k]
                guess[k] = by_exponent[held >> 23] * by_mantissa[(held >> (23 - _FIRST)) & (2**_FIRST - 1)]
            for k in range(8):
                # A step of Newton.
                x, y = slope[k], guess[k]
                y4 = y * y * y * y
                y *= np.float32(1.1) - np.float32(0.1) * x * (y4 * y4 * (y * y))
                shares[k] = x / y if x > nothing else nothing
            total = 0.0
            for k in range(8):
                total += shares[k]
            if total > 0:
                for k in range(8):
                    if shares[k] > 0:
                        m = n + around[k]
                        out[m] += out[n] * shares[k] / total
                        waiting[m] -= 1
                        if waiting[m] == 0:
                            ready[top] = m
                            top += 1
            elif back[n] >= 0:
                m = n + around[back[n]]
                out[m] += out[n]
                waiting[m] -= 1
                if waiting[m] == 0:
                    ready[top] = m
                    top += 1
    return out.astype(np.float32)


def gathered(filled: F32, back: I8) -> F32:
    """(rows, cols) how many cells drain through each, itself among them. filled, back: as `flood` has them."""
    wide = filled.shape[1] + 2
    flat = np.pad(filled, 1, constant_values=np.nan).reshape(-1)
    to = np.pad(back, 1, constant_values=-1).reshape(-1)
    around = _around(wide)
    out = _handed_on(flat, to, _above(flat, to, around, wide), around, wide)
    return out.reshape(-1, wide)[1:-1, 1:-1].copy()
