"""Starts the database again when it ends by itself: killed, out of memory, or out of disk under its own log.

What it was about to keep was not acknowledged, and what was is in its log: it takes that up as it starts.
"""

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from ashblend.launch.postgres import Cluster, NoPostgres, Server

# Seconds between two looks, and between two tries.
LOOK, TRY = 1.0, 2.0
ENDED = (
    "The database has ended and is being started again.",
    "Nothing was changed. Try again in a few seconds.",
)


class Watch:
    """trouble: problem and remedy while the database is not there, else None."""

    def __init__(self, cluster: Cluster, server: Server) -> None:
        self.trouble: tuple[str, str] | None = None
        self._cluster = cluster
        self._server = server
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._look, daemon=True)
        self._thread.start()

    def stop(self) -> None:
        self._over.set()
        self._thread.join()

    def _look(self) -> None:
        while not self._over.wait(LOOK):
            if not self._cluster.runs():
                self._start_again()

    def _start_again(self) -> None:
        self.trouble = ENDED
        print(ENDED[0], flush=True)
        while True:
            try:
                said = self._cluster.start_again(self._server)
            except NoPostgres as error:
                said = str(error)
            if not said:
                break
            if "No space left" in said and self.trouble is ENDED:
                place = self._server.data
                self.trouble = (
                    "The disk is full under the database, which has stopped.",
                    f"Nothing was changed. Make room on the disk of {place}: it goes on by itself then.",
                )
                print(" ".join(self.trouble), flush=True)
            if self._over.wait(TRY):
                return
        self.trouble = None
        print("The database is there again.", flush=True)


@contextmanager
def watched(cluster: Cluster, server: Server) -> Iterator[Watch]:
    """Watch it until the end; then it may stop."""
    watch = Watch(cluster, server)
    try:
        yield watch
    finally:
        watch.stop()
