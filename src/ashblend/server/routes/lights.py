"""What a surface is looked at under, and from where."""

from collections.abc import Mapping
from typing import Annotated, Any
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from ashblend.core.arrays import F64
from ashblend.core.light.document import Light
from ashblend.core.light.falling import Falling, falling
from ashblend.core.light.sight import Sight, Stand
from ashblend.core.light.skies.registry import SKIES
from ashblend.core.surface.closed import closed, closed_ground
from ashblend.core.surface.shape import Shape
from ashblend.server.routes.parts import DatabaseSession, Name, OpenRooms
from ashblend.server.routes.surfaces import packed_arrays
from ashblend.session.surface import OpenSurface
from ashblend.store import lights as store
from ashblend.store.models import Bookmark, KeptLight

router = APIRouter(prefix="/api", tags=["lights"])


class SkyView(BaseModel):
    """first: what a light has first, when this sky is chosen."""

    kind: str
    title: str
    about: str
    first: Mapping[str, float]


@router.get("/skies")
def list_skies() -> list[SkyView]:
    return [
        SkyView(kind=kind, title=sky.title, about=sky.about, first=sky.first) for kind, sky in SKIES.items()
    ]


def _packed(found: Falling) -> bytes:
    levels, up, across, _ = found.sky.shape
    rgba = np.ones((levels * up * across, 4), np.float16)
    rgba[:, :3] = found.sky.reshape(-1, 3)
    head: dict[str, Any] = {
        "key": found.key.tolist(),
        "harmonics": found.harmonics.reshape(-1).tolist(),
        "white": found.white.tolist(),
        "bounce": found.bounce.tolist(),
        "near": found.near,
        "size": [across, up, levels],
    }
    return packed_arrays(head, {"sky": rgba})


def _own_colour(surface: OpenSurface) -> F64:
    return surface.mean_colour()


@router.post("/surfaces/{ident}/falling", response_class=Response)
async def light_up(ident: UUID, light: Light, rooms: OpenRooms) -> Response:
    """What a light gives to a surface: key light, scattered light, the sky, each metered; the light stands in the north."""
    async with rooms.enter(ident) as room:
        bounce = await room.call(_own_colour, room.surface)
    data = await run_in_threadpool(lambda: _packed(falling(light, bounce)))
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-store"})


def _shape_of(surface: OpenSurface, level: int) -> Shape:
    surface.require_level(level)
    return surface.shape


def _closed(shape: Shape, level: int) -> bytes:
    if shape.facts().get("terrain"):
        found = closed_ground(shape)
        return packed_arrays({"size": list(found.shape[::-1])}, {"closed": found.reshape(-1, 1)})
    found = closed(shape, level)
    return packed_arrays({"size": [found.size, 1]}, {"closed": found.reshape(-1, 1)})


@router.get("/surfaces/{ident}/closed", response_class=Response)
async def get_closed(
    ident: UUID, rooms: OpenRooms, level: Annotated[int, Query(ge=0, le=15)] = 0
) -> Response:
    """How much of the sky the shape hides from each drawn vertex of a level, or from a grid over a terrain, in 255ths."""
    async with rooms.enter(ident) as room:
        shape = await room.call(_shape_of, room.surface, level)
        data = await run_in_threadpool(_closed, shape, level)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-store"})


@router.get("/surfaces/{ident}/sight")
def get_sight(ident: UUID, session: DatabaseSession) -> Sight:
    """How the surface was looked at last."""
    return store.sight_of(session, ident)


@router.put("/surfaces/{ident}/sight", status_code=204)
def put_sight(ident: UUID, sight: Sight, session: DatabaseSession) -> None:
    store.write_sight(session, ident, sight)


class KeptLightView(BaseModel):
    id: UUID
    name: str
    light: Light


def _light_view(row: KeptLight) -> KeptLightView:
    return KeptLightView(id=row.id, name=row.name, light=Light.model_validate(row.document))


class NewLight(BaseModel):
    name: Name
    light: Light


@router.get("/projects/{project}/lights")
def list_lights(project: UUID, session: DatabaseSession) -> list[KeptLightView]:
    """Oldest first."""
    return [_light_view(row) for row in store.kept_lights(session, project)]


@router.post("/projects/{project}/lights", status_code=201)
def keep_light(project: UUID, new: NewLight, session: DatabaseSession) -> KeptLightView:
    return _light_view(store.keep_light(session, project, new.name, new.light))


@router.delete("/lights/{ident}", status_code=204)
def delete_light(ident: UUID, session: DatabaseSession) -> None:
    session.delete(store.get_kept_light(session, ident))


class BookmarkView(BaseModel):
    id: UUID
    name: str
    stand: Stand


def _bookmark_view(row: Bookmark) -> BookmarkView:
    return BookmarkView(id=row.id, name=row.name, stand=Stand.model_validate(row.document))


class NewBookmark(BaseModel):
    name: Name
    stand: Stand


@router.get("/surfaces/{ident}/bookmarks")
def list_bookmarks(ident: UUID, session: DatabaseSession) -> list[BookmarkView]:
    """Places that the surface is looked at from; oldest first."""
    return [_bookmark_view(row) for row in store.bookmarks_of(session, ident)]


@router.post("/surfaces/{ident}/bookmarks", status_code=201)
def mark_place(ident: UUID, new: NewBookmark, session: DatabaseSession) -> BookmarkView:
    return _bookmark_view(store.mark_place(session, ident, new.name, new.stand))


@router.delete("/bookmarks/{ident}", status_code=204)
def delete_bookmark(ident: UUID, session: DatabaseSession) -> None:
    session.delete(store.get_bookmark(session, ident))
