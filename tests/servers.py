"""A real server process for browser tests and for killing."""

import os
import subprocess
import sys
import time
from pathlib import Path

import httpx2 as httpx

from ashblend.launch.postgres import free_port

ROOT = Path(__file__).parents[1]


class RealServer:
    """uvicorn in a process of its own; `kill` is kill -9, `start` uses the same port again."""

    def __init__(self, database: str) -> None:
        self.database = database
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self._environment = {
            **os.environ,
            "ASH_DATABASE_URL": database,
            "PYTHONPATH": str(ROOT / "src"),
            "NUMBA_THREADING_LAYER": "omp",
        }
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self._process = subprocess.Popen(
            [
                sys.executable, "-m", "uvicorn", "ashblend.server.app:from_environment", "--factory",
                "--host", "127.0.0.1", "--port", str(self.port), "--log-level", "warning",
                "--http", "ashblend.server.patience:PatientHTTP",
                "--ws", "ashblend.server.patience:PatientSocket", "--timeout-graceful-shutdown", "5",
            ],
            env=self._environment,
        )  # fmt: skip
        deadline = time.monotonic() + 60
        while time.monotonic() < deadline:
            try:
                httpx.get(f"{self.address}/api/projects").raise_for_status()
                return
            except httpx.HTTPError:
                if self._process.poll() is not None:
                    raise RuntimeError("the server stopped at once") from None
                time.sleep(0.1)
        raise RuntimeError("the server does not answer")

    def kill(self) -> None:
        assert self._process is not None
        self._process.kill()
        self._process.wait()

    def peak_memory(self) -> float:
        """The most memory that the process has had so far, in MB."""
        assert self._process is not None
        status = Path(f"/proc/{self._process.pid}/status").read_text()
        line = next(line for line in status.splitlines() if line.startswith("VmHWM"))
        return int(line.split()[1]) / 1000

    def stop(self) -> int:
        """Ctrl-C; the exit code."""
        assert self._process is not None
        self._process.send_signal(2)
        return self._process.wait(timeout=20)
