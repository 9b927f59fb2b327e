"""How long a connection may be silent, and how long one may leave what it was sent unread.

The library that speaks HTTP waits for ever for the head of a request, and both wait for ever for a reader that has
stopped: its answer stays in memory. Here each connection is looked at every few seconds, and dropped when nothing has
moved for a while. The body of a request has a limit of its own in `guard`.
"""

import asyncio
from typing import Any

from uvicorn.protocols.http.h11_impl import H11Protocol
from uvicorn.protocols.websockets.websockets_sansio_impl import WebSocketsSansIOProtocol

# Seconds that a connection may take over the head of a request, between two parts of a body, or over reading
# anything of what it was sent.
SILENT = 20.0
LOOKS = 4


class _Watch:
    """Drops a connection once it has been idle at so many looks in a row."""

    def __init__(self, protocol: "PatientHTTP | PatientSocket", silent: float) -> None:
        self._protocol = protocol
        self._pause = silent / LOOKS
        self._idle = 0
        self._unread = 0
        self._timer = asyncio.get_running_loop().call_later(self._pause, self._look)

    def _look(self) -> None:
        transport = self._protocol.transport
        if transport.get_protocol() is not self._protocol:
            # Handed on to the socket's protocol, which has a watch of its own.
            return
        unread = transport.get_write_buffer_size()
        stuck = unread > 0 and unread >= self._unread > 0
        self._unread = unread
        self._idle = self._idle + 1 if stuck or (unread == 0 and self._protocol.owes()) else 0
        if self._idle >= LOOKS:
            transport.abort()
            return
        self._timer = asyncio.get_running_loop().call_later(self._pause, self._look)

    def stop(self) -> None:
        self._timer.cancel()


class PatientHTTP(H11Protocol):
    """HTTP whose clients must say what they want, and read what they get."""

    silent = SILENT

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._watch = _Watch(self, self.silent)

    def connection_lost(self, exc: Exception | None) -> None:
        self._watch.stop()
        super().connection_lost(exc)

    def owes(self) -> bool:
        """Whether the head of a request is awaited."""
        return self.cycle is None or self.cycle.response_complete


class PatientSocket(WebSocketsSansIOProtocol):
    """A socket whose window must read what it is sent. Whether it is there at all is asked by pings."""

    silent = SILENT

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._watch = _Watch(self, self.silent)

    def connection_lost(self, exc: Exception | None) -> None:
        self._watch.stop()
        super().connection_lost(exc)

    def owes(self) -> bool:
        return False

    def keepalive_timeout(self) -> None:
        """While a message is being answered nothing further is read: not what comes behind it, and no answer to a ping.

        Kernels that compile at the first stroke, on a slow machine, took longer than a ping may; the window was dropped.
        """
        if self.read_paused:
            self.pong_timer = None
            self.pending_ping_payload = None
            self.schedule_ping()
        else:
            super().keepalive_timeout()
