"""Binary frames with channel values, tile by tile.

Little endian. Header of six uint32: magic, number of the channel set on the surface, bits of the channels that
follow, squares in a row of the layout (0 for runs), count of tiles, and what a value is: the code of its kind
(upper half) and how many numbers it has beyond one. Then for each tile two uint32, its number and a word of how
(upper half) and count (lower 17 bits), then by that:

    0 some    count positions in the tile, uint16 each; for each channel as many values
    1 whole   for each channel count values from the tile's begin on
    2 level   for each channel one value that all count numbers have

A value is uint16 for each of its numbers, side by side; each of the above is padded to four bytes. Texels beside a chart come along with the values that they show.

Heights of a terrain that were painted come as metres: five uint32, another magic, the first column and row, how many
columns and rows, then float32 row by row.
"""

import struct
from collections.abc import Sequence

import numpy as np

from ashblend.core.arrays import F32, U16, U32
from ashblend.core.sites.layout import TILE, TILE_BITS
from ashblend.core.surface.open_set import OpenSet
from ashblend.session.outcome import AnyChange, HeightsMoved

MAGIC = 0x32464241
HEIGHTS = 0x48464241
SOME, WHOLE, LEVEL = range(3)
_HEADER = struct.Struct("<6I")
_TILE = struct.Struct("<2I")
# A site costs two bytes more when its position is told, too; and a page copies whole tiles faster.
WHOLE_FROM = TILE // 4


def _padded(*parts: U16) -> bytes:
    data = b"".join(part.astype("<u2").tobytes() for part in parts)
    return data + b"\0" * (-len(data) % 4)


def _entry(tile: int, kind: int, count: int, *parts: U16) -> bytes:
    return _TILE.pack(tile, kind << 24 | count) + _padded(*parts)


def _header(number: int, found: OpenSet, channels: Sequence[int], tiles: int) -> bytes:
    bits = sum(1 << channel for channel in channels)
    kind = found.values.code << 16 | (found.values.width - 1)
    return _HEADER.pack(MAGIC, number, bits, found.sites.layout.across, tiles, kind)


def _whole_tile(found: OpenSet, tile: int, channels: Sequence[int]) -> bytes:
    span = found.sites.layout.span(tile)
    here = found.sites.in_tile(tile)
    beside, sources = found.sites.shown_by_tile(tile)
    planes = []
    for channel in channels:
        if here.size == span.stop - span.start:
            planes.append(found.shown(channel, slice(span.start, span.stop)))
            continue
        plane = np.zeros(found.values.shape(span.stop - span.start), np.uint16)
        plane[here - span.start] = found.shown(channel, here)
        plane[beside - span.start] = found.shown(channel, sources)
        planes.append(plane)
    if all((plane == plane[0]).all() for plane in planes):
        return _entry(tile, LEVEL, span.stop - span.start, *(plane[:1] for plane in planes))
    return _entry(tile, WHOLE, span.stop - span.start, *planes)


def full_frame(number: int, found: OpenSet, channels: Sequence[int]) -> bytes:
    """Values of some channels, ascending, at every site."""
    tiles = range(found.sites.layout.tiles)
    return b"".join(
        [
            _header(number, found, channels, len(tiles)),
            *(_whole_tile(found, tile, channels) for tile in tiles),
        ]
    )


def sparse_frame(number: int, found: OpenSet, channels: Sequence[int], sites: U32) -> bytes:
    """Values of some channels, ascending, at sites (k,) ascending, and wherever those are shown."""
    beside, sources = found.sites.shown_by(sites)
    numbers, held = sites, sites
    if beside.size:
        numbers, held = np.concatenate([sites, beside]), np.concatenate([sites, sources])
        order = np.argsort(numbers, kind="stable")
        numbers, held = numbers[order], held[order]
    values = [found.shown(channel, held) for channel in channels]
    tiles = numbers >> TILE_BITS
    begins = np.flatnonzero(np.concatenate([[True], tiles[1:] != tiles[:-1]]))[: numbers.size].tolist()
    entries = []
    for begin, end in zip(begins, [*begins[1:], numbers.shape[0]], strict=True):
        tile = int(tiles[begin])
        if end - begin >= WHOLE_FROM:
            entries.append(_whole_tile(found, tile, channels))
            continue
        places = (numbers[begin:end] & (TILE - 1)).astype(np.uint16)
        entries.append(_entry(tile, SOME, end - begin, places, *(v[begin:end] for v in values)))
    return b"".join([_header(number, found, channels, len(entries)), *entries])


_HEIGHTS = struct.Struct("<5I")


def heights_frame(heights: F32, left: int, top: int, cols: int, rows: int) -> bytes:
    """Part of a terrain's heights (rows, cols of the whole), in metres."""
    part = heights[top : top + rows, left : left + cols]
    return _HEIGHTS.pack(HEIGHTS, left, top, cols, rows) + part.astype("<f4").tobytes()


def frame_of(change: AnyChange) -> bytes:
    """A change as a frame, with the values that there are now: on the surface's thread."""
    if isinstance(change, HeightsMoved):
        return heights_frame(change.heights, change.left, change.top, change.cols, change.rows)
    if change.sites is None:
        return full_frame(change.number, change.found, change.channels)
    return sparse_frame(change.number, change.found, change.channels, change.sites)
