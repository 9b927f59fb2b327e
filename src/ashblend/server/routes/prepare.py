"""Prepare: plans for changed meshes, groups, hard borders, channel sets and levels."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import PurePath
from typing import Annotated, Any, Literal
from uuid import UUID, uuid4

import numpy as np
from fastapi import APIRouter, HTTPException, Request, Response, UploadFile
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from ashblend.core.arrays import F64, Mask
from ashblend.core.blend import surface_inputs
from ashblend.core.brush.fills import HeightFill
from ashblend.core.channels import CHANNEL_LETTERS, ChannelDocument, ChannelSetDocument
from ashblend.core.formats import Limits, read_mesh
from ashblend.core.formats.images import read_image
from ashblend.core.prepare.face_sets import Unit, faces_like
from ashblend.core.prepare.groups import (
    Grouping,
    group_by,
    group_mask,
    group_of,
    merged,
    renamed,
)
from ashblend.core.prepare.lineage import Mixed
from ashblend.core.prepare.progress import Progress
from ashblend.core.prepare.refine import Places, WantedMask
from ashblend.core.prepare.sides import hard_border, soft_border
from ashblend.core.sites import Mesh, UVTexels, mesh_vertices
from ashblend.core.sites.kinds import SiteKind, TexelSites, VertexSites
from ashblend.jobs.board import Board, Job
from ashblend.jobs.plans import (
    Plan,
    plan_level,
    plan_level_of_file,
    plan_levels,
    plan_replacement,
    plan_spacing,
    plan_to_mask,
    plan_unwrap,
)
from ashblend.server.live.frames import full_frame
from ashblend.server.live.messages import ChannelAddress, JobNews
from ashblend.server.live.open_set import OpenSet
from ashblend.server.live.refusal import Refusal
from ashblend.server.live.reshape import empty_channels, on_changed_mesh, painted_with
from ashblend.server.live.room import Room
from ashblend.server.live.surface import LiveSurface, Outcome
from ashblend.server.routes.parts import DatabaseSession, Name, OpenBoard, OpenRooms, read_upload
from ashblend.server.routes.surfaces import geometry_bytes
from ashblend.store.states import LevelState, SetState, SurfaceState, follower
from ashblend.store.surfaces import blend_document

router = APIRouter(prefix="/api", tags=["prepare"])

MOST_VERTICES = 4_000_000
MOST_LEVELS = 6


class _Wish(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class FacesOf(_Wish):
    """Triangles: of groups, those a unit takes in around picked ones, or where a channel is painted."""

    groups: list[str] = []
    picked: Annotated[list[Annotated[int, Field(ge=0)]], Field(max_length=500_000)] = []
    unit: Unit = "face"
    painted: ChannelAddress | None = None


class RefineLevels(_Wish):
    kind: Literal["levels"] = "levels"
    levels: Annotated[int, Field(ge=1, le=6)] = 1


class RefineSpacing(_Wish):
    """spacing: metres. inside: only there, or everywhere for None."""

    kind: Literal["spacing"] = "spacing"
    spacing: Annotated[FiniteFloat, Field(gt=1e-5, le=1e4)]
    inside: FacesOf | None = None


Tolerance = Annotated[FiniteFloat, Field(gt=0.001, le=1)]
Finest = Annotated[FiniteFloat, Field(gt=1e-5, le=1e3)]


class _ToMask(_Wish):
    """finest: metres; shorter edges are not split. paint_on: put the mask there along with it."""

    tolerance: Tolerance = 0.1
    finest: Finest = 0.01
    paint_on: ChannelAddress | None = None


class RefineToChannel(_ToMask):
    """To the mask that a channel on texels holds."""

    kind: Literal["channel"] = "channel"
    wanted: ChannelAddress


class RefineToHeight(_ToMask):
    """To a band of heights, worked out at full density."""

    kind: Literal["height"] = "height"
    wanted: HeightFill


class MakeLevel(_Wish):
    """A lower level of detail with about so many triangles."""

    kind: Literal["level"] = "level"
    triangles: Annotated[int, Field(ge=4, le=10_000_000)]


class UnwrapWish(_Wish):
    kind: Literal["unwrap"] = "unwrap"


PlanWish = Annotated[
    RefineLevels | RefineSpacing | RefineToChannel | RefineToHeight | MakeLevel | UnwrapWish,
    Field(discriminator="kind"),
]


class JobView(BaseModel):
    id: UUID
    title: str


def _faces(surface: LiveSurface, chosen: FacesOf) -> Mask:
    mesh = surface.shape.mesh
    faces: Mask = np.zeros(mesh.triangles.shape[0], bool)
    if chosen.picked:
        picked = np.array(chosen.picked, np.int64)
        if int(picked.max()) >= faces.shape[0]:
            raise Refusal("There is no such triangle.", "Load the surface again.")
        faces |= faces_like(mesh, picked.astype(np.int32), chosen.unit)
    if chosen.groups:
        faces |= group_mask(mesh, chosen.groups)
    if chosen.painted is not None:
        found = surface.set_of(chosen.painted.channel_set)
        weights = found.weights(chosen.painted.channel)
        if isinstance(found.sites, UVTexels):
            faces[found.sites.face_of_site[weights > 0]] = True
        else:
            faces |= (weights[mesh.triangles] > 0).any(axis=1)
    if not faces.any():
        raise Refusal("No faces are chosen.", "Pick a group or faces, or paint where to refine.")
    return faces


def _channel_mask(found: OpenSet, channel: int) -> WantedMask:
    """A channel on texels as a function of the map, bilinear between texels."""
    if not isinstance(found.sites, UVTexels):
        raise Refusal(
            "The wanted mask must be finer than the mesh.",
            "Choose a channel of a set on texels, or a picture.",
        )
    size = found.sites.size
    shown = found.sites.padded(16)
    held = np.where(shown >= 0, found.weights(channel)[np.maximum(shown, 0)], 0.0)
    return _picture_mask(held.reshape(size, size))


def _picture_mask(image: F64) -> WantedMask:
    rows, columns = image.shape

    def wanted(places: Places) -> F64:
        assert places.uv is not None
        x = np.clip(places.uv[:, 0] * columns - 0.5, 0, columns - 1)
        y = np.clip(places.uv[:, 1] * rows - 0.5, 0, rows - 1)
        x0, y0 = np.minimum(x.astype(int), columns - 2), np.minimum(y.astype(int), rows - 2)
        fx, fy = x - x0, y - y0
        top = image[y0, x0] * (1 - fx) + image[y0, x0 + 1] * fx
        below = image[y0 + 1, x0] * (1 - fx) + image[y0 + 1, x0 + 1] * fx
        out: F64 = top * (1 - fy) + below * fy
        return out

    return wanted


def _work(surface: LiveSurface, wish: Any) -> tuple[str, Callable[[Progress], Plan]]:
    """What to do about a wish; everything it needs is taken from the surface here, on its thread."""
    shape = surface.shape
    base, mesh, levels = shape.number, shape.mesh, shape.level_meshes()
    match wish:
        case RefineLevels():
            return "Refining", lambda p: plan_levels(base, mesh, levels, wish.levels, MOST_VERTICES, p)
        case RefineSpacing():
            inside = _faces(surface, wish.inside) if wish.inside is not None else None
            return "Refining", lambda p: plan_spacing(
                base, mesh, levels, wish.spacing, inside, MOST_VERTICES, p
            )
        case RefineToChannel() | RefineToHeight():
            wanted = (
                _channel_mask(surface.set_of(wish.wanted.channel_set), wish.wanted.channel)
                if isinstance(wish, RefineToChannel)
                else _height_mask(wish.wanted)
            )
            return "Refining to a mask", _to_mask(surface, wish, wanted)
        case MakeLevel():
            source = shape.mesh_of(len(shape.levels))
            if len(levels) >= MOST_LEVELS:
                raise Refusal(f"There are {MOST_LEVELS} levels already.", "Remove one first.")
            if wish.triangles >= source.triangles.shape[0]:
                raise Refusal("The last level has no more triangles than that.", "Choose a smaller number.")
            return "Making a level", lambda p: plan_level(base, source, mesh, wish.triangles, p)
        case _:
            return "Unwrapping", lambda p: plan_unwrap(base, mesh, levels, p)


def _height_mask(fill: HeightFill) -> WantedMask:
    return lambda places: fill.at(places.positions)


def _to_mask(surface: LiveSurface, wish: _ToMask, wanted: WantedMask) -> Callable[[Progress], Plan]:
    shape = surface.shape
    base, mesh, levels = shape.number, shape.mesh, shape.level_meshes()
    paint_on = None
    if wish.paint_on is not None:
        target = surface.set_of(wish.paint_on.channel_set)
        if isinstance(target.sites, UVTexels) or target.level:
            raise Refusal("The mask is put onto vertices of level 0.", "Choose a set that lies there.")
        paint_on = (wish.paint_on.channel_set, wish.paint_on.channel)
    return lambda p: plan_to_mask(
        base, mesh, levels, wanted, wish.tolerance, wish.finest, paint_on, MOST_VERTICES, p
    )


def _news(job: Job) -> JobNews:
    plan = job.result if isinstance(job.result, Plan) else None
    return JobNews(
        id=job.id,
        title=job.title,
        state=job.state,
        progress=job.progress,
        problem=job.problem,
        facts=plan.facts if plan else {},
        kind=plan.kind if plan else "",
    )


def _start(board: Board, room: Room, ident: UUID, title: str, work: Callable[[Progress], Plan]) -> JobView:
    job = board.start(ident, title, work, lambda job: room.tell_soon(_news(job)))
    return JobView(id=job.id, title=job.title)


@router.post("/surfaces/{ident}/plans", status_code=202)
async def make_plan(ident: UUID, wish: PlanWish, rooms: OpenRooms, board: OpenBoard) -> JobView:
    """Begin working a change out; news of it come over the surface's socket."""
    async with rooms.enter(ident) as room:
        title, work = await room.call(_work, room.surface, wish)
        return _start(board, room, ident, title, work)


