"""Columns against the total, and against the rest: a part and the whole that it is of share cases, so the
variance is that of the difference of their linearised values."""

from collections.abc import Iterator, Sequence

import numpy as np
import scipy

from even_ballot.core.estimation.comparisons import AGAINST, Against, PartComparison, adjusted_p_values
from even_ballot.core.estimation.intervals import EDGE, symmetric
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.tables.banner import BannerColumns
from even_ballot.core.tables.contrasts.columns import ContrastColumn
from even_ballot.core.tables.contrasts.combined import Combined
from even_ballot.core.tables.contrasts.figures import StubFigures
from even_ballot.core.tables.results import BannerKey, BannerPath
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.stubs.domain import Domain
from even_ballot.core.tables.stubs.stub import said, there
from even_ballot.core.tables.table_request import Contrast, ContrastTerm, TableRequest

_LESS = Contrast(label="less the other", of=(ContrastTerm(at={}, times=1), ContrastTerm(at={}, times=-1)))


def _combinations(over: BannerColumns, k: int) -> Ints:
    """Those that a column holds."""
    return np.array([k]) if over.members is None else over.members[k]


def rest_of(over: BannerColumns, k: int) -> Ints:
    """The combinations of the same outer categories with another category of the innermost variable.

    >>> from even_ballot.core.data.categories import Category
    >>> from even_ballot.core.tables.results import BannerHeading
    >>> two = (Category(1, "a"), Category(2, "b"))
    >>> heading = BannerHeading(("x", "y"), ("x", "y"), (two, two))
    >>> over = BannerColumns(heading, (), 4, ((1, 1), (1, 2), (2, 1), (2, 2)), None, np.zeros(0))
    >>> rest_of(over, 2).tolist()
    [3]
    """
    mine, width = _combinations(over, k), len(over.heading.categories[-1])
    every = (np.unique(mine // width)[:, None] * width + np.arange(width)).ravel()
    return np.setdiff1d(every, mine)


class _Entry:
    """A banner entry's columns, and what each is held against."""

    def __init__(self, over: BannerColumns, kind: Against) -> None:
        self.over, self.kind = over, kind
        self.answered = tuple(index < over.columns for index in over.index)
        everybody = tuple(np.ones(len(index), np.bool_) for index in over.index)
        self.total = ContrastColumn((), True, everybody, everybody)

    def _of(self, path: BannerPath, combinations: Ints) -> ContrastColumn:
        inside = tuple(np.isin(index, combinations) for index in self.over.index)
        return ContrastColumn(path, False, inside, self.answered)

    def pairs(self) -> Iterator[tuple[ContrastColumn, ContrastColumn]]:
        """Every column, and its other."""
        names = self.over.heading.variables
        for k, steps in enumerate(self.over.paths):
            path = tuple(map(BannerKey.of, names, steps))
            own = self._of(path, _combinations(self.over, k))
            yield own, self.total if self.kind == "against_total" else self._of((), rest_of(self.over, k))


def _none(found: Combined) -> Floats:
    """What a variance of shares may be by rounding alone, (F,)."""
    shares = np.array([row.stat == "col_pct" for row in found.rows])
    with np.errstate(all="ignore"):
        room = 1e-12 * found.bare * (1 - found.bare) / np.maximum(found.cases, 1)[:, None]
        edge = np.all((found.bare < EDGE) | (found.bare > 1 - EDGE), axis=0)
    return np.where(shares, np.where(edge, np.inf, np.nan_to_num(room).sum(0)), 0.0)


def against(
    shared: SharedCounts,
    domain: Domain,
    request: TableRequest,
    name: str,
    over: BannerColumns,
    where: str = "tables[0]",
) -> Iterator[PartComparison]:
    """Every column of a banner entry against what the table asks, for each row of a stub variable: a share,
    a number's mean, a coded question's where means are shown. None where either has no base or the standard
    error is 0.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = TableRequest(id="t", stub=("age",), banner=("isle",), tests=("against_total",))
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> over = shared.columns_of(("isle",), request, "banner[0]", "tables[0]")
    >>> found = against(shared, shared.domain(None, ""), request, "age", over)
    >>> [(test.a, round(test.diff, 3)) for test in found]
    [((1,), -5.062), ((2,), 5.062)]
    """
    kinds = [kind for kind in AGAINST if kind in request.tests]
    df = domain.units.degrees_of_freedom
    if not kinds or not over.paths or df < 1:
        return
    show = ("col_pct", *(("mean",) if "mean" in request.show else ()))
    number = shared.head.variable(name).kind == "number"
    asked = request.model_copy(update={"show": ("mean",) if number else show})
    stub = StubFigures(shared, asked, name, where)
    for kind in kinds:
        found = [Combined(shared, stub, list(pair), _LESS, domain.who) for pair in _Entry(over, kind).pairs()]
        yield from _told(kind, over, found, request, df)


def _told(
    kind: Against, over: BannerColumns, found: Sequence[Combined], request: TableRequest, df: int
) -> Iterator[PartComparison]:
    """The tests of a stub variable in one banner entry, adjusted over the columns of each row."""
    diff = np.stack([of.est for of in found])
    variance = np.stack([np.where(v <= _none(of), 0.0, v) for of in found for v in (of.variance(),)])
    with np.errstate(all="ignore"):
        se = np.sqrt(variance)
        t = diff / se
    real = np.isfinite(t) & (se > 0)
    p = 2 * scipy.special.stdtr(df, -np.abs(t))
    low, high = symmetric(diff, se, df, request.interval)
    for j, row in enumerate(found[0].rows):
        mine = np.flatnonzero(real[:, j])
        fair = adjusted_p_values(p[mine, j], request.adjust)
        for k, adjusted in zip(mine.tolist(), fair.tolist(), strict=True):
            error, quotient, plain = (float(x[k, j]) for x in (se, t, p))
            limits = there(float(low[k, j])), there(float(high[k, j]))
            yield PartComparison(
                kind,
                said(row.key),
                over.heading.variables,
                over.paths[k],
                float(diff[k, j]),
                error,
                quotient,
                plain,
                adjusted,
                *limits,
            )
