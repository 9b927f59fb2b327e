"""What was deleted: looked at, taken back, or let go for good."""

from datetime import datetime, timedelta
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Path, Request
from pydantic import BaseModel
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from ashblend.server.routes.parts import DatabaseSession, OpenDatabase
from ashblend.store import bin
from ashblend.store.sweep import sweep_all

router = APIRouter(prefix="/api/bin", tags=["bin"])


class RemovedView(BaseModel):
    """home: the project that a surface was in. gone_at: when it is deleted for good."""

    kind: bin.Kind
    id: UUID
    name: str
    home: str
    removed_at: datetime
    gone_at: datetime


class BinView(BaseModel):
    """days: how long what was deleted can be had back."""

    days: int
    entries: list[RemovedView]


def _view(session: Session) -> BinView:
    entries = [RemovedView.model_validate(entry, from_attributes=True) for entry in bin.removed(session)]
    return BinView(days=bin.KEPT.days, entries=entries)


@router.get("")
def get_bin(session: DatabaseSession) -> BinView:
    return _view(session)


@router.post("/{kind}/{ident}/restore")
def restore_from_bin(kind: Annotated[bin.Kind, Path()], ident: UUID, session: DatabaseSession) -> BinView:
    """Put it back where it was."""
    bin.restore(session, kind, ident)
    session.flush()
    return _view(session)


@router.delete("", status_code=204)
async def empty_bin(request: Request, database: OpenDatabase) -> None:
    """Let go of everything in the bin for good, and of what nothing refers to any more."""
    await database.transact(bin.empty, timedelta(0))
    await run_in_threadpool(sweep_all, request.app.state.sessions)
