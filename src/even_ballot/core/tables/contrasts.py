"""Contrasts of a table's figures: linear combinations of columns, and ratios of two, with their errors from
the joint covariance, whether the columns share cases or not."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import scipy

from even_ballot.core.estimation.intervals import symmetric
from even_ballot.core.faults import fault, some
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.sampling.case_values import (
    absolute_moments,
    covariance,
    replicate_sums,
    summed,
)
from even_ballot.core.sampling.replicates import EMPTY
from even_ballot.core.tables.banner import placed
from even_ballot.core.tables.nets import net_rows
from even_ballot.core.tables.request import Contrast, TableRequest
from even_ballot.core.tables.results import BannerKey, BannerPath, ContrastResult, StubKey
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.stubs.counts import several

_ROUNDING, _FIXED = 1e-20, 1e-18
_SHARES = ("col_pct", "row_pct", "total_pct", "response_pct")
COMPARED = (*_SHARES, "mean", "total", "ratio")
"""The figures that contrasts are made of."""


@dataclass(frozen=True)
class _Row:
    """Figures of a stub variable: which row and figure each is of."""

    key: StubKey
    stat: str


class _Stub:
    """A stub variable on the cases: of each of its figures what is summed above and below the line, for some
    cases of a part, (n, F)."""

    def __init__(self, shared: SharedCounts, request: TableRequest, name: str, where: str) -> None:
        self.sample, self.name, self.kind = shared.sample, name, shared.head.variable(name).kind
        self.rows: list[_Row] = []
        stats = [stat for stat in request.show if stat in COMPARED]
        if self.kind == "number":
            y = shared.sample.each(lambda part: part.data.column(name))
            self.values = [np.where(of.answered, np.asarray(of.values, np.float64), 0.0) for of in y]
            self.answered = [of.answered for of in y]
            if "ratio" in stats:
                x = shared.sample.each(lambda part: part.data.column(str(request.per), "per"))
                self.per = [np.where(of.answered, of.values, 0.0) for of in x]
                self.both = [a & of.answered for a, of in zip(self.answered, x, strict=True)]
            self.rows = [_Row(StubKey(name), stat) for stat in stats if stat in ("mean", "total", "ratio")]
            return
        self._coded(shared, request, stats, where)

    def _coded(self, shared: SharedCounts, request: TableRequest, stats: list[str], where: str) -> None:
        name = self.name
        if self.kind == "multi":
            of_parts = shared.sample.each(lambda part: several(part.data, name, where))
            categories = list(of_parts[0].options)
            self.answered = [of.answered for of in of_parts]
            self.chosen = [np.stack(of.chosen, 1) for of in of_parts]
        else:
            found = shared.sample.each(lambda part: placed(part.data, name, request.dates, where))
            categories = list(found[0][1])
            self.answered = [at >= 0 for at, _ in found]
            self.chosen = [at[:, None] == np.arange(len(categories)) for at, _ in found]
        nets = net_rows(request.nets, name, categories, request.stub, where)
        self.members = [np.array([k]) for k in range(len(categories))] + [net.places for net in nets]
        keys = [StubKey(name, c.code) for c in categories] + [StubKey(name, net=net.label) for net in nets]
        shares = [
            stat for stat in stats if stat in _SHARES and (stat != "response_pct" or self.kind == "multi")
        ]
        self.shares = [(keys[i], i, stat) for stat in shares for i in range(len(keys))]
        self.shares = [of for of in self.shares if of[2] != "response_pct" or of[0].net is None]
        self.rows = [_Row(key, stat) for key, _, stat in self.shares]
        self.codes = None
        if self.kind == "coded" and "mean" in stats:
            known = np.array([c.in_codebook for c in categories])
            self.codes = np.where(known, [float(c.code) for c in categories], 0.0), known
            self.rows.append(_Row(StubKey(name), "mean"))

    def figures(self, number: int, at: Ints, nested: Bools) -> tuple[Floats, Floats]:
        """What is summed above and below, (n, F) each; 0 below: a total. nested: who answered the variables
        of the column's entry."""
        above, below = np.zeros((2, len(at), len(self.rows)))
        answered = self.answered[number][at]
        if self.kind == "number":
            for j, row in enumerate(self.rows):
                y = self.values[number][at]
                if row.stat == "ratio":
                    both = self.both[number][at]
                    above[:, j], below[:, j] = y * both, self.per[number][at] * both
                else:
                    above[:, j], below[:, j] = y * answered, answered if row.stat == "mean" else 0.0
            return above, below
        chosen = self.chosen[number][at]
        in_row = np.stack([chosen[:, of].any(1) for of in self.members], 1)
        for j, (_, i, stat) in enumerate(self.shares):
            above[:, j] = in_row[:, i]
            if stat == "col_pct":
                below[:, j] = answered
            elif stat == "response_pct":
                below[:, j] = chosen.sum(1)
            elif stat == "total_pct":
                below[:, j] = answered & nested
            else:
                below[:, j] = in_row[:, i] & nested
        if self.codes is not None:
            codes, known = self.codes
            above[:, -1], below[:, -1] = chosen @ codes, chosen @ known.astype(np.float64)
        return above, below


