"""All surfaces that are open."""

import asyncio
import contextlib
import ctypes
import gc
from collections import Counter, OrderedDict
from collections.abc import AsyncIterator, Coroutine, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import asynccontextmanager
from functools import partial
from typing import Any
from uuid import UUID

import anyio

from ashblend.server.live.messages import DocumentChanged
from ashblend.server.live.room import Room
from ashblend.session.surface import OpenSurface
from ashblend.store.blends import surfaces_shaded_by
from ashblend.store.database import Sessions

IDLE_ROOMS = 2


def _give_back() -> None:
    """Let the system have what a closed surface took: the C library keeps it else (3.4 GB once)."""
    gc.collect()
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)


class Rooms:
    """All open surfaces. Those without users are kept for a while, so that a reload is quick.

    Each is loaded and closed by a task of its own, so that one that takes long holds up no other.
    """

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions
        self._rooms: OrderedDict[UUID, Room] = OrderedDict()
        self._users: Counter[UUID] = Counter()
        self._loading: dict[UUID, asyncio.Task[Room]] = {}
        self._closing: dict[UUID, asyncio.Task[None]] = {}
        self._passing: set[asyncio.Task[None]] = set()

    @asynccontextmanager
    async def enter(self, ident: UUID) -> AsyncIterator[Room]:
        """Use a surface's room, loading it when it is not open. Raises Missing, FormatError."""
        self._users[ident] += 1
        try:
            yield await self._room(ident)
        finally:
            self._users[ident] -= 1
            if not self._users[ident]:
                del self._users[ident]
            with anyio.CancelScope(shield=True):
                await self._drop_idle()

    async def _room(self, ident: UUID) -> Room:
        room = self._rooms.get(ident)
        if room is None:
            task = self._loading.get(ident)
            if task is None:
                task = self._loading[ident] = asyncio.create_task(self._load(ident))
                task.add_done_callback(lambda _: self._loading.pop(ident))
            # Whoever goes away while it is loaded leaves it to the others that wait.
            room = await asyncio.shield(task)
        if ident in self._rooms:
            self._rooms.move_to_end(ident)
        return room

    async def _load(self, ident: UUID) -> Room:
        closing = self._closing.get(ident)
        if closing is not None:
            await asyncio.wait([closing])
        worker = ThreadPoolExecutor(1, thread_name_prefix=f"surface-{ident}")
        loop = asyncio.get_running_loop()
        try:
            surface = await loop.run_in_executor(worker, OpenSurface, self._sessions, ident)
        except BaseException:
            worker.shutdown(wait=False)
            raise
        room = self._rooms[ident] = Room(
            surface, worker, partial(self._pass_on, ident), partial(self._lend, ident)
        )
        return room

    async def _drop_idle(self) -> None:
        # What is measured for one will be run on it, whoever looks.
        idle = [i for i, room in self._rooms.items() if not self._users[i] and not room.measuring]
        for ident in idle[: max(0, len(idle) - IDLE_ROOMS)]:
            await self._close(ident, self._rooms.pop(ident))

    async def _close(self, ident: UUID, room: Room) -> None:
        task = self._closing[ident] = asyncio.create_task(room.close())
        try:
            await asyncio.shield(task)
        finally:
            self._closing.pop(ident, None)
        del room, task
        await asyncio.to_thread(_give_back)

    def _pass_on(self, own: UUID, changed: DocumentChanged) -> None:
        self._go_on_with(self._tell_shaded(own, changed))

    def _lend(self, own: UUID) -> None:
        self._go_on_with(self._tell_borrowers(own))

    def _go_on_with(self, work: Coroutine[Any, Any, None]) -> None:
        task = asyncio.create_task(work)
        self._passing.add(task)
        task.add_done_callback(self._passing.discard)

    async def _tell_borrowers(self, own: UUID) -> None:
        for ident, room in list(self._rooms.items()):
            if ident != own and not room.left:
                # One that is closed meanwhile looks for itself when it is opened again.
                with contextlib.suppress(RuntimeError):
                    await room.lent_anew(own)

    async def _tell_shaded(self, own: UUID, changed: DocumentChanged) -> None:
        for ident in await asyncio.to_thread(self._shaded_by, changed.id):
            room = self._rooms.get(ident)
            if room is not None and ident != own:
                await room.shaded_anew(changed)

    def _shaded_by(self, blend: UUID) -> Sequence[UUID]:
        with self._sessions() as session:
            return surfaces_shaded_by(session, blend)

    async def forget(self, ident: UUID) -> None:
        """Drop a deleted surface without writing to it; its windows are cut off."""
        room = self._rooms.pop(ident, None)
        if room is not None:
            room.leave()

    async def close(self) -> None:
        for room in self._rooms.values():
            for window in room.windows:
                window.cut_off()
        await asyncio.gather(*self._loading.values(), *self._closing.values(), return_exceptions=True)
        while self._rooms:
            await self._close(*self._rooms.popitem())
