"""Bodies of uploads, put on disk as they arrive, up to a limit."""

import tempfile
from typing import IO

from fastapi import Request
from starlette.concurrency import run_in_threadpool

from even_ballot.core.faults import fault

LARGEST = 1 << 30
_IN_MEMORY = 1 << 20


async def spooled(request: Request) -> IO[bytes]:
    """The whole body as a file that vanishes when closed, or with the process. Stops at the limit, whatever the headers
    promise; a body that breaks off raises ClientDisconnect and leaves nothing."""
    file = tempfile.SpooledTemporaryFile(_IN_MEMORY)  # noqa: SIM115
    size = 0
    try:
        async for piece in request.stream():
            size += len(piece)
            if size > LARGEST:
                limit = f"{LARGEST / 2**30:g} GiB" if LARGEST >= 2**30 else f"{LARGEST:,} bytes"
                raise fault(f"The file is larger than {limit}.", "", "Leave out columns that are not needed, or split it.")
            await run_in_threadpool(file.write, piece)
    except BaseException:
        file.close()
        raise
    file.seek(0)
    return file


async def body_of(request: Request) -> bytes:
    """A small body's bytes."""
    with await spooled(request) as file:
        return file.read()
