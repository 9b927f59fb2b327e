"""The deltas of the journal as bytes."""

import struct
from collections.abc import Iterable
from uuid import UUID

import numpy as np

from ashblend.core.arrays import U16
from ashblend.core.channels.delta import ChannelDelta, Sides
from ashblend.store.tiles import compress, decompress

# Set, channel, how many numbers a value has beyond one, count of sites, and for each side of the undercoat: whether it
# changed, and how.
_ENTRY = struct.Struct("<16sHHIBBdd")
UNCHANGED, CONSTANT, PLANE = range(3)

SetDelta = tuple[UUID, ChannelDelta]


def _kind(side: float | U16 | None) -> int:
    if side is None:
        return UNCHANGED
    return CONSTANT if isinstance(side, float) else PLANE


def pack_deltas(deltas: Iterable[SetDelta]) -> bytes:
    """Deltas as one compressed string of bytes. Sites are stored as steps, which compress well."""
    parts = []
    for channel_set, delta in deltas:
        before, after = delta.undercoat or (None, None)
        weights = [side if isinstance(side, float) else 0.0 for side in (before, after)]
        count = delta.sites.shape[0]
        parts.append(
            _ENTRY.pack(
                channel_set.bytes,
                delta.channel,
                delta.paint_after.shape[1] - 1 if delta.paint_after.ndim > 1 else 0,
                count,
                _kind(before),
                _kind(after),
                *weights,
            )
        )
        parts.append(np.diff(delta.sites, prepend=np.uint32(0)).astype("<u4").tobytes())
        planes = [delta.cover_before, delta.paint_before, delta.cover_after, delta.paint_after]
        planes += [side for side in (before, after) if side is not None and not isinstance(side, float)]
        parts += [plane.astype("<u2").tobytes() for plane in planes]
    return compress(b"".join(parts))


def unpack_deltas(data: bytes) -> list[SetDelta]:
    """The deltas of `pack_deltas`."""
    raw = decompress(data)
    out, at = [], 0

    def plane(count: int, wide: int = 1) -> U16:
        nonlocal at
        found = np.frombuffer(raw, "<u2", count * wide, at).astype(np.uint16, copy=False)
        at += 2 * count * wide
        return found if wide == 1 else found.reshape(count, wide)

    while at < len(raw):
        ident, channel, more, count, *kinds, weight_before, weight_after = _ENTRY.unpack_from(raw, at)
        at += _ENTRY.size
        sites = np.cumsum(np.frombuffer(raw, "<u4", count, at), dtype=np.uint32)
        at += 4 * count
        wide = more + 1
        cover_before, paint_before = plane(count), plane(count, wide)
        cover_after, paint_after = plane(count), plane(count, wide)
        sides: Sides | None = None
        if kinds[0] != UNCHANGED:
            before = plane(count, wide) if kinds[0] == PLANE else weight_before
            after = plane(count, wide) if kinds[1] == PLANE else weight_after
            sides = (before, after)
        delta = ChannelDelta(channel, sites, cover_before, paint_before, cover_after, paint_after, sides)
        out.append((UUID(bytes=ident), delta))
    return out
