"""Surfaces: import, view, geometry."""

import json
from pathlib import PurePath
from typing import Any
from uuid import UUID

import numpy as np
from fastapi import APIRouter, HTTPException, Request, Response, UploadFile
from numpy.typing import NDArray
from pydantic import BaseModel
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from ashblend.core.blend import BlendDocument, Ground, SurfaceInputs
from ashblend.core.channels import ChannelSetDocument
from ashblend.core.formats import Limits, read_mesh
from ashblend.core.formats.intake import take_in
from ashblend.core.sites import mesh_vertices
from ashblend.server.compiled import BlendView, blend_view
from ashblend.server.live.surface import LiveSurface
from ashblend.server.routes.parts import DatabaseSession, Json, OpenRooms, read_upload
from ashblend.server.routes.projects import Name
from ashblend.store.models import Surface
from ashblend.store.projects import get_project, materials_of
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
    id: UUID
    revision: int
    document: ChannelSetDocument


class SurfaceView(BaseModel):
    """facts: what was found at import. all_white: channel sets that hold nothing but ones."""

    id: UUID
    name: str
    project: UUID
    file_name: str
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
        facts=row.facts,
        channel_sets=[
            ChannelSetView(
                id=s.id, revision=s.revision, document=ChannelSetDocument.model_validate(s.document)
            )
            for s in channel_sets_of(session, row.id)
        ],
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


def _geometry(surface: LiveSurface) -> bytes:
    """uint32 length of a JSON head, the head, then arrays, each begun on four bytes."""
    inputs: SurfaceInputs = surface.inputs
    arrays: dict[str, NDArray[Any]] = {
        **{name: values.astype("<f4") for name, values in inputs.arrays.items()},
        "triangles": surface.mesh.triangles.astype("<u4"),
    }
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
    head = json.dumps({"arrays": entries, "metres_per_uv": inputs.metres_per_uv}).encode()
    head += b" " * (-len(head) % 4)
    return b"".join([len(head).to_bytes(4, "little"), head, *parts])


@router.get("/surfaces/{ident}/geometry", response_class=Response)
async def get_geometry(ident: UUID, rooms: OpenRooms) -> Response:
    """Positions, normals, tangents, uv and triangles for the viewport."""
    async with rooms.enter(ident) as room:
        data = await room.call(_geometry, room.surface)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-cache"})
