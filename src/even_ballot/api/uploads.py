"""Bodies of uploads, read as they arrive, up to a limit."""

from fastapi import Request

from even_ballot.core.faults import fault

LARGEST = 1 << 30


async def body_of(request: Request) -> bytes:
    """The whole body. Stops at the limit, whatever the headers promise."""
    pieces: list[bytes] = []
    size = 0
    async for piece in request.stream():
        size += len(piece)
        if size > LARGEST:
            raise fault("The file is larger than 1 GiB.", "", "Leave out columns that are not needed, or split it.")
        pieces.append(piece)
    return b"".join(pieces)
