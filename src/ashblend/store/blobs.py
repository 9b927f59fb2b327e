"""Content-addressed bytes."""

import hashlib
from datetime import UTC, datetime, timedelta

from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ashblend.store.errors import Missing
from ashblend.store.models import Blob, BlobPart

PART = 256 * 1024


# Bytes put so lately need no new date yet: a sweep leaves them for much longer.
FRESH = timedelta(minutes=10)


def again(session: Session, sha: str) -> bool:
    """Ask for bytes that are there already to be kept; whether they are.

    Their row is written, so that a sweep under way sees it: it waits for this transaction and then looks again.
    One that is fresh is not: writers that put the same files in another order would wait for each other.
    """
    put_at = session.scalar(select(Blob.put_at).where(Blob.sha == sha))
    if put_at is None:
        return False
    if datetime.now(UTC) - put_at < FRESH:
        return True
    found = session.execute(
        update(Blob).where(Blob.sha == sha).values(put_at=func.clock_timestamp()).returning(Blob.sha)
    ).first()
    return found is not None


def put_blob(session: Session, data: bytes) -> str:
    """Keep bytes once; their SHA-256 in hex."""
    sha = hashlib.sha256(data).hexdigest()
    if again(session, sha):
        return sha
    # Two imports of the same file may race; the second finds the row there and adds no parts.
    added = session.execute(
        insert(Blob).values(sha=sha, size=len(data)).on_conflict_do_nothing().returning(Blob.sha)
    ).first()
    if added:
        view = memoryview(data)
        rows = [
            {"sha": sha, "number": n, "data": bytes(view[at : at + PART])}
            for n, at in enumerate(range(0, len(data), PART))
        ]
        if rows:
            session.execute(insert(BlobPart), rows)
    return sha


def put_blobs(session: Session, *data: bytes) -> tuple[str, ...]:
    """Keep several; their names in the order given."""
    return tuple(put_blob(session, one) for one in data)


def blob_if_there(session: Session, sha: str) -> bytes | None:
    """The bytes of a blob; None where it is not there any more."""
    return get_blob(session, sha) if again(session, sha) else None


def get_blob(session: Session, sha: str) -> bytes:
    """The bytes of a blob. Raises Missing."""
    size = session.scalar(select(Blob.size).where(Blob.sha == sha))
    if size is None:
        raise Missing("file", sha)
    parts = session.scalars(select(BlobPart.data).where(BlobPart.sha == sha).order_by(BlobPart.number))
    return b"".join(parts)
