"""Arrays of a channel as compressed tiles, and the deltas of the journal as bytes."""

import struct
from collections.abc import Iterable, Iterator
from uuid import UUID

import numpy as np
import zstandard
from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ashblend.core.arrays import U16
from ashblend.core.channels import Channel, ChannelDelta
from ashblend.store.models import ChannelTile

TILE = 131_072  # values; 256 KB before compression
_ENTRY = struct.Struct("<16sII")

SetDelta = tuple[UUID, ChannelDelta]


def _compress(data: bytes) -> bytes:
    return zstandard.ZstdCompressor(level=1).compress(data)


def _decompress(data: bytes) -> bytes:
    return zstandard.ZstdDecompressor().decompress(data)


def _tiles(plane: U16) -> Iterator[tuple[int, bytes]]:
    for number, at in enumerate(range(0, plane.shape[0], TILE)):
        part = plane[at : at + TILE]
        if part.any():
            yield number, _compress(part.astype("<u2").tobytes())


def write_channel(session: Session, channel_set: UUID, number: int, channel: Channel) -> None:
    """Replace the tiles of one channel. Tiles that hold nothing are not stored."""
    session.execute(
        delete(ChannelTile).where(ChannelTile.channel_set_id == channel_set, ChannelTile.channel == number)
    )
    rows = [
        {"channel_set_id": channel_set, "channel": number, "plane": plane, "number": n, "data": data}
        for plane, values in (("cover", channel.cover), ("paint", channel.paint))
        for n, data in _tiles(values)
    ]
    if rows:
        session.execute(insert(ChannelTile), rows)


def read_channel(session: Session, channel_set: UUID, number: int, sites: int, undercoat: float) -> Channel:
    """A channel from its tiles; what is not stored is zero."""
    channel = Channel(np.zeros(sites, np.uint16), np.zeros(sites, np.uint16), undercoat)
    rows = session.execute(
        select(ChannelTile.plane, ChannelTile.number, ChannelTile.data).where(
            ChannelTile.channel_set_id == channel_set, ChannelTile.channel == number
        )
    )
    for plane, tile, data in rows:
        target = channel.cover if plane == "cover" else channel.paint
        values = np.frombuffer(_decompress(data), "<u2")
        target[tile * TILE : tile * TILE + values.shape[0]] = values
    return channel


def pack_deltas(deltas: Iterable[SetDelta]) -> bytes:
    """Deltas as one compressed string of bytes. Sites are stored as steps, which compress well."""
    parts = []
    for channel_set, delta in deltas:
        parts.append(_ENTRY.pack(channel_set.bytes, delta.channel, delta.sites.shape[0]))
        parts.append(np.diff(delta.sites, prepend=np.uint32(0)).astype("<u4").tobytes())
        for plane in (delta.cover_before, delta.paint_before, delta.cover_after, delta.paint_after):
            parts.append(plane.astype("<u2").tobytes())
    return _compress(b"".join(parts))


def unpack_deltas(data: bytes) -> list[SetDelta]:
    """The deltas of `pack_deltas`."""
    raw = _decompress(data)
    out, at = [], 0
    while at < len(raw):
        ident, channel, count = _ENTRY.unpack_from(raw, at)
        at += _ENTRY.size
        sites = np.cumsum(np.frombuffer(raw, "<u4", count, at), dtype=np.uint32)
        at += 4 * count
        planes = []
        for _ in range(4):
            planes.append(np.frombuffer(raw, "<u2", count, at).astype(np.uint16))
            at += 2 * count
        out.append((UUID(bytes=ident), ChannelDelta(channel, sites, *planes)))
    return out
