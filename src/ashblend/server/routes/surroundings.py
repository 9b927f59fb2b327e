"""What stands around a surface, and where."""

from uuid import UUID

from fastapi import APIRouter, Response
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ashblend.core.surface.neighbours import Neighbour, Surroundings, stands_at
from ashblend.core.surface.refusal import Refusal
from ashblend.server.live.frames import full_frame
from ashblend.server.live.messages import DocumentChanged
from ashblend.server.routes.parts import OpenDatabase, OpenRooms
from ashblend.session.asking import look_about
from ashblend.session.surface import OpenSurface
from ashblend.store.surfaces import get_surface
from ashblend.store.surroundings import neighbours_for, surroundings_of, write_surroundings

router = APIRouter(prefix="/api", tags=["surroundings"])


class SurroundingsWrite(BaseModel):
    """revision: the one that the change was made from."""

    revision: int
    document: Surroundings


class SurroundingsView(BaseModel):
    """places: of the origin of each neighbour, in metres of the surface. others: ids and names of what may stand here."""

    revision: int
    document: Surroundings
    places: list[tuple[float, float, float]]
    others: dict[UUID, str]


Read = tuple[int, Surroundings, dict[UUID, str]]


def _read(session: Session, ident: UUID) -> Read:
    get_surface(session, ident)
    return *surroundings_of(session, ident), neighbours_for(session, ident)


def _write(session: Session, ident: UUID, write: SurroundingsWrite) -> Read:
    get_surface(session, ident)
    others = neighbours_for(session, ident)
    if any(n.surface not in others for n in write.document.neighbours):
        raise Refusal(
            "Only the other surfaces of the project can stand here.",
            "Bring the mesh into this project first.",
        )
    revision = write_surroundings(session, ident, write.revision, write.document)
    return revision, write.document, others


def _places(surface: OpenSurface, neighbours: tuple[Neighbour, ...]) -> list[tuple[float, float, float]]:
    return [stands_at(surface.shape, neighbour) for neighbour in neighbours]


@router.get("/surfaces/{ident}/surroundings")
async def get_surroundings(ident: UUID, database: OpenDatabase, rooms: OpenRooms) -> SurroundingsView:
    revision, document, others = await database.transact(_read, ident)
    places: list[tuple[float, float, float]] = []
    if document.neighbours:
        async with rooms.enter(ident) as room:
            places = await room.call(_places, room.surface, document.neighbours)
    return SurroundingsView(revision=revision, document=document, places=places, others=others)


@router.put("/surfaces/{ident}/surroundings")
async def put_surroundings(
    ident: UUID, write: SurroundingsWrite, database: OpenDatabase, rooms: OpenRooms
) -> SurroundingsView:
    revision, document, others = await database.transact(_write, ident, write)
    async with rooms.enter(ident) as room:
        places = await room.call(_places, room.surface, document.neighbours)
        await room.call(look_about, room.surface)
        room.refresh_statistics()
        room.tell(DocumentChanged(kind="surroundings", id=ident, revision=revision))
    return SurroundingsView(revision=revision, document=document, places=places, others=others)


def _values(surface: OpenSurface) -> bytes:
    """Frames of all sets of level 0, each behind its length, numbered as the surface lists its sets."""
    parts: list[bytes] = []
    for number, found in enumerate(surface.sets.values()):
        if not found.level:
            frame = full_frame(number, found, range(len(found.channels)))
            parts += [len(frame).to_bytes(4, "little"), frame]
    return b"".join(parts)


@router.get("/surfaces/{ident}/values", response_class=Response)
async def get_values(ident: UUID, rooms: OpenRooms) -> Response:
    """What the sets of level 0 hold now, for whoever only looks at the surface."""
    async with rooms.enter(ident) as room:
        data = await room.call(_values, room.surface)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-store"})
