"""How much what comes in may make of itself, and who may take it apart at a time.

A file of some bytes can say that it holds a thousand times as many, or name the same bytes a thousand times. Whatever
is reserved on the way from an upload to arrays is taken from one budget before it is reserved, for the whole upload and not
for each of its parts: limits that hold for each part were met eight, 600 and 1 200 times over.

What is decoded is a multiple of a decoder's own choosing for a while, so decoders run one at a time for each two processors.

The whole of a read costs several times what it decodes (bytes, arrays, arrays in world space); LEAST is chosen so that a
file under 10 MB stays under 1 GB in all.
"""

import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from ashblend.core.formats.errors import FormatError

# Bytes that any upload may decode to: a height map of 8193², flat, is 134 MB from a tenth of a megabyte.
LEAST = 256_000_000
# Times its own size that a larger one may.
TIMES = 16
REMEDY = "Save it again in parts, or without what does not belong to it."


class Budget:
    """Bytes that an upload may still decode to."""

    def __init__(self, sent: int) -> None:
        """sent: bytes of the upload."""
        self.sent = sent
        self._left = max(LEAST, TIMES * sent)

    @property
    def left(self) -> int:
        return self._left

    def take(self, size: int, name: str) -> None:
        """Before so many bytes are reserved. name: of what would hold them. Raises FormatError."""
        if size < 0 or size > self._left:
            raise FormatError(
                f"{name} unpacks to far more than {self.sent:,} bytes can honestly hold.", REMEDY
            )
        self._left -= size


DECODERS = max(1, (os.cpu_count() or 2) // 2)
_DECODING = threading.BoundedSemaphore(DECODERS)
_HERE = threading.local()


@contextmanager
def decoding() -> Iterator[None]:
    """While something is taken apart; others wait. What is begun inside belongs to it."""
    if getattr(_HERE, "busy", False):
        yield
        return
    with _DECODING:
        _HERE.busy = True
        try:
            yield
        finally:
            _HERE.busy = False
