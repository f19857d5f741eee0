"""How much room a table needs, known before it is counted."""

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import fault
from even_ballot.core.sampling.units import Units
from even_ballot.core.tables.banner import BannerColumns
from even_ballot.core.tables.table_request import TableRequest

BLOCK = 8_000_000
"""Sums held at once (64 MB, and some ten times that while errors are worked out); past them, columns go in
blocks."""
REFUSED = 60_000_000
FIGURES = 1_000_000
TESTED = 5_000
_TESTED_SEVERAL = 1_000
"""Of several answers every case has a value in each cell."""


def _rows(units: Units) -> int:
    """Rows of a tally: units, replicates, or units and categories of margins."""
    if units.replicates is not None:
        return max(units.rows, units.replicates.count + 1)
    return (
        3 * units.rows
        if units.own
        else units.rows + (units.residuals.extra if units.residuals is not None else 0)
    )


def _height(data: Dataset, name: str, where: str) -> int:
    """Rows of a stub variable, times what is told apart in each."""
    variable = data.variable(name, where)
    if variable.kind == "multi":
        return len(variable.parts) * (len(variable.parts) + 1)
    if variable.kind == "coded":
        return len(data.categories(name)[0])
    return 1 if variable.kind == "number" else 400


def columns_at_once(
    data: Dataset, units: Units, name: str, over: BannerColumns, request: TableRequest, where: str
) -> int:
    """How many columns of a banner entry go at once. Raises StudyError where not even one does, or where
    tests need more together.

    The size of a tally is units × rows × columns, of several answers also × how many were chosen.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.banner import banner_columns
    >>> request = TableRequest(id="t", stub=("crosses",), banner=("isle",))
    >>> sample = sampled(ferry(), Design())
    >>> banner = banner_columns(sample, ("isle",), request, "banner[0]", "tables[0]")
    >>> columns_at_once(sample.head, sample.units, "crosses", banner, request, "stub[0]")
    2
    """
    each = _rows(units) * _height(data, name, where)
    whole = each * (over.columns + 2)
    if each * 3 > REFUSED:
        raise fault(
            f"One column of {name} needs {each:,} sums (its categories × first-stage units or replicates); "
            f"the limit is {REFUSED // 3:,}.",
            where,
            "Combine categories or bands first, or use linearisation or fewer replicates.",
        )
    if whole <= BLOCK:
        return max(over.columns, 1)
    if request.tests:
        raise fault(
            f"{name} by {' × '.join(over.heading.variables)} is {whole:,} sums, and tests need all at "
            f"once; at most {BLOCK:,}.",
            where,
            "Leave the tests out of this table, or join categories.",
        )
    return max(BLOCK // each - 2, 1)


def check_figures(data: Dataset, entries: list[BannerColumns], request: TableRequest, where: str) -> None:
    """Refuses a table of more figures than anybody could be shown, with their number.

    >>> from even_ballot.core.data.example import ferry
    >>> check_figures(ferry(), [], TableRequest(id="t", stub=("crosses",)), "tables[0]")
    """
    places = [f"{where}.stub[{i}]" for i in range(len(request.stub))]
    kinds = [data.variable(name, place).kind for name, place in zip(request.stub, places, strict=True)]
    rows = sum(
        _height(data, name, where) if kind == "coded" else 1
        for name, kind in zip(request.stub, kinds, strict=True)
    )
    columns = 1 + sum(len(over.paths) for over in entries)
    figures = rows * columns * len(request.show)
    if figures > FIGURES:
        raise fault(
            f"This table has {rows:,} rows × {columns:,} columns × {len(request.show)} figures = "
            f"{figures:,}; at most {FIGURES:,}.",
            where,
            "Take fewer variables into one table, or join categories first.",
        )
    tested = {"independence", "wald"} & set(request.tests)
    for name in request.stub if tested else ():
        for over in entries:
            variable = data.variable(name)
            several = variable.kind == "multi"
            most = _TESTED_SEVERAL if several else TESTED
            rows = len(variable.parts) if several else _height(data, name, where)
            cells = rows * max(over.columns, 1)
            if variable.kind in ("coded", "multi") and cells > most:
                raise fault(
                    f"A test of {name} by {' × '.join(over.heading.variables)} is over {cells:,} cells; at "
                    f"most {most:,}.",
                    where,
                    "Leave that test out of this table, or join categories.",
                )
