"""Export: the painted mesh in open formats."""

import io
import zipfile
from pathlib import PurePath
from typing import Annotated, Any, Literal
from urllib.parse import quote
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from ashblend.core.arrays import F32
from ashblend.core.blend.references import readings, references
from ashblend.core.channels.channel import FULL
from ashblend.core.formats.attribute import Bits, ExportAttribute
from ashblend.core.formats.glb_write import add_to_glb, build_glb
from ashblend.core.formats.obj import write_obj
from ashblend.core.formats.origin import why_new_file
from ashblend.core.formats.ply import write_ply
from ashblend.core.formats.registry import read_mesh
from ashblend.core.formats.splat import splat_png
from ashblend.core.formats.terrain_package import PackageChoice, PackedSet, package
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.terrain.terrain import Terrain
from ashblend.server.live.steps import packed_sets
from ashblend.server.live.surface import OpenSurface
from ashblend.server.routes.parts import OpenDatabase, OpenRooms
from ashblend.store.blends import blend_document
from ashblend.store.blobs import get_blob
from ashblend.store.projects import materials_of
from ashblend.store.surfaces import get_surface

router = APIRouter(prefix="/api", tags=["export"])

Attribute = Literal["mask", "colour"]
Kind = Literal["glb", "ply", "ply-ascii", "obj", "png"]
BITS: dict[str, Bits] = {"8": 8, "16": 16, "float": 32}
PREFIX: dict[Attribute, str] = {"mask": "_MASK", "colour": "COLOR_"}
# Behind all places that a set can be given.
LAST = 100


def export_attribute(found: OpenSet, name: str, bits: Bits) -> ExportAttribute:
    """Channel values of a set, four wide; channels that the set does not have are zero."""
    values = np.zeros((found.channels[0].cover.shape[0], 4), np.float32)
    for number, channel in enumerate(found.channels):
        values[:, number] = (channel.values() / np.float64(FULL)).astype(np.float32)
    document = found.document
    return ExportAttribute(name, values, bits, document.name, tuple(c.name for c in document.channels))


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


def _source(session: Session, ident: UUID) -> tuple[str, str, bytes]:
    """The surface's name, and the file that it came from."""
    row = get_surface(session, ident)
    return row.name, row.file_name, get_blob(session, row.source)


def _material_names(session: Session, ident: UUID) -> dict[str, str]:
    """Names of the materials that the blend has, by id: outside the project nobody knows the ids."""
    used = {str(r.id) for r in references(blend_document(session, ident)) if r.kind == "material"}
    project = get_surface(session, ident).project_id
    return {str(m.id): str(m.document["name"]) for m in materials_of(session, project) if str(m.id) in used}


def _new_because(mesh: Mesh, file_name: str, source: bytes) -> str | None:
    """Why a GLB of level 0 is a new file. Reads the file again, so from a thread."""
    suffix = PurePath(file_name).suffix.lower()
    if suffix != ".glb":
        return f"yours is {suffix.lstrip('.').upper()}"
    return why_new_file(read_mesh(file_name, source), mesh)


def _in_order(surface: OpenSurface, level: int) -> list[OpenSet]:
    """Sets of a level that go into its file: by the places that were given to them, then as they came."""
    found = [s for s in surface.sets.values() if "glb" in s.kind.files and s.level == level]
    return sorted(found, key=lambda s: LAST if s.document.place is None else s.document.place)


def _read(surface: OpenSurface) -> set[UUID]:
    with surface.sessions() as session:
        bindings = get_surface(session, surface.ident).bindings
        document = blend_document(session, surface.ident)
    return {UUID(bindings.get(str(r.channel_set), str(r.channel_set))) for r in readings(document)}


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
            sets=[s.id for s in _in_order(surface, number)],
            read=[s.id for s in _in_order(surface, number) if s.id in read or followed[s.id] in read],
        )
        for number, name in enumerate(names)
    ]


