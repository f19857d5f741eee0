"""A table request → a result, presentation-free."""

from even_ballot.core.blocks import across
from even_ballot.core.categories_part import CategoriesPart
from even_ballot.core.dataset import Dataset, Floats
from even_ballot.core.design import Units
from even_ballot.core.expressions import condition
from even_ballot.core.faults import fault
from even_ballot.core.number_part import NumberPart
from even_ballot.core.part import Part
from even_ballot.core.request import TableRequest
from even_ballot.core.results import Cell, StubHeading, TableResult, Test
from even_ballot.core.sample import Sample


def tabulate(data: Dataset, units: Units, weight: Floats, request: TableRequest, where: str = "tables[0]") -> TableResult:
    """One table: every figure asked for, of every stub variable in every banner column and in the total column.

    data: n cases; units: their design; weight: float64 (n,). Raises StudyError where the request does not fit.
    """
    if not request.stub:
        raise fault("The table has no stub, so there is nothing to count.", f"{where}.stub", "Name at least one variable.")
    inside = condition(request.where, data, f"{where}.where")
    sample = Sample(data, units, weight, inside)
    entries = [across(data, entry, f"{where}.banner[{i}]") for i, entry in enumerate(request.entries)]
    cells: list[Cell] = []
    tests: list[Test] = []
    stubs: list[StubHeading] = []
    for i, name in enumerate(request.stub):
        place = f"{where}.stub[{i}]"
        kind = data.variable(name, place).kind
        for j, over in enumerate(entries or [across(data, (), where)]):
            if kind in ("coded", "multi"):
                part: Part = CategoriesPart(sample, name, over, request, place, where)
            elif kind == "number":
                part = NumberPart(sample, name, over, request, place)
            else:
                raise fault(f"{name} is a {kind}; a stub is made of coded variables, numbers and several answers.", place,
                            "Code its answers first.")  # fmt: skip
            if j == 0:
                stubs.append(part.heading)
            # The total column comes with the first entry only.
            cells += part.cells(0 if j == 0 else 1)
            tests += part.tests()
    if request.layout == "battery":
        _check_battery(stubs, where)
    in_filter = sample.cases
    return TableResult(
        request.id, request.title or request.id, tuple(stubs), tuple(e.heading for e in entries), in_filter,
        tuple(cells), tuple(tests),
    )  # fmt: skip


def _check_battery(stubs: list[StubHeading], where: str) -> None:
    """Items of a battery have the same answers."""
    answers = [[(c.code, c.label) for c in stub.categories if c.in_codebook] for stub in stubs]
    for stub, mine in zip(stubs, answers, strict=True):
        if stub.kind != "coded" or mine != answers[0]:
            raise fault(
                f"{stub.variable} has other answers than {stubs[0].variable}, so they cannot share columns.",
                f"{where}.layout",
                "Lay out a battery of questions with the same scale, or choose crosstab.",
            )
