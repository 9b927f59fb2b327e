"""The whole state of a surface: its mesh and levels, its channel sets with all their values.

Documents of sets are in it only so that a set which is gone can come back with its own; those that stay keep the
newest, whatever a state says.
"""

from dataclasses import dataclass
from uuid import UUID, uuid4

from ashblend.core.channels.channel import Channel, empty_channel
from ashblend.core.sets.document import CarriedUndercoat, ChannelSetDocument
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.kinds.registry import SiteKind
from ashblend.core.surface.kinds.vertices import VertexSites
from ashblend.core.surface.shape import LevelState


@dataclass(frozen=True)
class SetState:
    """A channel set with its values. sites: which places they lie on."""

    id: UUID
    sites: SiteKind
    document: ChannelSetDocument
    channels: tuple[Channel, ...]


@dataclass(frozen=True)
class SurfaceState:
    """levels: from level 1 on. sets: in their order."""

    mesh: Mesh
    levels: tuple[LevelState, ...]
    sets: tuple[SetState, ...]


def carried_document(document: ChannelSetDocument) -> ChannelSetDocument:
    """The document of a set that follows: names of its own to be, undercoats carried."""
    channels = tuple(
        c.model_copy(update={"undercoat": CarriedUndercoat(), "locked": False}) for c in document.channels
    )
    return document.model_copy(update={"channels": channels})


def follower(entry: SetState, number: int, level: LevelState) -> SetState:
    """The set that follows a set of level 0 on a lower level: no paint of its own."""
    channels = tuple(empty_channel(level.mesh.vertex_count, kind=held.kind) for held in entry.channels)
    kind = VertexSites(level=number, follows=entry.id)
    return SetState(uuid4(), kind, carried_document(entry.document), channels)
