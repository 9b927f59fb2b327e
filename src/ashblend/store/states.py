"""The whole state of a surface: its mesh and levels, its channel sets with all their values.

Acts that change the mesh or the list of sets keep the state before and after, so that undo gives
the same bytes whatever such an act did. Meshes are blobs known by their contents, so a state that
shares them with another costs only its values.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID, uuid4

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from ashblend.core.channels import Channel, ChannelSetDocument
from ashblend.core.formats import read_mesh
from ashblend.core.formats.mesh_pack import pack_arrays, pack_mesh, unpack_arrays, unpack_mesh
from ashblend.core.prepare.lineage import Mixed
from ashblend.core.sites import Mesh
from ashblend.core.sites.kinds import TexelSites, VertexSites
from ashblend.store.blobs import get_blob, put_blob
from ashblend.store.models import ChannelSet, MeshLevel, Surface
from ashblend.store.planes import read_channel, write_channel


@dataclass(frozen=True)
class LevelState:
    """A lower level of detail. carry: from the vertices of level 0 to its own."""

    name: str
    mesh: Mesh
    carry: Mixed


@dataclass(frozen=True)
class SetState:
    """A channel set with its values. sites: which places they lie on."""

    id: UUID
    sites: VertexSites | TexelSites
    document: ChannelSetDocument
    channels: tuple[Channel, ...]


@dataclass(frozen=True)
class SurfaceState:
    """levels: from level 1 on. sets: in their order."""

    mesh: Mesh
    levels: tuple[LevelState, ...]
    sets: tuple[SetState, ...]


def put_mesh(session: Session, mesh: Mesh) -> str:
    """Keep a mesh; the SHA-256 of its packed bytes."""
    return put_blob(session, pack_mesh(mesh))


def _put_carry(session: Session, carry: Mixed) -> str:
    return put_blob(session, pack_arrays({}, {"sources": carry.sources, "shares": carry.shares}))


def _get_carry(session: Session, sha: str) -> Mixed:
    _, arrays = unpack_arrays(get_blob(session, sha))
    return Mixed(arrays["sources"], arrays["shares"])


def put_state(session: Session, state: SurfaceState) -> str:
    """Keep a state; the SHA-256 of its blob."""
    arrays: dict[str, NDArray[Any]] = {}
    for number, entry in enumerate(state.sets):
        for c, channel in enumerate(entry.channels):
            arrays[f"{number}/{c}/cover"] = channel.cover
            arrays[f"{number}/{c}/paint"] = channel.paint
    head = {
        "geometry": put_mesh(session, state.mesh),
        "levels": [
            {
                "name": level.name,
                "geometry": put_mesh(session, level.mesh),
                "carry": _put_carry(session, level.carry),
            }
            for level in state.levels
        ],
        "sets": [
            {
                "id": str(entry.id),
                "sites": entry.sites.model_dump(mode="json"),
                "document": entry.document.model_dump(mode="json"),
            }
            for entry in state.sets
        ],
    }
    return put_blob(session, pack_arrays(head, arrays))


def get_state(session: Session, sha: str) -> SurfaceState:
    """The state of a blob. Raises Missing."""
    head, arrays = unpack_arrays(get_blob(session, sha))
    sets = []
    for number, entry in enumerate(head["sets"]):
        document = ChannelSetDocument.model_validate(entry["document"])
        channels = tuple(
            Channel(arrays[f"{number}/{c}/cover"], arrays[f"{number}/{c}/paint"], member.undercoat.value)
            for c, member in enumerate(document.channels)
        )
        sets.append(SetState(UUID(entry["id"]), site_kind(entry["sites"]), document, channels))
    return SurfaceState(
        unpack_mesh(get_blob(session, head["geometry"])),
        tuple(
            LevelState(
                entry["name"],
                unpack_mesh(get_blob(session, entry["geometry"])),
                _get_carry(session, entry["carry"]),
            )
            for entry in head["levels"]
        ),
        tuple(sets),
    )


def site_kind(stored: dict[str, Any]) -> VertexSites | TexelSites:
    """The kind of sites that a row's JSON tells of."""
    if stored["kind"] == "texels":
        return TexelSites.model_validate(stored)
    return VertexSites.model_validate(stored)


