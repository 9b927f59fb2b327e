"""The windows on a surface, and the one thread that works on it."""

import asyncio
from collections import OrderedDict
from collections.abc import AsyncIterator, Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from typing import ParamSpec, TypeVar
from uuid import UUID

import anyio
from pydantic import BaseModel

from ashblend.core.surface.blend_state import BlendState
from ashblend.core.surface.statistics import channel_facts, surface_shares
from ashblend.server.live.messages import ChannelFacts, HistoryChanged, Statistics
from ashblend.server.live.outcome import Outcome
from ashblend.server.live.strokes import Strokes
from ashblend.server.live.surface import OpenSurface
from ashblend.store.database import Sessions

P = ParamSpec("P")
R = TypeVar("R")

QUEUE = 1024
IDLE_ROOMS = 2
STATISTICS_PAUSE = 0.25


def statistics(surface: OpenSurface, blend: BlendState) -> Statistics:
    """Coverage and histograms of all channels, and each layer's share of the surface.

    The one thing that may run beside a surface's thread: it only reads, and a stroke going on
    meanwhile is answered by the statistics after it.
    """
    sets = dict(surface.sets)
    return Statistics(
        channels={
            ident: [
                ChannelFacts(coverage=f.coverage, own=f.own, touched=f.touched, histogram=list(f.histogram))
                for f in members
            ]
            for ident, members in channel_facts(sets).items()
        },
        shares=surface_shares(surface.shape, sets, blend),
    )


class Window:
    """One connected page: what is waiting to be sent to it."""

    def __init__(self) -> None:
        self.outgoing: asyncio.Queue[str | bytes | None] = asyncio.Queue(QUEUE)

    def send(self, message: BaseModel | bytes) -> None:
        """Queue a message. A window that has fallen far behind is cut off; it will load everything anew."""
        text = message if isinstance(message, bytes) else message.model_dump_json()
        try:
            self.outgoing.put_nowait(text)
        except asyncio.QueueFull:
            while not self.outgoing.empty():
                self.outgoing.get_nowait()
            self.outgoing.put_nowait(None)


class Room:
    """A loaded surface with its windows."""

    def __init__(self, surface: OpenSurface, worker: ThreadPoolExecutor) -> None:
        self.surface = surface
        self.strokes = Strokes(surface)
        self.windows: set[Window] = set()
        self.users = 0
        self._loop = asyncio.get_running_loop()
        self._worker = worker
        self._statistics: asyncio.Task[None] | None = None

    async def call(self, act: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R:
        """Run an act on the surface's thread."""
        loop = asyncio.get_running_loop()
        return await loop.run_in_executor(self._worker, lambda: act(*args, **kwargs))

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

    def tell_outcome(self, outcome: Outcome) -> None:
        """Send what an act did to every window; statistics follow."""
        self.tell(*outcome.frames, *outcome.documents, outcome.saved)
        if outcome.reshaped is not None:
            self.tell(outcome.reshaped)
        self.refresh_statistics()

    def tell_edit(self, outcome: Outcome) -> None:
        """The same for an edit that came by another way than the socket."""
        self.tell(*outcome.frames, *outcome.documents, HistoryChanged(history=outcome.saved.history))
        self.refresh_statistics()

    def refresh_statistics(self) -> None:
        """Work out statistics soon; many changes in a row are answered once."""
        if self._statistics is None or self._statistics.done():
            self._statistics = asyncio.create_task(self._tell_statistics())

    async def _tell_statistics(self) -> None:
        await asyncio.sleep(STATISTICS_PAUSE)
        # From here on a further change needs a further run.
        self._statistics = None
        blend = await self.call(self.surface.blend)
        # Beside the surface's thread: at a million sites this takes long enough to hold up a pen.
        self.tell(await asyncio.to_thread(statistics, self.surface, blend))

    async def join(self, window: Window) -> None:
        """Add a window and queue everything it needs, with no change slipping in between."""

        def collect() -> list[BaseModel | bytes]:
            return [self.surface.hello(), *self.surface.full_frames()]

        # Changes made while this runs queue behind it on the surface's thread; the window is
        # added before any of their frames can be sent, because both continue on this loop in order.
        for message in await self.call(collect):
            window.send(message)
        self.windows.add(window)
        self.refresh_statistics()

    async def close(self) -> None:
        if self._statistics is not None:
            self._statistics.cancel()
        await self.call(self.surface.checkpoint)
        self._worker.shutdown()


class Rooms:
    """All open surfaces. Those without users are kept for a while, so that a reload is quick."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions
        self._rooms: OrderedDict[UUID, Room] = OrderedDict()
        self._opening = asyncio.Lock()

    @asynccontextmanager
    async def enter(self, ident: UUID) -> AsyncIterator[Room]:
        """Use a surface's room, loading it when it is not open. Raises Missing, FormatError."""
        async with self._opening:
            room = self._rooms.get(ident)
            if room is None:
                worker = ThreadPoolExecutor(1, thread_name_prefix=f"surface-{ident}")
                loop = asyncio.get_running_loop()
                try:
                    surface = await loop.run_in_executor(worker, OpenSurface, self._sessions, ident)
                except BaseException:
                    worker.shutdown(wait=False)
                    raise
                room = self._rooms[ident] = Room(surface, worker)
            room.users += 1
            self._rooms.move_to_end(ident)
        try:
            yield room
        finally:
            room.users -= 1
            with anyio.CancelScope(shield=True):
                await self._drop_idle()

    async def _drop_idle(self) -> None:
        async with self._opening:
            idle = [ident for ident, room in self._rooms.items() if room.users == 0]
            for ident in idle[: max(0, len(idle) - IDLE_ROOMS)]:
                await self._rooms.pop(ident).close()

    def opened(self, ident: UUID) -> Room | None:
        """A surface's room, if it is open."""
        return self._rooms.get(ident)

    async def forget(self, ident: UUID) -> None:
        """Drop a deleted surface without writing to it; its windows are cut off."""
        async with self._opening:
            room = self._rooms.pop(ident, None)
        if room is not None:
            for window in room.windows:
                window.outgoing.put_nowait(None)

    async def close(self) -> None:
        for room in self._rooms.values():
            for window in room.windows:
                window.outgoing.put_nowait(None)
        async with self._opening:
            for room in self._rooms.values():
                await room.close()
            self._rooms.clear()
