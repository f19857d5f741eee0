"""A banner entry laid on the cases: which column each belongs to."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.categories import Category
from even_ballot.core.data.codebook import in_words
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.periods import Period, periods
from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import by_arrays, compiled
from even_ballot.core.numerics.halves import in_halves
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.tables.nets import NetRow, banner_nets
from even_ballot.core.tables.results import BannerHeading, CodeOrNet, ColumnPath
from even_ballot.core.tables.table_request import TableRequest

MENDS = {"text": "Code it first.", "number": "Band it first.", "multi": "Use one of its parts."}
"""What makes a variable of a kind fit for a banner."""


@dataclass(frozen=True)
class BannerColumns:
    """A banner entry on the cases.

    index: for every part which combination of categories each case is of, (n,), the last for those without
    an answer; columns: how many combinations there are. paths: the codes, or nets, of each column shown,
    outermost first; members: the combinations of each, where some columns are nets of several (None: every
    column is the combination of its place). scores: of the columns that are no nets, for a trend over them.
    first: the place of the first column, where this is a block of several.
    """

    heading: BannerHeading
    index: Sequence[NDArray[Any]]
    columns: int
    paths: tuple[ColumnPath, ...]
    members: Sequence[Ints] | None
    scores: Floats
    first: int = 0

    def blocks(self, most: int) -> Iterator["BannerColumns"]:
        """The same in blocks of columns, each with at most so many combinations (one column at least):
        those of the others are one that is not shown."""
        if self.columns <= most:
            yield self
            return
        members = self.members or tuple(np.array([k]) for k in range(len(self.paths)))
        start = 0
        while start < len(self.paths):
            stop, wanted = start + 1, members[start]
            while stop < len(self.paths) and len(both := np.union1d(wanted, members[stop])) <= most:
                stop, wanted = stop + 1, both
            place = np.full(self.columns + 1, len(wanted), np.int32)
            place[wanted] = np.arange(len(wanted), dtype=np.int32)
            place[-1] = len(wanted) + 1
            own = tuple(np.asarray(place[of], np.int64) for of in members[start:stop])
            yield replace(
                self,
                index=tuple(place[of] for of in self.index),
                columns=len(wanted) + 1,
                paths=self.paths[start:stop],
                members=own,
                first=start,
            )
            start = stop

    @property
    def single(self) -> Ints:
        """The columns that are no nets, (C,) places among paths, in the order of the combinations."""
        if self.members is None:
            return np.arange(len(self.paths))
        at = np.full(self.columns, -1, np.int64)
        for k, (path, of) in enumerate(zip(self.paths, self.members, strict=True)):
            if not any(isinstance(step, str) for step in path):
                at[of[0]] = k
        return at

    def singles(self, first: int = 0) -> slice | Ints:
        """Those columns as an index of an axis on which the columns begin at `first`."""
        return slice(first, None) if self.members is None else first + self.single

    def laid(self, x: Any) -> Any:
        """Columns of a tally, (…, columns + 1), the last that of cases without an answer, as the total
        column and the others."""
        total, own = x.sum(-1, keepdims=True), x[..., :-1]
        if self.members is not None:
            own = np.stack([x[..., of].sum(-1) for of in self.members], -1)
        return np.concatenate([total, own], -1)

    def overlap(self, i: int, j: int) -> bool:
        """Whether two columns share cases."""
        return self.members is not None and bool(np.intersect1d(self.members[i], self.members[j]).size)


def placed(data: Dataset, name: str, period: Period, where: str) -> tuple[NDArray[Any], tuple[Category, ...]]:
    """Each case's place among the categories of a coded variable or a date, −1 where it has no answer; and
    the categories.

    >>> from even_ballot.core.data.example import ferry
    >>> at, categories = placed(ferry(), "isle", "month", "")
    >>> at.tolist(), [category.label for category in categories]
    ([0, 0, 0, 1, 1, 1, 1, 1], ['Hask', 'Orran'])
    """
    if data.variable(name, where).kind == "date":
        days = None if data.look is None else data.look.days[name]
        return periods(data.column(name, where), period, days)
    data.column(name, where)
    codes, known = data.categories(name)
    return data.positions(name), tuple(
        Category(item.code, item.label, i < known) for i, item in enumerate(codes)
    )


@compiled
def _nest(index: Any, positions: Any, width: int, last: bool, unknown: int) -> None:
    """index ← index · width + position, −1 once anything is unknown; at the last step `unknown` in its
    place."""
    for k in range(index.shape[0]):
        at = np.int64(-1)
        if index[k] >= 0 and positions[k] >= 0:
            at = np.int64(index[k]) * width + positions[k]
        index[k] = unknown if last and at < 0 else at


@by_arrays(_nest)
def _nested(index: Any, positions: Any, width: int, last: bool, unknown: int) -> None:
    at = index.astype(np.int64) * width + positions
    at[(index < 0) | (positions < 0)] = unknown if last else -1
    index[:] = at


def _indexed(positions: Sequence[NDArray[Any]], widths: Sequence[int], n: int, columns: int) -> NDArray[Any]:
    """Each case's column, the one after the last where a variable of the nest was not answered."""
    dtype = np.int8 if columns < 127 else np.int16 if columns < 32767 else np.int32
    index = np.zeros(n, dtype)

    def half(lo: int, hi: int) -> None:
        for k, (of, width) in enumerate(zip(positions, widths, strict=True)):
            _nest(index[lo:hi], of[lo:hi], width, k == len(positions) - 1, columns)

    in_halves(n, half)
    return index


