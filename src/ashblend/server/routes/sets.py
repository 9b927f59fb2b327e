"""Channel sets and levels: adding and removing."""

from dataclasses import replace
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ashblend.core.surface.kinds.cells import EDGES, CellSites
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.sets import NewSet, added_set, removed_level, removed_set
from ashblend.server.routes.parts import Kept, OpenDatabase, OpenRooms
from ashblend.session.outcome import Outcome
from ashblend.session.surface import OpenSurface
from ashblend.store.blends import blend_document, names_of
from ashblend.store.surfaces import get_surface

router = APIRouter(prefix="/api", tags=["prepare"])


def _added(surface: OpenSurface, new: NewSet) -> Outcome:
    surface.require_quiet()
    label, change, note = added_set(surface.shape, surface.sets, new)
    return replace(surface.change_state("set", label, change), note=note)


@router.post("/surfaces/{ident}/sets", status_code=201)
async def add_set(ident: UUID, new: NewSet, rooms: OpenRooms) -> Kept:
    async with rooms.enter(ident) as room:
        outcome = await room.act(_added, room.surface, new)
        return Kept(label=outcome.label, note=outcome.note)


class CellsView(BaseModel):
    """A set of cells that can be added: how many along the longer edge, rows and columns, metres between them."""

    longest: int
    rows: int
    cols: int
    apart: float


def _cells(surface: OpenSurface) -> list[CellsView]:
    if not surface.shape.grown:
        return []
    terrain, _ = surface.shape.ground()
    span = max(terrain.width, terrain.depth)
    made = [(longest, CellSites.along(longest, terrain.rows, terrain.cols)) for longest in EDGES]
    return [
        CellsView(longest=longest, rows=cells.rows, cols=cells.cols, apart=span / longest)
        for longest, cells in made
    ]


@router.get("/surfaces/{ident}/cells")
async def get_cells(ident: UUID, rooms: OpenRooms) -> list[CellsView]:
    """Sets of cells that can be added to a terrain; none to a mesh."""
    async with rooms.enter(ident) as room:
        return await room.call(_cells, room.surface)


def _readers(session: Session, surface: UUID, channel_set: UUID) -> list[str]:
    document = blend_document(session, surface)
    read = names_of(get_surface(session, surface)).readings(document, off=True)
    return list(dict.fromkeys(found.name for found in read if found.channel_set == channel_set))


def _removed(surface: OpenSurface, channel_set: UUID) -> Outcome:
    surface.require_quiet()
    label, change = removed_set(surface.sets, channel_set)
    return surface.change_state("set", label, change)


@router.delete("/surfaces/{ident}/sets/{channel_set}")
async def remove_set(ident: UUID, channel_set: UUID, database: OpenDatabase, rooms: OpenRooms) -> Kept:
    """Take a set away with its paint; undo brings both back."""
    readers = await database.transact(_readers, ident, channel_set)
    if readers:
        raise Refusal(
            f"{', '.join(readers)} {'reads' if len(readers) == 1 else 'read'} this set.",
            "Let the layers read another channel first.",
        )
    async with rooms.enter(ident) as room:
        outcome = await room.act(_removed, room.surface, channel_set)
        return Kept(label=outcome.label)


def _without_last_level(surface: OpenSurface) -> Outcome:
    surface.require_quiet()
    label, change = removed_level(surface.shape)
    return surface.change_state("level", label, change)


@router.delete("/surfaces/{ident}/levels")
async def remove_last_level(ident: UUID, rooms: OpenRooms) -> Kept:
    """Take the lowest level away."""
    async with rooms.enter(ident) as room:
        outcome = await room.act(_without_last_level, room.surface)
        return Kept(label=outcome.label)
