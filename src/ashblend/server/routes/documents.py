"""Documents with revisions: channel sets and blends."""

from uuid import UUID

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel

from ashblend.core.blend import BlendDocument
from ashblend.core.channels import ChannelSetDocument
from ashblend.server.compiled import BlendView, blend_view
from ashblend.server.live.messages import DocumentChanged
from ashblend.server.routes.parts import DatabaseSession, OpenRooms
from ashblend.server.routes.surfaces import ChannelSetView
from ashblend.store.documents import get_row, write_document
from ashblend.store.models import Blend, ChannelSet, Material
from ashblend.store.surfaces import channel_sets_of

router = APIRouter(prefix="/api", tags=["documents"])


class ChannelSetWrite(BaseModel):
    """revision: the one that the change was made from."""

    revision: int
    document: ChannelSetDocument


class BlendWrite(BaseModel):
    """revision: the one that the change was made from."""

    revision: int
    document: BlendDocument


@router.put("/channel-sets/{ident}")
async def write_channel_set(
    ident: UUID, write: ChannelSetWrite, session: DatabaseSession, rooms: OpenRooms
) -> ChannelSetView:
    surface = get_row(session, ChannelSet, ident).surface_id
    async with rooms.enter(surface) as room:
        revision, frames = await room.call(
            room.surface.write_channel_set, ident, write.revision, write.document
        )
        room.tell(*frames, DocumentChanged(kind="channel_set", id=ident, revision=revision))
        room.refresh_statistics()
        kind = room.surface.set_of(ident).kind
    return ChannelSetView(id=ident, revision=revision, sites=kind, document=write.document)


def _require_known(session: DatabaseSession, row: Blend, document: BlendDocument) -> None:
    sets = {s.id for s in channel_sets_of(session, row.surface_id)}
    for layer in document.layers:
        if layer.mask.channel_set not in sets:
            raise HTTPException(422, f"Layer {layer.name!r} reads a channel set of another surface.")
    for material in {document.ground.material, *(layer.material for layer in document.layers)}:
        get_row(session, Material, material)


@router.put("/blends/{ident}")
async def write_blend(
    ident: UUID, write: BlendWrite, session: DatabaseSession, rooms: OpenRooms
) -> BlendView:
    row = get_row(session, Blend, ident)
    _require_known(session, row, write.document)
    surface = row.surface_id
    document = write.document.model_dump(mode="json")
    revision = write_document(session, Blend, ident, write.revision, document)
    session.commit()
    async with rooms.enter(surface) as room:
        # On the surface's thread: a load of the old document that is under way there ends first.
        await room.call(room.surface.blend_changed)
        room.tell(DocumentChanged(kind="blend", id=ident, revision=revision))
        room.refresh_statistics()
    return blend_view(ident, revision, document)
