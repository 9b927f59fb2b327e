"""How long work tells how far it is, and learns that it is no longer wanted."""

from collections.abc import Callable

# Called with 0..1 now and then; raises to stop the work.
Progress = Callable[[float], None]


def silent(_: float) -> None:
    """For work that nobody watches."""
