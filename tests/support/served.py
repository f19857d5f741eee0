"""An application served on loopback, as people reach it."""

import contextlib
import socket
import threading
import time
from collections.abc import Iterator

import uvicorn
from starlette.types import ASGIApp


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
