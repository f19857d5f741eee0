"""What every request passes: who may ask, what browsers may do with the answer, how long it took."""

import re
import time
from urllib.parse import urlsplit

import structlog
from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from even_ballot.api.faults import REPORT

_log = structlog.get_logger("even_ballot")
_OURS = ("127.0.0.1", "[::1]", "localhost")
_HOST = re.compile(rf"({'|'.join(map(re.escape, _OURS))})(:[0-9]{{1,5}})?")
_POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
    "font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
_GONE = 499
"""Logged where whoever asked had gone before there was an answer."""
_HEADERS = {
    "content-security-policy": _POLICY,
    "x-content-type-options": "nosniff",
    "referrer-policy": "no-referrer",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}


def refusal(headers: Headers) -> str | None:
    """Why a request is refused: it was sent to another host, or from another site."""
    host = headers.get("host", "")
    if _HOST.fullmatch(host) is None:
        return f"This server answers to {', '.join(_OURS)} only, not to {host!r}."
    origin = headers.get("origin")
    if origin is not None and urlsplit(origin).netloc != host:
        return f"Requests from {origin!r} are refused; open the application itself."
    return None


class Guard:
    """Refuses foreign hosts and origins, sets the security headers, times and logs."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        began = time.perf_counter()
        status, begun = _GONE, False

        async def sent(message: Message) -> None:
            nonlocal status, begun
            if message["type"] == "http.response.start":
                begun = True
                status = message["status"]
                headers = MutableHeaders(scope=message)
                for name, value in _HEADERS.items():
                    headers[name] = value
                headers["server-timing"] = f"server;dur={(time.perf_counter() - began) * 1e3:.1f}"
                if scope["path"].startswith("/api/"):
                    headers.setdefault("cache-control", "no-store")
            await send(message)

        try:
            if why := refusal(Headers(scope=scope)):
                answer = JSONResponse({"faults": [{"what": why, "where": "", "mend": ""}]}, 403)
                await answer(scope, receive, sent)
            else:
                await self.app(scope, receive, sent)
        except Exception:
            _log.exception("unforeseen", method=scope["method"], path=scope["path"])
            status = 500
            if not begun:
                fault = {
                    "what": "An internal error occurred in the server.",
                    "where": scope["path"],
                    "mend": REPORT,
                }
                await JSONResponse({"faults": [fault]}, 500)(scope, receive, sent)
        finally:
            ms = round((time.perf_counter() - began) * 1e3, 1)
            _log.info("request", method=scope["method"], path=scope["path"], status=status, ms=ms)
