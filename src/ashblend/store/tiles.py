"""Planes of channels as compressed tiles, known by their contents."""

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from threading import local
from uuid import UUID

import numpy as np
import zstandard
from sqlalchemy import ColumnElement, delete, exists, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ashblend.core.arrays import U16
from ashblend.core.channels.channel import Channel, empty_channel
from ashblend.core.channels.values.kind import ValueKind
from ashblend.core.channels.values.weights import WEIGHTS
from ashblend.core.sets.document import ChannelDocument, FileUndercoat, MeasuredUndercoat
from ashblend.core.sites.layout import TILE
from ashblend.store.models import ChannelTile, StateTile, Tile

PLANES = ("cover", "paint", "undercoat")
# Rows in one statement: tiles are up to 128 KB each.
AT_ONCE = 64


def compress(data: bytes) -> bytes:
    return zstandard.ZstdCompressor(level=1).compress(data)


_AT_HAND = local()


def decompress(data: bytes) -> bytes:
    # Making a decompressor takes as long as using it on a stroke; one may not be used by two threads.
    if not hasattr(_AT_HAND, "decompressor"):
        _AT_HAND.decompressor = zstandard.ZstdDecompressor()
    return bytes(_AT_HAND.decompressor.decompress(data))


def plane_of(channel: Channel, plane: str) -> U16 | None:
    """A plane by name; None for an undercoat that is one weight everywhere."""
    if plane == "undercoat":
        return None if isinstance(channel.undercoat, float) else channel.undercoat
    return channel.cover if plane == "cover" else channel.paint


@dataclass
class TileWriter:
    """Puts tiles that are not there yet; what holds nothing has no tile."""

    session: Session
    _waiting: dict[str, bytes] = field(default_factory=dict)

    def put(self, values: U16) -> str | None:
        """The SHA-256 of a tile, or None for one of zeros."""
        if not values.any():
            return None
        raw = np.ascontiguousarray(values, "<u2").tobytes()
        sha = hashlib.sha256(raw).hexdigest()
        if sha not in self._waiting:
            self._waiting[sha] = raw
            if len(self._waiting) >= AT_ONCE:
                self.flush()
        return sha

    def flush(self) -> None:
        if not self._waiting:
            return
        # Held until they are referred to, so that no sweep takes them before.
        found = (
            select(Tile.sha)
            .where(Tile.sha.in_(list(self._waiting)))
            .with_for_update(read=True, key_share=True)
        )
        there = set(self.session.scalars(found))
        rows = [{"sha": sha, "data": compress(raw)} for sha, raw in self._waiting.items() if sha not in there]
        if rows:
            self.session.execute(insert(Tile).on_conflict_do_nothing(), rows)
        self._waiting.clear()


def put_plane(writer: TileWriter, plane: U16) -> dict[int, str]:
    """Keep a whole plane; its tiles by number."""
    found = {}
    for number, begin in enumerate(range(0, plane.shape[0], TILE)):
        sha = writer.put(plane[begin : begin + TILE])
        if sha is not None:
            found[number] = sha
    return found


def read_tiles(session: Session, wanted: Iterable[str]) -> dict[str, U16]:
    """Tiles by their SHA-256."""
    shas = list(dict.fromkeys(wanted))
    out: dict[str, U16] = {}
    for begin in range(0, len(shas), AT_ONCE):
        part = shas[begin : begin + AT_ONCE]
        for sha, data in session.execute(select(Tile.sha, Tile.data).where(Tile.sha.in_(part))):
            out[sha] = np.frombuffer(decompress(data), "<u2").astype(np.uint16)
    return out


def fill_plane(plane: U16, numbers: Mapping[int, str], tiles: Mapping[str, U16]) -> None:
    """Write tiles into a plane of zeros."""
    for number, sha in numbers.items():
        _fill_tile(plane, number, tiles[sha])


