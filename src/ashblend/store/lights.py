"""Lights that a project keeps, how its surfaces are looked at, and from where."""

from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ashblend.core.light.document import Light
from ashblend.core.light.sight import Sight, Stand
from ashblend.core.surface.refusal import Refusal
from ashblend.store.errors import Missing
from ashblend.store.models import Bookmark, KeptLight
from ashblend.store.models import Sight as Row
from ashblend.store.projects import get_project
from ashblend.store.surfaces import get_surface

MOST_LIGHTS = 40
MOST_BOOKMARKS = 40


def keep_light(session: Session, project: UUID, name: str, light: Light) -> KeptLight:
    """Raises Missing, Refusal."""
    get_project(session, project)
    kept = session.scalar(select(func.count()).where(KeptLight.project_id == project)) or 0
    if kept >= MOST_LIGHTS:
        raise Refusal(f"This project keeps {MOST_LIGHTS} lights already.", "Let one of them go first.")
    row = KeptLight(project_id=project, name=name, document=light.model_dump(mode="json"))
    session.add(row)
    session.flush()
    return row


def kept_lights(session: Session, project: UUID) -> list[KeptLight]:
    """Oldest first."""
    return list(
        session.scalars(
            select(KeptLight)
            .where(KeptLight.project_id == project)
            .order_by(KeptLight.created_at, KeptLight.id)
        )
    )


def get_kept_light(session: Session, ident: UUID) -> KeptLight:
    """Raises Missing."""
    row = session.get(KeptLight, ident)
    if row is None:
        raise Missing("light", ident)
    return row


def mark_place(session: Session, surface: UUID, name: str, stand: Stand) -> Bookmark:
    """Raises Missing, Refusal."""
    get_surface(session, surface)
    kept = session.scalar(select(func.count()).where(Bookmark.surface_id == surface)) or 0
    if kept >= MOST_BOOKMARKS:
        raise Refusal(f"This surface has {MOST_BOOKMARKS} views already.", "Let one of them go first.")
    row = Bookmark(surface_id=surface, name=name, document=stand.model_dump(mode="json"))
    session.add(row)
    session.flush()
    return row


def bookmarks_of(session: Session, surface: UUID) -> list[Bookmark]:
    """Oldest first."""
    return list(
        session.scalars(
            select(Bookmark).where(Bookmark.surface_id == surface).order_by(Bookmark.created_at, Bookmark.id)
        )
    )


def get_bookmark(session: Session, ident: UUID) -> Bookmark:
    """Raises Missing."""
    row = session.get(Bookmark, ident)
    if row is None:
        raise Missing("view", ident)
    return row


def sight_of(session: Session, surface: UUID) -> Sight:
    """As it was last; a first one before anybody looked. Raises Missing."""
    get_surface(session, surface)
    row = session.get(Row, surface)
    return Sight.model_validate(row.document) if row else Sight()


def write_sight(session: Session, surface: UUID, sight: Sight) -> None:
    """The last one who looked is kept. Raises Missing."""
    get_surface(session, surface)
    document = sight.model_dump(mode="json")
    session.execute(
        insert(Row)
        .values(surface_id=surface, document=document)
        .on_conflict_do_update(index_elements=[Row.surface_id], set_={"document": document})
    )