def read_surface_mesh(session: Session, surface: Surface) -> Mesh:
    """The mesh of a surface as it is now. Raises FormatError, Missing."""
    if surface.geometry is not None:
        return unpack_mesh(get_blob(session, surface.geometry))
    return _distinct_groups(read_mesh(surface.file_name, get_blob(session, surface.source)))


def _distinct_groups(mesh: Mesh) -> Mesh:
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
        LevelState(row.name, unpack_mesh(get_blob(session, row.geometry)), _get_carry(session, row.carry))
        for row in levels_of(session, surface)
    )


def write_state(
    session: Session, surface: Surface, entry: int, state: SurfaceState, facts: dict[str, Any]
) -> dict[UUID, int]:
    """Make a state the surface's own, as of a journal entry; the new revision of each set."""
    surface.geometry = put_mesh(session, state.mesh)
    surface.facts = {**surface.facts, **facts}
    surface.checkpoint = entry
    session.execute(delete(MeshLevel).where(MeshLevel.surface_id == surface.id))
    for number, level in enumerate(state.levels, 1):
        session.add(
            MeshLevel(
                surface_id=surface.id,
                number=number,
                geometry=put_mesh(session, level.mesh),
                carry=_put_carry(session, level.carry),
                name=level.name,
            )
        )
    kept = {entry.id for entry in state.sets}
    session.execute(delete(ChannelSet).where(ChannelSet.surface_id == surface.id, ChannelSet.id.not_in(kept)))
    session.expire_all()
    revisions = {}
    for position, member in enumerate(state.sets):
        row = session.get(ChannelSet, member.id)
        if row is None:
            row = ChannelSet(id=member.id, surface_id=surface.id, revision=0)
            session.add(row)
        row.position = position
        row.sites = member.sites.model_dump(mode="json")
        row.document = member.document.model_dump(mode="json")
        row.revision += 1
        session.flush()
        revisions[member.id] = row.revision
        for number, channel in enumerate(member.channels):
            write_channel(session, member.id, number, channel)
    session.flush()
    return revisions


def level_facts(levels: Sequence[LevelState]) -> list[dict[str, Any]]:
    """What is told of the lower levels."""
    return [
        {
            "name": level.name,
            "vertices": level.mesh.vertex_count,
            "triangles": int(level.mesh.triangles.shape[0]),
        }
        for level in levels
    ]


def follower(entry: SetState, number: int, level: LevelState) -> SetState:
    """The set that follows a set of level 0 on a lower level: no paint of its own."""
    count = level.mesh.vertex_count
    channels = tuple(
        Channel(np.zeros(count, np.uint16), np.zeros(count, np.uint16), c.undercoat.value)
        for c in entry.document.channels
    )
    return SetState(uuid4(), VertexSites(level=number, follows=entry.id), entry.document, channels)


def add_levels(session: Session, surface: Surface, levels: Sequence[LevelState]) -> None:
    """Give a surface that has just been taken in its lower levels."""
    mesh = read_surface_mesh(session, surface)
    sets = []
    for row in session.scalars(
        select(ChannelSet).where(ChannelSet.surface_id == surface.id).order_by(ChannelSet.position)
    ):
        document = ChannelSetDocument.model_validate(row.document)
        channels = tuple(
            read_channel(session, row.id, number, mesh.vertex_count, entry.undercoat.value)
            for number, entry in enumerate(document.channels)
        )
        sets.append(SetState(row.id, VertexSites(), document, channels))
    follow = [follower(s, number, level) for number, level in enumerate(levels, 1) for s in sets]
    state = SurfaceState(mesh, tuple(levels), (*sets, *follow))
    write_state(session, surface, 0, state, {"levels": level_facts(levels)})
