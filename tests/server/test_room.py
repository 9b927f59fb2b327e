"""Windows that fall behind, and rooms that are kept and dropped."""

import asyncio
import os
import threading
from concurrent.futures import ThreadPoolExecutor
from uuid import uuid4

import numpy as np
from limits import HANG
from samples import small_project
from shapes import plane

from ashblend.core.brush.fills.even import EvenFill
from ashblend.core.channels.channel import empty_channel
from ashblend.core.sets.document import ChannelDocument, ChannelSetDocument
from ashblend.core.sites.mesh_vertices import mesh_vertices
from ashblend.core.surface.address import ChannelAddress
from ashblend.core.surface.fills import FillOn
from ashblend.core.surface.kinds.vertices import VertexSites
from ashblend.core.surface.open_set import OpenSet
from ashblend.server import app
from ashblend.server.live import rooms as rooms_module
from ashblend.server.live.frames import full_frame, sparse_frame
from ashblend.server.live.messages import Ready
from ashblend.server.live.room import MOST_WAITING, QUEUE, Window
from ashblend.server.live.rooms import IDLE_ROOMS, Rooms
from ashblend.session.channels import fill
from ashblend.session.surface import OpenSurface
from ashblend.store.models import Surface


def in_a_loop_of_its_own(act):
    """Playwright keeps a loop running in this thread; another thread has none."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(lambda: asyncio.run(act())).result()


def test_a_window_far_behind_is_cut_off_instead_of_filling_memory():
    async def run(message, count: int) -> list:
        window = Window()
        for _ in range(count):
            window.send(message)
        sent = [await window.following()]
        while sent[-1] is not None and len(sent) < count:
            sent.append(await window.following())
        return sent

    # None closes the socket; the page loads everything anew.
    assert in_a_loop_of_its_own(lambda: run(Ready(), QUEUE + 5)) == [None]
    few = MOST_WAITING // 50_000_000 + 1
    assert in_a_loop_of_its_own(lambda: run(bytes(50_000_000), few)) != [None]
    assert in_a_loop_of_its_own(lambda: run(bytes(50_000_000), few + 1)) == [None]


def test_idle_rooms_are_few_and_leave_a_checkpoint(db):
    samples = [small_project(db) for _ in range(IDLE_ROOMS + 2)]

    async def run() -> int:
        rooms = Rooms(db)
        for sample in samples:
            async with rooms.enter(sample.surface) as room:
                on = ChannelAddress(channel_set=sample.channel_set, channel=0)
                await room.call(fill, room.surface, FillOn(on=on, fill=EvenFill(weight=0.5)))
        held = len(rooms._rooms)
        await rooms.close()
        return held

    assert in_a_loop_of_its_own(run) == IDLE_ROOMS
    with db() as session:
        assert all(session.get(Surface, s.surface).checkpoint == 1 for s in samples)


def test_a_surface_that_takes_long_to_open_holds_up_no_other(db, monkeypatch):
    slow, quick = small_project(db).surface, small_project(db).surface
    begun, go_on = threading.Event(), threading.Event()

    class Slow(OpenSurface):
        def __init__(self, sessions, ident):
            if ident == slow:
                begun.set()
                assert go_on.wait(HANG)
            super().__init__(sessions, ident)

    monkeypatch.setattr(rooms_module, "OpenSurface", Slow)

    async def run() -> list[str]:
        rooms = Rooms(db)
        order: list[str] = []

        async def use(ident, name: str) -> None:
            async with rooms.enter(ident) as found:
                await found.show(found.surface.everything)
                order.append(name)

        # Two windows wait for the slow one, and it is loaded once; one of them gives up.
        waiting = [asyncio.create_task(use(slow, "slow")) for _ in range(2)]
        await asyncio.to_thread(begun.wait, HANG)
        waiting[0].cancel()
        await use(quick, "quick")
        go_on.set()
        await asyncio.wait(waiting)
        await use(slow, "again")
        assert not rooms._users and len(rooms._rooms) == 2
        await rooms.close()
        return order

    assert in_a_loop_of_its_own(run) == ["quick", "slow", "again"]


def test_frames_spend_what_their_description_says():
    vertices = mesh_vertices(plane(300, 1.0))
    document = ChannelSetDocument(name="S", channels=tuple(ChannelDocument(name=n) for n in "abcd"))
    channels = [empty_channel(vertices.count) for _ in range(4)]
    found = OpenSet(uuid4(), VertexSites(), document, 1, channels, vertices)
    # Three sites in the first tile and one in the second: positions, then two channels, padded to four bytes.
    sites = np.array([3, 9, 10, 65_537], np.uint32)
    assert len(sparse_frame(0, found, [1, 3], sites)) == 24 + (8 + 20) + (8 + 8)
    assert len(full_frame(2, found, [0])) == 24 + 2 * (8 + 4), "a level tile is one value"
    channels[0].cover[70_000] = 5
    channels[0].paint[70_000] = 5
    assert len(full_frame(2, found, [0])) == 24 + (8 + 4) + 8 + -(-2 * (90_000 - 65_536) // 4) * 4


def test_folders_that_a_kill_left_are_swept_at_a_start_and_those_in_use_stay(tmp_path, monkeypatch):
    monkeypatch.setattr(app.tempfile, "gettempdir", lambda: str(tmp_path))
    for name, old in (("ashblend-old", True), ("ashblend-new", False), ("else-old", True)):
        (tmp_path / name).mkdir()
        (tmp_path / name / "heights.exr").write_bytes(b"x")
        if old:
            os.utime(tmp_path / name, (1, 1))
    app._sweep_folders()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["ashblend-new", "else-old"]
