"""Long work on open surfaces: begun, taken up after a restart, and news of it."""

from uuid import UUID

from pydantic import BaseModel

from ashblend.core.formats import Limits
from ashblend.jobs.board import Board, Job
from ashblend.jobs.plans import Plan
from ashblend.server.live.messages import JobNews
from ashblend.server.live.room import Room
from ashblend.server.plans import work_for
from ashblend.server.wishes import ANY_WISH, AnyWish
from ashblend.store.jobs import job_input, unfinished_jobs


class JobView(BaseModel):
    id: UUID
    title: str


def job_news(job: Job) -> JobNews:
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


async def start_job(
    board: Board, room: Room, wish: AnyWish, limits: Limits, data: bytes | None = None
) -> JobView:
    """Begin working a wish out; news go to all windows of the surface. data: its uploaded file."""
    surface = room.surface
    title, work = await room.call(work_for, surface, wish, data, limits)
    job = board.start(
        surface.ident,
        title,
        wish.model_dump(mode="json"),
        surface.shape.number,
        work,
        lambda job: room.tell_soon(job_news(job)),
        data,
    )
    return JobView(id=job.id, title=job.title)


async def take_up_jobs(board: Board, room: Room, limits: Limits) -> None:
    """Begin anew what was under way on a surface when the server ended, or note that it cannot be."""
    surface = room.surface
    with surface.sessions() as session:
        found = [
            (row.id, row.title, row.wish, row.shape, job_input(session, row))
            for row in unfinished_jobs(session, surface.ident)
            if board.find(row.id) is None
        ]
    for ident, title, wish, shape, data in found:
        if shape != surface.shape.number:
            board.end(ident, "The mesh has changed since.")
            continue
        try:
            _, work = await room.call(work_for, surface, ANY_WISH.validate_python(wish), data, limits)
        except ValueError as error:
            board.end(ident, str(error))
            continue
        board.take_up(surface.ident, title, ident, work, lambda job: room.tell_soon(job_news(job)))
