"""Bare unsigned 16-bit numbers, row by row, with no head that says how many.

Size and byte order are guessed, and can be overruled. Sizes: a square, else the rectangle nearest to one whose edge is
2ⁿ or 2ⁿ + 1, if it is no longer than LONGEST times its width. Order: ground is smooth, so the right one is the one in which neighbours differ least; read the wrong way
round, the quickly changing byte weighs 256 times as much.
"""

import math
from typing import Any, get_args

import numpy as np
from numpy.typing import NDArray

from ashblend.core.arrays import U16
from ashblend.core.formats.budget import Budget
from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.heights.format import Grid, HeightFormat, Order, RawLayout, require_size

USUAL_EDGES = sorted({2**n + extra for n in range(4, 14) for extra in (0, 1)})
# Of more elongated ground it is asked: 136 × 179 numbers are 1432 × 17 as well.
LONGEST = 8
# Enough neighbours to tell the order by.
ENOUGH = 1 << 20
KINDS: dict[Order, str] = {"little": "<u2", "big": ">u2"}


def _guessed_size(name: str, count: int) -> tuple[int, int]:
    """Rows and columns for so many numbers. Raises FormatError."""
    edge = math.isqrt(count)
    if edge * edge == count and edge >= 2:
        return edge, edge
    pairs = [
        (count // e, e)
        for e in USUAL_EDGES
        if count % e == 0 and e <= count // e * LONGEST and count // e <= e * LONGEST
    ]
    if not pairs:
        raise FormatError(
            f"{name} holds {count:,} numbers of two bytes, which is no square and no likely rectangle with an edge of 2ⁿ or 2ⁿ + 1.",
            "Say how many columns and rows it has, or save it with a head.",
        )
    return min(pairs, key=lambda pair: max(pair) / min(pair))


def guessed_order(data: bytes, cols: int) -> Order:
    """The order of bytes in which neighbours in a row differ least."""
    some = data[: 2 * min(len(data) // 2, ENOUGH) // (2 * cols) * 2 * cols] or data

    def roughness(order: Order) -> float:
        rows = np.frombuffer(some[: len(some) // 2 * 2], KINDS[order]).astype(np.int64)
        return float(np.abs(np.diff(rows)).sum())

    return min(get_args(Order), key=roughness)


def _read(name: str, data: bytes, layout: RawLayout | None, budget: Budget) -> Grid:
    if len(data) % 2 or not data:
        raise FormatError(
            f"{name} has {len(data):,} bytes, which are no numbers of two bytes each.",
            "It is cut off: save it again.",
        )
    if layout is None:
        rows, cols = _guessed_size(name, len(data) // 2)
        require_size(name, rows, cols, 2, len(data))
        layout = RawLayout(cols=cols, rows=rows, order=guessed_order(data, cols))
    if layout.rows * layout.cols * 2 != len(data):
        raise FormatError(
            f"{layout.cols:,} × {layout.rows:,} heights are {layout.rows * layout.cols * 2:,} bytes; {name} has {len(data):,}.",
            "Say another size.",
        )
    budget.take(len(data), name)
    values: U16 = np.frombuffer(data, KINDS[layout.order]).reshape(layout.rows, layout.cols).astype(np.uint16)
    return Grid(values, 65535, (), layout)


def _write(values: NDArray[Any]) -> bytes:
    return values.astype("<u2").tobytes()


RAW = HeightFormat("raw", (".r16", ".raw"), _read, _write, ("16",))
