"""What figures of a release depend on, as its appendix says it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from even_ballot.core.dependence.comparing import CellKey, by_key
from even_ballot.core.dependence.depends import Dependence, Depending
from even_ballot.core.release.plan import FigureOf
from even_ballot.core.tables.results import BannerKey, Cell, StubKey


@dataclass(frozen=True)
class AppendixRow:
    """A decision: what was decided, what takes its place, how many entries of the ledger go with it, why
    nothing remains; without, se, change, in_se: as of a `DependentCell`."""

    says: str
    instead: str | None
    also: int
    refused: str | None
    without: float | None
    se: float | None
    change: float | None
    in_se: float | None


@dataclass(frozen=True)
class AppendixFigure:
    """A published figure and what it would be without each decision, the largest change first."""

    table: str
    cell: Cell
    rows: tuple[AppendixRow, ...]


def _key(figure: FigureOf) -> CellKey:
    banner = tuple(BannerKey(of.variable, of.code, of.net) for of in figure.banner)
    stub = StubKey(figure.stub.variable, figure.stub.code, figure.stub.net)
    return stub, banner, figure.stat


def _row(found: Dependence, table: str, key: CellKey) -> AppendixRow:
    cell = next((of.cell(key) for of in found.tables if of.id == table), None)
    refused = None if found.refused is None else found.refused.what
    about = (found.decision.says, found.decision.instead, len(found.entries), refused)
    if cell is None:
        return AppendixRow(*about, None, None, None, None)
    return AppendixRow(*about, cell.without, cell.se_without, cell.change, cell.in_se)


def _size(row: AppendixRow) -> float:
    return -2.0 if row.refused else -1.0 if row.change is None else abs(row.change)


def appendix(of: Depending, figures: Sequence[FigureOf]) -> Iterator[AppendixFigure]:
    """The figures of an appendix; those that are not in their tables any more are left out.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.release.plan import RowOf
    >>> from even_ballot.core.study.pipeline import given
    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 30"}
    >>> table = {"id": "t", "stub": ["age"], "show": ["mean"]}
    >>> study = parse_study({"source": {"path": "a.csv"}, "ledger": [step], "tables": [table]})
    >>> whole = Depending(study, given(study, ferry_answers(), {}).inputs)
    >>> (found,) = appendix(whole, [FigureOf(table="t", stub=RowOf(variable="age"), stat="mean")])
    >>> found.rows[0].says, round(found.rows[0].change, 2)
    ('Set aside the cases where age < 30', -6.6)
    """
    found = list(of.each())
    published = {table.id: table for table in of.published.values()}
    for figure in figures:
        key = _key(figure)
        cell = by_key(published.get(figure.table)).get(key)
        if cell is not None:
            rows = sorted((_row(one, figure.table, key) for one in found), key=_size, reverse=True)
            yield AppendixFigure(figure.table, cell, tuple(rows))
