"""Whole states of a surface, kept. Meshes and tiles are known by their contents, so a state that shares them with
another, or with what is painted now, costs only a list.
"""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import replace
from typing import Any
from uuid import UUID
from weakref import WeakKeyDictionary

from sqlalchemy import delete, exists, or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ashblend.core.arrays import U16
from ashblend.core.channels.channel import Channel, empty_channel
from ashblend.core.channels.values.kind import ValueKind
from ashblend.core.formats.mesh_pack import pack_arrays, pack_mesh, unpack_arrays, unpack_mesh
from ashblend.core.formats.registry import read_mesh
from ashblend.core.sets.document import (
    ChannelDocument,
    ChannelSetDocument,
    ConstantUndercoat,
    MeasuredUndercoat,
)
from ashblend.core.sites.lineage import Mixed
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.kinds.registry import SITE_KIND
from ashblend.core.surface.shape import LevelState
from ashblend.core.surface.state import SetState, SurfaceState, follower
from ashblend.store.blobs import again, get_blob, put_blob
from ashblend.store.errors import Missing
from ashblend.store.models import ChannelSet, JournalEntry, MeshLevel, Snapshot, State, StateTile, Surface
from ashblend.store.tiles import (
    PLANES,
    TileWriter,
    fill_plane,
    plane_of,
    put_plane,
    read_channel,
    read_tiles,
    stored_undercoat,
    write_channel,
)

# Meshes do not change, and packing one of a million vertices takes a second.
_KNOWN: WeakKeyDictionary[Mesh, str] = WeakKeyDictionary()


def put_mesh(session: Session, mesh: Mesh) -> str:
    """Keep a mesh; the SHA-256 of its packed bytes."""
    sha = _KNOWN.get(mesh)
    # What was put by a transaction that failed is not there.
    if sha is None or not again(session, sha):
        sha = _KNOWN[mesh] = put_blob(session, pack_mesh(mesh))
    return sha


def kept_mesh(sha: str, packed: bytes) -> Mesh:
    """A mesh of its kept bytes."""
    mesh = unpack_mesh(packed)
    _KNOWN[mesh] = sha
    return mesh


def _mesh(session: Session, sha: str) -> Mesh:
    return kept_mesh(sha, get_blob(session, sha))


def put_carry(session: Session, carry: Mixed) -> str:
    return put_blob(session, pack_arrays({}, {"sources": carry.sources, "shares": carry.shares}))


def get_carry(session: Session, sha: str) -> Mixed:
    _, arrays = unpack_arrays(get_blob(session, sha))
    return Mixed(arrays["sources"], arrays["shares"])


def _channel_head(writer: TileWriter, channel: Channel) -> dict[str, Any]:
    """Tiles of every plane by number; an undercoat of one weight as that."""
    out: dict[str, Any] = {}
    for plane in PLANES:
        values = plane_of(channel, plane)
        out[plane] = channel.undercoat if values is None else put_plane(writer, values)
    return out


def _tiles_in(head: dict[str, Any]) -> list[str]:
    shas = []
    for entry in head["sets"]:
        for channel in entry["channels"]:
            for plane in PLANES:
                if isinstance(channel[plane], dict):
                    shas += channel[plane].values()
    return list(dict.fromkeys(shas))


def put_state(session: Session, state: SurfaceState) -> str:
    """Keep a state; its SHA-256."""
    writer = TileWriter(session)
    head = {
        "geometry": put_mesh(session, state.mesh),
        "levels": [
            {
                "name": level.name,
                "geometry": put_mesh(session, level.mesh),
                "carry": put_carry(session, level.carry),
                **({"old": True} if level.old else {}),
            }
            for level in state.levels
        ],
        "sets": [
            {
                "id": str(entry.id),
                "sites": entry.sites.model_dump(mode="json"),
                "document": entry.document.model_dump(mode="json"),
                "extent": entry.channels[0].extent,
                "channels": [_channel_head(writer, channel) for channel in entry.channels],
            }
            for entry in state.sets
        ],
    }
    writer.flush()
    return keep_head(session, head)


