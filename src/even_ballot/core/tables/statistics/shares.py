"""Shares: of the column, of the row, of everybody, of all responses."""

from collections.abc import Callable, Iterator
from typing import Any

from even_ballot.core.estimation.shares import shares
from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import CategoryRows
from even_ballot.core.tables.statistics.statistic import Base, Statistic, register

Cells = Callable[[CategoryRows, int], Iterator[Cell]]


def _column(rows: CategoryRows, first: int) -> Iterator[Cell]:
    e, df = rows.column_shares().at(slice(None), slice(first, None)), rows.block.df.column[first:]
    yield from rows.emit(
        rows.keys,
        rows.paths[first:],
        "col_pct",
        e,
        share=True,
        with_n=True,
        df=df,
        plain=rows.plain_shares(e),
    )


def _row(rows: CategoryRows, first: int) -> Iterator[Cell]:
    if len(rows.paths) > 1:
        e = shares(rows.block.inner, rows.block.answered_row, rows.units)
        yield from rows.emit(
            rows.keys, rows.paths[1:], "row_pct", e, share=True, with_n=True, df=rows.block.df.row[:, None]
        )


def _total(rows: CategoryRows, first: int) -> Iterator[Cell]:
    here = (slice(None), slice(first, None))
    e = shares(rows.block.part.at(*here), rows.block.answered.at(*here), rows.units)
    yield from rows.emit(
        rows.keys, rows.paths[first:], "total_pct", e, share=True, with_n=True, df=rows.block.df.total[first:]
    )


def _responses(rows: CategoryRows, first: int) -> Iterator[Cell]:
    e, df = rows.response_shares(), rows.block.df.responses
    if e is not None:
        options, columns = rows.keys[: rows.block.categories], slice(first, None)
        of = None if df is None else df[columns]
        yield from rows.emit(
            options,
            rows.paths[columns],
            "response_pct",
            e.at(slice(None), columns),
            share=True,
            with_n=True,
            df=of,
        )


def _share(name: str, label: str, short: str, base: Base, cells: Cells, **more: Any) -> None:
    register(
        Statistic(name, label, short, "share", base, cells, with_error=True, marked=True, linear=True, **more)
    )


_share("col_pct", "Column %", "column %", "column", _column, several_label="% of cases", compared=True)
_share("row_pct", "Row %", "row %", "row", _row)
_share("total_pct", "Total %", "total %", "total", _total)
_share("response_pct", "% of responses", "% of responses", "responses", _responses, only_several=True)