class _Column:
    """A column of a contrast: for every part who is in it, (n,), and who answered its variables."""

    def __init__(self, shared: SharedCounts, request: TableRequest, at: dict[str, int], where: str) -> None:
        entry = next((of for of in request.entries if set(of) == set(at)), None)
        if at and entry is None:
            raise fault(
                f"{some(sorted(at))} is no entry of the banner.",
                where,
                "Give a code for every variable of one banner entry, or {} for the total column.",
            )
        self.path: BannerPath = tuple(BannerKey.of(name, at[name]) for name in entry or ())
        self.whole = not at

        def of(part: Any) -> tuple[Bools, Bools]:
            inside = answered = np.ones(part.data.n, np.bool_)
            for name in entry or ():
                places, categories = placed(part.data, name, request.dates, where)
                codes = [c.code for c in categories]
                if at[name] not in codes:
                    known = some([str(code) for code in codes])
                    raise fault(f"{name} has no column {at[name]}.", where, f"Columns there are: {known}.")
                inside = inside & (places == codes.index(at[name]))
                answered = answered & (places >= 0)
            return inside, answered

        seen = shared.sample.each(of)
        self.inside, self.answered = tuple(a for a, _ in seen), tuple(b for _, b in seen)


class _Combined:
    """A contrast of one stub variable's figures."""

    def __init__(
        self,
        shared: SharedCounts,
        stub: _Stub,
        columns: list[_Column],
        contrast: Contrast,
        who: Sequence[Bools],
    ) -> None:
        self.sample, self.stub, self.columns, self.contrast, self.who = (
            shared.sample,
            stub,
            columns,
            contrast,
            who,
        )
        f = len(stub.rows)
        sums = summed(self.sample, who, self._weighted, (len(columns), 2, f))
        self.above, self.below = sums[:, 0], sums[:, 1]
        self.totals = np.array([row.stat == "total" for row in stub.rows])
        with np.errstate(all="ignore"):
            self.theta = np.where(self.totals, self.above, self.above / self.below)
        absent = np.array([row.stat == "row_pct" for row in stub.rows])
        for j, column in enumerate(columns):
            if column.whole:
                self.theta[j, absent] = np.nan
        self.times = np.array([term.times for term in contrast.of])

    def _each(self, number: int, at: Ints) -> Iterator[tuple[Floats, Floats]]:
        for column in self.columns:
            above, below = self.stub.figures(number, at, column.answered[number][at])
            inside = column.inside[number][at][:, None]
            # A row's per cent is of all columns of its entry.
            rows = np.array([row.stat == "row_pct" for row in self.stub.rows])
            yield above * inside, below * (inside | rows)

    def _weighted(self, number: int, at: Ints) -> Floats:
        w = self.sample.parts[number].weight[at]
        return np.stack([np.stack([w @ above, w @ below]) for above, below in self._each(number, at)])

    @property
    def est(self) -> Floats:
        """(F,), NaN where a figure is absent."""
        with np.errstate(all="ignore"):
            if self.contrast.ratio:
                top, bottom = self._sides
                return np.where(self.theta[bottom] != 0, self.theta[top] / self.theta[bottom], np.nan)
            return np.asarray(self.times @ self.theta)

    @property
    def _sides(self) -> tuple[int, int]:
        first = 0 if self.contrast.of[0].times > 0 else 1
        return first, 1 - first

    @property
    def _slopes(self) -> Floats:
        """What each column's figure counts, (columns, F)."""
        if not self.contrast.ratio:
            return np.broadcast_to(self.times[:, None], self.theta.shape)
        top, bottom = self._sides
        found = np.zeros_like(self.theta)
        with np.errstate(all="ignore"):
            found[top] = 1 / self.theta[bottom]
            found[bottom] = -self.est / self.theta[bottom]
        return found

    def _z(self, number: int, at: Ints, absolute: bool = False) -> Floats:
        found = np.zeros((len(at), len(self.stub.rows)))
        slopes = np.nan_to_num(self._slopes)
        theta = np.nan_to_num(self.theta)
        for j, (above, below) in enumerate(self._each(number, at)):
            base = np.where(self.totals | (self.below[j] == 0), 1.0, self.below[j])
            expected = np.where(self.totals, 0.0, theta[j]) * below
            if absolute:
                found += np.abs(slopes[j] / base) * (np.abs(above) + np.abs(expected))
            else:
                found += slopes[j] / base * (above - expected)
        return found

    def variance(self) -> Floats:
        """V of each figure's contrast, (F,); NaN where it is not known."""
        f, units = len(self.stub.rows), self.sample.units
        if units.replicates is None:
            found = np.diag(covariance(self.sample, self.who, self._z, f))
            most = absolute_moments(self.sample, self.who, lambda p, at: self._z(p, at, True), f)
            return np.where(found <= _ROUNDING * most, 0.0, found)

        def values(number: int, at: Ints) -> Floats:
            return np.concatenate([x for pair in self._each(number, at) for x in pair], 1)

        sums = replicate_sums(self.sample, self.who, values, 2 * f * len(self.columns))
        again = sums.reshape(len(sums), len(self.columns), 2, f)
        with np.errstate(all="ignore"):
            there = np.abs(again[:, :, 1]) > EMPTY * np.abs(self.below)
            theta = np.where(
                self.totals, again[:, :, 0], np.where(there, again[:, :, 0] / again[:, :, 1], np.nan)
            )
            if self.contrast.ratio:
                top, bottom = self._sides
                est = theta[:, top] / theta[:, bottom]
            else:
                est = np.einsum("j,rjf->rf", self.times, theta)
            apart = est - self.est
            counts = units.replicates.c > 0
            return np.asarray(units.replicates.c[counts] @ apart[counts] ** 2)