def keep_head(session: Session, head: dict[str, Any]) -> str:
    """Keep the head of a state whose meshes and tiles are kept."""
    text = json.dumps(head, sort_keys=True)
    sha = hashlib.sha256(text.encode()).hexdigest()
    added = session.execute(
        insert(State).values(sha=sha, head=json.loads(text)).on_conflict_do_nothing().returning(State.sha)
    ).first()
    tiles = _tiles_in(head)
    if added and tiles:
        session.execute(insert(StateTile), [{"state": sha, "tile": tile} for tile in tiles])
    return sha


def _channel(head: dict[str, Any], extent: int, tiles: dict[str, U16], kind: ValueKind) -> Channel:
    def filled(plane: U16, held: dict[str, str]) -> None:
        fill_plane(plane, {int(n): sha for n, sha in held.items()}, tiles)

    under = head["undercoat"]
    channel = empty_channel(extent, 0.0 if isinstance(under, dict) else float(under), kind)
    filled(channel.cover, head["cover"])
    filled(channel.paint, head["paint"])
    if isinstance(under, dict):
        channel.undercoat = kind.zeros(extent)
        filled(channel.undercoat, under)
    return channel


def _set_state(entry: dict[str, Any], tiles: dict[str, U16]) -> SetState:
    document = ChannelSetDocument.model_validate(entry["document"])
    channels = (_channel(head, entry["extent"], tiles, document.holds) for head in entry["channels"])
    return SetState(UUID(entry["id"]), SITE_KIND.validate_python(entry["sites"]), document, tuple(channels))


def get_state(session: Session, sha: str) -> SurfaceState:
    """A state. Raises Missing."""
    row = session.get(State, sha)
    if row is None:
        raise Missing("state", sha)
    head = row.head
    tiles = read_tiles(session, _tiles_in(head))
    return SurfaceState(
        _mesh(session, head["geometry"]),
        tuple(
            LevelState(
                entry["name"],
                _mesh(session, entry["geometry"]),
                get_carry(session, entry["carry"]),
                bool(entry.get("old", False)),
            )
            for entry in head["levels"]
        ),
        tuple(_set_state(entry, tiles) for entry in head["sets"]),
    )


def sweep_states(session: Session) -> list[str]:
    """Let go of states that neither a step nor a snapshot refers to; the tiles they referred to."""
    unused = list(
        session.scalars(
            select(State.sha).where(
                ~exists(select(Snapshot.id).where(Snapshot.state == State.sha)),
                ~exists(
                    select(JournalEntry.number).where(
                        or_(
                            JournalEntry.states["before"].astext == State.sha,
                            JournalEntry.states["after"].astext == State.sha,
                        )
                    )
                ),
            )
        )
    )
    if not unused:
        return []
    tiles = list(session.scalars(select(StateTile.tile).where(StateTile.state.in_(unused))))
    session.execute(delete(State).where(State.sha.in_(unused)))
    return tiles


def read_surface_mesh(session: Session, surface: Surface) -> Mesh:
    """The mesh of a surface as it is now. Raises FormatError, Missing."""
    return mesh_that_came(session, surface) if surface.geometry is None else _mesh(session, surface.geometry)


def mesh_that_came(session: Session, surface: Surface) -> Mesh:
    """The mesh that a surface's file was read as. Raises FormatError, Missing."""
    if surface.came is not None:
        return _mesh(session, surface.came)
    return distinct_groups(read_mesh(surface.file_name, get_blob(session, surface.source)))


def distinct_groups(mesh: Mesh) -> Mesh:
    """Groups are asked for by name, and files may give several the same."""
    seen: dict[str, int] = {}
    groups = []
    for group in mesh.groups:
        seen[group.name] = seen.get(group.name, 0) + 1
        again = seen[group.name]
        groups.append(replace(group, name=group.name if again == 1 else f"{group.name} ({again})"))
    return replace(mesh, groups=tuple(groups))


def levels_of(session: Session, surface: UUID) -> Sequence[MeshLevel]:
    return session.scalars(
        select(MeshLevel).where(MeshLevel.surface_id == surface).order_by(MeshLevel.number)
    ).all()


def read_levels(session: Session, surface: UUID) -> tuple[LevelState, ...]:
    return tuple(
        LevelState(row.name, _mesh(session, row.geometry), get_carry(session, row.carry), row.old)
        for row in levels_of(session, surface)
    )


