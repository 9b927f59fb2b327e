"""A mesh on its way in: files are looked at, then taken with a unit and an up axis.

What is looked at is kept as bytes for a while, so that it need not be sent twice; what nobody takes is swept.
"""

from dataclasses import dataclass, replace
from pathlib import PurePath
from typing import Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, HTTPException, Request, UploadFile
from pydantic import BaseModel, Field, StringConstraints
from sqlalchemy.orm import Session

from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.brush.defaults import first_tile
from ashblend.core.formats.budget import decoding
from ashblend.core.formats.bundle import LOOSE, PARTS, Bundle, one_file
from ashblend.core.formats.errors import Limits
from ashblend.core.formats.heights.read import SUFFIXES
from ashblend.core.formats.intake import Intake, take_in
from ashblend.core.formats.mesh_pack import pack_mesh
from ashblend.core.formats.registry import FORMATS, format_of, read_mesh, writings
from ashblend.core.formats.sound import plain
from ashblend.core.materials.mapping import TileMapping
from ashblend.core.prepare.place import (
    TURNS,
    Axis,
    Placing,
    extent_standing,
    guess_placing,
    is_usual,
    placed,
)
from ashblend.core.sites.mesh import Mesh
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.surface.placing import on_placed, placing_label, require_size
from ashblend.server.routes.parts import Kept, OpenDatabase, OpenRooms, read_upload
from ashblend.session.outcome import Outcome
from ashblend.session.surface import OpenSurface
from ashblend.store.blends import create_blend
from ashblend.store.blobs import blob_if_there, get_blob, put_blobs
from ashblend.store.projects import get_project, materials_of
from ashblend.store.states import distinct_groups, kept_mesh
from ashblend.store.surfaces import NewChannelSet, channel_sets_of, create_surface

router = APIRouter(prefix="/api", tags=["imports"])

Digest = Annotated[str, StringConstraints(pattern="^[0-9a-f]{64}$")]


class Looked(BaseModel):
    """A mesh that could be taken. file: what to call it then.

    standing: across, up and deep in the file's unit, for each axis that may be up. guess: what unit and axis it most
    likely has. certain: the format says so. usual: with that, it is of a size that things have.
    """

    file: str
    name: str
    vertices: int
    triangles: int
    standing: dict[Axis, list[float]]
    guess: Placing
    certain: bool
    usual: bool
    notes: list[str]


class WritingView(BaseModel):
    """A way to write a mesh; see `Writing`."""

    kind: str
    ending: str
    title: str
    about: str
    says: str
    channels: int
    many: bool
    bits: bool


class Endings(BaseModel):
    """Endings of file names, with their dots. meshes: files of a mesh, alone or with parts. parts: what lies beside one.
    heights: height maps. writings: how meshes go out.
    """

    meshes: list[str]
    parts: list[str]
    heights: list[str]
    writings: list[WritingView]


@router.get("/endings")
def get_endings() -> Endings:
    """What can be brought, and what a mesh goes out as."""
    meshes = [*(form.ending for form in FORMATS), *LOOSE]
    return Endings(
        meshes=meshes,
        parts=list(PARTS),
        heights=list(SUFFIXES),
        writings=[
            WritingView(
                kind=kind,
                ending=form.ending,
                title=writing.title,
                about=writing.about,
                says=writing.says,
                channels=writing.channels,
                many=writing.many,
                bits=writing.bits,
            )
            for kind, (form, writing) in writings().items()
        ],
    )


class NewSurface(BaseModel):
    """file, name, notes: as they were looked at."""

    file: Digest
    name: Annotated[str, StringConstraints(min_length=1, max_length=255)]
    placing: Placing = Placing()
    notes: Annotated[list[Annotated[str, StringConstraints(max_length=400)]], Field(max_length=40)] = []


class Imported(BaseModel):
    """all_white: sets that are all white and could start empty."""

    id: UUID
    name: str
    notes: list[str]
    all_white: list[UUID]


def limits_of(request: Request) -> Limits:
    return Limits(file_bytes=request.app.state.settings.file_bytes)


def read_bundle(uploads: list[UploadFile], limits: Limits) -> Bundle:
    """The one mesh file among uploads, from a thread. Raises FormatError, HTTPException."""
    files = [(plain(upload.filename or "").replace("\\", "/"), upload) for upload in uploads]
    return one_file([(name, read_upload(upload, limits.file_bytes)) for name, upload in files], limits)


def _read(bundle: Bundle, limits: Limits) -> Mesh:
    mesh = read_mesh(bundle.name, bundle.data, limits)
    return replace(mesh, notes=(*bundle.notes, *mesh.notes))


