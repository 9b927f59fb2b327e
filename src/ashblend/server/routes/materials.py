"""Materials: maps up, packed texels and pictures down."""

from functools import lru_cache
from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Form, HTTPException, Query, Request, Response, UploadFile
from pydantic import BaseModel

from ashblend.core.formats.images import write_png
from ashblend.core.materials import MAP_ROLES, TextureSet, material_picture, pack_texture_set
from ashblend.core.materials.packing import LARGEST
from ashblend.server.routes.parts import DatabaseSession, read_upload
from ashblend.store.database import Sessions
from ashblend.store.documents import get_row
from ashblend.store.materials import create_material, read_texture_set
from ashblend.store.models import Material
from ashblend.store.projects import get_project

router = APIRouter(prefix="/api", tags=["materials"])

# Maps never change under an id and revision, so what is made from them may be kept for good.
FOR_GOOD = {"cache-control": "private, max-age=31536000, immutable"}


class MaterialView(BaseModel):
    """size: edge in texels at which the viewport samples it. maps: roles that were uploaded."""

    id: UUID
    name: str
    size: int
    revision: int
    maps: list[str]


def material_view(row: Material) -> MaterialView:
    return MaterialView(
        id=row.id,
        name=row.document["name"],
        size=row.size,
        revision=row.revision,
        maps=list(row.document["maps"]),
    )


@lru_cache(maxsize=8)
def _texture_set(sessions: Sessions, ident: UUID, revision: int) -> TextureSet:
    with sessions() as session:
        return read_texture_set(session, get_row(session, Material, ident))


@router.post("/projects/{project}/materials", status_code=201)
async def upload_material(
    project: UUID,
    request: Request,
    session: DatabaseSession,
    name: Annotated[str, Form(min_length=1, max_length=60)],
    roles: Annotated[list[str], Form(description="What each file is, in the order of the files")],
    files: list[UploadFile],
) -> MaterialView:
    """A new material from the artist's own maps."""
    get_project(session, project)
    if len(roles) != len(files) or len(set(roles)) != len(roles):
        raise HTTPException(422, "Each file needs a role of its own.")
    for role in roles:
        if role not in MAP_ROLES:
            raise HTTPException(422, f"{role!r} is not a map; known are {', '.join(MAP_ROLES)}.")
    if "albedo" not in roles:
        raise HTTPException(422, "A material needs an albedo map.")
    most: int = request.app.state.settings.file_bytes
    maps = {role: await read_upload(file, most) for role, file in zip(roles, files, strict=True)}
    return material_view(create_material(session, project, name, maps))


@router.get("/materials/{ident}/packs/{name}", response_class=Response)
def get_pack(
    ident: UUID,
    name: Literal["surface", "detail"],
    request: Request,
    session: DatabaseSession,
    size: Annotated[int, Query(ge=4, le=LARGEST)],
) -> Response:
    """Packed texels, size × size RGBA8, rows running down."""
    row = get_row(session, Material, ident)
    textures = _texture_set(request.app.state.sessions, ident, row.revision)
    texels = pack_texture_set(textures, size)[name].tobytes()
    return Response(texels, media_type="application/octet-stream", headers=FOR_GOOD)


@router.get("/materials/{ident}/picture", response_class=Response)
def get_picture(ident: UUID, request: Request, session: DatabaseSession) -> Response:
    row = get_row(session, Material, ident)
    textures = _texture_set(request.app.state.sessions, ident, row.revision)
    return Response(write_png(material_picture(textures, 192)), media_type="image/png", headers=FOR_GOOD)
