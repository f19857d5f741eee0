"""Room on the disk that the database is on. MariaDB ends in the middle of what it does where there is none,
and starts by waiting for some without a word; so we look first."""

import errno
import shutil
from pathlib import Path

ROOM = 48 << 20
"""Bytes that must be free for MariaDB to start (it makes a file of 12 MB first) and for anything to be
written."""


class NoRoom(OSError):
    """There is too little room for anything to be written; nothing was."""

    def __init__(self) -> None:
        super().__init__(errno.ENOSPC, "No room on the disk of the database")


def has_room(folder: Path) -> bool:
    """Whether the disk that a folder is on has room for the database; a folder that cannot be asked about
    has."""
    try:
        return shutil.disk_usage(folder).free >= ROOM
    except OSError:
        return True
