"""The list of steps with pictures, and named snapshots."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Path, Request, Response
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ashblend.core.prepare.carry import carry_over
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.kinds.protocol import MeshChange
from ashblend.core.surface.open_set import OpenSet
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.shapes import shape_of
from ashblend.core.surface.state import SurfaceState
from ashblend.server.live.frames import full_frame
from ashblend.server.routes.parts import DatabaseSession, Name, OpenDatabase, OpenRooms
from ashblend.server.routes.small_pictures import picture_answer, sent_picture
from ashblend.session import history as live
from ashblend.session.surface import OpenSurface
from ashblend.store.journal import Step
from ashblend.store.snapshots import (
    get_last_view,
    get_snapshot,
    get_step_picture,
    pictured_steps,
    put_last_view,
    put_step_picture,
    snapshots_of,
)
from ashblend.store.states import get_state

router = APIRouter(prefix="/api", tags=["history"])

LONGEST = 400
StepNumber = Annotated[int, Path(ge=0, le=2**31 - 1)]


class StepView(BaseModel):
    """in_force: false for steps taken back. picture: whether there is one. on: the channel that it changed, where that
    was one.
    """

    number: int
    label: str
    made_at: datetime | None
    in_force: bool
    picture: bool
    on: ChannelAddress | None


class SnapshotView(BaseModel):
    id: UUID
    name: str
    made_at: datetime


class HistoryView(BaseModel):
    """steps: oldest first. left_out: how many older ones are not listed."""

    steps: list[StepView]
    left_out: int
    snapshots: list[SnapshotView]


def _kept_of(session: Session, ident: UUID) -> tuple[set[int], list[SnapshotView]]:
    snapshots = [SnapshotView(id=s.id, name=s.name, made_at=s.made_at) for s in snapshots_of(session, ident)]
    return pictured_steps(session, ident), snapshots


@router.get("/surfaces/{ident}/history")
async def get_history(ident: UUID, database: OpenDatabase, rooms: OpenRooms) -> HistoryView:
    async with rooms.enter(ident) as room:
        done, undone = await room.call(live.steps, room.surface)
    pictures, snapshots = await database.transact(_kept_of, ident)

    def view(step: Step, in_force: bool) -> StepView:
        return StepView(
            number=step.number,
            label=step.label,
            made_at=step.made_at,
            in_force=in_force,
            picture=step.number in pictures,
            on=step.address,
        )

    steps = [*(view(s, True) for s in done), *(view(s, False) for s in undone)]
    return HistoryView(
        steps=steps[-LONGEST:],
        left_out=max(0, len(steps) - LONGEST),
        snapshots=snapshots,
    )


@router.put("/surfaces/{ident}/steps/{number}/picture", status_code=204)
async def put_step_view_picture(
    ident: UUID, number: StepNumber, request: Request, database: OpenDatabase
) -> None:
    """What the surface looks like after a step."""
    await database.transact(put_step_picture, ident, number, await sent_picture(request))


@router.get("/surfaces/{ident}/steps/{number}/picture", response_class=Response)
def get_step_view_picture(ident: UUID, number: StepNumber, session: DatabaseSession) -> Response:
    return picture_answer(get_step_picture(session, ident, number), "no-cache")


@router.put("/surfaces/{ident}/view", status_code=204)
async def put_view(ident: UUID, request: Request, database: OpenDatabase) -> None:
    """What the surface looks like now, for the start page."""
    await database.transact(put_last_view, ident, await sent_picture(request))


@router.get("/surfaces/{ident}/view", response_class=Response)
def get_view(ident: UUID, session: DatabaseSession) -> Response:
    return picture_answer(get_last_view(session, ident), "no-cache")


class NewSnapshot(BaseModel):
    name: Name


@router.post("/surfaces/{ident}/snapshots", status_code=201)
async def take_snapshot(ident: UUID, new: NewSnapshot, rooms: OpenRooms) -> SnapshotView:
    """Keep the surface as it is now under a name."""
    async with rooms.enter(ident) as room:
        row = await room.call(live.take_snapshot, room.surface, new.name)
    return SnapshotView(id=row.id, name=row.name, made_at=row.made_at)


@router.post("/surfaces/{ident}/snapshots/{snapshot}/restore")
async def restore_snapshot(
    ident: UUID, snapshot: UUID, rooms: OpenRooms, database: OpenDatabase
) -> SnapshotView:
    """Bring the surface back to a snapshot, as a step that can be undone."""
    async with rooms.enter(ident) as room:
        await room.act(live.restore, room.surface, snapshot)
    row = await database.transact(get_snapshot, snapshot)
    return SnapshotView(id=row.id, name=row.name, made_at=row.made_at)


@router.delete("/surfaces/{ident}/snapshots/{snapshot}", status_code=204)
def delete_snapshot(ident: UUID, snapshot: UUID, session: DatabaseSession) -> None:
    session.delete(get_snapshot(session, snapshot))


def _values(surface: OpenSurface, state: SurfaceState) -> bytes:
    """Frames of the snapshot's values for the sets shown now, each behind its length.

    Where the mesh has changed since, they are carried over by closest place, to look at only.
    """
    shape = surface.shape
    then = shape_of(state.mesh, state.levels)
    mesh, sites = shape.mesh, shape.vertices()
    same = mesh.vertex_count == state.mesh.vertex_count and bool(
        (mesh.positions == state.mesh.positions).all()
    )
    lineage = () if same else carry_over(state.mesh, mesh.positions, sites.normals).lineage
    change = MeshChange(then, shape, {0: lineage}, same_map=same)
    parts: list[bytes] = []
    kept = {entry.id: entry for entry in state.sets}
    for number, found in enumerate(surface.sets.values()):
        entry = kept.get(found.id)
        if entry is None or found.level or entry.sites.kind != found.kind.kind:
            continue
        channels = entry.sites.moved(entry.channels, change, found.kind)
        if channels is None or channels[0].extent != found.sites.layout.extent:
            continue
        shown = OpenSet(found.id, found.kind, found.document, 0, list(channels), found.sites)
        frame = full_frame(number, shown, range(len(channels)))
        parts += [len(frame).to_bytes(4, "little"), frame]
    return b"".join(parts)


@router.get("/surfaces/{ident}/steps/{number}/values", response_class=Response)
async def get_step_values(ident: UUID, number: StepNumber, rooms: OpenRooms) -> Response:
    """What the sets of level 0 held after a step, for a picture of it."""

    def values(surface: OpenSurface) -> bytes:
        known = {s.number for s in (*surface.ledger.history.done, *surface.ledger.history.undone)}
        if number not in known:
            raise Refusal("This step is no longer in the history.", "Look at the list again.")
        return _values(surface, surface.state_after(number) or surface.state())

    async with rooms.enter(ident) as room:
        data = await room.call(values, room.surface)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-store"})


def _state_of(session: Session, snapshot: UUID) -> SurfaceState:
    return get_state(session, get_snapshot(session, snapshot).state)


@router.get("/surfaces/{ident}/snapshots/{snapshot}/values", response_class=Response)
async def get_snapshot_values(
    ident: UUID, snapshot: UUID, database: OpenDatabase, rooms: OpenRooms
) -> Response:
    """What the sets of level 0 held in a snapshot, to compare with."""
    state = await database.transact(_state_of, snapshot)
    async with rooms.enter(ident) as room:
        data = await room.call(_values, room.surface, state)
    return Response(data, media_type="application/octet-stream", headers={"cache-control": "no-store"})
