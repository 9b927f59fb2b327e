"""Surfaces: taking a mesh in, and reading back what is painted on it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.core.channels.channel import Channel
from ashblend.core.prepare.facts import mesh_facts
from ashblend.core.sets.document import ChannelSetDocument
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.surface.kinds.registry import SiteKind
from ashblend.core.surface.kinds.vertices import VertexSites
from ashblend.store.blobs import put_blob
from ashblend.store.errors import Missing
from ashblend.store.journal import deltas_since
from ashblend.store.models import ChannelSet, Surface
from ashblend.store.projects import get_project
from ashblend.store.states import put_mesh, read_surface_mesh
from ashblend.store.tiles import read_channel, stored_undercoat, write_channel, write_dirty

BASE = VertexSites()


@dataclass(frozen=True)
class NewChannelSet:
    """A channel set on its way in. channels: as many as the document names."""

    document: ChannelSetDocument
    channels: Sequence[Channel]
    sites: SiteKind = BASE


def create_surface(
    session: Session,
    project: UUID,
    name: str,
    file_name: str,
    data: bytes,
    facts: dict[str, Any],
    channel_sets: Sequence[NewChannelSet],
    mesh: Mesh,
    came: Mesh | None = None,
) -> Surface:
    """Keep a surface with its file and channel values. came: the mesh that its file was read as, where it is another."""
    surface = Surface(
        project_id=project,
        name=name[:60],
        file_name=file_name[-255:],
        source=put_blob(session, data),
        came=put_mesh(session, came or mesh),
        geometry=put_mesh(session, mesh),
        facts=facts,
    )
    session.add(surface)
    session.flush()
    for position, entry in enumerate(channel_sets):
        row = ChannelSet(
            surface_id=surface.id,
            position=position,
            sites=entry.sites.model_dump(mode="json"),
            document=entry.document.model_dump(mode="json"),
        )
        session.add(row)
        session.flush()
        for number, channel in enumerate(entry.channels):
            write_channel(session, row.id, number, channel)
    return surface


def get_surface(session: Session, ident: UUID) -> Surface:
    """A surface that is not in the bin, nor its project. Raises Missing."""
    surface = session.get(Surface, ident)
    if surface is None or surface.removed_at is not None:
        raise Missing("surface", ident)
    get_project(session, surface.project_id)
    return surface


def channel_sets_of(session: Session, surface: UUID) -> Sequence[ChannelSet]:
    return session.scalars(
        select(ChannelSet).where(ChannelSet.surface_id == surface).order_by(ChannelSet.position)
    ).all()


def read_channels(
    session: Session, surface: Surface, extent_of: Callable[[ChannelSet], int]
) -> dict[UUID, list[Channel]]:
    """The channels of every set: tiles of the checkpoint, then the journal since.

    extent_of: how many numbers a set's sites have.
    """
    out: dict[UUID, list[Channel]] = {}
    for row in channel_sets_of(session, surface.id):
        document = ChannelSetDocument.model_validate(row.document)
        out[row.id] = [
            read_channel(session, row.id, number, extent_of(row), stored_undercoat(entry), document.holds)
            for number, entry in enumerate(document.channels)
        ]
    for channel_set, delta in deltas_since(session, surface.id, surface.checkpoint):
        delta.apply(out[channel_set][delta.channel])
    return out


def write_checkpoint(
    session: Session, surface: UUID, entry: int, channels: Mapping[UUID, Sequence[Channel]]
) -> list[str]:
    """Bring the tiles up to a journal entry, so that opening need not replay what came before.

    Only tiles that were written since are; those that they replace are returned.
    """
    row = get_surface(session, surface)
    replaced: list[str] = []
    for channel_set, members in channels.items():
        for number, channel in enumerate(members):
            replaced += write_dirty(session, channel_set, number, channel)
    row.checkpoint = max(row.checkpoint, entry)
    session.flush()
    return replaced


def bring_facts_up_to_date(session: Session) -> int:
    """Work out what is told of surfaces that an older version took in; how many there were."""
    outdated = [s for s in session.scalars(select(Surface)) if "uvs" not in s.facts]
    for surface in outdated:
        mesh = read_surface_mesh(session, surface)
        surface.facts = {**surface.facts, **mesh_facts(mesh, mesh_vertices(mesh))}
    return len(outdated)
