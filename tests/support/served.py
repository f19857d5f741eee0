"""An application served on loopback, as people reach it."""

import contextlib
import socket
import threading
import time
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path

import uvicorn
from fastapi import FastAPI
from sqlalchemy import Engine
from starlette.types import ASGIApp

from even_ballot.api.app import attach, make_app


@contextlib.contextmanager
def served(app: ASGIApp) -> Iterator[str]:
    """Its address, while it is served."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = uvicorn.Server(
        uvicorn.Config(app, host="127.0.0.1", port=port, log_config=None, timeout_graceful_shutdown=2)
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    until = time.monotonic() + 20
    while not server.started and time.monotonic() < until:
        time.sleep(0.02)
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join(20)


@lru_cache
def _app(web: Path | None) -> FastAPI:
    return make_app(None, web)


def app_on(engine: Engine, web: Path | None = None) -> FastAPI:
    """The application on a database. Its routes are built once a process; it keeps nothing else from one test
    to the next."""
    app = _app(web)
    attach(app, engine)
    # What it holds back requests with belongs to the loop of one server.
    app.middleware_stack = None
    return app
