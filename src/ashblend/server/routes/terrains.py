"""A terrain on its way in: heights are looked at, shown from above, then taken as the artist says."""

from dataclasses import asdict, dataclass
from functools import lru_cache
from pathlib import PurePath
from typing import Annotated, Any
from uuid import UUID

import numpy as np
from fastapi import APIRouter, Form, HTTPException, Query, Request, Response, UploadFile
from pydantic import BaseModel, Field, StringConstraints, TypeAdapter, ValidationError
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from ashblend.core.blend.document import BlendDocument, Ground
from ashblend.core.brush.defaults import first_tile
from ashblend.core.formats.budget import decoding
from ashblend.core.formats.errors import FormatError
from ashblend.core.formats.heights.format import Grid, RawLayout
from ashblend.core.formats.heights.read import read_grids
from ashblend.core.formats.heights.stored import packed_files, unpacked_files
from ashblend.core.formats.images import write_png
from ashblend.core.formats.sound import plain
from ashblend.core.formats.terrain_read import ReadSet, is_package, read_package
from ashblend.core.materials.mapping import TileMapping
from ashblend.core.surface.banded import fitting
from ashblend.core.surface.heights_intake import HeightsIntake, grid_notes, take_in_heights
from ashblend.core.surface.refusal import Refusal
from ashblend.core.terrain.preview import preview
from ashblend.core.terrain.taken import GridFacts, Taking, first_taking, grid_facts, looked_at, taken
from ashblend.core.terrain.terrain import Terrain
from ashblend.server.routes.imports import Digest, Imported, file_for, ground_of, limits_of
from ashblend.server.routes.parts import Kept, OpenDatabase, OpenRooms, read_upload
from ashblend.server.routes.surfaces import packed_arrays
from ashblend.session import banded
from ashblend.session.surface import OpenSurface
from ashblend.store.blends import create_blend
from ashblend.store.blobs import get_blob, put_blob
from ashblend.store.projects import materials_of
from ashblend.store.surfaces import NewChannelSet, create_surface, get_surface

router = APIRouter(prefix="/api", tags=["terrains"])

BACK = "It was exported from here: its splat maps come along."
FileName = Annotated[str, StringConstraints(min_length=1, max_length=255)]
TAKING: TypeAdapter[Taking] = TypeAdapter(Taking)
LAYOUT: TypeAdapter[RawLayout] = TypeAdapter(RawLayout)


class LookedHeights(BaseModel):
    """Heights that could be taken. file: what to call them then. most: the greatest stored whole number, or null.

    layout: how bare numbers were read, to be overruled. first: what to begin with.
    """

    file: str
    name: str
    rows: int
    cols: int
    most: int | None
    least: float
    greatest: float
    holes: int
    steps: int
    layout: RawLayout | None
    first: Taking
    notes: list[str]


class NewTerrain(BaseModel):
    """file, name: as they were looked at."""

    file: Digest
    name: FileName
    layout: RawLayout | None = None
    taking: Taking = Taking()


@dataclass(frozen=True)
class _Heights:
    """Heights as they were stored, and, of a bundle that was exported from here, what else it says."""

    grid: Grid
    facts: GridFacts
    first: Taking
    sets: tuple[ReadSet, ...] = ()


def _held(name: str, data: bytes, layout: str) -> _Heights:
    """What was looked at last, decoded once while its settings are tried; one at a time, whoever asks."""
    with decoding():
        return _decoded(name, data, layout)


@lru_cache(maxsize=1)
def _decoded(name: str, data: bytes, layout: str) -> _Heights:
    files = unpacked_files(name, data)
    if is_package(files):
        read = read_package(files)
        return _Heights(read.grid, grid_facts(read.grid.values, read.grid.most), read.taking, read.sets)
    grid = read_grids(files, LAYOUT.validate_json(layout) if layout else None)
    facts = grid_facts(grid.values, grid.most)
    return _Heights(grid, facts, first_taking(facts, grid.most))


