"""A real server process for browser tests and for killing.

It is forked from a process that has imported everything once: an interpreter of its own for each test took 3.3 s of
processor time until it answered, a fork takes 0.2.
"""

import contextlib
import gc
import multiprocessing
import os
import signal
import time
from multiprocessing.context import ForkServerProcess
from pathlib import Path

import httpx2 as httpx
from limits import HANG

from ashblend.launch.postgres import free_port

FORKS = multiprocessing.get_context("forkserver")
FORKS.set_forkserver_preload(["pytest", "ashblend.server.patience", "uvicorn", "servers", "readied"])


def _serve(database: str, port: int) -> None:
    import uvicorn

    from ashblend.server.app import create_app
    from ashblend.server.patience import PatientHTTP, PatientSocket
    from ashblend.server.settings import Settings

    os.environ["NUMBA_THREADING_LAYER"] = "omp"
    app = create_app(Settings(database_url=database))
    gc.freeze()
    # As the command line does: Ctrl-C is no failure.
    with contextlib.suppress(KeyboardInterrupt):
        uvicorn.run(
            app, host="127.0.0.1", port=port, log_level="warning", http=PatientHTTP, ws=PatientSocket,
            timeout_graceful_shutdown=5,
        )  # fmt: skip


class RealServer:
    """uvicorn in a process of its own; `kill` is kill -9, `start` uses the same port again."""

    def __init__(self, database: str) -> None:
        self.database = database
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self._process: ForkServerProcess | None = None

    def start(self) -> None:
        self._process = FORKS.Process(target=_serve, args=(self.database, self.port))
        self._process.start()
        deadline = time.monotonic() + HANG
        while time.monotonic() < deadline:
            try:
                httpx.get(f"{self.address}/api/projects").raise_for_status()
                return
            except httpx.HTTPError:
                if not self._process.is_alive():
                    raise RuntimeError("the server stopped at once") from None
                time.sleep(0.05)
        raise RuntimeError("the server does not answer")

    def kill(self) -> None:
        assert self._process is not None
        self._process.kill()
        self._process.join()

    def peak_memory(self) -> float:
        """The most memory that the process has had so far, in MB."""
        assert self._process is not None
        status = Path(f"/proc/{self._process.pid}/status").read_text()
        line = next(line for line in status.splitlines() if line.startswith("VmHWM"))
        return int(line.split()[1]) / 1000

    def stop(self) -> int | None:
        """Ctrl-C; the exit code, None where it does not end."""
        assert self._process is not None and self._process.pid is not None
        os.kill(self._process.pid, signal.SIGINT)
        self._process.join(timeout=HANG)
        return self._process.exitcode
