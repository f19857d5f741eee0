"""The cases that all tables of a study are made of, and what was counted of them already."""

import threading
from collections.abc import Callable, Hashable, Sequence
from typing import Any, TypeVar

import numpy as np
from cachetools import LRUCache

from even_ballot.core.data.formulas import condition
from even_ballot.core.estimation.quantiles import HELD
from even_ballot.core.numerics.arrays import Bools
from even_ballot.core.numerics.parts import kept
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.tables.banner import BannerColumns, banner_columns, everybody
from even_ballot.core.tables.stubs.domain import Domain
from even_ballot.core.tables.table_request import TableRequest

T = TypeVar("T")
_MOST = 200_000_000


class SharedCounts:
    """Weighted cases of one design, within `scope`: the filter of the whole study. What one table needed
    of the records is kept for the others: filters, banners and tallies, the most recently used up to some
    200 MB. held: distinct values of a number that are held at once, where cases come in parts."""

    def __init__(self, sample: Sample, scope: str | None = None, held: int = HELD) -> None:
        self.sample, self.scope, self.held = sample, scope, held
        self.head, self.units = sample.head, sample.units
        self._kept: LRUCache[Hashable, tuple[Any, int]] = LRUCache(_MOST, getsizeof=lambda kept: kept[1])
        self._lock = threading.Lock()

    @property
    def room(self) -> int:
        """Bytes that what is kept may come to take up."""
        return min(_MOST, 40 * self.sample.n + 1_000_000)

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

    def _inside(self, where: str | None, place: str) -> Sequence[Bools] | None:
        """For every part which cases are in the study's filter and a table's, (n,); None for all. A fault
        names the one it is in."""
        whole = self._of(self.scope, "where")
        own = self._of(where, place)
        if whole is None or own is None:
            return own if whole is None else whole
        return kept(self.sample.merge, (a & b for a, b in zip(whole, own, strict=True)))

    def _of(self, text: str | None, place: str) -> Sequence[Bools] | None:
        if text is None or not text.strip():
            return None
        return self.once(
            ("filter", text),
            lambda: self.sample.each(lambda part: np.asarray(condition(text, part.data, place))),
            lambda masks: sum(mask.nbytes for mask in masks),
        )

    def domain(self, where: str | None, place: str) -> Domain:
        """The cases of a filter."""
        return Domain(self.sample, self._inside(where, place))

    def columns_of(
        self, entry: tuple[str, ...], request: TableRequest, where: str, table: str
    ) -> BannerColumns:
        """A banner entry laid on the cases."""
        if not entry:
            return everybody(self.sample)
        nets = tuple(net for net in request.nets if net.banner is not None)
        key = ("banner", entry, request.dates, nets, request.entries if nets else ())
        return self.once(
            key,
            lambda: banner_columns(self.sample, entry, request, where, table),
            lambda x: sum(int(of.nbytes) for of in x.index),
        )