def _looked(name: str, data: bytes, layout: RawLayout | None) -> LookedHeights:
    """Without what it is called."""
    held = _held(name, data, layout.model_dump_json() if layout else "")
    grid, facts = held.grid, held.facts
    told = asdict(facts)
    for own in ("clipped_low", "clipped_high"):
        told.pop(own)
    return LookedHeights(
        file="",
        name=name,
        most=grid.most,
        layout=grid.raw,
        first=held.first,
        notes=[*grid.notes, *grid_notes(facts), *([BACK] if held.sets else [])],
        **told,
    )


def _parsed(kind: TypeAdapter[Any], text: str | None) -> Any:
    try:
        return kind.validate_json(text) if text else None
    except ValidationError as error:
        raise HTTPException(422, "These settings cannot be read.") from error


@router.post("/heights", status_code=201)
def look_at_heights(
    request: Request,
    database: OpenDatabase,
    files: list[UploadFile],
    layout: Annotated[str | None, Form(max_length=400)] = None,
) -> LookedHeights:
    """What a height map, or the square regions of one, hold. Nothing is made of it yet.

    layout: how bare numbers are to be read, as JSON.
    """
    limits = limits_of(request)
    held: dict[str, bytes] = {}
    for upload in files:
        name = plain(upload.filename or "heights").replace("\\", "/").rsplit("/", 1)[-1][-255:]
        held[name] = read_upload(upload, limits.file_bytes)
    with decoding():
        name, data = packed_files(held, limits)
        looked = _looked(name, data, _parsed(LAYOUT, layout))
    return looked.model_copy(update={"file": database.now(put_blob, data)})


@router.get("/heights/{file}")
def look_again(
    file: Digest,
    name: FileName,
    database: OpenDatabase,
    layout: Annotated[str | None, Query(max_length=400)] = None,
) -> LookedHeights:
    """The same file, with bare numbers read another way."""
    looked = _looked(name, database.now(get_blob, file), _parsed(LAYOUT, layout))
    return looked.model_copy(update={"file": file})


def _terrain(
    name: str, data: bytes, layout: RawLayout | None, taking: Taking
) -> tuple[Terrain, list[str], tuple[ReadSet, ...]]:
    """Raises FormatError."""
    held = _held(name, data, layout.model_dump_json() if layout else "")
    grid, facts = held.grid, held.facts
    try:
        terrain = taken(grid.values, grid.most, taking)
    except ValueError as error:
        raise FormatError(str(error), "Change the settings.") from error
    mended = facts.holes and taking.mend
    notes = [*grid.notes, *(note for note in grid_notes(facts) if not (mended and "holes" in note))]
    if mended:
        notes.append(f"{facts.holes:,} holes were filled from what lies around them.")
    return terrain, notes, held.sets


@router.get("/heights/{file}/preview", response_class=Response)
async def preview_heights(
    file: Digest,
    name: FileName,
    database: OpenDatabase,
    taking: Annotated[str, Query(max_length=1000)],
    layout: Annotated[str | None, Query(max_length=400)] = None,
) -> Response:
    """A shaded picture from above of what would be taken."""
    wanted, chosen = _parsed(TAKING, taking), _parsed(LAYOUT, layout)
    data = await database.transact(get_blob, file)

    def drawn() -> bytes:
        # Holes may be left to see; here something must be drawn. And no finer than is seen.
        terrain, _, _ = _terrain(name, data, chosen, looked_at(wanted))
        return write_png(preview(terrain.heights, terrain.spacing))

    return Response(
        await run_in_threadpool(drawn), media_type="image/png", headers={"cache-control": "no-store"}
    )


