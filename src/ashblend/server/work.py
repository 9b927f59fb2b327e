"""Long work on open surfaces: begun, taken up after a restart, and news of it."""

import asyncio
import contextlib
from functools import partial
from typing import Any
from uuid import UUID, uuid4

from pydantic import BaseModel
from sqlalchemy.exc import SQLAlchemyError

from ashblend.core.formats.errors import Limits
from ashblend.core.progress import Progress
from ashblend.core.recipe.document import Recipe
from ashblend.core.sites.mesh import Mesh
from ashblend.core.surface.refusal import Refusal
from ashblend.jobs.board import Board, Job
from ashblend.jobs.plans import Plan
from ashblend.server.live.messages import JobNews, Refused
from ashblend.server.live.room import NOT_KEPT, NOT_KEPT_REMEDY, Done, Room, Surveying
from ashblend.session import surveying
from ashblend.session.plans import work_for
from ashblend.session.surface import OpenSurface
from ashblend.session.wishes import ANY_WISH, AnyWish, Survey
from ashblend.store.errors import StaleRevision
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
    board: Board,
    room: Room,
    wish: AnyWish,
    limits: Limits,
    data: bytes | None = None,
    read: Mesh | None = None,
) -> JobView:
    """Begin working a wish out; news go to all windows of the surface. data: its uploaded file, and the mesh that it was
    read as where it is one.
    """
    surface = room.surface
    title, work = await room.call(work_for, surface, wish, data, limits, read)
    job = await asyncio.to_thread(
        board.start,
        surface.ident,
        title,
        wish.model_dump(mode="json"),
        surface.shape.number,
        work,
        lambda job: room.tell_soon(job_news(job)),
        data,
    )
    return JobView(id=job.id, title=job.title)


async def survey(
    board: Board, room: Room, wish: Survey, ident: UUID | None = None, patient: bool = True
) -> Done | None:
    """Run an undercoat; or begin what must be measured before, and None: when all is there, it is run as one step.

    Windows see it rough first. A later wish about the same channel takes the place of one under way. ident: of a job
    that is taken up. patient: waits for a stroke that is being painted. Raises Refusal.
    """
    surface = room.surface
    work = partial(surveying.undercoat, surface, wish.on, wish.recipe, wish.layer)
    # Gone before the undercoat is run: what was measured for an older wish must not be laid over it.
    before = room.surveys.pop(wish.on, None)
    try:
        while (found := await room.attempt(work)) is None:
            if not patient:
                surface.require_quiet()
            await room.quiet()
    except BaseException:
        if before is not None:
            room.surveys.setdefault(wish.on, before)
        raise
    if before is not None:
        await asyncio.to_thread(board.drop, before.job)
    if isinstance(found, Done):
        return found

    def show() -> None:
        room.run_soon(_show_roughly(room, wish, found.recipe))

    def tell(job: Job) -> None:
        over = job.state not in ("waiting", "running")
        room.run_soon(_tell_survey(room, wish, _survey_news(job, wish), over))
        if over:
            room.run_soon(_finish(board, room, wish, job))

    name, named = surveying.title(found), ident or uuid4()
    # Before it begins, as its first news may come before whoever began it goes on. One that came meanwhile gives way.
    meanwhile = room.surveys.get(wish.on)
    room.surveys[wish.on] = Surveying(wish, named)
    if meanwhile is not None:
        await asyncio.to_thread(board.drop, meanwhile.job)

    def begin() -> None:
        def work(progress: Progress) -> object:
            return surveying.work_out(found, show, progress)

        if ident is not None:
            board.take_up(surface.ident, name, ident, work, tell)
        else:
            stored = wish.model_dump(mode="json")
            board.start(surface.ident, name, stored, surface.shape.number, work, tell, ident=named)

    try:
        await asyncio.to_thread(begin)
    except BaseException:
        if _current(room, wish):
            del room.surveys[wish.on]
        raise
    if not _current(room, wish) and board.find(named) is not None and not _over(board, named):
        # Another wish took its place while it was being kept.
        await asyncio.to_thread(board.drop, named)
    return None


