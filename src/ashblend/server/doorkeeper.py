"""Who may come in on a network: whoever brings the token, once in the address and from then on as a cookie.

On loopback there is none (guard.py). A wrong token is answered late, and the later the more there were of one
address; none at all is told at once what is missing. Tokens are compared in a time that does not tell how much of one was
right.
"""

import asyncio
import hmac
import time
from http.cookies import CookieError, SimpleCookie
from urllib.parse import parse_qsl, urlencode

from starlette.datastructures import Headers
from starlette.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.types import Scope

PARAMETER = "token"
# Seconds: the first wrong one waits so long, twice as long each time up to the most; all is forgotten after a while.
FIRST, MOST, FORGOTTEN = 0.5, 8.0, 600.0
# Answers that wait at a time; what comes beyond is refused at once.
WAITING = 32
ADDRESSES = 1024
YEAR = 365 * 24 * 3600
MISSING = "This server asks for a token."
WRONG = "This is not the token of this server."
REMEDY = "Open the address that the start command printed, with the token in it."


class Doorkeeper:
    """token: what must be brought. address: host and port as browsers name them."""

    def __init__(self, token: str, address: str) -> None:
        self._token = token.encode()
        self._cookie = "ash_token_" + address.rpartition(":")[2]
        # Of an address: how many wrong ones there were, and when the last is answered.
        self._wrong: dict[str, tuple[int, float]] = {}
        self._waiting = 0

    def _right(self, brought: str) -> bool:
        return hmac.compare_digest(brought.encode("utf-8", "replace"), self._token)

    def _brought(self, headers: Headers) -> str | None:
        try:
            cookies = SimpleCookie(headers.get("cookie", ""))
        except CookieError:
            return None
        found = cookies.get(self._cookie)
        return found.value if found else None

    def _answered_at(self, address: str) -> float:
        """When a further wrong token of an address is answered."""
        now = time.monotonic()
        if len(self._wrong) >= ADDRESSES:
            self._wrong = {a: w for a, w in self._wrong.items() if now - w[1] < FORGOTTEN}
            while len(self._wrong) >= ADDRESSES:
                self._wrong.pop(next(iter(self._wrong)))
        count, last = self._wrong.get(address, (0, now))
        if now - last > FORGOTTEN:
            count, last = 0, now
        at = max(now, last) + min(MOST, FIRST * 2.0 ** min(count, 10))
        self._wrong[address] = count + 1, at
        return at

    async def _late(self, scope: Scope) -> bool:
        """Wait as long as a wrong token has to; False where too many wait already."""
        if self._waiting >= WAITING:
            return False
        address = (scope.get("client") or ("",))[0]
        self._waiting += 1
        try:
            await asyncio.sleep(max(0.0, self._answered_at(address) - time.monotonic()))
        finally:
            self._waiting -= 1
        return True

    async def refusal(self, scope: Scope) -> Response | None:
        """What is answered in place of what was asked for; None for whoever may come in."""
        headers = Headers(scope=scope)
        pairs = parse_qsl(scope.get("query_string", b"").decode("latin-1"), keep_blank_values=True)
        named = [value for name, value in pairs if name == PARAMETER]
        if named and scope["type"] == "http" and scope["method"] == "GET":
            if not self._right(named[-1]):
                return await self._wrong_one(scope, headers)
            rest = urlencode([(name, value) for name, value in pairs if name != PARAMETER])
            # Out of the address at once: what is there is copied and photographed.
            path = "/" + scope["path"].lstrip("/\\")
            answer = RedirectResponse(path + (f"?{rest}" if rest else ""), 303)
            answer.set_cookie(self._cookie, named[-1], max_age=YEAR, path="/", httponly=True, samesite="lax")
            return answer
        brought = self._brought(headers)
        if brought is None:
            return self._told(headers, MISSING, 401)
        return None if self._right(brought) else await self._wrong_one(scope, headers)

    async def _wrong_one(self, scope: Scope, headers: Headers) -> Response:
        if await self._late(scope):
            return self._told(headers, WRONG, 401)
        return self._told(headers, "Too many wrong tokens wait to be answered.", 429)

    @staticmethod
    def _told(headers: Headers, problem: str, status: int) -> Response:
        if "text/html" in headers.get("accept", ""):
            return HTMLResponse(
                f"<!doctype html><title>Ash Blend</title><h1>{problem}</h1><p>{REMEDY}</p>", status
            )
        return JSONResponse({"problem": problem, "remedy": REMEDY}, status)
