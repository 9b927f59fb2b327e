"""Groups of faces and their borders."""

from uuid import UUID

from fastapi import APIRouter

from ashblend.core.surface.grouping import GroupEdit, grouped
from ashblend.server.routes.parts import Kept, OpenRooms
from ashblend.session.outcome import Outcome
from ashblend.session.surface import OpenSurface

router = APIRouter(prefix="/api", tags=["prepare"])


def _grouped(surface: OpenSurface, edit: GroupEdit) -> Outcome:
    surface.require_quiet()
    change = grouped(surface.shape, surface.sets, edit)
    return surface.change_state(change.kind, change.label, change.on)


@router.post("/surfaces/{ident}/groups")
async def change_groups(ident: UUID, edit: GroupEdit, rooms: OpenRooms) -> Kept:
    """Group faces, name, merge, harden or soften borders; each can be undone."""
    async with rooms.enter(ident) as room:
        outcome = await room.act(_grouped, room.surface, edit)
        return Kept(label=outcome.label)
