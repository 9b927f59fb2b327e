"""Surfaces: taking a mesh in, and reading back what is painted on it."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from ashblend.core.blend import BlendDocument
from ashblend.core.channels import Channel, ChannelSetDocument
from ashblend.core.prepare.facts import mesh_facts
from ashblend.core.sites import mesh_vertices
from ashblend.core.sites.kinds import TexelSites, VertexSites
from ashblend.store.blobs import put_blob
from ashblend.store.errors import Missing
from ashblend.store.journal import deltas_since
from ashblend.store.models import Blend, ChannelSet, Surface
from ashblend.store.planes import read_channel, write_channel
from ashblend.store.states import read_surface_mesh

BASE = VertexSites()


@dataclass(frozen=True)
class NewChannelSet:
    """A channel set on its way in. channels: as many as the document names."""

    document: ChannelSetDocument
    channels: Sequence[Channel]
    sites: VertexSites | TexelSites = BASE


def create_surface(
    session: Session,
    project: UUID,
    name: str,
    file_name: str,
    data: bytes,
    facts: dict[str, Any],
    channel_sets: Sequence[NewChannelSet],
) -> Surface:
    """Keep a surface with its file and channel values."""
    surface = Surface(
        project_id=project,
        name=name[:60],
        file_name=file_name[-255:],
        source=put_blob(session, data),
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
    surface = session.get(Surface, ident)
    if surface is None:
        raise Missing("surface", ident)
    return surface


def channel_sets_of(session: Session, surface: UUID) -> Sequence[ChannelSet]:
    return session.scalars(
        select(ChannelSet).where(ChannelSet.surface_id == surface).order_by(ChannelSet.position)
    ).all()


def blend_of(session: Session, surface: UUID) -> Blend:
    blend = session.scalar(select(Blend).where(Blend.surface_id == surface).limit(1))
    if blend is None:
        raise Missing("blend of surface", surface)
    return blend


def blend_document(session: Session, surface: UUID) -> BlendDocument:
    return BlendDocument.model_validate(blend_of(session, surface).document)


def create_blend(session: Session, surface: UUID, document: BlendDocument) -> Blend:
    blend = Blend(surface_id=surface, document=document.model_dump(mode="json"))
    session.add(blend)
    session.flush()
    return blend


def read_channels(
    session: Session, surface: Surface, sites_of: Callable[[ChannelSet], int]
) -> dict[UUID, list[Channel]]:
    """The channels of every set: tiles of the checkpoint, then the journal since.

    sites_of: how many sites a set has.
    """
    out: dict[UUID, list[Channel]] = {}
    for row in channel_sets_of(session, surface.id):
        document = ChannelSetDocument.model_validate(row.document)
        out[row.id] = [
            read_channel(session, row.id, number, sites_of(row), entry.undercoat.value)
            for number, entry in enumerate(document.channels)
        ]
    for channel_set, delta in deltas_since(session, surface.id, surface.checkpoint):
        delta.apply(out[channel_set][delta.channel])
    return out


def write_checkpoint(
    session: Session, surface: UUID, entry: int, channels: dict[UUID, list[Channel]]
) -> None:
    """Bring the tiles up to a journal entry, so that opening need not replay what came before."""
    row = get_surface(session, surface)
    if row.checkpoint == entry:
        return
    for channel_set, members in channels.items():
        for number, channel in enumerate(members):
            write_channel(session, channel_set, number, channel)
    row.checkpoint = entry
    session.flush()


def bring_facts_up_to_date(session: Session) -> int:
    """Work out what is told of surfaces that an older version took in; how many there were."""
    outdated = [s for s in session.scalars(select(Surface)) if "streams" not in s.facts]
    for surface in outdated:
        mesh = read_surface_mesh(session, surface)
        surface.facts = {**surface.facts, **mesh_facts(mesh, mesh_vertices(mesh))}
    return len(outdated)