@router.post("/meshes", status_code=201)
def look_at_mesh(request: Request, database: OpenDatabase, files: list[UploadFile]) -> Looked:
    """What a mesh file, a .gltf with its parts or a .zip holds. Nothing is made of it yet."""
    limits = limits_of(request)
    with decoding():
        bundle = read_bundle(files, limits)
        mesh = distinct_groups(_read(bundle, limits))
        packed = pack_mesh(mesh)
    file, sha = database.now(put_blobs, bundle.data, packed)
    request.app.state.read_files.note(file, bundle.name, sha)
    form = format_of(bundle.name)
    certain = form is not None and form.certain
    guess = Placing() if certain else guess_placing(mesh)
    standing = {axis: extent_standing(mesh, axis) for axis in TURNS}
    return Looked(
        file=file,
        name=plain(bundle.name)[-255:],
        vertices=mesh.vertex_count,
        triangles=int(mesh.triangles.shape[0]),
        standing=standing,
        guess=guess,
        certain=certain,
        usual=is_usual(max(standing[guess.up]) * guess.metres_per_unit),
        notes=list(mesh.notes),
    )


def ground_of(session: Session, project: UUID) -> UUID:
    """The material that a first blend has for its ground. Raises HTTPException, Missing."""
    get_project(session, project)
    materials = materials_of(session, project)
    if not materials:
        raise HTTPException(409, "The project has no material yet; a blend needs one for its ground.")
    return materials[0].id


def file_for(session: Session, project: UUID, file: str) -> bytes:
    """A file that was looked at, for a project that can take it. Raises HTTPException, Missing."""
    ground_of(session, project)
    return get_blob(session, file)


@dataclass(frozen=True)
class _TakenMesh:
    """read: as it stands in the file. mesh: as it is placed."""

    read: Mesh
    mesh: Mesh
    intake: Intake


def _taken_mesh(read: Mesh, new: NewSurface) -> _TakenMesh:
    """Raises FormatError."""
    # What was done to make one file of many is known by whoever looked at them.
    read = replace(read, notes=tuple(dict.fromkeys((*map(plain, new.notes), *read.notes))))
    mesh = placed(read, new.placing)
    intake = take_in(mesh, mesh_vertices(mesh))
    require_size(max(intake.facts["size"]))
    return _TakenMesh(read, mesh, intake)


def import_surface(session: Session, project: UUID, new: NewSurface, limits: Limits) -> Imported:
    """Take a mesh file in, in one transaction; for scripts, which keep nobody waiting. Raises FormatError, Missing."""
    data = file_for(session, project, new.file)
    read = distinct_groups(read_mesh(new.name, data, limits))
    return _keep(session, project, new, data, _taken_mesh(read, new))


def _keep(session: Session, project: UUID, new: NewSurface, data: bytes, made: _TakenMesh) -> Imported:
    """With a blend of the project's first material."""
    material = ground_of(session, project)
    read, mesh, intake = made.read, made.mesh, made.intake
    sets = [NewChannelSet(s.document, s.channels) for s in intake.sets]
    name = PurePath(new.name).stem or "Surface"
    surface = create_surface(session, project, name, new.name, data, intake.facts, sets, mesh, read)
    tile = first_tile(float(np.linalg.norm(intake.facts["size"])))
    ground = Ground(material=material, mapping=TileMapping(metres_per_tile=tile))
    surface.blend_id = create_blend(session, project, BlendDocument(ground=ground)).id
    rows = channel_sets_of(session, surface.id)
    white = [row.id for row, entry in zip(rows, intake.sets, strict=True) if entry.all_white]
    surface.facts = {**intake.facts, "all_white": [str(i) for i in white]}
    return Imported(id=surface.id, name=surface.name, notes=intake.facts["notes"], all_white=white)


@router.post("/projects/{project}/surfaces", status_code=201)
def create_new_surface(project: UUID, new: NewSurface, request: Request, database: OpenDatabase) -> Imported:
    """A surface of a mesh that was looked at. Whatever is wrong with it, nothing is kept of one that is refused."""
    data = database.now(file_for, project, new.file)
    known = request.app.state.read_files.mesh_of(new.file, new.name)
    packed = None if known is None else database.now(blob_if_there, known)
    with decoding():
        if known is None or packed is None:
            read = distinct_groups(read_mesh(new.name, data, limits_of(request)))
        else:
            read = kept_mesh(known, packed)
        made = _taken_mesh(read, new)
    return database.now(_keep, project, new, data, made)


def _placed(surface: OpenSurface, placing: Placing) -> Outcome:
    surface.require_quiet()
    surface.shape.require_mesh()
    label = placing_label(placing)
    return surface.change_state("place", label, lambda state: on_placed(state, placing))


@router.post("/surfaces/{ident}/placing")
async def place_surface(ident: UUID, placing: Placing, rooms: OpenRooms) -> Kept:
    """Make a surface larger or smaller, or stand it up another way, from how it is now; a step that can be undone."""
    async with rooms.enter(ident) as room:
        outcome = await room.act(_placed, room.surface, placing)
        return Kept(label=outcome.label)
