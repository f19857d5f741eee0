"""Folders of Parquet parts whose records stay where they are, below one folder that may be read."""

import contextlib
import json
import os
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path

from even_ballot.core.faults import StudyError, fault

_DEEP, _MOST_FOLDERS, _MOST_PARTS = 6, 500, 10_000
_WHERE, _PARQUET = "folder", ".parquet"


@dataclass(frozen=True)
class Part:
    """A file of a folder. size: bytes; changed: when, in nanoseconds; records: how many, blank ones too."""

    name: str
    size: int
    changed: int
    records: int


@dataclass(frozen=True)
class SampleOf:
    """What is shown is of a sample: so many records were drawn, of how many, in how many parts;
    blank ones too."""

    folder: str
    parts: int
    records: int
    drawn: int


@dataclass(frozen=True)
class InPlace:
    """A folder of parts, by its path below the folder of data, as it was when it was looked at."""

    folder: str
    parts: tuple[Part, ...]

    @property
    def records(self) -> int:
        """Of all parts together.

        >>> InPlace("crossings", (Part("a.parquet", 9, 1, 40), Part("b.parquet", 9, 1, 2))).records
        42
        """
        return sum(part.records for part in self.parts)

    @property
    def names(self) -> tuple[str, ...]:
        """Paths of the parts below the folder of data, in order."""
        return tuple(f"{self.folder}/{part.name}" for part in self.parts)

    def sample(self, drawn: int) -> SampleOf:
        """So many of its records."""
        return SampleOf(self.folder, len(self.parts), self.records, drawn)

    def dump(self) -> str:
        """As it is kept."""
        return json.dumps(asdict(self))

    @classmethod
    def load(cls, text: str) -> "InPlace":
        """As it was kept.

        >>> here = InPlace("crossings", (Part("a.parquet", 9, 1, 40),))
        >>> InPlace.load(here.dump()) == here
        True
        """
        said = json.loads(text)
        return cls(said["folder"], tuple(Part(**part) for part in said["parts"]))


@dataclass(frozen=True)
class FolderOfParts:
    """A folder that a study may be begun on: its path below the folder of data, how many parts it has, and
    their bytes."""

    folder: str
    parts: int
    size: int


class DataFolder:
    """The folder below which records may stay. Nothing outside is ever read, links followed."""

    def __init__(self, root: Path) -> None:
        self.root = root.resolve()
        if not self.root.is_dir():
            raise fault(f"{root} is not a folder.", "--data", "Name a folder of folders of Parquet parts.")

    def path(self, name: str) -> Path:
        """Where something below it is. Raises StudyError where that is outside."""
        try:
            found = (self.root / name).resolve()
        except (OSError, ValueError, RuntimeError):
            found = None
        if found is None or not found.is_relative_to(self.root):
            mend = "Only what is below the folder that --data names is read."
            raise fault(f"{name} is outside the folder of data.", _WHERE, mend)
        return found

    def folders(self) -> list[FolderOfParts]:
        """Folders with parts in them, by name."""
        found = (
            FolderOfParts(name, len(parts), sum(size for _, size, _ in parts)) for name, parts in self._all()
        )
        return sorted(found, key=lambda of: of.folder)

    def _all(self) -> Iterator[tuple[str, list[tuple[str, int, int]]]]:
        waiting, seen = [("", 0)], 0
        while waiting and seen < _MOST_FOLDERS:
            name, deep = waiting.pop()
            seen += 1
            try:
                below = sorted(os.scandir(self.root / name), key=lambda item: item.name, reverse=True)
            except OSError:
                continue  # Somebody took it away, or it may not be read.
            shown = [item for item in below if not item.name.startswith((".", "_"))]
            if deep < _DEEP:
                waiting += [
                    (f"{name}/{item.name}".lstrip("/"), deep + 1)
                    for item in shown
                    if item.is_dir(follow_symlinks=False)
                ]
            if any(item.name.lower().endswith(_PARQUET) for item in shown):
                # What cannot be begun on is not offered; the others are.
                with contextlib.suppress(StudyError):
                    yield name or ".", self.parts(name or ".")

    def parts(self, folder: str) -> list[tuple[str, int, int]]:
        """Names, bytes and times of a folder's parts, by name. Raises StudyError where it is no such folder,
        or one of them is outside the folder of data."""
        path, found = self.path(folder), list[tuple[str, int, int]]()
        try:
            for item in os.scandir(path):
                hidden = item.name.startswith((".", "_"))
                if hidden or not item.name.lower().endswith(_PARQUET) or not item.is_file():
                    continue
                self.path(f"{folder}/{item.name}")
                about = item.stat()
                found.append((item.name, about.st_size, about.st_mtime_ns))
        except OSError as error:
            what = f"The folder {folder} cannot be read: {error.strerror}."
            raise fault(what, _WHERE, "Check that it is there.") from None
        if not found:
            raise fault(f"{folder} holds no Parquet file.", _WHERE, "Choose a folder of Parquet parts.")
        if len(found) > _MOST_PARTS:
            what = f"{folder} has {len(found):,} parts; at most {_MOST_PARTS:,} are read."
            raise fault(what, _WHERE, "Join some of them.")
        return sorted(found)

    def check(self, known: InPlace) -> None:
        """Raises StudyError where a folder's parts are not those that were looked at."""
        now = self.parts(known.folder)
        if now != [(part.name, part.size, part.changed) for part in known.parts]:
            what = f"The parts in {known.folder} have changed since the sample was drawn."
            raise fault(what, _WHERE, "Draw the sample again.")
