"""Letting go of what nothing refers to any more: states, tiles, and the bytes of files.

Safe beside uploads in flight. Whoever puts bytes writes their row anew (`blobs.again`), and a sweep takes only rows
that nobody has written for an hour. One that is being written while the sweep runs holds it up and is looked at
again: PostgreSQL reads the condition anew on a row that was changed meanwhile. Tiles are held by whoever is about to
refer to them (`tiles.TileWriter`); a sweep that meets such a one gives up until the next time.

Tried: counting references in a column. Every way of deleting (cascades, too) would have had to keep the count right,
and a wrong one loses work; to ask anew costs 40 ms with 20 000 tiles and 1 000 blobs.
"""

from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import Select, column, delete, exists, func, select, text, true, union_all
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.exc import IntegrityError, OperationalError

from ashblend.store.database import Sessions
from ashblend.store.models import (
    Blob,
    ChannelTile,
    Job,
    KeptMeasure,
    Material,
    MeshLevel,
    ShelfMaterial,
    State,
    StateTile,
    Stencil,
    Surface,
    Tile,
)
from ashblend.store.states import sweep_states

# What was put so lately may belong to an upload that is not done, or to a file that is being looked at.
UNTOUCHED = timedelta(hours=1)


def _in_documents(table: type[Material] | type[ShelfMaterial], part: str) -> Select[tuple[str]]:
    """Blobs that are the values of an object inside a table's documents."""
    pairs = func.jsonb_each_text(table.document[part]).table_valued("key", "value")
    return select(pairs.c.value).select_from(table).join(pairs, true())


def _in_levels(part: str) -> Select[tuple[str]]:
    """Blobs that the lower levels of whole states refer to."""
    level = func.jsonb_array_elements(State.head["levels"]).table_valued(column("value", JSONB))
    return select(level.c.value[part].astext).select_from(State).join(level, true())


# Everything that refers to a blob. A test holds every foreign key against this list.
REFERENCES: tuple[Select[tuple[str]], ...] = (
    select(Surface.source),
    select(Surface.came),
    select(Surface.geometry),
    select(MeshLevel.geometry),
    select(MeshLevel.carry),
    select(Stencil.image),
    select(Job.input),
    select(KeptMeasure.values),
    *(_in_documents(table, part) for table in (Material, ShelfMaterial) for part in ("maps", "packs")),
    select(State.head["geometry"].astext),
    *(_in_levels(part) for part in ("geometry", "carry")),
)


@dataclass(frozen=True)
class Swept:
    """What was let go: files and their bytes, tiles."""

    blobs: int = 0
    bytes: int = 0
    tiles: int = 0


def _sweep_tiles(sessions: Sessions) -> int:
    try:
        with sessions.begin() as session:
            sweep_states(session)
            gone = session.scalars(
                delete(Tile)
                .where(
                    ~exists(select(ChannelTile.tile).where(ChannelTile.tile == Tile.sha)),
                    ~exists(select(StateTile.tile).where(StateTile.tile == Tile.sha)),
                )
                .returning(Tile.sha)
            )
            return len(gone.all())
    except IntegrityError:
        return 0


def _sweep_blobs(sessions: Sessions, untouched: timedelta) -> tuple[int, int]:
    referred = union_all(*REFERENCES).subquery().c[0]
    unused = delete(Blob).where(
        Blob.put_at < func.clock_timestamp() - untouched,
        Blob.sha.not_in(select(referred).where(referred.is_not(None))),
    )
    with sessions.begin() as session:
        gone = session.scalars(
            unused.returning(Blob.size), execution_options={"synchronize_session": False}
        ).all()
    return len(gone), sum(gone)


def sweep_all(sessions: Sessions, untouched: timedelta = UNTOUCHED) -> Swept:
    """Let go of everything that nothing refers to, and let PostgreSQL use the room again."""
    tiles = _sweep_tiles(sessions)
    blobs, size = _sweep_blobs(sessions, untouched)
    if tiles or blobs:
        _give_room_back(sessions)
    return Swept(blobs, size, tiles)


def _give_room_back(sessions: Sessions) -> None:
    engine = sessions.kw["bind"]
    try:
        with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.execute(text("vacuum blob, blob_part, tile, state"))
    except OperationalError:
        # Autovacuum will come by.
        return
