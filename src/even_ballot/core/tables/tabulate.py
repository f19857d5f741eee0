"""A table request → a result, presentation-free."""

from collections.abc import Iterator
from itertools import product

from even_ballot.core.faults import fault
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.tables.banner import BannerColumns
from even_ballot.core.tables.contrasts import contrasts_of
from even_ballot.core.tables.contrasts.against import against
from even_ballot.core.tables.results import Cell, StubHeading, TableResult, Test
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.sizes import check_figures, columns_at_once
from even_ballot.core.tables.stubs.categories import CategoriesByBanner
from even_ballot.core.tables.stubs.domain import Domain
from even_ballot.core.tables.stubs.number_stub import NumberByBanner
from even_ballot.core.tables.stubs.several_independence import several_independence
from even_ballot.core.tables.stubs.stub import StubByBanner
from even_ballot.core.tables.table_request import ItemFigure, TableRequest


def tabulate(sample: Sample, request: TableRequest, where: str = "tables[0]") -> TableResult:
    """One table by itself: every figure asked for, of every stub variable in every banner column and in the
    total column. Raises StudyError where the request does not fit.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = TableRequest(id="t", stub=("crosses",), show=("col_pct",))
    >>> table = tabulate(sampled(ferry(), Design(), "w"), request)
    >>> [(cell.stub.code, round(cell.est, 3)) for cell in table.cells]
    [(1, 0.133), (2, 0.333), (3, 0.533)]
    """
    return counted_table(SharedCounts(sample), request, where)


def counted_table(
    shared: SharedCounts, request: TableRequest, where: str = "tables[0]", tell: Progress = quiet
) -> TableResult:
    """One table of several made of the same cases. tell: told of every block of the table.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> requests = [TableRequest(id=name, stub=(name,), show=("n",)) for name in ("isle", "crosses")]
    >>> [len(counted_table(shared, request).cells) for request in requests]
    [2, 3]
    """
    if not request.stub:
        what = "The table has no stub, so there is nothing to count."
        raise fault(what, f"{where}.stub", "Name at least one variable.")
    domain = shared.domain(request.where, f"{where}.where")
    entries = [
        shared.columns_of(entry, request, f"{where}.banner[{i}]", where)
        for i, entry in enumerate(request.entries or ((),))
    ]
    check_figures(shared.head, entries, request, where)
    cells: list[Cell] = []
    tests: list[Test] = []
    stubs: list[StubHeading] = []
    for i, j in product(range(len(request.stub)), range(len(entries))):
        done = (i * len(entries) + j) / (len(request.stub) * len(entries))
        tell(f"Counting {request.title or request.id}", done)
        for part in _parts(shared, domain, request, i, entries[j], where):
            # The total column comes with the first entry only.
            total = j == 0 and part.over.first == 0
            if total:
                stubs.append(part.heading)
            cells += part.cells(0 if total else 1)
            tests += part.tests()
        tests += _case_by_case(shared, domain, request, i, entries[j], where)
    if request.layout == "battery":
        _check_battery(stubs, where)
    if request.layout == "items_by_groups" and request.figure is not None:
        _check_items(stubs, request.figure, where)
    banners = tuple(over.heading for over in entries) if request.entries else ()
    title = request.title or request.id
    found = contrasts_of(shared, request, where) or None
    return TableResult(
        request.id,
        title,
        tuple(stubs),
        banners,
        domain.cases,
        tuple(cells),
        tuple(tests),
        contrasts=found,
    )


def _case_by_case(
    shared: SharedCounts, domain: Domain, request: TableRequest, at: int, over: BannerColumns, where: str
) -> Iterator[Test]:
    """Tests of what shares cases, which tallies by unit do not hold."""
    name = request.stub[at]
    if shared.head.variable(name).kind == "multi":
        yield from several_independence(domain, request, name, over, f"{where}.stub[{at}]")
    yield from against(shared, domain, request, name, over, where)


def _parts(
    shared: SharedCounts, domain: Domain, request: TableRequest, at: int, over: BannerColumns, where: str
) -> Iterator[StubByBanner]:
    """One stub variable against one banner entry, in as many blocks of columns as its size asks for."""
    name, place = request.stub[at], f"{where}.stub[{at}]"
    kind = shared.head.variable(name, place).kind
    if kind == "text":
        raise fault(
            f"{name} is a {kind}; a stub takes coded variables, numbers, dates and several-answer questions.",
            place,
            "Code its answers first.",
        )
    for block in over.blocks(columns_at_once(shared.head, domain.units, name, over, request, place)):
        if kind == "number":
            yield NumberByBanner(shared, domain, name, block, request, place)
        else:
            yield CategoriesByBanner(shared, domain, name, block, request, place, where)


def _check_items(stubs: list[StubHeading], figure: ItemFigure, where: str) -> None:
    """Items by groups have the answer that is shown of them."""
    step = figure.net if figure.net is not None else figure.code
    for stub in stubs:
        if step is not None and step not in [line.step for line in stub.rows]:
            what = f"{stub.variable} has no {'net' if figure.net is not None else 'answer'} {step}."
            raise fault(
                what, f"{where}.figure", "Choose an answer that every item has, or take the item out."
            )


def _check_battery(stubs: list[StubHeading], where: str) -> None:
    """Items of a battery have the same answers."""
    answers = [[(c.code, c.label) for c in stub.categories if c.in_codebook] for stub in stubs]
    for stub, mine in zip(stubs, answers, strict=True):
        if stub.kind != "coded" or mine != answers[0]:
            raise fault(
                f"{stub.variable} has different answers from {stubs[0].variable}, so they cannot "
                f"share columns.",
                f"{where}.layout",
                "Lay out a battery of questions with the same scale, or choose crosstab.",
            )
