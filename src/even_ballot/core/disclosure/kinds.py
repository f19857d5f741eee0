"""The cases of a study as far as anything that is released tells them apart: distinct kinds, and how many
there are of each.

A kind is what cases have on every variable, filter and (where they are few) weight that a release is made of.
Every part of the cases is seen by itself, and what was seen is merged.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.categories import Category
from even_ballot.core.data.periods import Period
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.grouping import alike
from even_ballot.core.numerics.parts import bounded
from even_ballot.core.sampling.sample import Sample, SamplePart
from even_ballot.core.tables.banner import placed
from even_ballot.core.tables.stubs.counts import several

_CLASSES, _BITS = 100, 60
VALUES: Literal["values"] = "values"
Asked = tuple[str, Period | Literal["values"]]
"""A variable, and what periods it is in where it is a date; VALUES: read as a number, as analyses do."""
MOST = 50_000_000
"""Entries of kinds of cases (kinds times variables) of several parts that come together: 8 bytes each."""
MOST_VALUES = 12
"""A number of more values than this is told apart only by whether there is one."""


def weight_classes(sample: Sample) -> int:
    """How many weights there are that differ by more than rounding.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> weight_classes(sampled(ferry(), Design(), "w"))
    4
    """

    def sums(part: SamplePart) -> tuple[float, int]:
        live = part.weight > 0
        return float(part.weight[live].sum()), int(live.sum())

    whole, n = sample.merged(sums)
    if not n:
        return 1
    mean = whole / n
    seen = sample.merged(
        lambda part: np.unique(np.round(part.weight[part.weight > 0] / mean, 9)), add=np.union1d
    )
    return len(seen)


def weights_are_judged(sample: Sample) -> bool:
    """Whether weights are few enough that weighted figures are equations on counts; else each case has one
    of its own.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> weights_are_judged(sampled(ferry(), Design(), "w"))
    True
    """
    return weight_classes(sample) <= _CLASSES


def _levels(sample: Sample, name: str) -> Floats | None:
    """The values that a variable has as a number, ascending: a coded one the codes of its scale, a number
    those there are; None where these are many."""
    head = sample.head
    if head.variable(name).kind == "coded":
        found, count = head.categories(name)
        return np.array(sorted({item.code for item in found[:count]}), np.float64)

    def few(part: SamplePart) -> Floats:
        column = part.data.column(name)
        return np.unique(column.values[column.answered]).astype(np.float64)[: MOST_VALUES + 1]

    seen = sample.merged(few, add=lambda a, b: np.union1d(a, b)[: MOST_VALUES + 1])
    return None if len(seen) > MOST_VALUES else seen


@dataclass(frozen=True)
class Seen:
    """A variable on the kinds: categories; at: (K,), each kind's place among them, −1 unanswered. chosen: of
    a several-answer question, (K,) for every option."""

    categories: tuple[Category, ...]
    answered: Bools
    at: Ints
    chosen: tuple[Bools, ...] | None = None


@dataclass(frozen=True)
class _Rows:
    """Distinct rows: columns, (V, K), and how many cases there are of each, (K,)."""

    columns: Ints
    cases: Ints

    def merged(self, other: "_Rows") -> "_Rows":
        found = _distinct(
            np.concatenate([self.columns, other.columns], 1), np.concatenate([self.cases, other.cases])
        )
        bounded(
            found.columns.size,
            MOST,
            "Small cells are looked for among all kinds of cases by the variables that are released; entries "
            "of these kinds",
            "suppression",
            "Release fewer variables, or put their answers into fewer categories.",
        )
        return found


def _distinct(columns: Ints, cases: Ints) -> _Rows:
    if not columns.shape[1]:
        return _Rows(columns, cases)
    row = alike(list(columns))
    first = np.unique(row, return_index=True)[1]
    return _Rows(columns[:, first], np.bincount(row, weights=cases).astype(np.int64))


class Kinds:
    """Distinct kinds of cases. cases: (K,), how many of each; weight: (K,), of each case, where weights are
    few, else 1, and 0 for those without weight."""

    def __init__(
        self, sample: Sample, asked: Sequence[Asked], filters: Mapping[str, Sequence[Bools]]
    ) -> None:
        self.weights = weight_classes(sample)
        head = sample.head
        self._asked, self._filters = list(dict.fromkeys(asked)), dict(filters)
        self._kinds = {name: head.variable(name).kind for name, _ in self._asked}
        self._known: dict[Asked, tuple[Category, ...]] = {}
        self.levels = {name: _levels(sample, name) for name, of in self._asked if of == VALUES}
        self._places: dict[Asked | str, int] = {}
        seen = [
            _distinct(self._read(part, k), np.ones(part.data.n, np.int64))
            for k, part in enumerate(sample.parts)
        ]
        rows: _Rows = sample.merge(_Rows.merged, seen)
        self._rows, self.cases = rows.columns, rows.cases
        last = np.ascontiguousarray(rows.columns[-1])
        self.weight: Floats = last.view(np.float64) if self.weights_known else last.astype(np.float64)

    def _read(self, part: SamplePart, k: int) -> Ints:
        """What the cases of part k have, (V, n)."""
        columns: list[NDArray[Any]] = []
        for of in self._asked:
            self._places[of] = len(columns)
            columns += self._columns(part, of)
        for filter_id, who in self._filters.items():
            self._places[filter_id] = len(columns)
            columns.append(who[k])
        columns.append(part.weight.view(np.int64) if self.weights_known else part.weight > 0)
        return np.stack([column.astype(np.int64) for column in columns])

    def of_cases(self, sample: Sample) -> tuple[Ints, ...]:
        """For every part the kind of each case, (n,)."""
        found = []
        for k, part in enumerate(sample.parts):
            row = alike(list(np.concatenate([self._rows, self._read(part, k)], 1)))
            kind = np.zeros(len(self.cases), np.int64)
            kind[row[: len(self.cases)]] = np.arange(len(self.cases))
            found.append(kind[row[len(self.cases) :]])
        return tuple(found)

    @property
    def weights_known(self) -> bool:
        """Whether weights differ, and are few."""
        return 1 < self.weights <= _CLASSES

    def _columns(self, part: SamplePart, of: Asked) -> list[NDArray[Any]]:
        """What a part's cases have on a variable, in whole numbers."""
        name, period = of
        if period == VALUES:
            self._known[of] = ()
            column, levels = part.data.column(name), self.levels[name]
            if levels is None:
                return [np.where(column.answered, 0, -1)]
            at = np.minimum(np.searchsorted(levels, column.values), max(len(levels) - 1, 0))
            known = column.answered & (levels[at] == column.values if len(levels) else False)
            return [np.where(known, at, -1)]
        match self._kinds[name]:
            case "multi":
                answers = several(part.data, name, "")
                self._known[of] = answers.options
                bits = [answers.chosen[i : i + _BITS] for i in range(0, len(answers.chosen), _BITS)]
                packed = [sum(c.astype(np.int64) << i for i, c in enumerate(block)) for block in bits]
                return [answers.answered, *(np.asarray(column) for column in packed)]
            case "coded" | "date":
                at, self._known[of] = placed(part.data, name, period, "")
                return [at]
            case _:
                self._known[of] = ()
                return [part.data.column(name).answered]

    def seen(self, of: Asked) -> Seen:
        """A variable on the kinds."""
        at, known = self._places[of], self._known[of]
        row = self._rows[at]
        if of[1] == VALUES:
            return Seen((), row >= 0, row)
        match self._kinds[of[0]]:
            case "multi":
                answered = row > 0
                chosen = tuple(
                    answered & (self._rows[at + 1 + i // _BITS] >> (i % _BITS) & 1 > 0)
                    for i in range(len(known))
                )
                return Seen(known, answered, row, chosen)
            case "coded" | "date":
                return Seen(known, row >= 0, row)
            case _:
                return Seen(known, row > 0, row)

    def is_coded(self, name: str) -> bool:
        """Whether a variable has codes."""
        return self._kinds[name] == "coded"

    def inside(self, filter_id: str) -> Bools:
        """Which kinds are in a filter, (K,)."""
        return np.asarray(self._rows[self._places[filter_id]] > 0)

    def count(self, index: Ints, who: Bools, size: int) -> Ints:
        """How many cases there are of each index, (size,), among some kinds, (K,)."""
        return np.bincount(index[who], weights=self.cases[who], minlength=size).astype(np.int64)
