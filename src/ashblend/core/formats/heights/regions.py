"""A terrain in square regions: put together from files, and cut for export."""

import re
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ashblend.core.formats.errors import FormatError

_NUMBERS = re.compile(r"([A-Za-z]*)[ _\-]?(\d+)")
MOST_DIGITS = 9
_ROW_FIRST = re.compile(r"^(r|row|y|v)$", re.IGNORECASE)


def region_places(names: list[str]) -> dict[str, tuple[int, int]]:
    """(column, row) of each file by the last two numbers in its name, counted from the least.

    The first number is the column, unless a letter before it says row (r, row, y, v). Raises FormatError.
    """
    out = {}
    for name in names:
        stem = name.rsplit("/", 1)[-1].rsplit(".", 1)[0]
        found = _NUMBERS.findall(stem)[-2:]
        if len(found) < 2:
            raise FormatError(
                f"{name} does not say which region it is.", "Name regions by two numbers: name_x0_y1."
            )
        (letters, first), (_, second) = found
        if max(len(first), len(second)) > MOST_DIGITS:
            raise FormatError(f"{name[:80]} has too large a number.", "Count regions from 0.")
        place = (int(first), int(second))
        out[name] = place[::-1] if _ROW_FIRST.match(letters[-3:]) else place
    left = min(col for col, _ in out.values())
    top = min(row for _, row in out.values())
    places = {name: (col - left, row - top) for name, (col, row) in out.items()}
    if len(set(places.values())) != len(places):
        raise FormatError("Two files are the same region.", "Leave one of them out.")
    across, down = (1 + max(place[axis] for place in places.values()) for axis in (0, 1))
    if across * down != len(places):
        raise FormatError(
            f"{across} × {down} regions would be {across * down} files; there are {len(places)}.",
            "Add those that are missing.",
        )
    return places


def _alike(a: NDArray[Any], b: NDArray[Any]) -> bool:
    return bool(np.array_equal(a, b, equal_nan=a.dtype.kind == "f"))


def _is_power(count: int) -> bool:
    return count > 1 and count & (count - 1) == 0


def _level(edge: NDArray[Any]) -> bool:
    return bool((edge == edge[0]).all())


def _edges_are_shared(rows: int, cols: int, edges: Sequence[tuple[NDArray[Any], NDArray[Any]]]) -> bool:
    """Whether neighbours have an edge in common: all are alike, and that is no chance.

    Level edges tell nothing, since a sea is alike on both sides of any border. Then the count does: 2ⁿ + 1 are the corners
    of 2ⁿ cells, and anything else is kept whole.
    """
    if not all(_alike(a, b) for a, b in edges):
        return False
    return not all(_level(a) for a, _ in edges) or (_is_power(rows - 1) and _is_power(cols - 1))


def joined_regions(regions: Mapping[tuple[int, int], NDArray[Any]]) -> tuple[NDArray[Any], bool]:
    """The whole, and whether neighbours share their edge, which is then kept once.

    regions: (rows, cols) by (column, row); all of one size. Raises FormatError.
    """
    across, down = (1 + max(place[axis] for place in regions) for axis in (0, 1))
    sizes = {values.shape for values in regions.values()}
    if len(sizes) > 1:
        raise FormatError(
            f"The regions have unlike sizes: {', '.join(f'{c} × {r}' for r, c in sorted(sizes))}.",
            "Save them all alike.",
        )
    edges = [
        (regions[col, row][:, -1], regions[col + 1, row][:, 0])
        for row in range(down)
        for col in range(across - 1)
    ] + [
        (regions[col, row][-1], regions[col, row + 1][0]) for row in range(down - 1) for col in range(across)
    ]
    size = next(iter(sizes))
    shared = bool(edges) and _edges_are_shared(size[0], size[1], edges)
    rows = []
    for row in range(down):
        parts = [regions[col, row] for col in range(across)]
        if shared:
            parts = [part if col == across - 1 else part[:, :-1] for col, part in enumerate(parts)]
        strip = np.concatenate(parts, axis=1)
        rows.append(strip if not shared or row == down - 1 else strip[:-1])
    return np.concatenate(rows, axis=0), shared


def region_spans(count: int, regions: int, overlap: int) -> list[slice]:
    """Where each of so many regions lies along an axis of count samples. overlap: samples shared with the next.

    Raises ValueError where they do not come out even.
    """
    whole = count - overlap
    if whole % regions:
        raise ValueError(f"{count} samples do not divide into {regions} regions")
    each = whole // regions
    return [slice(n * each, (n + 1) * each + overlap) for n in range(regions)]
