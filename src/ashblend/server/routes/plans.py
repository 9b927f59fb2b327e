"""Plans: changed meshes worked out beside the surface, looked at, then kept or dropped."""

from typing import Annotated
from uuid import UUID

import numpy as np
from fastapi import APIRouter, HTTPException, Request, Response, UploadFile
from pydantic import Field
from starlette.concurrency import run_in_threadpool

from ashblend.core.formats.budget import decoding
from ashblend.core.formats.images import read_image
from ashblend.core.formats.registry import read_mesh
from ashblend.core.formats.sound import plain
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.kinds.vertices import VertexSites
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.state import SurfaceState
from ashblend.jobs.board import Board, Job
from ashblend.jobs.plans import Plan
from ashblend.server.live.frames import full_frame
from ashblend.server.routes.imports import limits_of, read_bundle
from ashblend.server.routes.parts import Kept, OpenBoard, OpenRooms, read_upload
from ashblend.server.routes.surfaces import geometry_bytes
from ashblend.server.work import JobView, start_job
from ashblend.session.plans import MOST_MASK_EDGE, after_plan, keep
from ashblend.session.surface import OpenSurface
from ashblend.session.wishes import AddLevel, Finest, PlanWish, RefineToPicture, Replace, Tolerance

router = APIRouter(prefix="/api", tags=["prepare"])

MOST_PICTURE = 200_000_000


@router.post("/surfaces/{ident}/plans", status_code=202)
async def make_plan(
    ident: UUID, wish: PlanWish, request: Request, rooms: OpenRooms, board: OpenBoard
) -> JobView:
    """Begin working a change out; news of it come over the surface's socket."""
    async with rooms.enter(ident) as room:
        return await start_job(board, room, wish, limits_of(request))


async def _uploaded_mesh(request: Request, files: list[UploadFile]) -> tuple[str, bytes, Mesh]:
    """Name and bytes of a mesh file, and what it was read as."""
    limits = limits_of(request)

    def read() -> tuple[str, bytes, Mesh]:
        with decoding():
            bundle = read_bundle(files, limits)
            return plain(bundle.name), bundle.data, read_mesh(bundle.name, bundle.data, limits)

    return await run_in_threadpool(read)


@router.post("/surfaces/{ident}/plans/replacement", status_code=202)
async def plan_replacement_mesh(
    ident: UUID, request: Request, files: list[UploadFile], rooms: OpenRooms, board: OpenBoard
) -> JobView:
    """Carry all paint over to a new version of the mesh. Nothing is changed until the plan is kept."""
    name, data, mesh = await _uploaded_mesh(request, files)
    async with rooms.enter(ident) as room:
        return await start_job(board, room, Replace(file_name=name), limits_of(request), data, mesh)


@router.post("/surfaces/{ident}/plans/level", status_code=202)
async def plan_level_file(
    ident: UUID, request: Request, files: list[UploadFile], rooms: OpenRooms, board: OpenBoard
) -> JobView:
    """Add a lower level of detail from a file."""
    name, data, mesh = await _uploaded_mesh(request, files)
    async with rooms.enter(ident) as room:
        return await start_job(board, room, AddLevel(file_name=name), limits_of(request), data, mesh)


@router.post("/surfaces/{ident}/plans/picture", status_code=202)
async def plan_to_picture(
    ident: UUID,
    request: Request,
    file: UploadFile,
    rooms: OpenRooms,
    board: OpenBoard,
    tolerance: Tolerance = 0.1,
    finest: Finest = 0.01,
    paint_set: UUID | None = None,
    paint_channel: Annotated[int, Field(ge=0, le=3)] = 0,
) -> JobView:
    """Refine to the lightness of a picture that lies on the first UV set."""
    data = await run_in_threadpool(read_upload, file, MOST_PICTURE)
    await run_in_threadpool(read_image, data, "The mask", MOST_MASK_EDGE)
    address = ChannelAddress(channel_set=paint_set, channel=paint_channel) if paint_set else None
    wish = RefineToPicture(tolerance=tolerance, finest=finest, paint_on=address)
    async with rooms.enter(ident) as room:
        return await start_job(board, room, wish, limits_of(request), data)


def _plan(board: Board, ident: UUID) -> tuple[Job, Plan]:
    job = board.find(ident)
    if job is None or not isinstance(job.result, Plan):
        raise HTTPException(404, "This plan is no longer there; make it again.")
    return job, job.result


@router.delete("/plans/{ident}", status_code=204)
async def drop_plan(ident: UUID, board: OpenBoard) -> None:
    """Stop the work, or leave what it made; nothing is changed."""
    await run_in_threadpool(board.drop, ident)


@router.post("/plans/{ident}/next", status_code=204)
async def hurry_plan(ident: UUID, board: OpenBoard) -> None:
    """Have work that waits for its turn be the next."""
    await run_in_threadpool(board.hurry, ident)


@router.post("/plans/{ident}/keep")
async def keep_plan(ident: UUID, rooms: OpenRooms, board: OpenBoard) -> Kept:
    """Make the planned mesh the surface's own, as one step that can be undone."""
    job, plan = _plan(board, ident)
    async with rooms.enter(job.owner) as room:
        await room.act(keep, room.surface, plan)
    await run_in_threadpool(board.drop, ident)
    return Kept(label=plan.label)


@router.get("/plans/{ident}/geometry", response_class=Response)
async def get_plan_geometry(ident: UUID, board: OpenBoard) -> Response:
    """The planned mesh for the viewport; with "distance" where it was carried over."""
    _, plan = _plan(board, ident)

    def pack() -> bytes:
        more = {} if plan.distances is None else {"distance": plan.distances.astype(np.float32)}
        return geometry_bytes(plan.shape.inputs(), more, 0)

    data = await run_in_threadpool(pack)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-store"})


def _plan_values(state: SurfaceState, plan: Plan) -> bytes:
    """Frames of all sets on level 0 vertices as the plan would have them, each behind its length."""
    after = after_plan(state, plan)
    numbers = {entry.id: number for number, entry in enumerate(state.sets)}
    parts = []
    for entry in after.sets:
        if entry.sites.followed:
            sites = VertexSites().sites(plan.shape)
            shown = OpenSet(entry.id, entry.sites, entry.document, 0, list(entry.channels), sites)
            frame = full_frame(numbers[entry.id], shown, range(len(entry.channels)))
            parts += [len(frame).to_bytes(4, "little"), frame]
    return b"".join(parts)


@router.get("/plans/{ident}/values", response_class=Response)
async def get_plan_values(ident: UUID, rooms: OpenRooms, board: OpenBoard) -> Response:
    """What the sets on vertices would hold on the planned mesh."""
    job, plan = _plan(board, ident)
    if plan.kind == "level":
        raise Refusal("A level is shown once it is kept.", "Keep it, then look at the level.")
    async with rooms.enter(job.owner) as room:
        state = await room.call(OpenSurface.state, room.surface)
    # Beside the surface's thread: the state is a copy.
    data = await run_in_threadpool(_plan_values, state, plan)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-store"})
