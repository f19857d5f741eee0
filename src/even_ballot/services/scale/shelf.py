"""Things as long as a part, held in memory as far as there is room for them, else in files until they are
asked for."""

import io
import mmap
import pickle
import tempfile
import weakref
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from even_ballot.core.data.dataset import Column
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.parts import OneByOne

T = TypeVar("T")
_SMALL, _ALIGNED = 1 << 14, 64


class _Item:
    """A column or an array, here or in a file, which goes with it."""

    def __init__(self, value: Any) -> None:
        self.value = value
        self.path: Path | None = None
        self._head, self._places = b"", list[tuple[int, int]]()

    def put_away(self, path: Path) -> None:
        """Writes its arrays to a file, and lets them go."""
        buffers: list[pickle.PickleBuffer] = []
        self._head = pickle.dumps(self.value, protocol=5, buffer_callback=buffers.append)
        with path.open("wb") as file:
            for buffer in buffers:
                # Compiled loops want arrays where their processor does.
                file.seek(-(-file.tell() // _ALIGNED) * _ALIGNED)
                self._places.append((file.tell(), buffer.raw().nbytes))
                file.write(buffer.raw())
        self.value, self.path = None, path
        weakref.finalize(self, path.unlink, missing_ok=True)

    def get(self) -> Any:
        """The thing itself. Of a file only what is looked at is read; nobody writes into it."""
        if self.path is None:
            return self.value
        with self.path.open("rb") as file:
            seen = memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ))
        return pickle.loads(self._head, buffers=[seen[at : at + size] for at, size in self._places])


class _Shelved(Column):
    """A column that is fetched when its cells are asked for."""

    def __init__(self, item: _Item) -> None:
        self.__dict__["item"] = item

    @lazy
    def _cells(self) -> tuple[Any, Any, Any]:
        found: tuple[Any, Any, Any] = self.__dict__["item"].get()
        return found

    @property
    def values(self) -> Any:
        return self._cells[0]

    @property
    def state(self) -> Any:
        return self._cells[1]

    @property
    def words(self) -> Any:
        return self._cells[2]

    def __reduce__(self) -> tuple[Any, ...]:
        return Column, (self.values, self.state, self.words)


class _Pickler(pickle.Pickler):
    """Takes out what is large."""

    def __init__(self, file: io.BytesIO, shelf: "Shelf") -> None:
        super().__init__(file, protocol=5)
        self._shelf = shelf
        self.items: list[_Item] = []

    def persistent_id(self, of: Any) -> tuple[str, int] | None:
        if isinstance(of, _Shelved):
            self.items.append(of.__dict__["item"])
        elif type(of) is Column and of.values.nbytes > _SMALL:
            size = of.values.nbytes + of.state.nbytes
            self.items.append(self._shelf.add((of.values, of.state, of.words), size))
        elif type(of) is np.ndarray and of.nbytes > _SMALL:
            self.items.append(self._shelf.add(of, of.nbytes))
            return "array", len(self.items) - 1
        else:
            return None
        return "column", len(self.items) - 1


class _Unpickler(pickle.Unpickler):
    """Puts it in again: columns as they are asked for, arrays at once."""

    def __init__(self, file: io.BytesIO, items: Sequence[_Item]) -> None:
        super().__init__(file)
        self._items = items

    def persistent_load(self, pid: tuple[str, int]) -> Any:
        kind, at = pid
        return _Shelved(self._items[at]) if kind == "column" else self._items[at].get()


class Kept(OneByOne[T]):
    """Something of every part, made anew whenever it is asked for."""

    def __init__(self) -> None:
        self._heads: list[bytes] = []
        self._items: list[tuple[_Item, ...]] = []

    def add(self, of: T, shelf: "Shelf") -> None:
        """Keeps what is of the next part."""
        file = io.BytesIO()
        pickler = _Pickler(file, shelf)
        pickler.dump(of)
        self._heads.append(file.getvalue())
        self._items.append(tuple(pickler.items))

    def __len__(self) -> int:
        return len(self._heads)

    def of(self, number: int) -> T:
        found: T = _Unpickler(io.BytesIO(self._heads[number]), self._items[number]).load()
        return found


class Shelf:
    """Holds so many bytes in memory, and the rest in a folder of its own, which goes with it. within: where
    that folder is made."""

    def __init__(self, memory: int, within: str | None = None) -> None:
        self._most, self._taken, self._made = memory, 0, 0
        self._folder = tempfile.TemporaryDirectory(prefix="even-ballot-", dir=within)
        self._here: dict[int, tuple[weakref.ref[_Item], int]] = {}

    def add(self, value: Any, size: int) -> _Item:
        """Holds a thing of so many bytes; where there is no more room what came first goes into files."""
        item, number = _Item(value), self._made
        self._made += 1
        self._here[number] = weakref.ref(item), size
        self._taken += size
        weakref.finalize(item, self._gone, number)
        while self._taken > self._most:
            first = next(iter(self._here))
            old = self._here[first][0]()
            self._gone(first)
            if old is not None:
                old.put_away(Path(self._folder.name) / str(first))
        return item

    def _gone(self, number: int) -> None:
        """A thing is not in memory any more."""
        _, size = self._here.pop(number, (None, 0))
        self._taken -= size

    def keep(self, made: Iterable[T]) -> Kept[T]:
        """Something of every part."""
        kept = Kept[T]()
        for of in made:
            kept.add(of, self)
        return kept
