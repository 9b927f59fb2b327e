"""The painting socket of a surface."""

import asyncio
import contextlib
import json
import logging
import secrets
from collections.abc import Callable
from uuid import UUID

import anyio
import numpy as np
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import ValidationError
from sqlalchemy.exc import SQLAlchemyError

from ashblend.core.formats.errors import FormatError, Limits
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.fills import FillOn
from ashblend.core.surface.refusal import Refusal
from ashblend.jobs.board import Board
from ashblend.server.live.messages import (
    FROM_WINDOW,
    AbandonStroke,
    Alive,
    BeginStroke,
    Begun,
    EndPreview,
    EndStroke,
    ExtendStroke,
    FromWindow,
    Jump,
    LookAtPaint,
    LookAtSteps,
    LookAtUndercoat,
    MeasureUndercoat,
    PathStroke,
    Previewed,
    Probe,
    Ready,
    Redo,
    Refused,
    StartEmpty,
    Swap,
    Undo,
)
from ashblend.server.live.probe import core_sample
from ashblend.server.live.room import NOT_KEPT, NOT_KEPT_REMEDY, Room, Window
from ashblend.server.live.rooms import Rooms
from ashblend.server.wording import told_of
from ashblend.server.work import survey, take_up_jobs
from ashblend.session import channels, history, steps, surveying
from ashblend.session.outcome import Outcome
from ashblend.session.strokes import PutBack
from ashblend.session.wishes import Survey
from ashblend.store.errors import Missing, NothingToUndo

router = APIRouter()

log = logging.getLogger("ashblend")

MOST_TEXT = 1_000_000
GONE = 4404


def _stroke_named_in(text: str) -> str | None:
    """Which stroke a message that does not validate speaks of, so that its window can end it."""
    try:
        stroke = json.loads(text)["stroke"]
        # Half a character could not be sent back.
        return stroke if isinstance(stroke, str) and stroke.encode() else None
    except (ValueError, TypeError, KeyError, RecursionError):
        return None


class _Painter:
    """Answers one window's messages."""

    def __init__(self, room: Room, window: Window, board: Board) -> None:
        self._room = room
        self._board = board
        self._window = window
        self._surface = room.surface
        self._strokes = room.strokes
        self._busy = False
        # Channels that this window was shown otherwise than they are.
        self._looked: set[ChannelAddress] = set()

    @property
    def busy(self) -> bool:
        """Whether its window waits for something: an answer, or a stroke that is being printed."""
        return self._busy or self._strokes.waiting

    async def handle(self, text: str) -> None:
        """Answer one message; whatever goes wrong is told to the window."""
        self._busy = True
        try:
            await self._handled(text)
        finally:
            self._busy = False

    async def _handled(self, text: str) -> None:
        stroke: str | None = None
        try:
            if len(text) > MOST_TEXT:
                raise Refusal("This is too long a message.", "Paint a shorter stroke.")
            message = FROM_WINDOW.validate_json(text)
            stroke = getattr(message, "stroke", None)
            await self._answer(message)
        except PutBack as refusal:
            changes = refusal.changes
            self._room.tell(*await self._room.show(lambda: changes))
            self._refuse(refusal.problem, refusal.remedy, stroke)
        except Refusal as refusal:
            self._refuse(refusal.problem, refusal.remedy, stroke)
        except NothingToUndo as nothing:
            self._refuse(str(nothing), "", stroke)
        except ValidationError as error:
            stroke = _stroke_named_in(text)
            self._refuse(
                told_of(error.errors(), "The message"), "This page may be out of date; load it again.", stroke
            )
        except Missing as missing:
            self._refuse(str(missing), "Choose another one.", stroke)
        except SQLAlchemyError:
            self._refuse(NOT_KEPT, NOT_KEPT_REMEDY, stroke)
            # What the screens show may be ahead of what is kept.
            self._room.tell(*await self._room.show(self._surface.everything))
        except Exception:
            # Whatever nobody foresaw ends one message and not the window.
            number = secrets.token_hex(4)
            log.exception("unforeseen error %s at a message of %d characters", number, len(text))
            problem = f"Something went wrong that nobody foresaw (number {number}, in the log)."
            self._refuse(problem, "Nothing of it was kept; load the page again if this stays.", stroke)
            self._room.tell(*await self._room.show(self._surface.everything))

    def _refuse(self, problem: str, remedy: str, stroke: str | None) -> None:
        self._window.send(Refused(problem=problem, remedy=remedy, stroke=stroke))

    async def _answer(self, message: FromWindow) -> None:
        call, show, surface = self._room.call, self._room.show, self._surface
        strokes, me = self._strokes, self._window
        match message:
            case ExtendStroke():
                self._room.tell(*await show(strokes.extend, me, message.stroke, message.samples))
                self._room.print_stroke()
                return
            case EndStroke():
                strokes.lift(me, message.stroke)
                self._room.print_stroke()
                if not strokes.waiting:
                    await self._room.stroke_ended()
                return
            case AbandonStroke():
                lifted = strokes.lifted
                self._room.tell(*await show(strokes.abandon, me))
                if lifted:
                    self._refuse("The stroke was stopped and put back.", "", message.stroke)
                return
            case Probe():
                self._window.send(await call(core_sample, surface, message))
                return
            case _:
                # What comes behind a stroke's end is about the surface after it.
                await self._room.stroke_ended()
        match message:
            case BeginStroke():
                await call(strokes.begin, me, message.stroke, message.on, message.brush, message.protect)
                self._room.print_stroke()
            case PathStroke():
                places = np.array(message.places, np.float64)
                self._room.tell(
                    *await show(
                        strokes.along, me, message.stroke, message.on, message.brush, message.protect, places
                    )
                )
                self._room.print_stroke()
            case FillOn(preview=True):
                for frame in await show(channels.preview, surface, message):
                    me.send(frame)
                me.send(Previewed())
            case LookAtSteps():
                for frame in await show(steps.preview, surface, message.choice):
                    me.send(frame)
                me.send(Previewed())
            case LookAtUndercoat():
                for frame in await show(surveying.preview, surface, message.on, message.recipe, message.bare):
                    self._looked.add(message.on)
                    me.send(frame)
                me.send(Previewed())
            case LookAtPaint():
                for frame in await show(surveying.look_at_paint, surface, message.on):
                    me.send(frame)
                me.send(Previewed())
            case EndPreview():
                self._looked.clear()
                for frame in await show(surface.everything):
                    me.send(frame)
            case MeasureUndercoat():
                wish = Survey(on=message.on, recipe=message.recipe, layer=message.layer)
                done = await survey(self._board, self._room, wish, patient=False)
                if done is None:
                    me.send(Begun())
                    return
                if message.on in self._looked:
                    # Where a look differed and what is kept did not change, no step would tell it.
                    self._looked.discard(message.on)
                    for frame in await show(surveying.as_kept, surface, message.on):
                        me.send(frame)
                done.tell()
            case FillOn() | Swap() | StartEmpty() | Undo() | Redo() | Jump():
                await self._room.act(self._whole(message))

    def _whole(self, message: FillOn | Swap | StartEmpty | Undo | Redo | Jump) -> Callable[[], Outcome]:
        surface = self._surface
        match message:
            case FillOn():
                return lambda: channels.fill(surface, message)
            case Swap():
                return lambda: channels.swap(surface, message.on, message.other)
            case StartEmpty():
                return lambda: channels.start_empty(surface, message.channel_set)
            case Jump():
                return lambda: history.jump(surface, message.number)
            case Undo():
                return lambda: history.step(surface, "undo")
            case Redo():
                return lambda: history.step(surface, "redo")

    async def leave(self) -> None:
        """Keep what an unfinished stroke has painted: the artist saw it."""
        stroke = self._strokes.of(self._window)
        if stroke is not None:
            # Of a surface that was deleted meanwhile nothing is kept.
            with contextlib.suppress(Missing):
                await self._room.end_stroke(self._window, stroke)