def _fill_tile(plane: U16, number: int, values: U16) -> None:
    """values: of one tile, number by number."""
    rows = values.reshape(-1, *plane.shape[1:])
    plane[number * TILE : number * TILE + rows.shape[0]] = rows


def write_channel(session: Session, channel_set: UUID, number: int, channel: Channel) -> None:
    """Keep all of a channel, in place of what was there."""
    session.execute(
        delete(ChannelTile).where(ChannelTile.channel_set_id == channel_set, ChannelTile.channel == number)
    )
    writer = TileWriter(session)
    rows = []
    for plane in PLANES:
        values = plane_of(channel, plane)
        if values is not None:
            rows += [
                {"channel_set_id": channel_set, "channel": number, "plane": plane, "number": n, "tile": sha}
                for n, sha in put_plane(writer, values).items()
            ]
    writer.flush()
    if rows:
        session.execute(insert(ChannelTile), rows)
    channel.dirty.clear()


def write_dirty(session: Session, channel_set: UUID, number: int, channel: Channel) -> list[str]:
    """Keep the tiles of a channel that were written since; the tiles that they replace."""
    dirty = sorted(channel.dirty)
    if not dirty:
        return []
    where: Sequence[ColumnElement[bool]] = (
        ChannelTile.channel_set_id == channel_set,
        ChannelTile.channel == number,
        ChannelTile.number.in_(dirty),
    )
    replaced = list(session.scalars(select(ChannelTile.tile).where(*where)))
    session.execute(delete(ChannelTile).where(*where))
    writer = TileWriter(session)
    rows = []
    for plane in PLANES:
        values = plane_of(channel, plane)
        if values is None:
            continue
        for tile in dirty:
            sha = writer.put(values[tile * TILE : (tile + 1) * TILE])
            if sha is not None:
                rows.append(
                    {"channel_set_id": channel_set, "channel": number, "plane": plane, "number": tile, "tile": sha}
                )  # fmt: skip
    writer.flush()
    if rows:
        session.execute(insert(ChannelTile), rows)
    channel.dirty.clear()
    return replaced


def stored_undercoat(document: ChannelDocument) -> float | None:
    """An undercoat's weight, or None where a plane of it is kept. What is carried down is worked out anew."""
    undercoat = document.undercoat
    if isinstance(undercoat, FileUndercoat):
        return None
    if isinstance(undercoat, MeasuredUndercoat) and undercoat.made is not None:
        return None
    return document.constant


def read_channel(
    session: Session,
    channel_set: UUID,
    number: int,
    extent: int,
    undercoat: float | None,
    kind: ValueKind = WEIGHTS,
) -> Channel:
    """A channel as of the checkpoint. undercoat: its weight, or None where that is a plane."""
    channel = empty_channel(extent, undercoat or 0.0, kind)
    if undercoat is None:
        channel.undercoat = kind.zeros(extent)
    rows = session.execute(
        select(ChannelTile.plane, ChannelTile.number, Tile.data)
        .join(Tile, Tile.sha == ChannelTile.tile)
        .where(ChannelTile.channel_set_id == channel_set, ChannelTile.channel == number)
    )
    for plane, tile, data in rows:
        target = plane_of(channel, plane)
        if target is not None:
            _fill_tile(target, tile, np.frombuffer(decompress(data), "<u2"))
    return channel


def sweep(session: Session, tiles: Iterable[str]) -> int:
    """Let go of those of some tiles that nothing refers to any more; how many."""
    shas = list(dict.fromkeys(tiles))
    if not shas:
        return 0
    gone = session.scalars(
        delete(Tile)
        .where(
            Tile.sha.in_(shas),
            ~exists(select(ChannelTile.tile).where(ChannelTile.tile == Tile.sha)),
            ~exists(select(StateTile.tile).where(StateTile.tile == Tile.sha)),
        )
        .returning(Tile.sha)
    )
    return len(gone.all())
