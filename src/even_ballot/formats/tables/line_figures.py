"""The figures of a table's result found by row and column, with what stands beside each."""

from collections.abc import Callable, Iterator

from even_ballot.core.tables.results import BannerKey, Cell, NamedPath, StubKey, TableResult
from even_ballot.core.tables.signs.marks import Marks, effective_base, may_have_letters, relative_error, weak
from even_ballot.core.tables.statistics import Shape, statistic_of
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.tables.layout import Kind


def name_of(stat: str, kind: str = "coded") -> str:
    """A figure's name: Column %, Quantile 25 %; of several answers, % of cases. kind: of the stub
    variable."""
    return statistic_of(stat).label_of(stat, kind == "multi")


Name = tuple[str, int | None, str | None, NamedPath, str]


class Figures:
    """Figures found by row, column and stat; which of them are hidden, and which are weak by the rules."""

    def __init__(self, result: TableResult, rules: Marks) -> None:
        self._cells: dict[Name, Cell] = {}
        for cell in result.cells:
            self._cells.setdefault(self._name(cell.stub, cell.banner, cell.stat), cell)
        self._hidden = {self._name(figure.stub, figure.banner, figure.stat) for figure in result.hidden or ()}
        self._kinds = {(of[0], of[4]) for of in (*self._cells, *self._hidden)}
        self._rules = rules

    @staticmethod
    def _name(stub: StubKey, banner: tuple[BannerKey, ...], stat: str) -> Name:
        return stub.variable, stub.code, stub.net, tuple((key.variable, key.step) for key in banner), stat

    def has(self, variable: str, stat: str) -> bool:
        """Whether a stub has figures of a kind, shown or hidden."""
        return (variable, stat) in self._kinds

    def at(self, stub: StubKey, path: NamedPath, stat: str) -> Cell | None:
        """A figure, or None."""
        return self._cells.get((stub.variable, stub.code, stub.net, path, stat))

    def is_hidden(self, stub: StubKey, path: NamedPath, stat: str) -> bool:
        """Whether there is one that is not shown."""
        return (stub.variable, stub.code, stub.net, path, stat) in self._hidden

    def may_have_letters(self, row: list[Cell | None]) -> list[bool]:
        """Which figures of a line are held against others."""
        return [may_have_letters(cell, self._rules) for cell in row]

    def marks(self, row: list[Cell | None]) -> tuple[tuple[str, ...], ...] | None:
        """Why figures are weak; None where none is."""
        reasons = tuple(weak(cell, self._rules) if cell else () for cell in row)
        return reasons if any(reasons) else None


LineFigures = tuple[Kind, str, Shape, tuple[float | None, ...]]


def figures_of(stat: str, row: list[Cell | None], request: TableRequest, kind: str) -> list[LineFigures]:
    """The lines of one figure: what each holds, what it is called, and how it is printed."""
    statistic = statistic_of(stat)
    estimates = tuple(None if c is None else c.est for c in row)
    figures: list[LineFigures] = [("estimate", name_of(stat, kind), statistic.shape, estimates)]
    for what, name, of, own in beside_of(request, statistic.shape) if statistic.with_error else ():
        values = tuple(None if c is None else of(c) for c in row)
        if any(v is not None for v in values):
            figures.append((what, name, own, values))
    return figures


def beside_of(
    request: TableRequest, shape: Shape
) -> Iterator[tuple[Kind, str, Callable[[Cell], float | None], Shape]]:
    """What stands beside each figure: what it is, what it is called, how it is had from a cell, and how it
    is printed."""
    level = f"{100 * request.interval.level:g} %"
    for what in request.beside:
        match what:
            case "se":
                yield "se", "Standard error", lambda c: c.se, shape
            case "interval":
                yield "low", f"{level} lower limit", lambda c: c.low, shape
                yield "high", f"{level} upper limit", lambda c: c.high, shape
            case "rse":
                yield "rse", "Relative standard error %", relative_error, "share"
            case "deff":
                yield "deff", "Design effect", lambda c: c.deff, "number"
            case "effective":
                yield "effective", "Effective base", effective_base, "whole"