async def _send_all(socket: WebSocket, window: Window) -> None:
    while True:
        message = await window.following()
        if message is None:
            await socket.close(1013, "Load again.")
            return
        if isinstance(message, bytes):
            await socket.send_bytes(message)
        else:
            await socket.send_text(message)


# Seconds between two signs of life: a page takes three without any for silence.
ALIVE_EVERY = 1.0


async def _say_alive(window: Window, painter: _Painter) -> None:
    while True:
        await asyncio.sleep(ALIVE_EVERY)
        if painter.busy:
            window.send(Alive())


async def _receive_all(socket: WebSocket, painter: _Painter) -> None:
    while True:
        message = await socket.receive()
        if message["type"] == "websocket.disconnect":
            return
        await painter.handle(message.get("text") or "")


@router.websocket("/api/surfaces/{ident}/live")
async def live(socket: WebSocket, ident: UUID) -> None:
    """Full frames first, then every change as it happens; takes strokes and other steps."""
    rooms: Rooms = socket.app.state.rooms
    await socket.accept()
    try:
        async with rooms.enter(ident) as room:
            window = Window()
            await room.join(window)
            window.send(Ready())
            board: Board = socket.app.state.board
            room.take_up(lambda: take_up_jobs(board, room, Limits()))
            painter = _Painter(room, window, socket.app.state.board)
            tasks = [
                asyncio.create_task(_send_all(socket, window)),
                asyncio.create_task(_receive_all(socket, painter)),
                asyncio.create_task(_say_alive(window, painter)),
            ]
            try:
                done, _ = await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
                for task in done:
                    error = task.exception()
                    if error is not None and not isinstance(error, (WebSocketDisconnect, RuntimeError)):
                        raise error
            finally:
                # A server that is shutting down cancels this; the stroke is kept all the same.
                with anyio.CancelScope(shield=True):
                    for task in tasks:
                        task.cancel()
                    await asyncio.gather(*tasks, return_exceptions=True)
                    room.windows.discard(window)
                    await painter.leave()
    except (Missing, FormatError) as error:
        await socket.close(GONE, str(error)[:120])
