"""Pieces of long work, one after the other or on threads: the same comes out, and what is not wanted any more ends."""

import threading

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ashblend.core.runner import in_place, threaded

RUNNERS = pytest.mark.parametrize("run", [in_place, threaded])


@RUNNERS
@given(pieces=st.lists(st.integers(), max_size=40))
def test_what_comes_back_is_in_the_order_of_the_pieces(run, pieces):
    told: list[float] = []
    assert run(lambda piece: 3 * piece, pieces, told.append) == [3 * piece for piece in pieces]
    assert told == [(i + 1) / len(pieces) for i in range(len(pieces))]


class NotWanted(Exception):
    pass


@RUNNERS
def test_work_that_is_not_wanted_any_more_ends(run):
    done: list[int] = []
    given_up = threading.Event()

    def work(piece: int) -> None:
        # All but the first wait for it, so that no thread runs away with the rest.
        if piece:
            given_up.wait()
        done.append(piece)

    def give_up(share: float) -> None:
        given_up.set()
        raise NotWanted

    with pytest.raises(NotWanted):
        run(work, range(100_000), give_up)
    assert 1 <= len(done) < 100_000


@RUNNERS
def test_the_first_piece_that_fails_is_told_and_the_rest_is_left(run):
    done: list[int] = []
    first = threading.Event()

    def work(piece: int) -> None:
        if piece == 1:
            raise ValueError("piece 1")
        if piece > 1:
            first.wait()
        done.append(piece)

    with pytest.raises(ValueError, match="piece 1"):
        run(work, range(100_000), lambda _: first.set())
    assert 0 in done and len(done) < 99_999


def test_pieces_are_done_beside_each_other():
    """Two that wait for each other are both done, which one thread could not."""
    met = threading.Barrier(2)
    assert threaded(lambda _: met.wait(60) >= 0, range(2)) == [True, True]
