"""Surfaces: import, view, geometry."""

import json
from typing import Annotated, Any
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Response
from numpy.typing import NDArray
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ashblend.core.arrays import F32
from ashblend.core.blend.inputs import SurfaceInputs
from ashblend.core.brush.defaults import FirstSizes, first_sizes
from ashblend.core.prepare.face_sets import Unit, faces_like
from ashblend.core.sets.document import ChannelSetDocument
from ashblend.core.surface.kinds.registry import SITE_KIND, SiteKind
from ashblend.core.surface.refusal import Refusal
from ashblend.server.compiled import BlendView, blend_view
from ashblend.server.routes.parts import DatabaseSession, Json, Name, OpenDatabase, OpenRooms
from ashblend.session.surface import OpenSurface
from ashblend.store import bin
from ashblend.store.blends import blend_of, known_on, names_of, resolved_document
from ashblend.store.errors import Missing
from ashblend.store.models import ChannelSet, Surface
from ashblend.store.surfaces import (
    channel_sets_of,
    get_surface,
)

router = APIRouter(prefix="/api", tags=["surfaces"])


class ChannelSetView(BaseModel):
    """sites: which places of the surface the set lies on."""

    id: UUID
    revision: int
    sites: SiteKind
    document: ChannelSetDocument


def set_view(row: ChannelSet) -> ChannelSetView:
    return ChannelSetView(
        id=row.id,
        revision=row.revision,
        sites=SITE_KIND.validate_python(row.sites),
        document=ChannelSetDocument.model_validate(row.document),
    )


class SurfaceView(BaseModel):
    """facts: of the mesh as it is now, and what was noticed at import.

    first: what to begin with on a surface of this size.
    """

    id: UUID
    name: str
    project: UUID
    file_name: str
    facts: Json
    first: FirstSizes
    channel_sets: list[ChannelSetView]
    blend: BlendView


class NewName(BaseModel):
    name: Name


def blend_view_of(session: Session, surface: Surface) -> BlendView:
    """The blend that a surface is shaded by."""
    blend = blend_of(session, surface.id)
    document, known = resolved_document(session, blend), known_on(session, surface)
    return blend_view(blend.id, blend.revision, document, names_of(surface), known)


def _view(session: Session, row: Surface) -> SurfaceView:
    size = float(np.linalg.norm(row.facts["size"]))
    return SurfaceView(
        id=row.id,
        name=row.name,
        project=row.project_id,
        file_name=row.file_name,
        facts=row.facts,
        first=first_sizes(size),
        channel_sets=[set_view(s) for s in channel_sets_of(session, row.id)],
        blend=blend_view_of(session, row),
    )


@router.get("/surfaces/{ident}")
def get_surface_view(ident: UUID, session: DatabaseSession) -> SurfaceView:
    return _view(session, get_surface(session, ident))


@router.get("/surfaces/{ident}/blend")
def get_surface_blend(
    ident: UUID, session: DatabaseSession, only: Annotated[str | None, Query(max_length=40)] = None
) -> BlendView:
    """What a surface is shaded by, for windows that were told of an edit. only: a layer that is looked at alone."""
    surface = get_surface(session, ident)
    if only is None:
        return blend_view_of(session, surface)
    blend = blend_of(session, ident)
    document = resolved_document(session, blend)
    return blend_view(blend.id, blend.revision, document, names_of(surface), known_on(session, surface), only)


@router.get("/surfaces/{ident}/sets/{channel_set}")
def get_channel_set(ident: UUID, channel_set: UUID, session: DatabaseSession) -> ChannelSetView:
    """One set's document, for windows that were told of an edit."""
    for row in channel_sets_of(session, ident):
        if row.id == channel_set:
            return set_view(row)
    raise Missing("channel set", channel_set)


@router.patch("/surfaces/{ident}")
def rename_surface(ident: UUID, new: NewName, session: DatabaseSession) -> SurfaceView:
    row = get_surface(session, ident)
    row.name = new.name
    session.flush()
    return _view(session, row)


@router.delete("/surfaces/{ident}", status_code=204)
async def delete_surface(ident: UUID, database: OpenDatabase, rooms: OpenRooms) -> None:
    """Into the bin."""
    await database.transact(bin.remove, "surface", ident)
    await rooms.forget(ident)