def _told(of: _Combined, request: TableRequest, df: int) -> Iterator[ContrastResult]:
    est, variance = of.est, of.variance()
    paths = tuple(column.path for column in of.columns)
    for row, value, v in zip(of.stub.rows, est.tolist(), variance.tolist(), strict=True):
        if not np.isfinite(value):
            continue
        bare = ContrastResult(
            of.contrast.label, row.key, row.stat, value, columns=paths, ratio=of.contrast.ratio or None
        )
        if df < 1 or not np.isfinite(v):
            yield bare
        elif v <= _FIXED * value**2:
            yield replace(bare, se=0.0, low=value, high=value)
        else:
            yield _with_error(bare, float(np.sqrt(v)), request, df)


def _with_error(bare: ContrastResult, se: float, request: TableRequest, df: int) -> ContrastResult:
    """With its limits and test; of a ratio on the scale of its logarithm."""
    value, ratio = bare.est, bare.is_ratio
    if ratio and value <= 0:
        return replace(bare, se=se)
    middle = np.array([np.log(value) if ratio else value])
    size = np.array([se / value if ratio else se])
    ends = [float(of[0]) for of in symmetric(middle, size, df, request.interval)]
    low, high = (None if x != x else float(np.exp(x)) if ratio else x for x in ends)
    t = float(middle[0] / size[0])
    return replace(bare, se=se, low=low, high=high, t=t, p=float(2 * scipy.special.stdtr(df, -abs(t))))


def contrasts_of(
    shared: SharedCounts, request: TableRequest, where: str = "tables[0]"
) -> tuple[ContrastResult, ...]:
    """Every contrast of a table, for each stub row and each share, mean, total or ratio shown. Raises
    StudyError where it names columns that are not there.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> of = [{"at": {"isle": 1}, "times": 1}, {"at": {}, "times": -1}]
    >>> contrast = {"label": "Hask less all", "of": of}
    >>> request = TableRequest.model_validate(
    ...     {"id": "t", "stub": ["age"], "banner": ["isle"], "show": ["mean"], "contrasts": [contrast]})
    >>> (found,) = contrasts_of(SharedCounts(sampled(ferry(), Design(), "w")), request)
    >>> round(found.est, 3)
    -5.062
    """
    if not request.contrasts:
        return ()
    domain = shared.domain(request.where, f"{where}.where")
    df, found = domain.units.degrees_of_freedom, list[ContrastResult]()
    columns = [
        [
            _Column(shared, request, term.at, f"{where}.contrasts[{i}].of[{j}].at")
            for j, term in enumerate(c.of)
        ]
        for i, c in enumerate(request.contrasts)
    ]
    for name in request.stub:
        stub = _Stub(shared, request, name, where)
        if stub.rows:
            for contrast, of in zip(request.contrasts, columns, strict=True):
                found += _told(_Combined(shared, stub, of, contrast, domain.who), request, df)
    return tuple(found)
