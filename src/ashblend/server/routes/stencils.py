"""Stencils of a project: images up, images down."""

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Form, Response, UploadFile
from pydantic import BaseModel

from ashblend.core.materials.packing import pack_picture
from ashblend.server.routes.parts import DatabaseSession, read_upload
from ashblend.store.blobs import get_blob
from ashblend.store.models import Stencil
from ashblend.store.projects import get_project
from ashblend.store.stencils import create_stencil, get_stencil, read_stencil

router = APIRouter(prefix="/api", tags=["stencils"])

MOST_BYTES = 50_000_000
FOR_GOOD = {"cache-control": "private, max-age=31536000, immutable"}


class StencilView(BaseModel):
    id: UUID
    name: str


def stencil_view(row: Stencil) -> StencilView:
    return StencilView(id=row.id, name=row.name)


@router.post("/projects/{project}/stencils", status_code=201)
def upload_stencil(
    project: UUID,
    session: DatabaseSession,
    name: Annotated[str, Form(min_length=1, max_length=60)],
    file: UploadFile,
) -> StencilView:
    """A PNG or JPEG: light paints, dark does not."""
    get_project(session, project)
    return stencil_view(create_stencil(session, project, name, read_upload(file, MOST_BYTES)))


@router.get("/stencils/{ident}/texels", response_class=Response)
def get_stencil_texels(ident: UUID, session: DatabaseSession) -> Response:
    """How light it is where masks read it: PICTURE_EDGE × PICTURE_EDGE bytes, rows running down."""
    data = pack_picture(read_stencil(session, ident)).tobytes()
    return Response(data, media_type="application/octet-stream", headers=FOR_GOOD)


@router.get("/stencils/{ident}/image", response_class=Response)
def get_stencil_image(ident: UUID, session: DatabaseSession) -> Response:
    data = get_blob(session, get_stencil(session, ident).image)
    kind = "image/png" if data.startswith(b"\x89PNG") else "image/jpeg"
    return Response(data, media_type=kind, headers=FOR_GOOD)