def packed_arrays(head: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> bytes:
    """uint32 length of a JSON head, the head, then arrays, each begun on four bytes."""
    entries, parts, at = [], [], 0
    for name, values in arrays.items():
        entries.append(
            {
                "name": name,
                "kind": values.dtype.str[1:],
                "width": values.shape[1],
                "count": values.shape[0],
                "offset": at,
            }
        )
        parts.append(np.ascontiguousarray(values).tobytes())
        at += values.nbytes
    text = json.dumps({"arrays": entries, **head}).encode()
    text += b" " * (-len(text) % 4)
    return b"".join([len(text).to_bytes(4, "little"), text, *parts])


def geometry_bytes(inputs: SurfaceInputs, more: dict[str, F32], shape: int) -> bytes:
    """What is drawn: positions from the origin, normals, tangents, uv, further values of each site, triangles.

    Drawn vertices are the sites, then those that are drawn once more; `extras` tells of which sites.
    """
    extras = inputs.site_of_extra

    def drawn(values: F32) -> F32:
        return np.concatenate([values, values[extras]]) if extras.size else values

    arrays: dict[str, NDArray[Any]] = {
        **{name: values.astype("<f4") for name, values in inputs.arrays.items()},
        **{name: drawn(values).astype("<f4").reshape(-1, 1) for name, values in more.items()},
        "triangles": inputs.triangles.astype("<u4"),
        "extras": extras.astype("<u4").reshape(-1, 1),
    }
    return packed_arrays({"facts": inputs.facts, "shape": shape, **inputs.head}, arrays)


def _geometry(surface: OpenSurface, level: int) -> bytes:
    surface.require_level(level)
    return geometry_bytes(surface.shape.inputs(level), {}, surface.shape.number)


@router.get("/surfaces/{ident}/geometry", response_class=Response)
async def get_geometry(
    ident: UUID, rooms: OpenRooms, level: Annotated[int, Query(ge=0, le=15)] = 0
) -> Response:
    """Positions, normals, tangents, uv and triangles of a level for the viewport."""
    async with rooms.enter(ident) as room:
        data = await room.call(_geometry, room.surface, level)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-cache"})


def _faces(surface: OpenSurface, level: int, triangle: int, unit: Unit) -> bytes:
    surface.require_level(level)
    mesh = surface.shape.mesh_of(level)
    if triangle >= mesh.triangles.shape[0]:
        raise Refusal("There is no such triangle.", "Load the surface again.")
    return np.flatnonzero(faces_like(mesh, np.array([triangle], np.int32), unit)).astype("<u4").tobytes()


@router.get("/surfaces/{ident}/faces", response_class=Response)
async def get_faces(
    ident: UUID,
    rooms: OpenRooms,
    triangle: Annotated[int, Query(ge=0, le=2**31 - 1)],
    unit: Unit = "part",
    level: Annotated[int, Query(ge=0, le=15)] = 0,
) -> Response:
    """Numbers of the triangles that belong to a face, as the unit means it, of the one picked; uint32."""
    async with rooms.enter(ident) as room:
        data = await room.call(_faces, room.surface, level, triangle, unit)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-cache"})


@router.put("/surfaces/{ident}/noted", status_code=204)
def put_notes_away(ident: UUID, session: DatabaseSession) -> None:
    """What import noticed has been read; no window need show it again."""
    row = get_surface(session, ident)
    row.facts = {**row.facts, "notes": [], "all_white": []}


def _grain(surface: OpenSurface, level: int) -> bytes:
    surface.require_level(level)
    values, extras = surface.shape.grain(level), surface.shape.inputs(level).site_of_extra
    return np.concatenate([values, values[extras]]).astype("<f4").tobytes()


@router.get("/surfaces/{ident}/grain", response_class=Response)
async def get_grain(ident: UUID, rooms: OpenRooms, level: Annotated[int, Query(ge=0, le=15)] = 0) -> Response:
    """Metres to the neighbours at every drawn vertex of a level, float32; asked for when it is looked at."""
    async with rooms.enter(ident) as room:
        data = await room.call(_grain, room.surface, level)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-cache"})
