"""The queue of long work: fair between surfaces, in an order that can be changed, stopped while it waits."""

import threading
import time
from dataclasses import replace

import pytest
from limits import HANG
from samples import small_project
from server.test_borrowing import beside

from ashblend.jobs.board import AT_ONCE, Board
from ashblend.store.jobs import unfinished_jobs


class Queue:
    """Jobs that note when they begin and wait until they are let go."""

    def __init__(self, db) -> None:
        self.board = Board(db)
        self.began: list[str] = []
        self.told: list[tuple[str, str]] = []
        self.go = {}

    def add(self, owner, name: str):
        self.go[name] = threading.Event()

        def work(progress):
            self.began.append(name)
            while not self.go[name].wait(0.005):
                progress(0.0)
            return name

        wish = {"kind": "unwrap"}
        return self.board.start(
            owner, name, wish, 1, work, lambda job: self.told.append((job.title, job.state))
        )

    def until(self, count: int) -> None:
        deadline = time.monotonic() + HANG
        while len(self.began) < count:
            assert time.monotonic() < deadline, self.began
            time.sleep(0.005)


@pytest.fixture
def queue(db):
    made = Queue(db)
    yield made
    for event in made.go.values():
        event.set()
    made.board.close()


@pytest.fixture
def owners(db):
    first = small_project(db)
    second = beside(db, first)
    return first.surface, replace(second).surface


def test_of_those_that_wait_the_one_whose_surface_has_least_under_way_is_next(queue, owners):
    busy, other = owners
    for name in ("a", "b", "c", "d"):
        queue.add(busy, name)
    queue.until(AT_ONCE)
    assert queue.began == ["a", "b"]
    queue.add(other, "z")
    assert ("c", "waiting") in queue.told and ("z", "waiting") in queue.told
    queue.go["a"].set()
    queue.until(3)
    assert queue.began[2] == "z"
    queue.go["b"].set()
    queue.until(4)
    assert queue.began[3] == "c"


def test_what_is_asked_to_be_next_is(queue, owners):
    busy, _ = owners
    jobs = {name: queue.add(busy, name) for name in ("a", "b", "c", "d", "e")}
    queue.until(AT_ONCE)
    queue.board.hurry(jobs["e"].id)
    # What is under way, or not there, is left alone.
    queue.board.hurry(jobs["a"].id)
    queue.go["b"].set()
    queue.until(3)
    assert queue.began[2] == "e"
    queue.go["a"].set()
    queue.until(4)
    assert queue.began[3] == "c"


def test_what_waits_is_stopped_at_once_and_never_begun(queue, owners, db):
    busy, _ = owners
    jobs = {name: queue.add(busy, name) for name in ("a", "b", "c", "d")}
    queue.until(AT_ONCE)
    queue.board.drop(jobs["c"].id)
    assert jobs["c"].state == "cancelled" and ("c", "cancelled") in queue.told
    with db() as session:
        assert jobs["c"].id not in {row.id for row in unfinished_jobs(session, busy)}
    queue.go["a"].set()
    queue.until(3)
    assert queue.began == ["a", "b", "d"]
