"""Named states of a surface, small pictures of its steps, and of how it was last looked at."""

from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ashblend.core.surface.state import SurfaceState
from ashblend.store.errors import Missing
from ashblend.store.models import LastView, Snapshot, StepPicture, Surface
from ashblend.store.states import put_state


def create_snapshot(session: Session, surface: UUID, name: str, entry: int, state: SurfaceState) -> Snapshot:
    row = Snapshot(surface_id=surface, name=name, entry=entry, state=put_state(session, state))
    session.add(row)
    session.flush()
    return row


def snapshots_of(session: Session, surface: UUID) -> Sequence[Snapshot]:
    return session.scalars(
        select(Snapshot).where(Snapshot.surface_id == surface).order_by(Snapshot.made_at)
    ).all()


def get_snapshot(session: Session, ident: UUID) -> Snapshot:
    row = session.get(Snapshot, ident)
    if row is None:
        raise Missing("snapshot", ident)
    return row


def put_step_picture(session: Session, surface: UUID, number: int, data: bytes) -> None:
    """Keep the picture of a journal entry; a later one replaces it. Raises Missing."""
    if session.get(Surface, surface) is None:
        raise Missing("surface", surface)
    statement = insert(StepPicture).values(surface_id=surface, number=number, data=data)
    session.execute(
        statement.on_conflict_do_update(
            index_elements=["surface_id", "number"], set_={"data": statement.excluded.data}
        )
    )


def get_step_picture(session: Session, surface: UUID, number: int) -> bytes:
    """Raises Missing."""
    row = session.get(StepPicture, (surface, number))
    if row is None:
        raise Missing("picture of step", str(number))
    return row.data


def pictured_steps(session: Session, surface: UUID) -> set[int]:
    """Journal numbers that have a picture."""
    return set(session.scalars(select(StepPicture.number).where(StepPicture.surface_id == surface)))


def put_last_view(session: Session, surface: UUID, data: bytes) -> None:
    """Keep what a surface looks like, in the place of the last such picture. Raises Missing."""
    if session.get(Surface, surface) is None:
        raise Missing("surface", surface)
    statement = insert(LastView).values(surface_id=surface, data=data)
    session.execute(
        statement.on_conflict_do_update(
            index_elements=["surface_id"],
            set_={"data": statement.excluded.data, "made_at": func.clock_timestamp()},
        )
    )


def get_last_view(session: Session, surface: UUID) -> bytes:
    """Raises Missing."""
    row = session.get(LastView, surface)
    if row is None:
        raise Missing("picture of surface", surface)
    return row.data


def views_made(session: Session, surfaces: Sequence[UUID]) -> dict[UUID, datetime]:
    """When the last view of each of some surfaces was kept."""
    rows = session.execute(
        select(LastView.surface_id, LastView.made_at).where(LastView.surface_id.in_(surfaces))
    )
    return {row[0]: row[1] for row in rows}
