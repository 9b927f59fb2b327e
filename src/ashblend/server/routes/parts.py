"""What routes share: the request's database session, and the rooms."""

from collections.abc import Iterator
from typing import Annotated, Any

from fastapi import Depends, HTTPException, Request, UploadFile
from pydantic import BaseModel, StringConstraints
from sqlalchemy.orm import Session

from ashblend.jobs.board import Board
from ashblend.server.live.room import Rooms


def _session(request: Request) -> Iterator[Session]:
    with request.app.state.sessions.begin() as session:
        yield session


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
OpenRooms = Annotated[Rooms, Depends(_rooms)]


class Kept(BaseModel):
    """An act that was kept. note: what the artist should know about it."""

    label: str
    note: str = ""


async def read_upload(upload: UploadFile, most: int) -> bytes:
    """An upload's bytes. Raises HTTPException 413 past `most`."""
    if upload.size is not None and upload.size > most:
        raise HTTPException(
            413, f"The file is {upload.size / 1e6:.0f} MB; at most {most / 1e6:.0f} MB are taken."
        )
    return await upload.read()


Json = dict[str, Any]
