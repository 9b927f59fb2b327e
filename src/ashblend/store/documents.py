"""Writing documents that carry a revision."""

from typing import Any, TypeVar
from uuid import UUID

from sqlalchemy import update
from sqlalchemy.orm import Session

from ashblend.store.errors import Missing, StaleRevision
from ashblend.store.models import Blend, ChannelSet, Material, Surroundings

Row = TypeVar("Row", ChannelSet, Blend, Material, Surroundings)


def get_row(session: Session, table: type[Row], ident: UUID) -> Row:
    """A row by its id. Raises Missing."""
    row = session.get(table, ident)
    if row is None:
        raise Missing(table.__tablename__.replace("_", " "), ident)
    return row


def write_document(
    session: Session, table: type[Row], ident: UUID, revision: int, document: dict[str, Any]
) -> int:
    """Replace a document made from `revision`; the new revision. Raises Missing, StaleRevision.

    Compares and writes in one statement, so of two writers one wins and the other is told.
    """
    written = session.scalar(
        update(table)
        .where(table.id == ident, table.revision == revision)
        .values(document=document, revision=table.revision + 1)
        .returning(table.revision)
    )
    if written is None:
        session.expire_all()
        kept = get_row(session, table, ident)
        raise StaleRevision(table.__tablename__.replace("_", " "), revision, kept.revision)
    return int(written)
