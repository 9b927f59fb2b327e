"""Documents with revisions: channel sets and blends."""

from dataclasses import dataclass
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from ashblend.core.blend.document import BlendDocument
from ashblend.core.blend.names import Names
from ashblend.core.blend.references import Known, faults
from ashblend.core.blend.told import told
from ashblend.core.sets.document import ChannelSetDocument
from ashblend.core.surface.refusal import Refusal
from ashblend.core.tree.host import value_at
from ashblend.server.compiled import BlendView, blend_view
from ashblend.server.routes.parts import OpenDatabase, OpenRooms
from ashblend.server.routes.surfaces import ChannelSetView
from ashblend.session.documents import edit_blend, edit_channel_set
from ashblend.store.blends import known_on, names_of, surfaces_shaded_by
from ashblend.store.documents import get_row
from ashblend.store.errors import StaleRevision
from ashblend.store.ledger import Edit
from ashblend.store.models import Blend, ChannelSet, Surface
from ashblend.store.surfaces import get_surface

router = APIRouter(prefix="/api", tags=["documents"])


class ChannelSetWrite(BaseModel):
    """revision: the one that the change was made from."""

    revision: int
    document: ChannelSetDocument


class BlendWrite(BaseModel):
    """revision: the one that the change was made from.

    surface: in whose history the edit stands; None: of any that the blend shades.
    """

    revision: int
    surface: UUID | None = None
    document: BlendDocument


def _surface_with(session: Session, channel_set: UUID) -> UUID:
    return get_row(session, ChannelSet, channel_set).surface_id


@router.put("/channel-sets/{ident}")
async def write_channel_set(
    ident: UUID, write: ChannelSetWrite, database: OpenDatabase, rooms: OpenRooms
) -> ChannelSetView:
    surface = await database.transact(_surface_with, ident)
    async with rooms.enter(surface) as room:
        await room.edit(edit_channel_set, room.surface, ident, write.revision, write.document)
        found = room.surface.set_of(ident)
        return ChannelSetView(id=ident, revision=found.revision, sites=found.kind, document=found.document)


def _require_known(session: Session, surface: Surface, before: BlendDocument, after: BlendDocument) -> None:
    """Nothing new that is not there; what was missing before does not stand in the way of the rest."""
    known = known_on(session, surface)
    missing = {fault.id for fault in faults(before, known)}
    for fault in faults(after, known):
        if fault.id not in missing:
            name = value_at(after.model_dump(mode="json"), fault.part)["name"]
            raise Refusal(f"{name}: {fault.problem}", fault.remedy)


@router.put("/blends/{ident}")
async def write_blend(ident: UUID, write: BlendWrite, database: OpenDatabase, rooms: OpenRooms) -> BlendView:
    wanted = await database.transact(_checked, ident, write)
    async with rooms.enter(wanted.surface) as room:
        outcome = await room.edit(edit_blend, room.surface, wanted.edit, wanted.label)
    revision = outcome.documents[0].revision if outcome.documents else write.revision
    return await run_in_threadpool(blend_view, ident, revision, wanted.edit.after, wanted.names, wanted.known)


@dataclass(frozen=True)
class _Checked:
    """An edit of a blend, and in whose history it stands."""

    edit: Edit
    label: str
    surface: UUID
    names: Names
    known: Known


def _checked(session: Session, ident: UUID, write: BlendWrite) -> _Checked:
    row = get_row(session, Blend, ident)
    surface = get_surface(session, write.surface or surfaces_shaded_by(session, ident)[0])
    if surface.blend_id != ident:
        raise Refusal("This surface has another blend now.", "Load the surface again.")
    if row.base is not None:
        raise Refusal("A variant is changed through its overrides.", "Edit the blend that it comes from.")
    if row.revision != write.revision:
        raise StaleRevision("blend", write.revision, row.revision)
    before = BlendDocument.model_validate(row.document)
    _require_known(session, surface, before, write.document)
    document = write.document.model_dump(mode="json")
    edit = Edit("blend", ident, row.document, document, write.revision)
    return _Checked(
        edit, told(before, write.document), surface.id, names_of(surface), known_on(session, surface)
    )
