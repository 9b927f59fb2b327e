"""Export: the painted mesh in open formats."""

import io
import zipfile
from typing import Annotated, Any, Literal
from urllib.parse import quote
from uuid import UUID

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from ashblend.core.arrays import F32
from ashblend.core.blend.references import references
from ashblend.core.formats.attribute import Bits
from ashblend.core.formats.terrain_package import PackageChoice, PackedSet, package
from ashblend.core.surface.refusal import Refusal
from ashblend.core.terrain.terrain import Terrain
from ashblend.server.routes.parts import OpenDatabase, OpenRooms
from ashblend.session.exporting import Attribute, in_order, mesh_file, new_because
from ashblend.session.steps import packed_sets
from ashblend.session.surface import OpenSurface
from ashblend.store.blends import blend_document, names_of
from ashblend.store.projects import materials_of
from ashblend.store.surfaces import get_surface

router = APIRouter(prefix="/api", tags=["export"])

BITS: dict[str, Bits] = {"8": 8, "16": 16, "float": 32}


class LevelFile(BaseModel):
    """How a GLB of a level is made. new_because: why it is a new file; None where the artist's own is kept.

    sets: those that can go into it, in the order in which they do. read: those of them that the blend reads.
    """

    level: int
    name: str
    vertices: int
    new_because: str | None
    sets: list[UUID]
    read: list[UUID]


class Outlook(BaseModel):
    """What can be exported. levels: meshes with the sets on them. maps: sets that go out as pictures. terrain: it goes
    out as a bundle.
    """

    levels: list[LevelFile]
    maps: list[UUID]
    terrain: bool = False


def _name(session: Session, ident: UUID) -> str:
    return get_surface(session, ident).name


def _material_names(session: Session, ident: UUID) -> dict[str, str]:
    """Names of the materials that the blend has, by id: outside the project nobody knows the ids."""
    used = {str(r.id) for r in references(blend_document(session, ident)) if r.kind == "material"}
    project = get_surface(session, ident).project_id
    return {str(m.id): str(m.document["name"]) for m in materials_of(session, project) if str(m.id) in used}


def _read(surface: OpenSurface) -> set[UUID]:
    with surface.sessions() as session:
        names = names_of(get_surface(session, surface.ident))
        document = blend_document(session, surface.ident)
    return names.sets_read(document)


def _levels(surface: OpenSurface) -> list[LevelFile]:
    shape, read = surface.shape, _read(surface)
    names = ["Level 0", *(level.name for level in shape.levels)]
    followed = {s.id: s.kind.follows for s in surface.sets.values()}
    return [
        LevelFile(
            level=number,
            name=name,
            vertices=shape.mesh_of(number).vertex_count,
            new_because="a level has no file of its own" if number else None,
            sets=[s.id for s in in_order(surface, number)],
            read=[s.id for s in in_order(surface, number) if s.id in read or followed[s.id] in read],
        )
        for number, name in enumerate(names)
    ]


@router.get("/surfaces/{ident}/export/outlook")
async def export_outlook(ident: UUID, database: OpenDatabase, rooms: OpenRooms) -> Outlook:
    """What an export would be, so that it can be said before."""
    async with rooms.enter(ident) as room:
        if room.surface.shape.grown:
            return Outlook(levels=[], maps=[], terrain=True)
        levels = await room.call(_levels, room.surface)
        maps = [s.id for s in room.surface.sets.values() if "png" in s.kind.files]
        mesh, sessions = room.surface.shape.mesh, room.surface.sessions
    levels[0].new_because = await run_in_threadpool(new_because, sessions, ident, mesh)
    return Outlook(levels=levels, maps=maps)


MEDIA = {"glb": "model/gltf-binary", "png": "image/png"}


@router.get("/surfaces/{ident}/export", response_class=Response)
async def export_surface(
    ident: UUID,
    database: OpenDatabase,
    rooms: OpenRooms,
    channel_set: Annotated[list[UUID], Query(min_length=1, max_length=8)],
    kind: Annotated[str, Query(max_length=20)] = "glb",
    attribute: Attribute = "mask",
    bits: Annotated[Literal["8", "16", "float"], Query()] = "8",
) -> Response:
    """The mesh of a level with the weights of sets that lie on it, or a set on texels as a picture.

    attribute "mask" writes _MASK0, _MASK1 … into a GLB by the sets' places, "colour" COLOR_0, COLOR_1 …
    """
    async with rooms.enter(ident) as room:
        write = await room.call(mesh_file, room.surface, channel_set, kind, attribute, BITS[bits])
        name = await database.transact(_name, ident)
    data = await run_in_threadpool(write)
    suffix = "ply" if kind.startswith("ply") else kind
    return Response(
        data,
        media_type=MEDIA.get(kind, "application/octet-stream"),
        headers={"content-disposition": f"attachment; filename*=UTF-8''{quote(name)}.{suffix}"},
    )


class FileSize(BaseModel):
    file: str
    bytes: int


@router.post("/surfaces/{ident}/export/terrain", response_class=Response)
async def export_terrain(
    ident: UUID, choice: PackageChoice, database: OpenDatabase, rooms: OpenRooms
) -> Response:
    """A terrain as a zip of heights, splat maps, a mesh and a manifest."""
    name, data = await _packaged(ident, choice, database, rooms)
    return Response(
        data,
        media_type="application/zip",
        headers={"content-disposition": f"attachment; filename*=UTF-8''{quote(name)}.zip"},
    )


@router.post("/surfaces/{ident}/export/terrain/sizes")
async def size_terrain(
    ident: UUID, choice: PackageChoice, database: OpenDatabase, rooms: OpenRooms
) -> list[FileSize]:
    """How large each file of the zip would be."""
    _, data = await _packaged(ident, choice, database, rooms)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return [FileSize(file=entry.filename, bytes=entry.file_size) for entry in archive.infolist()]


async def _packaged(
    ident: UUID, choice: PackageChoice, database: OpenDatabase, rooms: OpenRooms
) -> tuple[str, bytes]:
    """The surface's name and the zip. Raises Refusal."""
    name = await database.transact(_name, ident)
    materials = await database.transact(_material_names, ident)

    def gather(surface: OpenSurface) -> tuple[Terrain, F32, list[PackedSet], dict[str, Any]]:
        terrain, heights = surface.shape.ground()
        return terrain, heights, packed_sets(surface), surface.blend().document

    async with rooms.enter(ident) as room:
        gathered = await room.call(gather, room.surface)
    try:
        return name, await run_in_threadpool(package, name, *gathered, choice, materials)
    except ValueError as error:
        raise Refusal(str(error), "Choose other settings.") from error
