"""`./ash serve` on a folder, as a process of its own."""

import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

from limits import HANG

ROOT = Path(__file__).parents[2]


PLAIN = Path(__file__).parent / "plain_launch.py"


class Command:
    """said: lines of its output so far, which are read as they come."""

    def __init__(self, data: Path, *more: str, plain: bool = False) -> None:
        """plain: with one starting material; see plain_launch.py."""
        self.data = data
        launch = [str(PLAIN)] if plain else ["-m", "ashblend.launch"]
        self.process = subprocess.Popen(
            [sys.executable, *launch, "serve", "--data", str(data), *more],
            env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )
        self.said: list[str] = []
        threading.Thread(target=self._hear, daemon=True).start()

    def _hear(self) -> None:
        for line in self.process.stdout:
            self.said.append(line)

    def line(self, words: str) -> str:
        """The first line with some words in it, waited for."""
        until = time.monotonic() + HANG
        while time.monotonic() < until:
            found = next((text for text in self.said if words in text), None)
            if found is not None:
                return found
            if self.process.poll() is not None:
                break
            time.sleep(0.05)
        raise AssertionError(f"{words!r} was not said: {self.said} {self.process.stderr.read()}")

    def page(self) -> str:
        return next(word for word in self.line("http://").split() if word.startswith("http://"))

    def address(self) -> str:
        return self.page().split("/?")[0]

    def stopped(self, *signals: int) -> int:
        for number in signals:
            self.process.send_signal(number)
            time.sleep(0.05)
        return self.process.wait(timeout=HANG)

    def database(self) -> int:
        """Number of the database's first process."""
        return int((self.data / "postmaster.pid").read_text().split()[0])

    def kill_database(self) -> int:
        gone = self.database()
        os.kill(gone, signal.SIGKILL)
        return gone
