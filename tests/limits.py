"""How long tests wait for what must come.

No test asks for a wall time: a machine may be slow, or busy with other things. What is awaited is awaited until it
comes, and only a hang reaches the limit.
"""

import time
from collections.abc import Callable
from typing import TypeVar

# Seconds.
HANG = 240.0

T = TypeVar("T")


def until(now: Callable[[], T], wanted: Callable[[T], object], what: str) -> T:
    """What there is now, once it is as wanted; `what` is said if it never is."""
    deadline = time.monotonic() + HANG
    while not wanted(found := now()):
        assert time.monotonic() < deadline, what
        time.sleep(0.1)
    return found