async def _uploaded_mesh(request: Request, file: UploadFile) -> tuple[str, Mesh]:
    limits = Limits(file_bytes=request.app.state.settings.file_bytes)
    data = await read_upload(file, limits.file_bytes)
    name = PurePath(file.filename or "").name
    return name, await run_in_threadpool(read_mesh, name, data, limits)


@router.post("/surfaces/{ident}/plans/replacement", status_code=202)
async def plan_replacement_mesh(
    ident: UUID, request: Request, file: UploadFile, rooms: OpenRooms, board: OpenBoard
) -> JobView:
    """Carry all paint over to a new version of the mesh. Nothing is changed until the plan is kept."""
    name, new = await _uploaded_mesh(request, file)
    async with rooms.enter(ident) as room:
        shape = room.surface.shape
        base, mesh, levels = shape.number, shape.mesh, shape.level_meshes()
        return _start(
            board,
            room,
            ident,
            "Carrying over",
            lambda p: plan_replacement(base, mesh, levels, new, name, p),
        )


@router.post("/surfaces/{ident}/plans/level", status_code=202)
async def plan_level_file(
    ident: UUID, request: Request, file: UploadFile, rooms: OpenRooms, board: OpenBoard
) -> JobView:
    """Add a lower level of detail from a file."""
    name, level = await _uploaded_mesh(request, file)
    async with rooms.enter(ident) as room:
        shape = room.surface.shape
        if len(shape.levels) >= MOST_LEVELS:
            raise Refusal(f"There are {MOST_LEVELS} levels already.", "Remove one first.")
        base, mesh = shape.number, shape.mesh
        return _start(
            board, room, ident, "Adding a level", lambda p: plan_level_of_file(base, mesh, level, name, p)
        )


