"""Who does the pieces of a long piece of work: one after the other here, or several at a time on threads.

Threads help where a piece is a kernel or a library's call that lets go of the interpreter, as all of those here do.
Pieces may be done in any order and write into places of their own; what they return comes back in the order of the pieces.
"""

import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Protocol, TypeVar

from ashblend.core.progress import Progress, silent

Piece = TypeVar("Piece")
Made = TypeVar("Made")


class Runner(Protocol):
    def __call__(
        self, work: Callable[[Piece], Made], pieces: Sequence[Piece], progress: Progress = silent
    ) -> list[Made]:
        """What the work makes of each piece.

        progress: told 0..1 after each piece; where it raises, pieces that are not begun are left. Raises what the
        work raises, at the first piece that fails.
        """


def in_place(
    work: Callable[[Piece], Made], pieces: Sequence[Piece], progress: Progress = silent
) -> list[Made]:
    """One piece after the other, by who asks. See `Runner`."""
    made = []
    for piece in pieces:
        made.append(work(piece))
        progress(len(made) / len(pieces))
    return made


def threaded(
    work: Callable[[Piece], Made], pieces: Sequence[Piece], progress: Progress = silent
) -> list[Made]:
    """As many at a time as there are processors. See `Runner`."""
    if len(pieces) < 2:
        return in_place(work, pieces, progress)
    with ThreadPoolExecutor(os.cpu_count()) as threads:
        parts = [threads.submit(work, piece) for piece in pieces]
        made: list[Made] = []
        try:
            for part in parts:
                made.append(part.result())
                progress(len(made) / len(parts))
        except BaseException:
            for part in parts:
                part.cancel()
            raise
    return made
