"""The bin: what was deleted can be had back for two weeks, then it is gone."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal
from uuid import UUID

from sqlalchemy import ColumnElement, delete, func, select
from sqlalchemy.orm import Session

from ashblend.store.errors import Missing
from ashblend.store.models import Project, Surface

KEPT = timedelta(days=14)
Kind = Literal["project", "surface"]


@dataclass(frozen=True)
class Removed:
    """Something in the bin. home: name of the project that a surface was in."""

    kind: Kind
    id: UUID
    name: str
    home: str
    removed_at: datetime
    gone_at: datetime


def _row(session: Session, kind: Kind, ident: UUID) -> Project | Surface:
    row = session.get(Project, ident) if kind == "project" else session.get(Surface, ident)
    if row is None:
        raise Missing(kind, ident)
    return row


def remove(session: Session, kind: Kind, ident: UUID) -> None:
    """Put into the bin. Raises Missing."""
    row = _row(session, kind, ident)
    if row.removed_at is not None:
        raise Missing(kind, ident)
    row.removed_at = session.scalar(select(func.clock_timestamp()))


def restore(session: Session, kind: Kind, ident: UUID) -> None:
    """Take out of the bin; with a surface the project that it is in. Raises Missing."""
    row = _row(session, kind, ident)
    row.removed_at = None
    if isinstance(row, Surface):
        session.get_one(Project, row.project_id).removed_at = None


def removed(session: Session) -> list[Removed]:
    """What lies in the bin, newest first."""
    found = [
        Removed("project", p.id, p.name, p.name, p.removed_at, p.removed_at + KEPT)
        for p in session.scalars(select(Project).where(Project.removed_at.is_not(None)))
        if p.removed_at is not None
    ]
    rows = session.execute(
        select(Surface, Project.name)
        .join(Project, Project.id == Surface.project_id)
        .where(Surface.removed_at.is_not(None))
    )
    found += [
        Removed("surface", s.id, s.name, home, s.removed_at, s.removed_at + KEPT)
        for s, home in rows
        if s.removed_at is not None
    ]
    return sorted(found, key=lambda entry: entry.removed_at, reverse=True)


def empty(session: Session, older_than: timedelta = KEPT) -> int:
    """Delete for good what has lain in the bin for so long; how many."""
    gone = 0
    for table in (Surface, Project):
        due: ColumnElement[bool] = table.removed_at < func.clock_timestamp() - older_than
        gone += len(session.scalars(delete(table).where(due).returning(table.id)).all())
    return gone