@router.post("/surfaces/{ident}/plans/picture", status_code=202)
async def plan_to_picture(
    ident: UUID,
    file: UploadFile,
    rooms: OpenRooms,
    board: OpenBoard,
    tolerance: Tolerance = 0.1,
    finest: Finest = 0.01,
    paint_set: UUID | None = None,
    paint_channel: Annotated[int, Field(ge=0, le=3)] = 0,
) -> JobView:
    """Refine to the lightness of a picture that lies on the first UV set."""
    image = read_image(await read_upload(file, 200_000_000), "The mask")
    grey = image.astype(np.float64) / np.iinfo(image.dtype).max
    if grey.ndim == 3:
        grey = grey.mean(axis=2)
    async with rooms.enter(ident) as room:
        if not room.surface.shape.mesh.uvs:
            raise Refusal("The mesh has no UVs for a picture to lie on.", "Unwrap it first.")
        address = ChannelAddress(channel_set=paint_set, channel=paint_channel) if paint_set else None
        wish = _ToMask(tolerance=tolerance, finest=finest, paint_on=address)
        return _start(
            board, room, ident, "Refining to a mask", _to_mask(room.surface, wish, _picture_mask(grey))
        )


def _plan(board: Board, ident: UUID) -> tuple[Job, Plan]:
    job = board.find(ident)
    if job is None or not isinstance(job.result, Plan):
        raise HTTPException(404, "This plan is no longer there; make it again.")
    return job, job.result


