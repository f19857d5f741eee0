"""The cases that all tables of a study are made of, and what was counted of them already."""

import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

import numpy as np
from cachetools import LRUCache

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.formulas import condition
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.sampling.units import Units
from even_ballot.core.tables.banner import BannerColumns, across, everybody
from even_ballot.core.tables.request import TableRequest
from even_ballot.core.tables.stubs.domain import Domain

T = TypeVar("T")
_MOST = 200_000_000


class SharedCounts:
    """Weighted cases of one design, within `scope`: the filter of the whole study. What one table needed
    of the records is kept for the others: filters, banners and tallies, the most recently used up to some
    200 MB."""

    def __init__(self, data: Dataset, units: Units, weight: Floats, scope: str | None = None) -> None:
        self.data, self.units, self.weight, self.scope = data, units.weighed(weight), weight, scope
        self._kept: LRUCache[Hashable, tuple[Any, int]] = LRUCache(_MOST, getsizeof=lambda kept: kept[1])
        self._lock = threading.Lock()

    @property
    def room(self) -> int:
        """Bytes that what is kept may come to take up."""
        return min(_MOST, 40 * self.data.n + 1_000_000)

    def once(self, key: Hashable, make: Callable[[], T], size: Callable[[T], int]) -> T:
        """What `make` gives, kept under a key that says all there is to know of it. size: of it, in bytes."""
        with self._lock:
            if (known := self._kept.get(key)) is not None:
                found: T = known[0]
                return found
        made = make()
        with self._lock:
            # What is larger than all the room there is is not kept.
            if (room := size(made)) <= _MOST:
                self._kept[key] = made, room
        return made

    def inside(self, where: str | None, place: str) -> Bools | None:
        """Which cases are in the study's filter and a table's; None for all. A fault names the one it is
        in."""
        whole = self._of(self.scope, "where")
        own = self._of(where, place)
        return own if whole is None else whole if own is None else whole & own

    def _of(self, text: str | None, place: str) -> Bools | None:
        if text is None or not text.strip():
            return None
        return self.once(
            ("filter", text), lambda: np.asarray(condition(text, self.data, place)), lambda x: x.nbytes
        )

    def sample(self, where: str | None, place: str) -> Domain:
        """The cases of a filter."""
        return Domain(self.data, self.units, self.weight, self.inside(where, place))

    def across(self, entry: tuple[str, ...], request: TableRequest, where: str, table: str) -> BannerColumns:
        """A banner entry laid on the cases."""
        if not entry:
            return everybody(self.data.n)
        nets = tuple(net for net in request.nets if net.banner is not None)
        key = ("banner", entry, request.dates, nets, request.entries if nets else ())
        return self.once(
            key, lambda: across(self.data, entry, request, where, table), lambda x: int(x.index.nbytes)
        )
