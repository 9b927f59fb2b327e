"""Long work, kept: what was asked for, from which revision of the mesh, how far it is."""

from collections.abc import Sequence
from typing import Any
from uuid import UUID, uuid4

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from ashblend.store.blobs import get_blob, put_blob
from ashblend.store.models import Job

UNFINISHED = ("waiting", "running")


def create_job(
    session: Session,
    surface: UUID,
    title: str,
    wish: dict[str, Any],
    shape: int,
    data: bytes | None,
    ident: UUID | None = None,
) -> Job:
    """data: a file that the work needs. ident: what it is called, where that is settled already."""
    row = Job(
        id=ident or uuid4(),
        surface_id=surface,
        title=title,
        wish=wish,
        shape=shape,
        input=put_blob(session, data) if data is not None else None,
    )
    session.add(row)
    session.flush()
    return row


def job_input(session: Session, row: Job) -> bytes | None:
    return get_blob(session, row.input) if row.input is not None else None


def note_job(session: Session, ident: UUID, state: str, progress: float, problem: str = "") -> None:
    session.execute(
        update(Job).where(Job.id == ident).values(state=state, progress=progress, problem=problem[:400])
    )


def unfinished_jobs(session: Session, surface: UUID) -> Sequence[Job]:
    """Work that was under way, oldest first."""
    return session.scalars(
        select(Job).where(Job.surface_id == surface, Job.state.in_(UNFINISHED)).order_by(Job.made_at)
    ).all()


def end_lost_results(session: Session) -> None:
    """After a restart nothing that was made and not kept is there any more."""
    session.execute(
        update(Job).where(Job.state == "done").values(state="ended", problem="The server was restarted.")
    )
