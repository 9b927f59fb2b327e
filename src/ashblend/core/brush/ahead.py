"""Reaching for dabs that wait, on other threads, while those before them are printed.

Whom a dab reaches follows from the surface alone, and takes most of a large dab's time (of 39 ms of a dab by skin over
100 000 texels, 36), so it need not wait for what is printed. What is printed, and its order, stay as they are. Small
dabs are over before another thread has begun.
"""

import os
from collections import deque
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import islice
from queue import SimpleQueue

from ashblend.core.brush.reach import Reach
from ashblend.core.brush.resample import Dab
from ashblend.core.sites.patch import Patch

# Points of a dab from which on the next ones are reached for meanwhile.
LARGE = 10_000


class Ahead:
    """Patches of the next dabs, in their order. make: a reach with memory of its own, one for each thread.

    `close` must end it.
    """

    def __init__(self, make: Callable[[], Reach], reached: Callable[[Reach, Dab], Patch]) -> None:
        self._make = make
        self._reached = reached
        self._many = os.cpu_count() or 1
        self._idle: SimpleQueue[Reach] = SimpleQueue()
        self._threads: ThreadPoolExecutor | None = None
        self._coming: deque[Future[Patch]] = deque()

    def begin(self, dabs: Iterable[Dab]) -> None:
        """Reach for the first of the dabs that wait, of which those asked for already are the first."""
        if self._many < 2:
            return
        if self._threads is None:
            self._threads = ThreadPoolExecutor(self._many)
            for _ in range(self._many):
                self._idle.put(self._make())
        for dab in islice(dabs, len(self._coming), self._many + 1):
            self._coming.append(self._threads.submit(self._reach, dab))

    def _reach(self, dab: Dab) -> Patch:
        reach = self._idle.get()
        try:
            return self._reached(reach, dab)
        finally:
            self._idle.put(reach)

    def take(self) -> Patch | None:
        """The patch of the first dab that waits, which is then printed; None where it was not asked for."""
        return self._coming.popleft().result() if self._coming else None

    def forget(self) -> None:
        """What was asked for is not wanted any more."""
        for patch in self._coming:
            patch.cancel()
        self._coming.clear()

    def close(self) -> None:
        self.forget()
        if self._threads is not None:
            self._threads.shutdown(wait=False)
            self._threads = None
