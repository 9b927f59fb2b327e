"""One owner of a data folder at a time, told by a lock that the system lets go when its process ends."""

import fcntl
import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


class Taken(RuntimeError):
    """Another process owns the data folder."""


class Owner:
    """The lock file, held. It also says where the owner is to be found."""

    def __init__(self, file: int) -> None:
        self._file = file

    def tell(self, address: str | None) -> None:
        """Write down who owns the folder, and where it answers."""
        text = json.dumps({"process": os.getpid(), "address": address}).encode()
        os.ftruncate(self._file, 0)
        os.pwrite(self._file, text, 0)


def _said(path: Path) -> str:
    try:
        known = json.loads(path.read_text())
        where = f" at {known['address']}" if known.get("address") else ""
        return f"Ash Blend already runs on this data{where} (process {known['process']})."
    except (OSError, ValueError, KeyError, TypeError):
        return "Ash Blend already runs on this data."


@contextmanager
def owned(data: Path) -> Iterator[Owner]:
    """Own a data folder. Raises Taken, which says where the owner is."""
    path = data.with_name(f"{data.name}.lock")
    path.parent.mkdir(parents=True, exist_ok=True)
    file = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
    try:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise Taken(f"{_said(path)} Open that, or stop it first.") from error
        owner = Owner(file)
        owner.tell(None)
        yield owner
    finally:
        os.close(file)