def _write_levels(session: Session, surface: UUID, levels: Sequence[LevelState]) -> None:
    session.execute(delete(MeshLevel).where(MeshLevel.surface_id == surface))
    for number, level in enumerate(levels, 1):
        session.add(
            MeshLevel(
                surface_id=surface,
                number=number,
                geometry=put_mesh(session, level.mesh),
                carry=put_carry(session, level.carry),
                name=level.name,
                old=level.old,
            )
        )


def _decided(channel: Channel, document: ChannelDocument) -> Channel:
    """A state's channel under a document that is kept: what weight lies under the paint is decided there."""
    if isinstance(document.undercoat, ConstantUndercoat):
        return replace(channel, undercoat=document.undercoat.value)
    return channel


def _brought(document: ChannelDocument, theirs: ChannelDocument) -> ChannelDocument:
    """A kept document under a state's values: what these were made from came with them."""
    held, came = document.undercoat, theirs.undercoat
    if not isinstance(held, MeasuredUndercoat) or held.made is None:
        return document
    made = came.made if isinstance(came, MeasuredUndercoat) else None
    # By no recipe where it was none: it is stale until it is run.
    made = made or held.made.model_copy(update={"recipe": ""})
    return document.model_copy(update={"undercoat": held.model_copy(update={"made": made})})


def write_state(
    session: Session, surface: Surface, entry: int, state: SurfaceState, facts: dict[str, Any]
) -> SurfaceState:
    """Make a state the surface's own, as of a journal entry: the state with the documents that are kept.

    Sets that are there already keep their document, and with it the weight of a constant undercoat; one
    that comes back has the state's. What a measured undercoat was made from is the state's, as its values are.
    """
    surface.geometry = put_mesh(session, state.mesh)
    surface.facts = {**surface.facts, **facts}
    surface.checkpoint = entry
    surface.shape += 1
    _write_levels(session, surface.id, state.levels)
    kept = {member.id for member in state.sets}
    session.execute(delete(ChannelSet).where(ChannelSet.surface_id == surface.id, ChannelSet.id.not_in(kept)))
    session.expire_all()
    sets = []
    for position, member in enumerate(state.sets):
        row = session.get(ChannelSet, member.id)
        if row is None:
            row = ChannelSet(
                id=member.id,
                surface_id=surface.id,
                document=member.document.model_dump(mode="json"),
                revision=1,
            )
            session.add(row)
        row.position = position
        row.sites = member.sites.model_dump(mode="json")
        session.flush()
        document = ChannelSetDocument.model_validate(row.document)
        brought = tuple(map(_brought, document.channels, member.document.channels))
        if brought != document.channels:
            document = document.model_copy(update={"channels": brought})
            row.document = document.model_dump(mode="json")
            row.revision += 1
        channels = tuple(map(_decided, member.channels, document.channels))
        sets.append(replace(member, document=document, channels=channels))
        for number, channel in enumerate(channels):
            write_channel(session, member.id, number, channel)
    session.flush()
    return replace(state, sets=tuple(sets))


def level_facts(levels: Sequence[LevelState]) -> list[dict[str, Any]]:
    """What is told of the lower levels."""
    return [
        {
            "name": level.name,
            "vertices": level.mesh.vertex_count,
            "triangles": int(level.mesh.triangles.shape[0]),
            "old": level.old,
        }
        for level in levels
    ]


def add_levels(session: Session, surface: Surface, levels: Sequence[LevelState]) -> None:
    """Give a surface that has just been taken in its lower levels."""
    mesh = read_surface_mesh(session, surface)
    sets = []
    for row in session.scalars(
        select(ChannelSet).where(ChannelSet.surface_id == surface.id).order_by(ChannelSet.position)
    ):
        document = ChannelSetDocument.model_validate(row.document)
        channels = tuple(
            read_channel(session, row.id, number, mesh.vertex_count, stored_undercoat(entry), document.holds)
            for number, entry in enumerate(document.channels)
        )
        sets.append(SetState(row.id, SITE_KIND.validate_python(row.sites), document, channels))
    follow = [follower(s, number, level) for number, level in enumerate(levels, 1) for s in sets]
    state = SurfaceState(mesh, tuple(levels), (*sets, *follow))
    write_state(session, surface, 0, state, {"levels": level_facts(levels)})