@router.delete("/plans/{ident}", status_code=204)
async def drop_plan(ident: UUID, board: OpenBoard) -> None:
    """Stop the work, or leave what it made; nothing is changed."""
    board.drop(ident)


class Kept(BaseModel):
    label: str


def _keep(surface: LiveSurface, plan: Plan) -> Outcome:
    if plan.base != surface.shape.number:
        raise Refusal("The mesh has changed since this was worked out.", "Make the plan again.")

    def change(state: SurfaceState) -> SurfaceState:
        if plan.kind == "level":
            return _with_level(state, plan)
        after = on_changed_mesh(state, plan.mesh, plan.lineage, plan.carries, plan.same_map)
        return painted_with(after, *plan.paint) if plan.paint is not None else after

    return surface.change_state(plan.kind, plan.label, change)


def _with_level(state: SurfaceState, plan: Plan) -> SurfaceState:
    """One more level, and for each set on vertices one that follows it there."""
    number = len(state.levels) + 1
    carry = plan.lineage[0]
    assert isinstance(carry, Mixed)
    level = LevelState(f"Level {number}", plan.mesh, carry)
    followers = [follower(entry, number, level) for entry in state.sets if _lies_on_level_0(entry)]
    return SurfaceState(state.mesh, (*state.levels, level), (*state.sets, *followers))


def _lies_on_level_0(entry: SetState) -> bool:
    return isinstance(entry.sites, VertexSites) and entry.sites.level == 0


@router.post("/plans/{ident}/keep")
async def keep_plan(ident: UUID, rooms: OpenRooms, board: OpenBoard) -> Kept:
    """Make the planned mesh the surface's own, as one act that can be undone."""
    job, plan = _plan(board, ident)
    async with rooms.enter(job.owner) as room:
        room.tell_outcome(await room.call(_keep, room.surface, plan))
    board.drop(ident)
    return Kept(label=plan.label)


@router.get("/plans/{ident}/geometry", response_class=Response)
async def get_plan_geometry(ident: UUID, board: OpenBoard) -> Response:
    """The planned mesh for the viewport; with "distance" where it was carried over."""
    _, plan = _plan(board, ident)

    def pack() -> bytes:
        inputs = surface_inputs(plan.mesh, mesh_vertices(plan.mesh))
        more = {} if plan.distances is None else {"distance": plan.distances.astype(np.float32)}
        return geometry_bytes(inputs, more, 0)

    data = await run_in_threadpool(pack)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-store"})


def _plan_values(surface: LiveSurface, plan: Plan) -> bytes:
    """Frames of all sets on level 0 vertices as the plan would have them, each behind its length."""
    state = surface.state()
    after = on_changed_mesh(state, plan.mesh, plan.lineage, plan.carries, plan.same_map)
    if plan.paint is not None:
        after = painted_with(after, *plan.paint)
    numbers = {entry.id: number for number, entry in enumerate(state.sets)}
    parts = []
    for entry in after.sets:
        if _lies_on_level_0(entry):
            values = {c: channel.values() for c, channel in enumerate(entry.channels)}
            frame = full_frame(numbers[entry.id], values)
            parts += [len(frame).to_bytes(4, "little"), frame]
    return b"".join(parts)