def _keep(session: Session, project: UUID, new: NewTerrain, data: bytes, intake: HeightsIntake) -> Imported:
    ground = ground_of(session, project)
    sets = [NewChannelSet(s.document, s.channels, s.sites) for s in intake.sets]
    name = PurePath(new.name).stem or "Terrain"
    surface = create_surface(session, project, name, new.name, data, intake.facts, sets, intake.mesh)
    tile = first_tile(float(np.linalg.norm(intake.facts["size"])))
    mapping = TileMapping(projection="planar", axis="y", metres_per_tile=tile)
    surface.blend_id = create_blend(
        session, project, BlendDocument(ground=Ground(material=ground, mapping=mapping))
    ).id
    return Imported(id=surface.id, name=surface.name, notes=intake.facts["notes"], all_white=[])


@router.post("/projects/{project}/terrains", status_code=201)
def create_terrain(project: UUID, new: NewTerrain, database: OpenDatabase) -> Imported:
    """A terrain of heights that were looked at, with a blend of the project's first material.

    Nothing is kept of one that is refused.
    """
    data = database.now(file_for, project, new.file)
    with decoding():
        terrain, notes, read = _terrain(new.name, data, new.layout, new.taking)
        whole = _held(new.name, data, new.layout.model_dump_json() if new.layout else "").grid.most
        came = (new.taking.low, new.taking.high) if whole else None
        intake = take_in_heights(terrain, notes, read, came)
    return database.now(_keep, project, new, data, intake)


def _heights(surface: OpenSurface) -> bytes:
    return packed_arrays(
        {"shape": surface.shape.number}, {"heights": surface.shape.heights_of_file().astype("<f4")}
    )


@router.get("/surfaces/{ident}/heights", response_class=Response)
async def get_heights(ident: UUID, rooms: OpenRooms) -> Response:
    """The heights of a terrain as they came in, float32 row by row; what was painted comes over the socket."""
    async with rooms.enter(ident) as room:
        data = await room.call(_heights, room.surface)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-cache"})


class BandView(BaseModel):
    """covers: it lies on the blend's ground; the other one is the ground. coats: it can be a coat of water, of no
    material. material: that may suit it by its name; None for such a coat.
    """

    name: str
    about: str
    covers: bool
    coats: bool
    material: UUID | None


class BandsChoice(BaseModel):
    """channel_set: whose channels hold the bands. materials: of each band that is laid, by its name; None for a coat of
    water.
    """

    channel_set: UUID
    materials: Annotated[dict[str, UUID | None], Field(min_length=1, max_length=8)]


@router.get("/surfaces/{ident}/bands")
async def propose_bands(ident: UUID, database: OpenDatabase, rooms: OpenRooms) -> list[BandView]:
    """A first blend of a terrain, from its heights, slopes and water."""
    materials = list((await database.transact(_materials_of, ident)).items())
    async with rooms.enter(ident) as room:
        found = await room.call(banded.proposed, room.surface)
    fits = fitting(found, [name for _, name in materials])
    return [
        BandView(
            name=b.name,
            about=b.about,
            covers=b.recipe is not None,
            coats=b.coats,
            material=None if b.coats and not b.suits(materials[n][1]) else materials[n][0],
        )
        for b, n in zip(found, fits, strict=True)
    ]


@router.post("/surfaces/{ident}/bands")
async def lay_bands(ident: UUID, choice: BandsChoice, database: OpenDatabase, rooms: OpenRooms) -> Kept:
    """Lay bands as undercoats and layers; one step, one undo."""
    known = await database.transact(_materials_of, ident)
    if not {ident for ident in choice.materials.values() if ident} <= set(known):
        raise Refusal("A material is not in this project any more.", "Choose another one.")
    async with rooms.enter(ident) as room:
        outcome = await room.act(banded.lay, room.surface, choice.channel_set, choice.materials)
        return Kept(label=outcome.label)


def _materials_of(session: Session, surface: UUID) -> dict[UUID, str]:
    return {
        row.id: str(row.document["name"])
        for row in materials_of(session, get_surface(session, surface).project_id)
    }
