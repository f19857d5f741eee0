"""How a table is shown: what its rows and columns are called, in which order they stand, which are left
out."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Self, TypeVar

from pydantic import model_validator

from even_ballot.core.model import Model
from even_ballot.core.tables.results import (
    BannerHeading,
    Cell,
    CodeOrNet,
    NamedPath,
    ShownLine,
    StubHeading,
    TableResult,
    code_and_net,
)


class ShownCategory(Model):
    """A category, by code, or a net, by its label, as it is shown: under another label, or not at all."""

    code: int | None = None
    net: str | None = None
    label: str | None = None
    hide: bool = False

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.code is None) is (self.net is None):
            raise ValueError("a row or column is a category or a net: give code or net")
        return self

    @property
    def step(self) -> CodeOrNet:
        """Its code, or the label of its net."""
        return self.net if self.net is not None else self.code if self.code is not None else ""


class ShownVariable(Model):
    """A stub or banner variable as it is shown. categories: those listed come first and in this order, the
    others after them."""

    variable: str
    label: str | None = None
    categories: tuple[ShownCategory, ...] = ()


class Sort(Model):
    """Rows by a figure in one column (`at` names it; left out: the total column), or columns by a figure
    in one row (variable, and code or net). The largest comes first unless ascending. Items that stand down:
    by their figure of code or net, in the column that `at` names. stat: of the figure, or `place`: answers by
    their place in the scale, the last first."""

    stat: str = "col_pct"
    variable: str | None = None
    code: int | None = None
    net: str | None = None
    at: dict[str, int | str] = {}
    ascending: bool = False


PLACE = "place"
"""The stat of a sort by the place in the scale."""


class Display(Model):
    """How a table is shown. Figures are computed from everybody whatever is hidden."""

    variables: tuple[ShownVariable, ...] = ()
    rows: Sort | None = None
    columns: Sort | None = None
    total_column: bool = True


T = TypeVar("T")


class _Figures:
    """Figures found by row, column and stat."""

    def __init__(self, cells: Sequence[Cell]) -> None:
        self._of = {
            (
                c.stub.variable,
                c.stub.code,
                c.stub.net,
                tuple((b.variable, b.step) for b in c.banner),
                c.stat,
            ): c.est
            for c in cells
        }

    def at(self, variable: str, step: CodeOrNet | None, path: NamedPath, stat: str) -> float | None:
        return self._of.get((variable, *((None, None) if step is None else code_and_net(step)), path, stat))


def displayed(result: TableResult, display: Display, items_down: bool = False) -> TableResult:
    """The same figures with headings as they are shown.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.table_request import TableRequest
    >>> from even_ballot.core.tables.tabulate import tabulate
    >>> request = TableRequest(id="t", stub=("crosses",), banner=("isle",), show=("n", "col_pct"))
    >>> result = tabulate(sampled(ferry(), Design(), "w"), request)
    >>> displayed(result, Display()) == result
    False
    """
    figures = _Figures(result.cells)
    said = {shown.variable: shown for shown in display.variables}
    stubs = [_stub(stub, said.get(stub.variable)) for stub in result.stubs]
    banners = [_banner(banner, said) for banner in result.banners]
    if (by := display.rows) is not None:
        path = tuple(by.at.items())
        if by.stat == PLACE:
            stubs = [replace(stub, shown=_by_place(stub.rows, by)) for stub in stubs]
        elif items_down:
            step = by.net if by.net is not None else by.code
            stubs = _sorted(stubs, [figures.at(stub.variable, step, path, by.stat) for stub in stubs], by)
        else:
            stubs = [
                replace(stub, shown=tuple(_sorted_rows(stub.rows, figures, stub.variable, path, by)))
                if stub.rows
                else stub
                for stub in stubs
            ]
    if (by := display.columns) is not None:
        variable = by.variable or (result.stubs[0].variable if result.stubs else "")
        step = by.net if by.net is not None else by.code
        banners = [_sorted_columns(banner, figures, variable, step, by) for banner in banners]
    return replace(result, stubs=tuple(stubs), banners=tuple(banners))


def _sorted(items: Sequence[T], values: Sequence[float | None], by: Sort) -> list[T]:
    """Items by their values; those without one last."""
    sign = 1 if by.ascending else -1
    order = sorted(range(len(items)), key=lambda k: (values[k] is None, sign * (values[k] or 0.0)))
    return [items[k] for k in order]


def _sorted_rows(
    rows: Sequence[ShownLine], figures: _Figures, variable: str, path: NamedPath, by: Sort
) -> Iterable[ShownLine]:
    """Categories by their figures; nets keep their places below or above them."""
    categories = [row for row in rows if not isinstance(row.step, str)]
    turn = iter(
        _sorted(categories, [figures.at(variable, row.step, path, by.stat) for row in categories], by)
    )
    return [row if isinstance(row.step, str) else next(turn) for row in rows]


def _by_place(rows: Sequence[ShownLine], by: Sort) -> tuple[ShownLine, ...]:
    """Answers of the scale from the last to the first; those that it does not know after them, nets in their
    places."""
    known = [row for row in rows if not isinstance(row.step, str) and not row.stray]
    turn = iter(known if by.ascending else known[::-1])
    return tuple(row if isinstance(row.step, str) or row.stray else next(turn) for row in rows)


def _sorted_columns(
    banner: BannerHeading, figures: _Figures, variable: str, step: CodeOrNet | None, by: Sort
) -> BannerHeading:
    """The columns of an entry of one variable by a row's figures; a nest keeps its order."""
    if len(banner.variables) != 1:
        return banner
    values = [
        figures.at(variable, step, ((banner.variables[0], column.step),), by.stat)
        for column in banner.levels[0]
    ]
    return replace(banner, shown=(tuple(_sorted(banner.levels[0], values, by)),))


def _in_order(rows: Sequence[ShownLine], said: ShownVariable | None) -> tuple[ShownLine, ...]:
    """Rows or columns under their labels and in their order, hidden ones left out."""
    if said is None:
        return tuple(rows)
    there = {row.step: row for row in rows}
    first = [(there.pop(c.step), c) for c in said.categories if c.step in there]
    shown = [replace(row, label=c.label or row.label) for row, c in first if not c.hide]
    return (*shown, *(row for row in rows if row.step in there))


def _stub(stub: StubHeading, said: ShownVariable | None) -> StubHeading:
    title = said.label if said is not None and said.label else stub.title
    return replace(stub, title=title, shown=_in_order(stub.rows, said))


def _banner(banner: BannerHeading, said: dict[str, ShownVariable]) -> BannerHeading:
    titles = tuple(
        shown.label if (shown := said.get(name)) is not None and shown.label else title
        for name, title in zip(banner.variables, banner.titles, strict=True)
    )
    levels = tuple(
        _in_order(level, said.get(name)) for name, level in zip(banner.variables, banner.levels, strict=True)
    )
    return replace(banner, titles=titles, shown=levels)