@router.get("/surfaces/{ident}/export/outlook")
async def export_outlook(ident: UUID, database: OpenDatabase, rooms: OpenRooms) -> Outlook:
    """What an export would be, so that it can be said before."""
    _, file_name, source = await database.transact(_source, ident)
    async with rooms.enter(ident) as room:
        if room.surface.shape.grown:
            return Outlook(levels=[], maps=[], terrain=True)
        levels = await room.call(_levels, room.surface)
        maps = [s.id for s in room.surface.sets.values() if "png" in s.kind.files]
        mesh = room.surface.shape.mesh
    levels[0].new_because = await run_in_threadpool(_new_because, mesh, file_name, source)
    return Outlook(levels=levels, maps=maps)


def _chosen(surface: OpenSurface, wanted: list[UUID], kind: Kind) -> list[OpenSet]:
    """The sets that go into one file. Raises Refusal."""
    sets = [surface.set_of(ident) for ident in dict.fromkeys(wanted)]
    sets.sort(
        key=lambda s: [o.id for o in _in_order(surface, s.level)].index(s.id) if "glb" in s.kind.files else 0
    )
    for found in sets:
        if kind not in found.kind.files:
            known = ", ".join(name.upper() for name in found.kind.files)
            raise Refusal(f"{found.document.name} lies on {found.kind.kind}.", f"Export it as {known}.")
    if len({found.level for found in sets}) > 1:
        raise Refusal("These sets lie on different levels.", "Export one level at a time.")
    if len(sets) > 1 and kind != "glb":
        raise Refusal(f"{kind.upper()} has room for one set.", "Choose one, or export a GLB.")
    return sets


def _weights(
    surface: OpenSurface, sets: list[OpenSet], attribute: Attribute, bits: Bits
) -> list[ExportAttribute]:
    """A mask's number is the set's place among all of its level, so that it means the same whatever else goes out.

    Colours have no gaps (glTF 2.0, section 3.7.2.1): they are counted among those that go out.
    """
    order = _in_order(surface, sets[0].level) if attribute == "mask" else sets
    places = [found.id for found in order]
    return [
        export_attribute(
            found, f"{PREFIX[attribute]}{places.index(found.id) if found.id in places else 0}", bits
        )
        for found in sets
    ]


def _written(
    mesh: Mesh, original: bytes | None, name: str, weights: list[ExportAttribute], kind: Kind
) -> bytes:
    if kind == "glb":
        return add_to_glb(original, weights) if original is not None else build_glb(mesh, weights, name)
    if kind == "obj":
        return write_obj(mesh, weights[0])
    return write_ply(mesh, weights[0], binary=kind == "ply")


MEDIA = {"glb": "model/gltf-binary", "png": "image/png"}


@router.get("/surfaces/{ident}/export", response_class=Response)
async def export_surface(
    ident: UUID,
    database: OpenDatabase,
    rooms: OpenRooms,
    channel_set: Annotated[list[UUID], Query(min_length=1, max_length=8)],
    kind: Kind = "glb",
    attribute: Attribute = "mask",
    bits: Annotated[Literal["8", "16", "float"], Query()] = "8",
) -> Response:
    """The mesh of a level with the weights of sets that lie on it, or a set on texels as a picture.

    attribute "mask" writes _MASK0, _MASK1 … into a GLB by the sets' places, "colour" COLOR_0, COLOR_1 …
    """
    name, file_name, source = await database.transact(_source, ident)
    depth = BITS[bits]

    def gather(surface: OpenSurface) -> tuple[Mesh, int, list[ExportAttribute]] | bytes:
        sets = _chosen(surface, channel_set, kind)
        if kind == "png":
            if depth == 32:
                raise Refusal("A PNG has 8 or 16 bits a channel.", "Choose one of them.")
            return splat_png(sets[0].sites, sets[0].channels, depth)
        level = sets[0].level
        return surface.shape.mesh_of(level), level, _weights(surface, sets, attribute, depth)

    def written(mesh: Mesh, level: int, weights: list[ExportAttribute]) -> bytes:
        own = kind == "glb" and level == 0 and _new_because(mesh, file_name, source) is None
        return _written(mesh, source if own else None, name, weights, kind)

    async with rooms.enter(ident) as room:
        made = await room.call(gather, room.surface)
    # Beside the surface's thread: meshes do not change, and the weights are copies.
    data = made if isinstance(made, bytes) else await run_in_threadpool(written, *made)
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
    name, _, _ = await database.transact(_source, ident)
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