def banner_columns(
    sample: Sample, entry: tuple[str, ...], request: TableRequest, where: str, table: str
) -> BannerColumns:
    """Lays a banner entry on the cases; an entry of no variables has only the unanswered column, which is
    everybody.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = TableRequest(id="t", stub=("crosses",), banner=("isle",))
    >>> banner_columns(sampled(ferry(), Design()), ("isle",), request, "banner[0]", "tables[0]").paths
    ((1,), (2,))
    """
    data = sample.head
    for name in entry:
        kind = data.variable(name, where).kind
        if kind not in ("coded", "date"):
            raise fault(
                f"{name} is {in_words(kind)}; only coded variables and dates can be in a banner.",
                where,
                MENDS.get(kind, ""),
            )
    found = sample.each(lambda part: [placed(part.data, name, request.dates, where) for name in entry])
    categories = tuple(of for _, of in found[0])
    widths = [len(of) for of in categories]
    columns = int(np.prod(widths)) if entry else 0
    nets = [
        banner_nets(request.nets, name, of, request.entries, table)
        for name, of in zip(entry, categories, strict=True)
    ]
    levels = [_steps(of, rows) for of, rows in zip(categories, nets, strict=True)]
    steps = list(product(*levels)) if entry else []
    paths = tuple(tuple(step for step, _ in path) for path in steps)
    members = None
    if any(nets):
        members = tuple(_combinations([places for _, places in path], widths) for path in steps)
    dated = bool(entry) and data.variable(entry[0]).kind == "date"
    scores = [float(k if dated else c.code) for k, c in enumerate(categories[0])] if len(entry) == 1 else []
    heading = BannerHeading(
        entry,
        tuple(data.variable(name).title for name in entry),
        categories,
        tuple(tuple(row.label for row in rows) for rows in nets),
    )
    index = sample.each(lambda part, of: _indexed([at for at, _ in of], widths, part.data.n, columns), found)
    return BannerColumns(heading, index, columns, paths, members, np.array(scores))


def everybody(sample: Sample) -> BannerColumns:
    """An entry of no variables.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> everybody(sampled(ferry(), Design())).paths
    ()
    """
    index = sample.each(lambda part: np.zeros(part.data.n, np.int8))
    return BannerColumns(BannerHeading((), (), ()), index, 0, (), None, np.zeros(0))


def _steps(categories: Sequence[Category], nets: Sequence[NetRow]) -> list[tuple[CodeOrNet, Ints]]:
    """What a variable of a nest is divided into, each with the places of its categories."""
    single: list[tuple[CodeOrNet, Ints]] = [(c.code, np.array([k])) for k, c in enumerate(categories)]
    return single + [(net.label, net.places) for net in nets]


def _combinations(places: Sequence[Ints], widths: Sequence[int]) -> Ints:
    """The combinations that a column of a nest holds: of one place, or of several, on every level."""
    at = np.zeros(1, np.int64)
    for of, width in zip(places, widths, strict=True):
        at = (at[:, None] * width + of).ravel()
    return at
