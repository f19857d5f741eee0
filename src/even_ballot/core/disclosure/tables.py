"""Hidden figures taken out of tables."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from even_ballot.core.disclosure.atoms import Links
from even_ballot.core.disclosure.dominance import dominated_numbers
from even_ballot.core.disclosure.events import (
    ANSWERED,
    EVERYBODY,
    RESPONSES,
    CategoryState,
    Events,
    events_of,
    filter_of,
    key_of,
    net_state,
)
from even_ballot.core.disclosure.hiding import Hidden, hide
from even_ballot.core.disclosure.kinds import weights_are_judged
from even_ballot.core.disclosure.suppression import Suppression
from even_ballot.core.estimation.comparisons import ColumnComparison, PartComparison
from even_ballot.core.estimation.trend import Trend
from even_ballot.core.lazy import lazy
from even_ballot.core.ledger.step import Step
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.tables.nets import banner_nets, net_rows
from even_ballot.core.tables.results import (
    BannerKey,
    Cell,
    CodeOrNet,
    HiddenFigure,
    StubKey,
    TableResult,
    Test,
)
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.statistics import statistic_of
from even_ballot.core.tables.stubs.counts import ALL
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.weighting.report import HiddenRow, MarginReport, MarginRow, WeightingReport


@dataclass(frozen=True)
class HiddenPattern:
    """What the tables and reports of a study release, and what of it is hidden. dominated: numbers of
    which a few cases make up too much; weights_judged: whether weighted figures were taken into account as
    equations on counts; below: groups of fewer cases are small."""

    events: Events
    hidden: Hidden
    dominated: frozenset[str] = frozenset()
    weights_judged: bool = True
    below: int = 0


def pattern_of(
    shared: SharedCounts,
    requests: Sequence[TableRequest],
    asked: Suppression,
    links: Links | None = None,
    margins: Sequence[tuple[str, ...]] = (),
    tell: Progress = quiet,
) -> HiddenPattern:
    """What is to be hidden when all these tables, and the report on these margins, are released together.
    links: what each variable of the ledger is made of.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> requests = [TableRequest(id="t", stub=("crosses",), show=("n",))]
    >>> len(pattern_of(shared, requests, Suppression(below=2)).hidden.small)
    1
    """
    assert asked.below is not None
    events = events_of(shared, requests, margins)
    hidden = hide(events, asked.below, asked.range, links, margins, tell)
    dominated = frozenset() if asked.dominance is None else dominated_numbers(shared, events, asked.dominance)
    return HiddenPattern(events, hidden, dominated, weights_are_judged(shared.sample), asked.below)


@dataclass(frozen=True)
class DisclosureControl:
    """What was hidden: groups of cases; analyses, or pairs of correlations (`withheld`); and what could not
    be judged: groups around which everything is hidden, and analyses that are not told. weights_judged: as
    in `HiddenPattern`. Which groups are small is not told."""

    below: int
    hidden: int
    withheld: int
    unjudged: int
    weights_judged: bool


def control_of(
    asked: Suppression, pattern: HiddenPattern, withheld: int = 0, unjudged: int = 0
) -> DisclosureControl:
    """What there is to say of what was hidden. withheld: analyses that are not told; unjudged: those of them
    that could not be judged.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> shared, asked = SharedCounts(sampled(ferry(), Design(), "w")), Suppression(below=2)
    >>> requests = [TableRequest(id="t", stub=("crosses",), show=("n",))]
    >>> control_of(asked, pattern_of(shared, requests, asked)).hidden
    2
    """
    hidden = pattern.hidden
    return DisclosureControl(
        asked.below or 0,
        len(hidden.small) + len(hidden.protecting),
        withheld,
        hidden.unjudged + unjudged,
        pattern.weights_judged,
    )


def links_of(steps: Sequence[Step]) -> dict[str, tuple[str, ...]]:
    """What each variable that a ledger makes is made of.

    >>> from even_ballot.core.ledger.derived import Derive
    >>> links_of([Derive(do="derive", into="older", value="age >= 45")])
    {'older': ('age',)}
    """
    found: dict[str, tuple[str, ...]] = {}
    for step in steps:
        if not step.off:
            for name, sources in step.sources().items():
                found[name] = (*found.get(name, ()), *sources)
    return found


def report_without(report: WeightingReport, pattern: HiddenPattern, below: int) -> WeightingReport:
    """A report on a weighting as it may be released: without the sizes of groups that are hidden.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.report import report
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> pattern = pattern_of(shared, [], Suppression(below=4), margins=[("isle",)])
    >>> margin = report_without(report(ferry(), rake(ferry(), weighting), weighting), pattern, 4).margins[0]
    >>> len(margin.rows), [row.label for row in margin.hidden]
    (0, ['Hask', 'Orran'])
    """

    def gone(of: MarginRow) -> bool:
        states = [(name, code) for name, code in of.at.items() if code is not None]
        event = pattern.events.ids.get(key_of(EVERYBODY, states)) if len(states) == len(of.at) else None
        return event is not None and event in pattern.hidden

    def without(margin: MarginReport) -> MarginReport:
        hidden = tuple(HiddenRow(row.at, row.label, row.target) for row in margin.rows if gone(row))
        return replace(margin, rows=tuple(row for row in margin.rows if not gone(row)), hidden=hidden or None)

    cells = report.nonresponse or ()
    few = [cell for cell in cells if any(0 < n < below for n in (cell.responded, cell.silent))]
    return replace(
        report,
        margins=tuple(map(without, report.margins)),
        nonresponse=tuple(cell for cell in cells if cell not in few) or None,
        nonresponse_hidden=tuple(HiddenRow(dict(cell.at), cell.label) for cell in few) or None,
    )


class _Table:
    """One table's figures as events."""

    def __init__(
        self,
        shared: SharedCounts,
        result: TableResult,
        request: TableRequest,
        pattern: HiddenPattern,
        where: str,
    ) -> None:
        self.result, self.request, self.pattern, self.where = result, request, pattern, where
        self.filter_id, _ = filter_of(shared, request, where)

    @lazy
    def _states(self) -> dict[tuple[str, bool, CodeOrNet], CategoryState]:
        """States by variable, whether of the banner, and step."""
        found: dict[tuple[str, bool, CodeOrNet], CategoryState] = {}
        request, where = self.request, self.where

        def add(
            name: str, banner: bool, kind: str, codes: list[int], nets: Sequence[tuple[str, Sequence[int]]]
        ) -> None:
            own: list[CategoryState] = [(request.dates, code) if kind == "date" else code for code in codes]
            found.update({(name, banner, code): state for code, state in zip(codes, own, strict=True)})
            found.update(
                {(name, banner, label): net_state([own[i] for i in places]) for label, places in nets}
            )

        for stub in self.result.stubs:
            rows = net_rows(request.nets, stub.variable, stub.categories, request.stub, where)
            add(
                stub.variable,
                False,
                stub.kind,
                [c.code for c in stub.categories],
                [(r.label, r.places.tolist()) for r in rows],
            )
            found[stub.variable, False, ALL] = found.get((stub.variable, False, ALL), ANSWERED)
        for banner in self.result.banners:
            for name, categories in zip(banner.variables, banner.categories, strict=True):
                rows = banner_nets(request.nets, name, categories, request.entries, where)
                add(
                    name,
                    True,
                    self._kind(name),
                    [c.code for c in categories],
                    [(r.label, r.places.tolist()) for r in rows],
                )
        return found

    def _kind(self, name: str) -> str:
        return "date" if name in self.dated else "coded"

    dated: frozenset[str] = frozenset()

    def _event(
        self, variable: str, row: CategoryState, path: Sequence[tuple[str, CategoryState]]
    ) -> int | None:
        return self.pattern.events.ids.get(key_of(self.filter_id, [(variable, row), *path]))

    def is_hidden(self, stub: StubKey, banner: Sequence[BannerKey], stat: str) -> bool:
        """Whether a figure is hidden: it is of few cases, protects others, is the smallest or largest value,
        or of a number that a few cases dominate."""
        kind = next((h.kind for h in self.result.stubs if h.variable == stub.variable), "")
        statistic = statistic_of(stat)
        of_number = kind == "number" and statistic.base != "none"
        if of_number and (stub.variable in self.pattern.dominated or statistic.is_extreme(stat)):
            return True
        step = stub.net if stub.net is not None else stub.code
        row = ANSWERED if step is None else self._states[stub.variable, False, step]
        path = [(key.variable, self._states[key.variable, True, key.step]) for key in banner]
        of = [self._event(stub.variable, row, path)]
        variable, answered = stub.variable, [(name, ANSWERED) for name, _ in path]
        match statistic.base:
            case "row":
                of.append(self._event(variable, row, answered))
            case "total":
                of.append(self._event(variable, ANSWERED, answered))
            case "responses":
                of.append(self._event(variable, RESPONSES, path))
            case "column":
                of.append(self._event(variable, ANSWERED, path))
        if step is None and statistic.base != "none":
            # Figures made of all answers of a column would give one hidden answer away.
            heading = next(h for h in self.result.stubs if h.variable == stub.variable)
            of += [
                self._event(stub.variable, self._states[stub.variable, False, c.code], path)
                for c in heading.categories
            ]
        hidden = self.pattern.hidden
        if kind == "number" and any(event in hidden.numbers for event in of if event is not None):
            return True
        return any(event is not None and event in hidden for event in of)

    def _is_hidden_ratio(self, cell: Cell) -> bool:
        """Whether a ratio is hidden though its column is not: its other number is dominated, or few cases of
        the column answered both numbers, or few did not."""
        if cell.stat != "ratio" or cell.base_n is None:
            return False
        if self.request.per in self.pattern.dominated:
            return True
        path = [(key.variable, self._states[key.variable, True, key.step]) for key in cell.banner]
        column = self._event(cell.stub.variable, ANSWERED, path)
        lost = 0 if column is None else self.pattern.events.value[column] - cell.base_n
        return cell.base_n < self.pattern.below or 0 < lost < self.pattern.below

    def without(self) -> TableResult:
        """The table without what is hidden, and without tests that would tell of it."""
        kept: list[Cell] = []
        gone: list[HiddenFigure] = []
        for cell in self.result.cells:
            if self.is_hidden(cell.stub, cell.banner, cell.stat) or self._is_hidden_ratio(cell):
                gone.append(HiddenFigure(cell.stub, cell.banner, cell.stat))
            else:
                kept.append(cell)
        if not gone:
            return self.result
        touched = {(figure.stub, figure.banner) for figure in gone}
        blocks = {(stub.variable, tuple(key.variable for key in banner)) for stub, banner in touched}
        tests = tuple(test for test in self.result.tests if self._tells_nothing(test, touched, blocks))
        whole = self.pattern.events.ids[self.filter_id, frozenset()]
        in_filter = None if whole in self.pattern.hidden else self.result.in_filter
        contrasts = tuple(
            of
            for of in self.result.contrasts or ()
            if all((of.stub, path) not in touched for path in of.columns)
        )
        return replace(
            self.result,
            cells=tuple(kept),
            tests=tests,
            hidden=tuple(gone),
            in_filter=in_filter,
            contrasts=contrasts or None,
        )

    def _tells_nothing(
        self,
        test: Test,
        touched: set[tuple[StubKey, tuple[BannerKey, ...]]],
        blocks: set[tuple[str, tuple[str, ...]]],
    ) -> bool:
        if isinstance(test, ColumnComparison):
            stub = StubKey(**test.stub)
            paths = (tuple(map(BannerKey.of, test.banner, path)) for path in (test.a, test.b))
            return all((stub, path) not in touched for path in paths)
        if isinstance(test, PartComparison):
            # What a column is held against is made of all others of its row.
            own = StubKey(**test.stub)
            entry = {path for stub, path in touched if stub == own}
            return all(path and tuple(key.variable for key in path) != test.banner for path in entry)
        variable = test.stub["variable"] if isinstance(test, Trend) else test.stub
        return (variable, test.banner) not in blocks


def without_hidden(
    shared: SharedCounts,
    result: TableResult,
    request: TableRequest,
    pattern: HiddenPattern,
    where: str = "tables[0]",
) -> TableResult:
    """A table as it may be released.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.tabulate import tabulate
    >>> sample = sampled(ferry(), Design(), "w")
    >>> shared, request = SharedCounts(sample), TableRequest(id="t", stub=("crosses",), show=("n",))
    >>> pattern = pattern_of(shared, [request], Suppression(below=2))
    >>> len(without_hidden(shared, tabulate(sample, request), request, pattern).hidden)
    2
    """
    table = _Table(shared, result, request, pattern, where)
    dates = (
        name
        for banner in result.banners
        for name in banner.variables
        if shared.head.variable(name).kind == "date"
    )
    table.dated = frozenset(dates)
    return table.without()
