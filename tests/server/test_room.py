"""Windows that fall behind, and rooms that are kept and dropped."""

import asyncio
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from samples import small_project

from ashblend.core.brush.fills import EvenFill
from ashblend.server.live.frames import full_frame, sparse_frame
from ashblend.server.live.messages import ChannelAddress, FillOn, Ready
from ashblend.server.live.room import IDLE_ROOMS, QUEUE, Rooms, Window
from ashblend.store.models import Surface


def in_a_loop_of_its_own(act):
    """Playwright keeps a loop running in this thread; another thread has none."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(lambda: asyncio.run(act())).result()


def test_a_window_far_behind_is_cut_off_instead_of_filling_memory():
    async def run() -> tuple[int, object]:
        window = Window()
        for _ in range(QUEUE + 5):
            window.send(Ready())
        first = window.outgoing.get_nowait()
        return window.outgoing.qsize(), first

    left, first = in_a_loop_of_its_own(run)
    assert first is None and left <= 5, "None closes the socket; the page loads everything anew"


def test_idle_rooms_are_few_and_leave_a_checkpoint(db):
    samples = [small_project(db) for _ in range(IDLE_ROOMS + 2)]

    async def run() -> int:
        rooms = Rooms(db)
        for sample in samples:
            async with rooms.enter(sample.surface) as room:
                fill = room.surface.fill
                on = ChannelAddress(channel_set=sample.channel_set, channel=0)
                await room.call(fill, FillOn(on=on, fill=EvenFill(weight=0.5)))
        held = len(rooms._rooms)
        await rooms.close()
        return held

    assert in_a_loop_of_its_own(run) == IDLE_ROOMS
    with db() as session:
        assert all(session.get(Surface, s.surface).checkpoint == 1 for s in samples)


def test_frames_spend_what_their_description_says():
    sites = np.array([3, 9, 10], np.uint32)
    values = {1: np.array([7, 8, 9], np.uint16), 3: np.array([1, 2, 3], np.uint16)}
    assert len(sparse_frame(0, sites, values)) == 24 + 3 * 4 + 2 * 3 * 2
    assert len(full_frame(2, {0: np.zeros(100, np.uint16)})) == 24 + 200
