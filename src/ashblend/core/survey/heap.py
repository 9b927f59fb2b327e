"""A binary heap in two arrays, keys and what they belong to, for kernels: the lowest key comes first."""

import numba

from ashblend.core.arrays import F32, I32


@numba.njit(cache=True, inline="always")
def push(keys: F32, ids: I32, size: int, key: float, ident: int) -> int:
    """Put one more into a heap of so many; how many it holds now."""
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
def pop(keys: F32, ids: I32, size: int) -> tuple[int, int]:
    """The lowest of a heap of so many, taken out, and how many are left."""
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
