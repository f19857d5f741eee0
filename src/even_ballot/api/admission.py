"""How requests are let in: their bodies are read first, then they wait for one of a number of places, each
with a thread and a connection to itself, so that none waits for what another holds."""

import asyncio
import contextlib
import errno
import tempfile
import threading
from collections.abc import AsyncIterator
from dataclasses import dataclass
from typing import IO

import anyio.to_thread
from starlette.requests import Request
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from even_ballot.services.workers.ongoing_work import CALLER

PLACES = 20
"""Requests that are worked on at once."""
THREADS = 32
"""More than places: pages and files of the interface need one too."""
CONNECTIONS = 32
"""One for each place, and what jobs need."""
LARGEST, SMALLER = 1 << 30, 64 << 20
_FILES = ("/api/v1/files", "/api/v1/studies/take-in")
_IN_MEMORY, _PIECE = 1 << 20, 1 << 18
_PATIENCE, _SILENCE = 20.0, 30.0


class _Refused(Exception):
    """A request that is not let in."""

    def __init__(self, status: int, what: str, mend: str, retry_after: int | None = None) -> None:
        super().__init__(what)
        headers = {} if retry_after is None else {"retry-after": str(retry_after)}
        self.answer = JSONResponse({"faults": [{"what": what, "where": "", "mend": mend}]}, status, headers)


class _Gone(Exception):
    """The client has gone before its body was there."""


@dataclass
class _Body:
    """A body that is there whole; taken: somebody else closes it."""

    file: IO[bytes]
    size: int
    taken: bool = False


def body_of(request: Request) -> bytes:
    """A body's bytes."""
    body: _Body = request.scope["whole_body"]
    body.file.seek(0)
    return body.file.read()


def taken_body(request: Request) -> IO[bytes]:
    """The body as a file that is the caller's to close; it vanishes then, or with the process."""
    body: _Body = request.scope["whole_body"]
    body.taken = True
    body.file.seek(0)
    return body.file


def _limit(path: str) -> int:
    return LARGEST if path in _FILES else SMALLER


async def _read(receive: Receive, limit: int) -> _Body:
    """The whole body, put on disk as it arrives where it is large; whatever the headers promise, it stops
    at the limit."""
    file = tempfile.SpooledTemporaryFile(_IN_MEMORY)  # noqa: SIM115
    size = 0
    try:
        while True:
            try:
                message = await asyncio.wait_for(receive(), _SILENCE)
            except TimeoutError:
                raise _Refused(
                    408, "The request timed out before it was complete.", "Send it again."
                ) from None
            if message["type"] == "http.disconnect":
                raise _Gone
            piece = message.get("body", b"")
            size += len(piece)
            if size > limit:
                said = (
                    f"{limit / 2**30:g} GiB"
                    if limit >= 2**30
                    else f"{limit / 2**20:g} MiB"
                    if limit >= 2**20
                    else f"{limit:,} bytes"
                )
                raise _Refused(
                    413,
                    f"The file is larger than {said}.",
                    "Leave out columns that are not needed, or split it.",
                )
            await _written(file, piece, size > _IN_MEMORY)
            if not message.get("more_body", False):
                file.seek(0)
                return _Body(file, size)
    except BaseException:
        file.close()
        raise


async def _written(file: IO[bytes], piece: bytes, large: bool) -> None:
    """Puts a piece of a body down; large: on disk."""
    try:
        if large:
            await asyncio.to_thread(file.write, piece)
        else:
            file.write(piece)
    except OSError as error:
        if error.errno != errno.ENOSPC:
            raise
        what = "The disk that arriving files are kept on is full; nothing of this was taken."
        raise _Refused(507, what, "Make room there, then send it again.") from None


class Admission:
    """Reads bodies, gives places, and tells work whose caller has gone."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app
        self._places: asyncio.Semaphore | None = None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not scope["path"].startswith("/api/"):
            await self.app(scope, receive, send)
            return
        try:
            body = await _read(receive, _limit(scope["path"]))
        except _Refused as refused:
            await refused.answer(scope, receive, send)
            return
        except _Gone:
            return
        try:
            async with self._place() as leave:
                await self._answered({**scope, "whole_body": body}, body, receive, send, leave)
        except _Refused as refused:
            await refused.answer(scope, receive, send)
        finally:
            if not body.taken:
                body.file.close()

    @contextlib.asynccontextmanager
    async def _place(self) -> AsyncIterator["_Leave"]:
        if self._places is None:
            self._places = asyncio.Semaphore(PLACES)
            anyio.to_thread.current_default_thread_limiter().total_tokens = THREADS
        try:
            await asyncio.wait_for(self._places.acquire(), _PATIENCE)
        except TimeoutError:
            raise _Refused(
                503, "Too many requests are being worked on.", "Try again in a moment.", retry_after=2
            ) from None
        leave = _Leave(self._places)
        try:
            yield leave
        finally:
            leave()

    async def _answered(
        self, scope: Scope, body: _Body, receive: Receive, send: Send, leave: "_Leave"
    ) -> None:
        """The application's answer; the place is free once it begins to be sent, and work ends when nobody
        waits for it."""
        gone, ended, left = threading.Event(), asyncio.Event(), [True]

        async def watch() -> None:
            while (await receive())["type"] != "http.disconnect":
                pass
            gone.set()
            ended.set()

        async def replayed() -> Message:
            if left[0]:
                piece = body.file.read(_PIECE)
                left[0] = body.file.tell() < body.size
                return {"type": "http.request", "body": piece, "more_body": left[0]}
            await ended.wait()
            return {"type": "http.disconnect"}

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                leave()
            await send(message)

        token = CALLER.set(gone)
        watching = asyncio.create_task(watch())
        try:
            await self.app(scope, replayed, sent)
        finally:
            watching.cancel()
            CALLER.reset(token)


class _Leave:
    """Gives a place back, once."""

    def __init__(self, places: asyncio.Semaphore) -> None:
        self._places: asyncio.Semaphore | None = places

    def __call__(self) -> None:
        if self._places is not None:
            self._places.release()
            self._places = None
