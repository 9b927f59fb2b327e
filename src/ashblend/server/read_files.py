"""Which packed mesh a file was read as, from looking at it until it is taken in."""

from collections import OrderedDict
from pathlib import PurePath
from threading import Lock

# Files that somebody may still be looking at; one more is read once more.
MOST = 64


class ReadFiles:
    """Of files that were looked at lately, for all threads."""

    def __init__(self) -> None:
        self._meshes: OrderedDict[tuple[str, str], str] = OrderedDict()
        self._lock = Lock()

    def note(self, file: str, name: str, mesh: str) -> None:
        """file, mesh: SHA-256 of the file's bytes and of the packed mesh. name: of the file, whose ending says how it is read."""
        with self._lock:
            self._meshes[file, PurePath(name).suffix.lower()] = mesh
            while len(self._meshes) > MOST:
                self._meshes.popitem(last=False)

    def mesh_of(self, file: str, name: str) -> str | None:
        """SHA-256 of the packed mesh; None where it is not known."""
        with self._lock:
            return self._meshes.get((file, PurePath(name).suffix.lower()))
