"""How much memory and time the reading of a file may take."""

import ctypes
import os

import pyarrow as pa

GIB = 1 << 30
_MANY = 64 << 20
_PACE = 10_000_000
"""Bytes a second that a file must pass at least, where it takes longer than the least time."""


def machine_memory() -> int:
    """The machine's memory in bytes."""
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")


def memory_for(size: int) -> int:
    """Bytes that work on so many may take: half of the machine's memory where they are many, 2 GiB where
    they are few."""
    half = machine_memory() // 2
    return half if size > _MANY else min(2 * GIB, half)


def seconds_for(size: int) -> float:
    """Seconds that reading so many bytes may take."""
    return max(60.0, size / _PACE)


def give_back() -> None:
    """Gives memory that is free within the process back to the machine, where its C library can."""
    pa.default_memory_pool().release_unused()
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(0)
