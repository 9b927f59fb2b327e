"""Groups of faces and their borders."""

from uuid import UUID

from fastapi import APIRouter

from ashblend.core.surface.grouping import GroupEdit, grouped
from ashblend.server.live.outcome import Outcome
from ashblend.server.live.surface import OpenSurface
from ashblend.server.routes.parts import Kept, OpenRooms

router = APIRouter(prefix="/api", tags=["prepare"])


def _grouped(surface: OpenSurface, edit: GroupEdit) -> Outcome:
    surface.require_quiet()
    change = grouped(surface.shape, surface.sets, edit)
    return surface.change_state(change.kind, change.label, change.on)


@router.post("/surfaces/{ident}/groups")
async def change_groups(ident: UUID, edit: GroupEdit, rooms: OpenRooms) -> Kept:
    """Group faces, name, merge, harden or soften borders; each can be undone."""
    async with rooms.enter(ident) as room:
        outcome = await room.call(_grouped, room.surface, edit)
        room.tell_outcome(outcome)
        return Kept(label=outcome.saved.label)