@router.get("/plans/{ident}/values", response_class=Response)
async def get_plan_values(ident: UUID, rooms: OpenRooms, board: OpenBoard) -> Response:
    """What the sets on vertices would hold on the planned mesh."""
    job, plan = _plan(board, ident)
    if plan.kind == "level":
        raise Refusal("A level is shown once it is kept.", "Keep it, then look at the level.")
    async with rooms.enter(job.owner) as room:
        data = await room.call(_plan_values, room.surface, plan)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-store"})


# Groups


class GroupBy(_Wish):
    act: Literal["by"] = "by"
    grouping: Grouping


class GroupFaces(_Wish):
    act: Literal["faces"] = "faces"
    name: Name
    faces: FacesOf


class MergeGroups(_Wish):
    act: Literal["merge"] = "merge"
    groups: Annotated[list[str], Field(min_length=2)]
    name: Name


class RenameGroup(_Wish):
    act: Literal["rename"] = "rename"
    group: str
    name: Name


class HardBorder(_Wish):
    """on: split the vertices along the groups' border; off: join them again."""

    act: Literal["hard"] = "hard"
    groups: Annotated[list[str], Field(min_length=1)]
    on: bool


GroupAct = Annotated[
    GroupBy | GroupFaces | MergeGroups | RenameGroup | HardBorder, Field(discriminator="act")
]


def _grouped(surface: LiveSurface, act: Any) -> Outcome:
    mesh = surface.shape.mesh
    names = {g.name for g in mesh.groups}
    missing = set(getattr(act, "groups", [])) - names
    if missing:
        raise Refusal(f"There is no group {', '.join(sorted(missing))}.", "Look at the list again.")
    if isinstance(act, HardBorder):
        return _bordered(surface, act)
    match act:
        case GroupBy():
            label, (new, _) = f"Group by {act.grouping.by}", group_by(mesh, act.grouping)
        case GroupFaces():
            label, (new, _) = f"Group {act.name}", group_of(mesh, act.name, _faces(surface, act.faces))
        case MergeGroups():
            label, (new, _) = f"Merge into {act.name}", merged(mesh, act.groups, act.name)
        case RenameGroup():
            if act.group not in names:
                raise Refusal(f"There is no group {act.group}.", "Look at the list again.")
            if act.name in names - {act.group}:
                raise Refusal(f"There is a group {act.name} already.", "Choose another name.")
            label, new = f"Rename {act.group} to {act.name}", renamed(mesh, act.group, act.name)
        case _:
            raise Refusal("This is not an act on groups.", "Load the page again.")
    return surface.change_state(
        "group", label, lambda state: on_changed_mesh(state, new, (), _carries(state))
    )


def _carries(state: SurfaceState) -> tuple[Any, ...]:
    """Where levels find their paint, when no vertex has moved."""
    return tuple(level.carry for level in state.levels)


def _bordered(surface: LiveSurface, act: HardBorder) -> Outcome:
    mesh = surface.shape.mesh
    faces = group_mask(mesh, act.groups)
    parted = (hard_border if act.on else soft_border)(mesh, faces)
    named = act.groups[0] if len(act.groups) == 1 else f"{len(act.groups)} groups"
    verb = "Hard" if act.on else "Soft"
    count = f"{parted.added:+d} vertices"
    return surface.change_state(
        "border",
        f"{verb} border of {named} ({count})",
        lambda state: on_changed_mesh(state, parted.mesh, parted.lineage, None),
    )


@router.post("/surfaces/{ident}/groups")
async def change_groups(ident: UUID, act: GroupAct, rooms: OpenRooms) -> Kept:
    """Group faces, name, merge, harden or soften borders; each can be undone."""
    async with rooms.enter(ident) as room:
        outcome = await room.call(_grouped, room.surface, act)
        room.tell_outcome(outcome)
        return Kept(label=outcome.saved.label)


# Channel sets and levels


class NewSet(_Wish):
    """copy_of: start with the values of another set, converted where the sites differ."""

    name: Name
    sites: SiteKind
    bits: Literal[8, 16] = 16
    channels: Annotated[int, Field(ge=1, le=4)] = 4
    copy_of: UUID | None = None


MOST_SETS = 8


