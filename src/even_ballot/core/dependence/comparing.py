"""Figures, tests and letters with and without a decision, side by side."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from even_ballot.core.estimation.comparisons import ColumnComparison, PartComparison
from even_ballot.core.models.analysis import AnalysisPart
from even_ballot.core.models.results import AnalysisResult, CorrelationsResult, ModelResult
from even_ballot.core.tables.results import BannerPath, Cell, StubKey, TableResult, Test, as_json

CellKey = tuple[StubKey, BannerPath, str]
Counts = tuple[int | None, ...]


@dataclass(frozen=True)
class DependentCell:
    """A figure as it is published, and without a decision. without, se_without: None where there is no such
    figure, or none that may be shown; change: without less the figure; in_se: the change over the published
    standard error, where that is not nought."""

    stub: StubKey
    banner: BannerPath
    stat: str
    est: float
    se: float | None
    without: float | None = None
    se_without: float | None = None
    change: float | None = None
    in_se: float | None = None


@dataclass(frozen=True)
class TurnedTest:
    """A test that comes out the other way without a decision; p-values adjusted as the table says. of: which
    test, as it stands in results. kind: `columns`: a letter."""

    kind: str
    of: dict[str, Any]
    p: float
    p_without: float


@dataclass(frozen=True)
class DependentTable:
    """A table's figures with and without a decision, and the tests that turn. untested: tests that are
    significant on one side, and of which there is none on the other."""

    id: str
    cells: tuple[DependentCell, ...]
    turned: tuple[TurnedTest, ...] = ()
    untested: int = 0

    def cell(self, key: CellKey) -> DependentCell | None:
        """A figure by what it is of."""
        return next((c for c in self.cells if (c.stub, c.banner, c.stat) == key), None)

    @property
    def largest(self) -> float:
        """The largest change of any figure, in standard errors."""
        return max((abs(cell.in_se) for cell in self.cells if cell.in_se is not None), default=0.0)

    @property
    def gone(self) -> int:
        """How many figures there are not, or may not be shown, without it."""
        return sum(cell.without is None for cell in self.cells)

    @property
    def lost(self) -> bool:
        """Whether none of its figures is left."""
        return bool(self.cells) and self.gone == len(self.cells)


@dataclass(frozen=True)
class DependentFigure:
    """A figure of an analysis likewise; of: which: the term of a coefficient, `alpha`, or a pair. turned:
    whether its test comes out the other way."""

    of: dict[str, Any]
    est: float
    se: float | None
    without: float | None = None
    se_without: float | None = None
    change: float | None = None
    in_se: float | None = None
    p: float | None = None
    p_without: float | None = None
    turned: bool = False


@dataclass(frozen=True)
class DependentAnalysis:
    """An analysis' figures with and without a decision."""

    part: AnalysisPart
    id: str
    figures: tuple[DependentFigure, ...]

    @property
    def largest(self) -> float:
        """The largest change of any figure, in standard errors."""
        return max((abs(of.in_se) for of in self.figures if of.in_se is not None), default=0.0)

    @property
    def gone(self) -> int:
        """How many figures there are not without it."""
        return sum(of.without is None for of in self.figures)

    @property
    def lost(self) -> bool:
        """Whether none of its figures is left."""
        return bool(self.figures) and self.gone == len(self.figures)


class Shown:
    """How many cases stand behind what is shown of each figure, so that no two numbers of one are shown whose
    few cases of difference would tell of them. below: disclosure control's least count, None without it.

    >>> shown = Shown(5)
    >>> shown.takes("a", (100, 200)), shown.takes("a", (97, 200)), shown.takes("a", (90, 200))
    (True, False, True)
    """

    def __init__(self, below: int | None) -> None:
        self._below = below
        self._counts: dict[Any, list[Counts]] = {}

    @property
    def protects(self) -> bool:
        """Whether small counts are hidden at all."""
        return self._below is not None

    def takes(self, figure: Any, counts: Counts) -> bool:
        """Whether one more number of a figure may be shown beside those before; if so it counts as shown."""
        if self._below is None:
            return True
        before = self._counts.setdefault(figure, [])
        if any(self._near(a, b) for other in before for a, b in zip(other, counts, strict=True)):
            return False
        if counts not in before:
            before.append(counts)
        return True

    def _near(self, a: int | None, b: int | None) -> bool:
        return a is not None and b is not None and 0 < abs(a - b) < (self._below or 0)


def _in_se(change: float, se: float | None) -> float | None:
    return change / se if se else None


def _compared(table: str, cell: Cell, other: Cell | None, shown: Shown) -> DependentCell:
    figure = (table, cell.stub, cell.banner, cell.stat)
    key = (*figure[1:], cell.est, cell.se)
    shown.takes(figure, (cell.n, cell.base_n))
    if other is None or not shown.takes(figure, (other.n, other.base_n)):
        return DependentCell(*key)
    change = other.est - cell.est
    return DependentCell(*key, other.est, other.se, change, _in_se(change, cell.se))


