"""Work in a process of its own: libraries that cannot be interrupted are stopped with it."""

import multiprocessing
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any, TypeVar

from ashblend.core.progress import Progress

R = TypeVar("R")
LOOK_EVERY = 0.1


def _child(pipe: Connection, work: Callable[..., Any], arguments: tuple[Any, ...]) -> None:
    try:
        pipe.send((True, work(*arguments)))
    except Exception as error:
        pipe.send(
            (False, f"{type(error).__name__}: {error}" if not isinstance(error, ValueError) else str(error))
        )


def run_apart(work: Callable[..., R], *arguments: Any, progress: Progress, seconds: float) -> R:
    """Call a function of a module elsewhere and wait for it; progress may raise to stop it.

    seconds: a guess of how long it takes, to show progress by. Raises ValueError with its problem.
    """
    # Never fork: numba's threads do not survive it.
    context = multiprocessing.get_context("spawn")
    here, there = context.Pipe(duplex=False)
    process = context.Process(target=_child, args=(there, work, arguments), daemon=True)
    process.start()
    there.close()
    waited = 0.0
    try:
        while not here.poll(LOOK_EVERY):
            waited += LOOK_EVERY
            progress(waited / (waited + max(seconds, 0.1)))
        try:
            fine, result = here.recv()
        except EOFError:
            raise ValueError("The work ended without a result; it may have run out of memory.") from None
    finally:
        process.kill()
        process.join()
        here.close()
    if not fine:
        raise ValueError(result)
    return result