def _added(surface: LiveSurface, new: NewSet) -> Outcome:
    if len([s for s in surface.sets() if s.follows is None]) >= MOST_SETS:
        raise Refusal(f"A surface has at most {MOST_SETS} channel sets.", "Remove one first.")
    if isinstance(new.sites, TexelSites) and not surface.shape.mesh.uvs:
        raise Refusal("The mesh has no UVs for texels to lie on.", "Unwrap it first, in Prepare.")
    if isinstance(new.sites, VertexSites) and new.sites.level:
        raise Refusal("Sets are added to level 0; levels follow.", "Choose level 0.")
    names = [ChannelDocument(name=f"Channel {letter}") for letter in CHANNEL_LETTERS[: new.channels]]
    source = surface.set_of(new.copy_of) if new.copy_of is not None else None
    if source is not None:
        names = [ChannelDocument(name=c.name) for c in source.document.channels]
    document = ChannelSetDocument(name=new.name, channels=tuple(names), bits=new.bits)
    try:
        sites = surface.shape.sites(new.sites)
    except ValueError as error:
        raise Refusal(str(error), "Unwrap the mesh anew, in Prepare.") from error
    values = surface.converted(source, sites) if source is not None else None
    channels = values or empty_channels(sites.count, [0.0] * len(names))

    def change(state: SurfaceState) -> SurfaceState:
        entry = SetState(uuid4(), new.sites, document, channels)
        followers = []
        if _lies_on_level_0(entry):
            followers = [follower(entry, number, level) for number, level in enumerate(state.levels, 1)]
        return replace(state, sets=(*state.sets, entry, *followers))

    return surface.change_state("set", f"Add {new.name}", change)


@router.post("/surfaces/{ident}/sets", status_code=201)
async def add_set(ident: UUID, new: NewSet, rooms: OpenRooms) -> Kept:
    async with rooms.enter(ident) as room:
        outcome = await room.call(_added, room.surface, new)
        room.tell_outcome(outcome)
        return Kept(label=outcome.saved.label)


def _readers(session: Session, surface: UUID, channel_set: UUID) -> list[str]:
    return [
        layer.name
        for layer in blend_document(session, surface).layers
        if layer.mask.channel_set == channel_set
    ]


def _removed(surface: LiveSurface, channel_set: UUID) -> Outcome:
    found = surface.set_of(channel_set)
    if found.follows is not None:
        raise Refusal("Sets of lower levels follow those of level 0.", "Remove the set there.")
    bases = [s for s in surface.sets() if s.follows is None]
    if len(bases) == 1:
        raise Refusal("A surface keeps one channel set at least.", "Add another one first.")
    gone = {channel_set, *(s.id for s in surface.sets() if s.follows == channel_set)}
    return surface.change_state(
        "set",
        f"Remove {found.document.name}",
        lambda state: replace(state, sets=tuple(s for s in state.sets if s.id not in gone)),
    )


@router.delete("/surfaces/{ident}/sets/{channel_set}")
async def remove_set(ident: UUID, channel_set: UUID, session: DatabaseSession, rooms: OpenRooms) -> Kept:
    """Take a set away with its paint; undo brings both back."""
    readers = _readers(session, ident, channel_set)
    if readers:
        raise Refusal(
            f"{', '.join(readers)} {'reads' if len(readers) == 1 else 'read'} this set.",
            "Let the layers read another channel first.",
        )
    async with rooms.enter(ident) as room:
        outcome = await room.call(_removed, room.surface, channel_set)
        room.tell_outcome(outcome)
        return Kept(label=outcome.saved.label)


def _without_last_level(surface: LiveSurface) -> Outcome:
    number = len(surface.shape.levels)
    if number == 0:
        raise Refusal("There is no lower level.", "Make one first.")

    def change(state: SurfaceState) -> SurfaceState:
        kept = tuple(
            s for s in state.sets if not (isinstance(s.sites, VertexSites) and s.sites.level == number)
        )
        return SurfaceState(state.mesh, state.levels[:-1], kept)

    return surface.change_state("level", f"Remove level {number}", change)


@router.delete("/surfaces/{ident}/levels")
async def remove_last_level(ident: UUID, rooms: OpenRooms) -> Kept:
    """Take the lowest level away."""
    async with rooms.enter(ident) as room:
        outcome = await room.call(_without_last_level, room.surface)
        room.tell_outcome(outcome)
        return Kept(label=outcome.saved.label)
