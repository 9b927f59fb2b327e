"""What stands around a surface."""

from uuid import UUID

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ashblend.core.surface.neighbours import Surroundings
from ashblend.store.documents import write_document
from ashblend.store.models import Surface
from ashblend.store.models import Surroundings as Row


def surroundings_of(session: Session, surface: UUID) -> tuple[int, Surroundings]:
    """Revision and document; what has gone into the bin, or for good, stands nowhere."""
    row = session.get(Row, surface)
    if row is None:
        return 1, Surroundings()
    document = Surroundings.model_validate(row.document)
    there = set(neighbours_for(session, surface))
    return row.revision, Surroundings(neighbours=tuple(n for n in document.neighbours if n.surface in there))


def neighbours_for(session: Session, surface: UUID) -> dict[UUID, str]:
    """Names of what may stand around a surface: the others of its project."""
    own = session.get_one(Surface, surface)
    rows = session.execute(
        select(Surface.id, Surface.name)
        .where(Surface.project_id == own.project_id, Surface.id != surface, Surface.removed_at.is_(None))
        .order_by(Surface.created_at)
    )
    return {row.id: row.name for row in rows}


def write_surroundings(session: Session, surface: UUID, revision: int, document: Surroundings) -> int:
    """The new revision. Raises StaleRevision."""
    session.execute(
        insert(Row)
        .values(id=surface, document=Surroundings().model_dump(mode="json"), revision=1)
        .on_conflict_do_nothing()
    )
    return write_document(session, Row, surface, revision, document.model_dump(mode="json"))
