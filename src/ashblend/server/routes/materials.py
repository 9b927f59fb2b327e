"""Materials: maps up, packed texels and pictures down."""

from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Form, HTTPException, Query, Request, Response, UploadFile
from pydantic import BaseModel

from ashblend.core.formats.budget import decoding
from ashblend.core.formats.images import write_png
from ashblend.core.materials.packing import LARGEST, at_size
from ashblend.core.materials.picture import material_picture
from ashblend.core.materials.relief import SEEN
from ashblend.core.materials.texture_set import MAP_ROLES
from ashblend.server.routes.parts import DatabaseSession, OpenDatabase, read_upload
from ashblend.store.documents import get_row
from ashblend.store.materials import create_material, packed_maps, read_pack, read_packs
from ashblend.store.models import Material
from ashblend.store.projects import get_project

router = APIRouter(prefix="/api", tags=["materials"])

# Maps never change under an id and revision, so what is made from them may be kept for good.
FOR_GOOD = {"cache-control": "private, max-age=31536000, immutable"}


class MaterialView(BaseModel):
    """size: edge in texels at which the viewport samples it. maps: roles that were uploaded. relief: whether its
    normals alone are seen.
    """

    id: UUID
    name: str
    size: int
    revision: int
    maps: list[str]
    relief: bool


def material_view(row: Material) -> MaterialView:
    return MaterialView(
        id=row.id,
        name=row.document["name"],
        size=row.size,
        revision=row.revision,
        maps=list(row.document["maps"]),
        relief=row.document["slope"] >= SEEN,
    )


@router.post("/projects/{project}/materials", status_code=201)
def upload_material(
    project: UUID,
    request: Request,
    database: OpenDatabase,
    name: Annotated[str, Form(min_length=1, max_length=60)],
    roles: Annotated[list[str], Form(description="What each file is, in the order of the files")],
    files: list[UploadFile],
) -> MaterialView:
    """A new material from the artist's own maps."""
    database.now(get_project, project)
    if len(roles) != len(files) or len(set(roles)) != len(roles):
        raise HTTPException(422, "Each file needs a role of its own.")
    for role in roles:
        if role not in MAP_ROLES:
            raise HTTPException(422, f"{role!r} is not a map; known are {', '.join(MAP_ROLES)}.")
    if "albedo" not in roles:
        raise HTTPException(422, "A material needs an albedo map.")
    most: int = request.app.state.settings.file_bytes
    maps = {role: read_upload(file, most) for role, file in zip(roles, files, strict=True)}
    with decoding():
        packed = packed_maps(maps)
    return database.now(lambda s: material_view(create_material(s, project, name, maps, packed)))


@router.get("/materials/{ident}/packs/{name}", response_class=Response)
def get_pack(
    ident: UUID,
    name: Literal["surface", "detail"],
    session: DatabaseSession,
    size: Annotated[int, Query(ge=4, le=LARGEST)],
) -> Response:
    """Packed texels, size × size RGBA8, rows running down."""
    texels = at_size(read_pack(session, get_row(session, Material, ident), name), size)
    return Response(texels.tobytes(), media_type="application/octet-stream", headers=FOR_GOOD)


@router.get("/materials/{ident}/picture", response_class=Response)
def get_picture(ident: UUID, session: DatabaseSession) -> Response:
    packs = read_packs(session, get_row(session, Material, ident))
    return Response(write_png(material_picture(packs, 192)), media_type="image/png", headers=FOR_GOOD)
