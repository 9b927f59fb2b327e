"""The windows on a surface, and the one thread that works on it."""

import asyncio
import contextlib
from collections.abc import Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, ParamSpec, TypeVar
from uuid import UUID

from pydantic import BaseModel
from sqlalchemy.exc import SQLAlchemyError

from ashblend.core.sets.document import ChannelDocument, MeasuredUndercoat
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.blend_state import BlendState
from ashblend.core.surface.convert import Sets
from ashblend.core.surface.refusal import Refusal
from ashblend.core.surface.statistics import channel_facts, surface_shares
from ashblend.core.surface.undercoat import stale
from ashblend.server.live.frames import frame_of
from ashblend.server.live.messages import ChannelFacts, DocumentChanged, HistoryChanged, Refused, Statistics
from ashblend.server.live.told import Told, hello, told
from ashblend.session.asking import look_about, look_at
from ashblend.session.outcome import AnyChange, Outcome
from ashblend.session.strokes import Strokes, Turn
from ashblend.session.surface import OpenSurface
from ashblend.session.wishes import Survey
from ashblend.store.errors import Missing

P = ParamSpec("P")
R = TypeVar("R")

QUEUE = 1024
# Bytes that may wait for one window; beyond them it has fallen behind for good.
MOST_WAITING = 256_000_000
STATISTICS_PAUSE = 0.25
LOOK_AGAIN = 0.25
NOT_KEPT = "The database did not take it; nothing was changed."
NOT_KEPT_REMEDY = "Try again. If this stays, restart Ash Blend."


def statistics(surface: OpenSurface, blend: BlendState) -> Statistics:
    """Coverage and histograms of all channels, and each layer's share of the surface.

    The one thing that may run beside a surface's thread: it only reads, and a stroke going on
    meanwhile is answered by the statistics after it.
    """
    sets = dict(surface.sets)
    return Statistics(
        channels={
            ident: [
                ChannelFacts(
                    coverage=f.coverage,
                    own=f.own,
                    touched=f.touched,
                    histogram=list(f.histogram),
                    stale=_stale(surface, sets, channel),
                )
                for f, channel in zip(members, sets[ident].document.channels, strict=True)
            ]
            for ident, members in channel_facts(sets).items()
        },
        shares=surface_shares(surface.shape, sets, blend),
    )


def _stale(surface: OpenSurface, sets: Sets, channel: ChannelDocument) -> bool:
    undercoat = channel.undercoat
    return isinstance(undercoat, MeasuredUndercoat) and stale(undercoat, surface.shape, sets)


class Window:
    """One connected page: what is waiting to be sent to it."""

    def __init__(self) -> None:
        self._outgoing: asyncio.Queue[str | bytes | None] = asyncio.Queue()
        self._waiting = 0
        self._cut = False

    def send(self, message: BaseModel | bytes) -> None:
        """Queue a message. A window that has fallen far behind is cut off; it will load everything anew."""
        text = message if isinstance(message, bytes) else message.model_dump_json()
        if self._cut:
            return
        if self._outgoing.qsize() >= QUEUE or self._waiting > MOST_WAITING:
            self.cut_off()
            return
        self._waiting += len(text)
        self._outgoing.put_nowait(text)

    def cut_off(self) -> None:
        """Nothing more is sent; the connection ends."""
        while not self._outgoing.empty():
            self._outgoing.get_nowait()
        self._cut = True
        self._outgoing.put_nowait(None)

    async def following(self) -> str | bytes | None:
        """What is to be sent next; None for the end."""
        text = await self._outgoing.get()
        if text is not None:
            self._waiting -= len(text)
        return text


@dataclass(frozen=True)
class Done:
    """A step that is done. tell: tells every window of it, and statistics follow."""

    tell: Callable[[], None]


@dataclass(frozen=True)
class Surveying:
    """A job that measures for an undercoat."""

    wish: Survey
    job: UUID