def _over(board: Board, ident: UUID) -> bool:
    job = board.find(ident)
    return job is None or job.state not in ("waiting", "running")


def _survey_news(job: Job, wish: Survey) -> JobNews:
    return job_news(job).model_copy(update={"kind": "survey", "facts": wish.on.model_dump(mode="json")})


def _current(room: Room, wish: Survey) -> bool:
    under_way = room.surveys.get(wish.on)
    return under_way is not None and under_way.wish is wish


async def _tell_survey(room: Room, wish: Survey, news: JobNews, over: bool) -> None:
    # Windows would take one that another has taken the place of for the one that can be stopped.
    if over or _current(room, wish):
        room.tell(news)


async def _show_roughly(room: Room, wish: Survey, recipe: Recipe) -> None:
    if not _current(room, wish):
        return
    with contextlib.suppress(Refusal):
        frames = await room.show(
            lambda: [surveying.trial(room.surface, wish.on, recipe, bare=False, glancing=True)]
        )
        if _current(room, wish):
            room.tell(*frames)


async def _finish(board: Board, room: Room, wish: Survey, job: Job) -> None:
    """Run the undercoat. Then, and where it was stopped, windows are shown what is kept: they may have seen it rough,
    and where that came out as it was before, no step would tell them.
    """
    if room.left:
        await asyncio.to_thread(board.drop, job.id)
        return
    room.finishing.add(job.id)
    current = _current(room, wish)
    if current:
        del room.surveys[wish.on]
    done = None
    try:
        # On another mesh by now it begins anew.
        if job.state == "done" and current:
            done = await survey(board, room, wish)
    except (Refusal, StaleRevision) as error:
        room.tell(Refused(problem=str(error), remedy=getattr(error, "remedy", "Run it again.")))
    except SQLAlchemyError:
        room.tell(Refused(problem=NOT_KEPT, remedy=NOT_KEPT_REMEDY))
    finally:
        room.finishing.discard(job.id)
        if wish.on not in room.surveys:
            room.tell(*await room.show(surveying.as_kept, room.surface, wish.on))
        if done is not None:
            done.tell()
        await asyncio.to_thread(board.drop, job.id)


def _lost(board: Board, surface: OpenSurface) -> list[tuple[UUID, str, dict[str, Any], int, bytes | None]]:
    """Jobs of a surface that nobody works on."""
    with surface.sessions() as session:
        return [
            (row.id, row.title, row.wish, row.shape, job_input(session, row))
            for row in unfinished_jobs(session, surface.ident)
            if board.find(row.id) is None
        ]


async def _take_up_survey(board: Board, room: Room, wish: Survey, ident: UUID) -> None:
    try:
        done = await survey(board, room, wish, ident)
    except Refusal as refusal:
        await asyncio.to_thread(board.end, ident, str(refusal))
        return
    if done is not None:
        # All had been measured when the server ended.
        await asyncio.to_thread(board.end, ident, "")
        done.tell()


async def take_up_jobs(board: Board, room: Room, limits: Limits) -> None:
    """Begin anew what was under way on a surface when the server ended, or note that it cannot be."""
    surface = room.surface
    for ident, title, wish, shape, data in await asyncio.to_thread(_lost, board, surface):
        if shape != surface.shape.number:
            await asyncio.to_thread(board.end, ident, "The mesh has changed since.")
            continue
        parsed = ANY_WISH.validate_python(wish)
        if isinstance(parsed, Survey):
            await _take_up_survey(board, room, parsed, ident)
            continue
        try:
            _, work = await room.call(work_for, surface, parsed, data, limits)
        except ValueError as error:
            await asyncio.to_thread(board.end, ident, str(error))
            continue
        board.take_up(surface.ident, title, ident, work, lambda job: room.tell_soon(job_news(job)))
