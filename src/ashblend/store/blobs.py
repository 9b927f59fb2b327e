"""Content-addressed bytes."""

import hashlib

from sqlalchemy import exists, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ashblend.store.errors import Missing
from ashblend.store.models import Blob, BlobPart

PART = 256 * 1024


def has_blob(session: Session, sha: str) -> bool:
    return bool(session.scalar(select(exists().where(Blob.sha == sha))))


def put_blob(session: Session, data: bytes) -> str:
    """Keep bytes once; their SHA-256 in hex."""
    sha = hashlib.sha256(data).hexdigest()
    if has_blob(session, sha):
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


def get_blob(session: Session, sha: str) -> bytes:
    """The bytes of a blob. Raises Missing."""
    size = session.scalar(select(Blob.size).where(Blob.sha == sha))
    if size is None:
        raise Missing("file", sha)
    parts = session.scalars(select(BlobPart.data).where(BlobPart.sha == sha).order_by(BlobPart.number))
    return b"".join(parts)
