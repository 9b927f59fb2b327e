"""Who may talk to the server, and what its pages may load.

The server listens on loopback without a password, so any page in the artist's browser could try
to reach it. Host must be a loopback name (against DNS rebinding) and Origin, where a browser
sends one, the server's own (against other sites' requests and sockets). Told to be reached from elsewhere, it answers to
that one address only, and to whoever brings its token (doorkeeper.py).

It also holds what every answer has in common: a body is read no further than its limit, with a length or
without, and an error that nobody foresaw is told like any other, under a number that stands in the log.
"""

import asyncio
import logging
import re
import secrets
from collections.abc import Iterable

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from ashblend.server.doorkeeper import Doorkeeper
from ashblend.server.patience import SILENT

LOOPBACK = re.compile(r"(127\.0\.0\.1|localhost|\[::1\])(:\d{1,5})?")
# What is no upload: documents and small pictures.
MOST_BODY = 8_000_000
# Around the files of an upload.
FORM_MARGIN = 1_000_000

log = logging.getLogger("ashblend")

POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "font-src 'self'",
        "img-src 'self' blob:",
        "connect-src 'self'",
        "worker-src 'self'",
        "base-uri 'none'",
        "form-action 'none'",
        "frame-ancestors 'none'",
    )
)
HEADERS = {
    "content-security-policy": POLICY,
    "x-content-type-options": "nosniff",
    "referrer-policy": "no-referrer",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}


class Guard:
    """ASGI middleware: checks Host, Origin and sizes, adds the security headers. file_bytes: most of an upload.

    address: host and port under which it is reached from elsewhere, and token, which is asked for there; else both empty.
    """

    def __init__(
        self, app: ASGIApp, origins: Iterable[str], file_bytes: int, address: str = "", token: str = ""
    ) -> None:
        self._app = app
        self._origins = frozenset(origins)
        self._file_bytes = file_bytes
        self._address = address
        self._door = Doorkeeper(token, address) if address else None

    def _refusal(self, headers: Headers) -> str | None:
        host = headers.get("host", "")
        if self._address and host.lower() not in (self._address, self._address.removesuffix(":80")):
            return f"This server answers as {self._address} only."
        if not self._address and not LOOPBACK.fullmatch(host):
            return "This server answers on loopback names only."
        origin = headers.get("origin")
        if origin is not None and origin != f"http://{host}" and origin not in self._origins:
            return "Requests from other pages are refused."
        return None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        refusal = self._refusal(Headers(scope=scope))
        if refusal is not None:
            if scope["type"] == "websocket":
                await receive()
                await send({"type": "websocket.close", "code": 1008, "reason": refusal})
            else:
                remedy = "Open the address that the start command printed."
                answer = JSONResponse({"problem": refusal, "remedy": remedy}, 403, HEADERS)
                await answer(scope, receive, send)
            return

        stopped = await self._door.refusal(scope) if self._door else None
        if stopped is not None:
            if scope["type"] == "websocket":
                await receive()
                await send(
                    {"type": "websocket.close", "code": 1008, "reason": "The token is missing or wrong."}
                )
                return
            for name, value in HEADERS.items():
                stopped.headers.setdefault(name, value)
            await stopped(scope, receive, send)
            return

        begun = False

        async def with_headers(message: Message) -> None:
            nonlocal begun
            begun = True
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
            await send(message)

        if scope["type"] == "websocket":
            await self._app(scope, receive, with_headers)
            return
        try:
            await self._app(scope, self._limited(scope, receive), with_headers)
        except Exception:
            number = secrets.token_hex(4)
            log.exception("unforeseen error %s at %s %s", number, scope["method"], scope["path"])
            if begun:
                raise
            problem = f"Something went wrong that nobody foresaw (number {number}, in the log)."
            await JSONResponse(
                {"problem": problem, "remedy": "Load the page again; what was saved is safe."}, 500
            )(scope, receive, with_headers)

    def _limited(self, scope: Scope, receive: Receive) -> Receive:
        """The body, up to what this kind of request may carry."""
        headers = Headers(scope=scope)
        form = headers.get("content-type", "").startswith("multipart/form-data")
        most = self._file_bytes + FORM_MARGIN if form else MOST_BODY
        declared = headers.get("content-length", "")
        read = int(declared) if declared.isdecimal() and len(declared) < 20 else 0
        too_large = HTTPException(413, f"At most {most / 1e6:.0f} MB are taken here.")
        if read > most:

            async def refuse() -> Message:
                raise too_large

            return refuse
        read, more = 0, True

        async def limited() -> Message:
            nonlocal read, more
            # Behind the body only the end of the connection is waited for, and that takes as long as the answer.
            try:
                async with asyncio.timeout(SILENT if more else None):
                    message = await receive()
            except TimeoutError as late:
                raise HTTPException(408, f"Nothing of the request came for {SILENT:.0f} s.") from late
            read += len(message.get("body", b""))
            more = bool(message.get("more_body", False))
            if read > most:
                raise too_large
            return message

        return limited