def by_key(table: TableResult | None) -> Mapping[CellKey, Cell]:
    """A table's figures by what they are of.

    >>> dict(by_key(None))
    {}
    """
    found: dict[CellKey, Cell] = {}
    for cell in () if table is None else table.cells:
        found.setdefault((cell.stub, cell.banner, cell.stat), cell)
    return found


_NOT_KEYS = {"diff", "se", "t", "p", "p_adjusted", "low", "high", "chi2", "f", "df1", "df2", "wald", "slope"}


def _tests(table: TableResult | None) -> dict[str, tuple[dict[str, Any], float]]:
    """Tests of a table by what they are of, with their p-values."""
    found: dict[str, tuple[dict[str, Any], float]] = {}
    for test in () if table is None else table.tests:
        of = {k: v for k, v in as_json(test).items() if k not in _NOT_KEYS}
        found.setdefault(repr(of), (of, _p(test)))
    return found


def _p(test: Test) -> float:
    return test.p_adjusted if isinstance(test, ColumnComparison | PartComparison) else test.p


def _significant(p: float | None, alpha: float) -> bool:
    return p is not None and p < alpha


def _turned(mine: TableResult, other: TableResult | None, alpha: float) -> Iterator[TurnedTest]:
    here, there = _tests(mine), _tests(other)
    for key, (of, p) in here.items():
        without = there[key][1] if key in there else None
        if without is not None and (p < alpha) != (without < alpha):
            yield TurnedTest(of["kind"], {k: v for k, v in of.items() if k != "kind"}, p, without)


def _untested(mine: TableResult, other: TableResult | None, alpha: float) -> int:
    """Tests that one side alone has, and that are significant there; none where the table is lost."""
    here, there = _tests(mine), _tests(other)
    alone = [side[key][1] for side in (here, there) for key in side if not (key in here and key in there)]
    return 0 if other is None or not other.cells else sum(p < alpha for p in alone)


def compared_table(
    mine: TableResult, other: TableResult | None, shown: Shown, alpha: float
) -> DependentTable:
    """A table beside what it is without a decision. shown: what is shown of its figures already; alpha:
    under which a p-value is significant. Where figures may not be shown side by side, their tests are not
    either.

    >>> compared_table(TableResult("t", "T", (), (), 8, (), ()), None, Shown(None), 0.05).gone
    0
    """
    others = by_key(other)
    cells = tuple(_compared(mine.id, c, others.get((c.stub, c.banner, c.stat)), shown) for c in mine.cells)
    hidden = shown.protects and any(cell.without is None for cell in cells)
    if hidden:
        return DependentTable(mine.id, cells)
    return DependentTable(mine.id, cells, tuple(_turned(mine, other, alpha)), _untested(mine, other, alpha))


@dataclass(frozen=True)
class _Figure:
    of: dict[str, Any]
    est: float
    se: float | None
    p: float | None
    n: int


def _figures(result: AnalysisResult | None) -> dict[str, _Figure]:
    """Figures of an analysis by what they are of."""
    rows: list[tuple[dict[str, Any], float | None, float | None, float | None, int]] = []
    if isinstance(result, ModelResult):
        rows = [({"term": as_json(c.term)}, c.est, c.se, c.p, result.n) for c in result.coefficients]
    elif isinstance(result, CorrelationsResult):
        rows = [({"a": pair.a, "b": pair.b}, pair.est, pair.se, pair.p, pair.n) for pair in result.pairs]
    elif result is not None:
        rows = [({"alpha": True}, result.alpha, result.se, None, result.n)]
    return {repr(of): _Figure(of, est, se, p, n) for of, est, se, p, n in rows if est is not None}


def compared_analysis(
    part: AnalysisPart, mine: AnalysisResult, other: AnalysisResult | None, shown: Shown, alpha: float
) -> DependentAnalysis:
    """An analysis beside what it is without a decision, as `compared_table`.

    >>> from even_ballot.core.models.results import ReliabilityResult
    >>> mine, other = (ReliabilityResult("r", "R", 9, alpha, 0.1) for alpha in (0.7, 0.9))
    >>> round(compared_analysis("reliability", mine, other, Shown(None), 0.05).largest, 6)
    2.0
    """
    there = _figures(other)
    found = []
    for key, figure in _figures(mine).items():
        without, name = there.get(key), (part, mine.id, key)
        shown.takes(name, (figure.n,))
        own = (figure.of, figure.est, figure.se)
        if without is None or not shown.takes(name, (without.n,)):
            found.append(DependentFigure(*own, p=figure.p))
            continue
        change = without.est - figure.est
        moved = (without.est, without.se, change, _in_se(change, figure.se))
        turns = _significant(figure.p, alpha) != _significant(without.p, alpha)
        found.append(DependentFigure(*own, *moved, figure.p, without.p, turns))
    return DependentAnalysis(part, mine.id, tuple(found))
