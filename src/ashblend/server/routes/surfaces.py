"""Surfaces: import, view, geometry."""

import json
from pathlib import PurePath
from typing import Annotated, Any
from uuid import UUID

import numpy as np
from fastapi import APIRouter, HTTPException, Query, Request, Response, UploadFile
from numpy.typing import NDArray
from pydantic import BaseModel
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from ashblend.core.arrays import F32
from ashblend.core.blend import BlendDocument, Ground, SurfaceInputs
from ashblend.core.channels import ChannelSetDocument
from ashblend.core.formats import Limits, read_mesh
from ashblend.core.formats.intake import take_in
from ashblend.core.sites import UVTexels, mesh_vertices
from ashblend.core.sites.kinds import SiteKind
from ashblend.core.sites.uv_texels import GUTTER
from ashblend.server.compiled import BlendView, blend_view
from ashblend.server.live.refusal import Refusal
from ashblend.server.live.surface import LiveSurface
from ashblend.server.routes.parts import DatabaseSession, Json, Name, OpenRooms, read_upload
from ashblend.store.models import ChannelSet, Surface
from ashblend.store.projects import get_project, materials_of
from ashblend.store.states import site_kind
from ashblend.store.surfaces import (
    NewChannelSet,
    blend_of,
    channel_sets_of,
    create_blend,
    create_surface,
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
        sites=site_kind(row.sites),
        document=ChannelSetDocument.model_validate(row.document),
    )


class SurfaceView(BaseModel):
    """facts: of the mesh as it is now, and what was noticed at import. reshaped: it is no longer the file's."""

    id: UUID
    name: str
    project: UUID
    file_name: str
    reshaped: bool
    facts: Json
    channel_sets: list[ChannelSetView]
    blend: BlendView


class NewName(BaseModel):
    name: Name


class Imported(BaseModel):
    """all_white: sets that are all white and could start empty."""

    id: UUID
    name: str
    notes: list[str]
    all_white: list[UUID]


def import_surface(session: Session, project: UUID, file_name: str, data: bytes, limits: Limits) -> Imported:
    """Take a mesh file in, with a blend of the project's first material. Raises FormatError."""
    get_project(session, project)
    materials = materials_of(session, project)
    if not materials:
        raise HTTPException(409, "The project has no material yet; a blend needs one for its ground.")
    mesh = read_mesh(file_name, data, limits)
    intake = take_in(mesh, mesh_vertices(mesh))
    surface = create_surface(
        session,
        project,
        PurePath(file_name).stem or "Surface",
        file_name,
        data,
        intake.facts,
        [NewChannelSet(s.document, s.channels) for s in intake.sets],
    )
    create_blend(session, surface.id, BlendDocument(ground=Ground(material=materials[0].id)))
    rows = channel_sets_of(session, surface.id)
    white = [row.id for row, entry in zip(rows, intake.sets, strict=True) if entry.all_white]
    surface.facts = {**intake.facts, "all_white": [str(i) for i in white]}
    return Imported(id=surface.id, name=surface.name, notes=intake.facts["notes"], all_white=white)


@router.post("/projects/{project}/surfaces", status_code=201)
async def upload_surface(
    project: UUID, request: Request, session: DatabaseSession, file: UploadFile
) -> Imported:
    """Import a mesh. Whatever is wrong with it, nothing is kept of a file that is refused."""
    limits = Limits(file_bytes=request.app.state.settings.file_bytes)
    data = await read_upload(file, limits.file_bytes)
    return await run_in_threadpool(
        import_surface, session, project, PurePath(file.filename or "").name, data, limits
    )


def _view(session: Session, row: Surface) -> SurfaceView:
    blend = blend_of(session, row.id)
    return SurfaceView(
        id=row.id,
        name=row.name,
        project=row.project_id,
        file_name=row.file_name,
        reshaped=row.geometry is not None,
        facts=row.facts,
        channel_sets=[set_view(s) for s in channel_sets_of(session, row.id)],
        blend=blend_view(blend.id, blend.revision, blend.document),
    )


@router.get("/surfaces/{ident}")
def get_surface_view(ident: UUID, session: DatabaseSession) -> SurfaceView:
    return _view(session, get_surface(session, ident))


@router.patch("/surfaces/{ident}")
def rename_surface(ident: UUID, new: NewName, session: DatabaseSession) -> SurfaceView:
    row = get_surface(session, ident)
    row.name = new.name
    session.flush()
    return _view(session, row)


@router.delete("/surfaces/{ident}", status_code=204)
async def delete_surface(ident: UUID, session: DatabaseSession, rooms: OpenRooms) -> None:
    row = get_surface(session, ident)
    await rooms.forget(ident)
    session.delete(row)


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
    """Positions, normals, tangents, uv, further values of each vertex, triangles."""
    arrays: dict[str, NDArray[Any]] = {
        **{name: values.astype("<f4") for name, values in inputs.arrays.items()},
        **{name: values.astype("<f4").reshape(-1, 1) for name, values in more.items()},
        "triangles": inputs.triangles.astype("<u4"),
    }
    return packed_arrays({"metres_per_uv": inputs.metres_per_uv, "shape": shape}, arrays)


def _geometry(surface: LiveSurface, level: int) -> bytes:
    if level > len(surface.shape.levels):
        raise Refusal("There is no such level.", "Load the surface again.")
    return geometry_bytes(surface.shape.inputs(level), {}, surface.shape.number)


@router.get("/surfaces/{ident}/geometry", response_class=Response)
async def get_geometry(
    ident: UUID, rooms: OpenRooms, level: Annotated[int, Query(ge=0, le=15)] = 0
) -> Response:
    """Positions, normals, tangents, uv and triangles of a level for the viewport."""
    async with rooms.enter(ident) as room:
        data = await room.call(_geometry, room.surface, level)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-cache"})


def _grain(surface: LiveSurface, level: int) -> bytes:
    if level > len(surface.shape.levels):
        raise Refusal("There is no such level.", "Load the surface again.")
    return surface.shape.grain(level).astype("<f4").tobytes()


@router.get("/surfaces/{ident}/grain", response_class=Response)
async def get_grain(ident: UUID, rooms: OpenRooms, level: Annotated[int, Query(ge=0, le=15)] = 0) -> Response:
    """Metres to the neighbours at every vertex of a level, float32; asked for when it is looked at."""
    async with rooms.enter(ident) as room:
        data = await room.call(_grain, room.surface, level)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-cache"})


def _texel_tables(surface: LiveSurface, channel_set: UUID) -> bytes:
    sites = surface.set_of(channel_set).sites
    if not isinstance(sites, UVTexels):
        raise Refusal("This set does not lie on texels.", "Load the surface again.")
    shown = sites.padded(GUTTER)
    texel = np.flatnonzero(shown >= 0)
    order = np.argsort(shown[texel], kind="stable")
    texel = texel[order]
    # Where each site's texels begin: its own and the padding that shows it.
    starts = np.zeros(sites.count + 1, np.uint32)
    starts[1:] = np.cumsum(np.bincount(shown[texel], minlength=sites.count))
    arrays = {"starts": starts.reshape(-1, 1), "texels": texel.astype("<u4").reshape(-1, 1)}
    return packed_arrays({"size": sites.size}, arrays)


@router.get("/surfaces/{ident}/texels/{channel_set}", response_class=Response)
async def get_texels(ident: UUID, channel_set: UUID, rooms: OpenRooms) -> Response:
    """Which texels show each site of a set that lies on a map: starts (sites + 1,), texels."""
    async with rooms.enter(ident) as room:
        data = await room.call(_texel_tables, room.surface, channel_set)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-cache"})
