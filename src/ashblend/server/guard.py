"""Who may talk to the server, and what its pages may load.

The server listens on loopback without a password, so any page in the artist's browser could try
to reach it. Host must be a loopback name (against DNS rebinding) and Origin, where a browser
sends one, the server's own (against other sites' requests and sockets).
"""

from collections.abc import Iterable

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

LOOPBACK = ("127.0.0.1", "localhost", "[::1]")

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
    """ASGI middleware: checks Host and Origin, adds the security headers."""

    def __init__(self, app: ASGIApp, origins: Iterable[str] = ()) -> None:
        self._app = app
        self._origins = frozenset(origins)

    def _refusal(self, headers: Headers) -> str | None:
        host = headers.get("host", "")
        name = host if host.endswith("]") else host.rpartition(":")[0] or host
        if name not in LOOPBACK:
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
                answer = JSONResponse(
                    {"problem": refusal, "remedy": "Open the address that the start command printed."}, 403
                )
                await answer(scope, receive, send)
            return

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
            await send(message)

        await self._app(scope, receive, with_headers)
