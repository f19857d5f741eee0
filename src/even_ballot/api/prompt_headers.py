"""A connection whose headers do not come is closed, so that nobody holds many of them for nothing."""

import asyncio
from typing import Any

from uvicorn.protocols.http.h11_impl import H11Protocol

PATIENCE = 10.0
"""Seconds that the headers of a request may take."""


class PromptHeaders(H11Protocol):
    """HTTP/1.1 that waits so long for the headers of a request, from its first byte or from the opening of
    the connection."""

    _late: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        self._wait_no_more()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self._answering:
            self._wait_no_more()
        elif self._late is None:
            self._wait()

    @property
    def _answering(self) -> bool:
        return self.cycle is not None and not self.cycle.response_complete

    def _wait(self) -> None:
        self._late = asyncio.get_running_loop().call_later(PATIENCE, self._close)

    def _wait_no_more(self) -> None:
        if self._late is not None:
            self._late.cancel()
            self._late = None

    def _close(self) -> None:
        self._late = None
        if not self._answering and not self.transport.is_closing():
            self.transport.close()