class Room:
    """A loaded surface with its windows."""

    def __init__(
        self,
        surface: OpenSurface,
        worker: ThreadPoolExecutor,
        pass_on: Callable[[DocumentChanged], None],
        lend: Callable[[], None],
    ) -> None:
        """pass_on: tell the other surfaces that a blend shades of its change. lend: tell those that borrow from it."""
        self.surface = surface
        self._pass_on = pass_on
        self._lend = lend
        # There was a step that those who borrow have not been told of.
        self._untold = False
        self.strokes = Strokes(surface)
        self.windows: set[Window] = set()
        self._loop = asyncio.get_running_loop()
        self._worker = worker
        self._statistics: asyncio.Task[None] | None = None
        self._stirred = asyncio.Event()
        self._printing: asyncio.Task[None] | None = None
        self._soon: set[asyncio.Task[None]] = set()
        self._taking_up: asyncio.Task[None] | None = None
        self.surveys: dict[ChannelAddress, Surveying] = {}
        self.finishing: set[UUID] = set()
        # Its surface is gone.
        self.left = False

    @property
    def measuring(self) -> bool:
        """Whether a measure is under way for it, or being run."""
        return bool(self.surveys or self.finishing)

    async def call(self, work: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R:
        """Run work on the surface's thread."""
        loop = asyncio.get_running_loop()
        return await loop.run_in_executor(self._worker, lambda: work(*args, **kwargs))

    def tell(self, *messages: BaseModel | bytes) -> None:
        """Send to every window."""
        for window in self.windows:
            for message in messages:
                window.send(message)

    def tell_soon(self, message: BaseModel) -> None:
        """Send to every window, from another thread."""
        # A job may outlive the server's loop by a moment.
        if not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self.tell, message)

    def take_up(self, work: Callable[[], Coroutine[Any, Any, None]]) -> None:
        """Have lost work looked for, once at a time, while windows go on."""

        async def run() -> None:
            # What cannot be looked for now is when the next window comes.
            with contextlib.suppress(SQLAlchemyError):
                await work()

        if self._taking_up is None or self._taking_up.done():
            self._taking_up = asyncio.create_task(run())

    def run_soon(self, work: Coroutine[Any, Any, None]) -> None:
        """Have something done on the loop, from another thread."""

        def begin() -> None:
            task = self._loop.create_task(work)
            self._soon.add(task)
            task.add_done_callback(self._soon.discard)

        if self._loop.is_closed():
            work.close()
        else:
            self._loop.call_soon_threadsafe(begin)

    async def show(
        self, work: Callable[P, list[AnyChange]], *args: P.args, **kwargs: P.kwargs
    ) -> list[bytes]:
        """Run work on the surface's thread; frames of what it says is another."""
        return await self.call(lambda: [frame_of(change) for change in work(*args, **kwargs)])

    async def act(self, work: Callable[P, Outcome], *args: P.args, **kwargs: P.kwargs) -> Outcome:
        """Have a step done on the surface's thread and send what it did to every window; statistics follow."""
        outcome, done = await self._done(lambda: work(*args, **kwargs))
        self._tell_done(done)
        return outcome

    async def attempt(self, work: Callable[P, Outcome | R], *args: P.args, **kwargs: P.kwargs) -> Done | R:
        """The same for what may turn out to be no step: windows are told of one by whoever asked for it."""

        def run() -> Done | R:
            outcome = work(*args, **kwargs)
            if not isinstance(outcome, Outcome):
                return outcome
            done = told(outcome)
            return Done(lambda: self._tell_done(done))

        return await self.call(run)

    async def edit(self, work: Callable[P, Outcome], *args: P.args, **kwargs: P.kwargs) -> Outcome:
        """The same as `act` for an edit that came by another way than the socket."""
        outcome, done = await self._done(lambda: work(*args, **kwargs))
        self.tell(*done.frames, *done.documents, HistoryChanged(history=done.saved.history))
        self._tell_others(done)
        self.refresh_statistics()
        return outcome

    async def _done(self, work: Callable[[], Outcome]) -> tuple[Outcome, Told]:
        def run() -> tuple[Outcome, Told]:
            outcome = work()
            return outcome, told(outcome)

        return await self.call(run)

    def _tell_done(self, done: Told) -> None:
        self.tell(*done.frames, *done.documents, done.saved)
        self._tell_others(done)
        if done.reshaped is not None:
            self.tell(done.reshaped)
        self.refresh_statistics()

    def _tell_others(self, done: Told) -> None:
        self._untold = True
        for document in done.documents:
            if document.kind == "blend":
                self._pass_on(document)

    async def shaded_anew(self, changed: DocumentChanged) -> None:
        """The blend was changed from another surface."""
        await self.call(self.surface.blend_changed)
        self.tell(changed)
        self.refresh_statistics()

    async def lent_anew(self, lender: UUID) -> None:
        """There was a step on another surface."""
        if await self.call(look_at, self.surface, lender):
            self.refresh_statistics()

    def refresh_statistics(self) -> None:
        """Work out statistics soon; many changes in a row are answered once."""
        if self._statistics is None or self._statistics.done():
            self._statistics = asyncio.create_task(self._tell_statistics())

    async def _tell_statistics(self) -> None:
        await asyncio.sleep(STATISTICS_PAUSE)
        # From here on a further change needs a further run.
        self._statistics = None
        # Steps are kept without it: what fails here is due again after the next one.
        with contextlib.suppress(SQLAlchemyError):
            await self.call(self.surface.keep_up)
        if self._untold:
            self._untold = False
            self._lend()
        blend = await self.call(self.surface.blend)
        # Beside the surface's thread: at a million sites this takes long enough to hold up a pen.
        self.tell(await asyncio.to_thread(statistics, self.surface, blend))

    def print_stroke(self) -> None:
        """See that what waits of the open stroke is printed, and that it ends when it is time."""
        self._stirred.set()
        if self._printing is None or self._printing.done():
            self._printing = asyncio.create_task(self._print_stroke())

    async def stroke_ended(self) -> None:
        """Wait for a stroke whose pen is up."""
        if self._printing is not None and self.strokes.lifted:
            await asyncio.wait([self._printing])

    async def quiet(self) -> None:
        """Wait until no stroke is open any more."""
        if self.strokes.open is not None:
            # One that was begun a moment ago, or whose printing failed, is seen to first: nobody else may.
            self.print_stroke()
        if self._printing is not None:
            await asyncio.wait([self._printing])

    async def _print_stroke(self) -> None:
        strokes = self.strokes
        while (found := strokes.open) is not None:
            self._stirred.clear()
            turn, frames = await self.call(self._turn)
            self.tell(*frames)
            if turn.over:
                await self.end_stroke(*found, turn.why)
            elif turn.rests:
                with contextlib.suppress(TimeoutError):
                    await asyncio.wait_for(self._stirred.wait(), LOOK_AGAIN)

    def _turn(self) -> tuple[Turn, list[bytes]]:
        turn = self.strokes.turn()
        return turn, [frame_of(change) for change in turn.changes]

    async def end_stroke(self, owner: object, ident: str, why: str | None = None) -> None:
        """End a stroke where it stands and tell everyone. why: what its window should know about it."""
        refused = None
        try:
            await self.act(self.strokes.end, owner, ident)
            if why is not None:
                refused = Refused(problem=why, remedy="What was painted is kept.", stroke=ident)
        except Refusal:
            # It has ended meanwhile.
            return
        except SQLAlchemyError:
            refused = Refused(problem=NOT_KEPT, remedy=NOT_KEPT_REMEDY, stroke=ident)
            # What the screens show may be ahead of what is kept.
            self.tell(*await self.show(self.surface.everything))
        if refused is not None and isinstance(owner, Window):
            owner.send(refused)

    async def join(self, window: Window) -> None:
        """Add a window and queue everything it needs, with no change slipping in between."""

        def collect() -> list[BaseModel | bytes]:
            look_about(self.surface)
            return [hello(self.surface), *map(frame_of, self.surface.everything())]

        # Changes made while this runs queue behind it on the surface's thread; the window is
        # added before any of their frames can be sent, because both continue on this loop in order.
        for message in await self.call(collect):
            window.send(message)
        self.windows.add(window)
        self.refresh_statistics()

    def leave(self) -> None:
        """Stop what goes on, without writing anything; windows are cut off."""
        self.left = True
        self.surveys.clear()
        for task in (self._printing, self._statistics, self._taking_up):
            if task is not None:
                task.cancel()
        for window in self.windows:
            window.cut_off()
        self._worker.shutdown(wait=False)

    async def close(self) -> None:
        if self._printing is not None:
            self._printing.cancel()
        for task in (self._statistics, self._taking_up):
            if task is not None:
                task.cancel()
        # Deleted meanwhile: what is in the journal is all there is to keep.
        with contextlib.suppress(Missing):
            await self.call(self.surface.checkpoint)
        self._worker.shutdown()
