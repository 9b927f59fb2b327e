"""Projects and what is in them."""

from collections.abc import Sequence
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from ashblend.store.errors import Missing
from ashblend.store.models import Material, Project, Surface


def list_projects(session: Session) -> list[tuple[Project, int]]:
    """All projects outside the bin with their number of surfaces, newest first."""
    rows = session.execute(
        select(Project, func.count(Surface.id))
        .outerjoin(Surface, (Surface.project_id == Project.id) & Surface.removed_at.is_(None))
        .where(Project.removed_at.is_(None))
        .group_by(Project.id)
        .order_by(Project.created_at.desc())
    )
    return [(project, int(count)) for project, count in rows]


def create_project(session: Session, name: str) -> Project:
    project = Project(name=name)
    session.add(project)
    session.flush()
    return project


def get_project(session: Session, ident: UUID) -> Project:
    project = session.get(Project, ident)
    if project is None or project.removed_at is not None:
        raise Missing("project", ident)
    return project


def surfaces_of(session: Session, project: UUID) -> Sequence[Surface]:
    return session.scalars(
        select(Surface)
        .where(Surface.project_id == project, Surface.removed_at.is_(None))
        .order_by(Surface.created_at)
    ).all()


def materials_of(session: Session, project: UUID) -> Sequence[Material]:
    return session.scalars(
        select(Material).where(Material.project_id == project).order_by(Material.created_at, Material.id)
    ).all()
