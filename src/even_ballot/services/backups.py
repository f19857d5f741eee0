"""Backups as the command line makes and reads them."""

from pathlib import Path

from even_ballot.core.faults import fault
from even_ballot.store import backup as kept


def back_up(out: Path, folder: Path, replace: bool = False) -> int:
    """Writes everything of a data folder to a file, also while the application runs; its size in bytes.
    Raises StudyError where it is there already and may not be written over."""
    if out.exists() and not replace:
        raise fault(f"{out} exists already.", str(out), "Name another file, or add --replace.")
    with kept.at_hand(folder) as server:
        kept.write_backup(server, out)
    return out.stat().st_size


def restore(backup: Path, folder: Path) -> None:
    """A new data folder from a backup. Raises StudyError where there is one already."""
    kept.restore(backup, folder)
