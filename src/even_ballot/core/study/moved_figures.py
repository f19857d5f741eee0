"""Which figures differ between two runs of a study, and by how much."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.tables.results import Cell, TableResult


@dataclass(frozen=True)
class MovedFigure:
    """A figure before and after; None where there is none. stub and banner in words."""

    stub: str
    banner: str
    stat: str
    before: float | None
    after: float | None


@dataclass(frozen=True)
class FigureChange:
    """A table's figures before and after: how many there are, those that differ, and the largest
    difference of a share."""

    table: str
    title: str
    figures: int
    changed: int
    largest: float
    moved: tuple[MovedFigure, ...]


def _key(cell: Cell) -> tuple[object, ...]:
    return cell.stub, cell.banner, cell.stat


def _words(table: TableResult) -> dict[tuple[str, int], str]:
    """Labels of all codes that a table's headings show."""
    stubs = [(stub.variable, stub.categories) for stub in table.stubs]
    banners = [pair for b in table.banners for pair in zip(b.variables, b.categories, strict=True)]
    return {(name, item.code): item.label for name, items in (*stubs, *banners) for item in items}


def _spoken(cell: Cell, words: dict[tuple[str, int], str]) -> tuple[str, str]:
    """A cell's row and column in words."""
    key = cell.stub
    own = (
        f": {key.net}"
        if key.net is not None
        else ""
        if key.code is None
        else f": {words.get((key.variable, key.code), key.code)}"
    )
    path = [
        str(key.step) if key.code is None else words.get((key.variable, key.code), str(key.code))
        for key in cell.banner
    ]
    return f"{cell.stub.variable}{own}", ", ".join(path) or "Total"


def changed_figures(before: Sequence[TableResult], after: Sequence[TableResult]) -> tuple[FigureChange, ...]:
    """Table by table, the figures that a newer file changes (beyond rounding), added and gone ones
    included.

    >>> changed_figures([], [])
    ()
    """
    earlier = {table.id: table for table in before}
    changes = []
    for table in after:
        was = {_key(cell): cell for cell in earlier[table.id].cells} if table.id in earlier else {}
        now = {_key(cell): cell for cell in table.cells}
        words = (_words(earlier[table.id]) if table.id in earlier else {}) | _words(table)
        keys = [*now, *(key for key in was if key not in now)]
        moved, shares = [], [0.0]
        for key in keys:
            a, b = (cell.est if (cell := side.get(key)) is not None else None for side in (was, now))
            if a is not None and b is not None:
                if np.isclose(a, b, rtol=1e-9):
                    continue
                if str(key[2]).endswith("_pct"):
                    shares.append(abs(b - a))
            cell = now.get(key) or was[key]
            moved.append(MovedFigure(*_spoken(cell, words), cell.stat, a, b))
        changes.append(FigureChange(table.id, table.title, len(keys), len(moved), max(shares), tuple(moved)))
    return tuple(changes)
