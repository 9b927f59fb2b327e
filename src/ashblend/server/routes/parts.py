"""What routes share: the request's database session, and the rooms.

Routes that run on the loop (`async def`) never touch a session: one that waits for a row which another request
holds would keep that one from ever giving it free, and the whole server with it. They send their database work to
a thread, in a transaction of its own; sessions refuse to be made there (`server/off_loop.py`). And no route decodes
files within a transaction: it would keep a connection from others for as long.
"""

from collections.abc import Callable, Iterator
from typing import Annotated, Any, Concatenate, ParamSpec, TypeVar

from fastapi import Depends, HTTPException, Request, UploadFile
from pydantic import BaseModel, StringConstraints
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from ashblend.jobs.board import Board
from ashblend.server.live.rooms import Rooms
from ashblend.store.database import Sessions


def _session(request: Request) -> Iterator[Session]:
    with request.app.state.sessions.begin() as session:
        yield session


P = ParamSpec("P")
R = TypeVar("R")


class Database:
    """Database work of routes on the loop."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions

    def now(self, work: Callable[Concatenate[Session, P], R], *args: P.args, **kwargs: P.kwargs) -> R:
        """Do it in one transaction, from a thread: for what decodes or computes before or after, and holds no connection then."""
        with self._sessions.begin() as session:
            return work(session, *args, **kwargs)

    async def transact(
        self, work: Callable[Concatenate[Session, P], R], *args: P.args, **kwargs: P.kwargs
    ) -> R:
        """Do it in a thread, in one transaction."""

        return await run_in_threadpool(lambda: self.now(work, *args, **kwargs))


def _database(request: Request) -> Database:
    return Database(request.app.state.sessions)


def _rooms(request: Request) -> Rooms:
    rooms: Rooms = request.app.state.rooms
    return rooms


def _board(request: Request) -> Board:
    board: Board = request.app.state.board
    return board


Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
OpenBoard = Annotated[Board, Depends(_board)]

# "function": the transaction ends before the answer goes out, so an answer means it is kept.
DatabaseSession = Annotated[Session, Depends(_session, scope="function")]
OpenDatabase = Annotated[Database, Depends(_database)]
OpenRooms = Annotated[Rooms, Depends(_rooms)]


class Kept(BaseModel):
    """A step that was kept. note: what the artist should know about it."""

    label: str
    note: str = ""


def read_upload(upload: UploadFile, most: int) -> bytes:
    """An upload's bytes, from a thread. Raises HTTPException 413 past `most`."""
    if upload.size is not None and upload.size > most:
        raise HTTPException(
            413, f"The file is {upload.size / 1e6:.0f} MB; at most {most / 1e6:.0f} MB are taken."
        )
    return upload.file.read()


Json = dict[str, Any]
