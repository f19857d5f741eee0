"""A table's result laid out in rows and columns, for every format that shows tables."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

from even_ballot.core.data.batteries import QUIET, item_of, stem_of
from even_ballot.core.disclosure.suppression import Suppression
from even_ballot.core.estimation.comparisons import ColumnComparison, PartComparison
from even_ballot.core.tables.display import displayed
from even_ballot.core.tables.letters import column_letters, letters_of
from even_ballot.core.tables.marks import Marks, effective_base, may_have_letters, relative_error, weak
from even_ballot.core.tables.results import (
    BannerKey,
    Cell,
    NamedPath,
    StubHeading,
    StubKey,
    TableResult,
    code_and_net,
)
from even_ballot.core.tables.statistics import Shape, every_statistic, statistic_of
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.tables.layout import Bases, BatteryColumn, Grid, Kind, Line, Section, Spanner
from even_ballot.formats.tables.notes import arrows, left_out_of_items, notes_of


def name_of(stat: str, kind: str = "coded") -> str:
    """A figure's name: Column %, Quantile 25 %; of several answers, % of cases. kind: of the stub
    variable."""
    return statistic_of(stat).label_of(stat, kind == "multi")


def _columns(result: TableResult, total: bool) -> tuple[list[NamedPath], tuple[tuple[Spanner, ...], ...]]:
    keys: list[NamedPath] = [()] if total else []
    depth = max((len(b.variables) for b in result.banners), default=0)
    rows: list[list[Spanner]] = [[] for _ in range(2 * depth)]
    for banner in result.banners:
        first = len(keys)
        paths: list[NamedPath] = [()]
        for name, level in zip(banner.variables, banner.levels, strict=True):
            paths = [(*path, (name, column.step)) for path in paths for column in level]
        keys += paths
        repeat, width = 1, len(paths)
        for at, (title, level) in enumerate(zip(banner.titles, banner.levels, strict=True)):
            rows[2 * at] += [Spanner(first + k * width, width, title) for k in range(repeat)]
            each = width // max(len(level), 1)
            rows[2 * at + 1] += [
                Spanner(first + k * width + j * each, each, column.label)
                for k in range(repeat)
                for j, column in enumerate(level)
            ]
            repeat, width = repeat * max(len(level), 1), each
    return keys, tuple(tuple(spanner for spanner in row if spanner.span) for row in rows)


class _Compared:
    """The letters of a table's columns, and of its figures."""

    def __init__(self, result: TableResult, request: TableRequest, keys: list[NamedPath]) -> None:
        self.levels, self.keys = request.levels, keys
        self.tests = [test for test in result.tests if isinstance(test, ColumnComparison)]
        self.parts = [test for test in result.tests if isinstance(test, PartComparison)]
        self.of_columns: dict[NamedPath, str] = {}
        self.arrows, self.left_out = arrows(request), 0
        if "columns" in request.tests:
            for banner in result.banners:
                inside = [key for key in keys if tuple(name for name, _ in key) == banner.variables]
                letters = column_letters([tuple(step for _, step in key) for key in inside])
                self.of_columns |= {key: letters[tuple(step for _, step in key)] for key in inside}

    def letters(self, stub: StubKey, stat: str, allowed: Sequence[bool]) -> tuple[str | None, ...] | None:
        """Beside the figures of one line; allowed: which of them may be held against others."""
        if not statistic_of(stat).compared or not (self.of_columns or self.arrows):
            return None
        said = {
            name: value for name in ("variable", "code", "net") if (value := getattr(stub, name)) is not None
        }
        mine = [test for test in self.tests if test.stub == said and test.of == statistic_of(stat).name]
        found: dict[NamedPath, str] = {}
        for banner in dict.fromkeys(test.banner for test in mine):
            letters = {
                tuple(c for _, c in k): v
                for k, v in self.of_columns.items()
                if tuple(n for n, _ in k) == banner
            }
            there = [
                test for test in mine if test.banner == banner and test.a in letters and test.b in letters
            ]
            weak = {key for key, may in zip(self.keys, allowed, strict=True) if not may}
            shown = [
                test
                for test in there
                if not any(tuple(zip(banner, path, strict=True)) in weak for path in (test.a, test.b))
            ]
            self.left_out += len(there) - len(shown)
            of = letters_of(shown, letters, self.levels)
            found |= {tuple(zip(banner, path, strict=True)): text for path, text in of.items()}
        for key, arrow in self._arrows(said, stat, allowed):
            found[key] = f"{found[key]} {arrow}" if key in found else arrow
        return tuple(found.get(key) for key in self.keys) if found else None

    def _arrows(
        self, stub: dict[str, object], stat: str, allowed: Sequence[bool]
    ) -> Iterator[tuple[NamedPath, str]]:
        """Which way the figures of one line differ from what they are held against."""
        may = {key for key, fits in zip(self.keys, allowed, strict=True) if fits}
        loosest = self.levels[-1]
        for test in self.parts:
            key = tuple(zip(test.banner, test.a, strict=True))
            if test.stub != stub or test.of != stat or key not in self.keys:
                continue
            if key not in may:
                self.left_out += 1
            elif test.p_adjusted < loosest:
                arrow = ("↑" if test.diff > 0 else "↓") + self.arrows[test.kind]
                yield key, arrow if test.p_adjusted < self.levels[0] else f"({arrow})"


Name = tuple[str, int | None, str | None, NamedPath, str]


class _Figures:
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


def lay_out(
    result: TableResult,
    request: TableRequest,
    marks: Marks | None = None,
    suppression: Suppression | None = None,
) -> Grid:
    """The grid of a table: for each category a line per figure asked for, with standard error and limits
    below. marks: the rules for unreliable figures; suppression: those for figures that are hidden."""
    result = displayed(result, request.display, request.layout == "battery")
    keys, headings = _columns(result, request.display.total_column or not result.banners)
    rules = marks or Marks(base=None, df=None)
    figures = _Figures(result, rules)
    below = None if suppression is None else suppression.below
    compared = _Compared(result, request, keys)
    if request.layout == "battery":
        return _battery(result, request, keys, figures, below)
    sections = tuple(_section(stub, keys, figures, request, compared) for stub in result.stubs)
    paths = tuple(tuple(BannerKey.of(*step) for step in key) for key in keys)
    letters = tuple(compared.of_columns.get(key) for key in keys) if compared.of_columns else None
    notes = tuple(notes_of(result, request, letters, sections, below, compared.left_out, rules.letters))
    return Grid(len(keys), paths, headings, sections, letters, notes)


def _section(
    stub: StubHeading, keys: list[NamedPath], figures: _Figures, request: TableRequest, compared: _Compared
) -> Section:
    rows = [(StubKey.of(stub.variable, row.step), row.label, row.stray) for row in stub.rows]
    rows.append((StubKey(stub.variable), "", False))
    lines = tuple(
        line
        for key, label, marked in rows
        for line in _row(stub.kind, key, label, marked, keys, figures, request, compared)
    )
    cases = _cases_of(stub, figures, request)
    responses = "response_pct" if stub.kind == "multi" and "response_pct" in request.show else None
    of_cases = "Base: cases (unweighted)" if responses else "Base (unweighted)"
    own = [key for key, _, _ in rows]
    bases = tuple(
        Bases(label, tuple(_base(figures, own, path, stat) for path in keys))
        for label, stat in ((of_cases, cases), ("Base: responses (unweighted)", responses))
        if stat is not None
    )
    return Section(stub.variable, stub.title, lines, bases)


def _row(
    of: str,
    key: StubKey,
    label: str,
    stray: bool,
    keys: list[NamedPath],
    figures: _Figures,
    request: TableRequest,
    compared: _Compared,
) -> Iterator[Line]:
    """The lines of one row of a stub, its label on the first. of: the stub's kind."""
    for stat in request.show:
        row = [figures.at(key, path, stat) for path in keys]
        gone = tuple(figures.is_hidden(key, path, stat) for path in keys)
        if not any(row) and not any(gone):
            continue
        for kind, figure, shape, values in _figures(stat, row, request, of):
            strong = kind == "estimate"
            allowed = figures.may_have_letters(row)
            letters = compared.letters(key, stat, allowed) if strong else None
            marks = figures.marks(row) if strong else None
            line = Line(key.code, key.net, stat, label, kind, figure, shape, values, strong, stray)
            yield replace(line, letters=letters, marks=marks, hidden=gone if any(gone) else None)
            label = ""


def _cases_of(stub: StubHeading, figures: _Figures, request: TableRequest) -> str | None:
    """The figure whose base is said: one of the column's cases, shares before means, of those that the
    stub has."""
    of_column = [s.name for s in every_statistic() if s.base == "column"]
    shown = [stat for stat in request.show if statistic_of(stat).base == "column"]
    order = sorted(shown, key=lambda stat: of_column.index(statistic_of(stat).name))
    return next((stat for stat in order if figures.has(stub.variable, stat)), next(iter(order), None))


def _base(figures: _Figures, rows: list[StubKey], path: NamedPath, stat: str) -> int | None:
    """A column's unweighted base; None where it is hidden."""
    cells = (figures.at(key, path, stat) for key in rows)
    base = next((cell.base_n for cell in cells if cell is not None), None)
    if base is not None:
        return base
    return None if any(figures.is_hidden(key, path, stat) for key in rows) else 0


Figures = tuple[Kind, str, Shape, tuple[float | None, ...]]


def _figures(stat: str, row: list[Cell | None], request: TableRequest, kind: str) -> list[Figures]:
    """The lines of one figure: what each holds, what it is called, and how it is printed."""
    statistic = statistic_of(stat)
    estimates = tuple(None if c is None else c.est for c in row)
    figures: list[Figures] = [("estimate", name_of(stat, kind), statistic.shape, estimates)]
    for what, name, of, own in _beside(request, statistic.shape) if statistic.with_error else ():
        values = tuple(None if c is None else of(c) for c in row)
        if any(v is not None for v in values):
            figures.append((what, name, own, values))
    return figures


def _beside(
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


def _battery(
    result: TableResult, request: TableRequest, keys: list[NamedPath], figures: _Figures, below: int | None
) -> Grid:
    """Items down, their answers across, then what else is asked for of each item; a section for everybody
    and for each column of the banner."""
    over, across = _across(result.stubs[0], request)
    columns = [column for column, _ in across]
    titles = _titles(result, keys)
    stem = stem_of([stub.title for stub in result.stubs]) if len(result.stubs) > 1 else ""
    asked = stem.strip(QUIET)
    sections: list[Section] = []
    for key in keys:
        lines: list[Line] = []
        for stub in result.stubs:
            lines += _item(stub, item_of(stub.title, stem), key, columns, figures, request)
        if lines:
            path = tuple(BannerKey.of(*step) for step in key)
            title = titles[key] if len(keys) > 1 or not asked else ""
            said = " · ".join(part for part in (title, asked if not sections else "") if part)
            sections.append(Section("", said, tuple(lines), (), path))
    heading = tuple(Spanner(i, 1, label) for i, (_, label) in enumerate(across))
    notes = (*notes_of(result, request, None, tuple(sections), below), *left_out_of_items(request))
    return Grid(len(columns), (), (over, heading), tuple(sections), None, notes, tuple(columns))


def _across(
    first: StubHeading, request: TableRequest
) -> tuple[tuple[Spanner, ...], list[tuple[BatteryColumn, str]]]:
    """What stands across where items stand down: each answer's figures, of which the name stands over the
    answers where there are several; figures of the whole item; its base."""
    # An item's row is its figures across, so per cent of the row have no place in it.
    of_answers = [
        stat
        for stat in request.show
        if statistic_of(stat).category_cells is not None
        and statistic_of(stat).base != "row"
        and not statistic_of(stat).only_several
    ]
    across, over = list[tuple[BatteryColumn, str]](), list[Spanner]()
    for stat in of_answers:
        over.append(Spanner(len(across), len(first.rows), name_of(stat)))
        across += [(BatteryColumn(*code_and_net(row.step), stat), row.label) for row in first.rows]
    of_items = [stat for stat in request.show if statistic_of(stat).number_cells is not None]
    across += [(BatteryColumn(None, None, stat), name_of(stat)) for stat in of_items]
    across.append((BatteryColumn(None, None, "base"), "Base"))
    return tuple(over) if len(over) > 1 else (), across


def _item(
    stub: StubHeading,
    title: str,
    path: NamedPath,
    columns: list[BatteryColumn],
    figures: _Figures,
    request: TableRequest,
) -> Iterator[Line]:
    """An item's estimates, their standard errors and limits; nothing where nobody answered it."""
    shapes: tuple[Shape, ...] = tuple(
        "whole" if c.stat == "base" else statistic_of(c.stat).shape for c in columns
    )
    keys = [StubKey(stub.variable, c.code, c.net) for c in columns]
    row = [figures.at(key, path, c.stat) for key, c in zip(keys, columns, strict=True)]
    gone = [figures.is_hidden(key, path, c.stat) for key, c in zip(keys, columns, strict=True)]
    base = _base_of_item(row) if not any(gone) else _said_base(row)
    if base is None and not any(gone):
        return
    gone[-1] = base is None
    hidden = tuple(gone) if any(gone) else None
    estimates = tuple(None if cell is None else cell.est for cell in row[:-1])
    first = Line(None, None, "", title, "estimate", "", "share", (*estimates, base), True)
    first = replace(first, hidden=hidden, variable=stub.variable, shapes=shapes)
    yield replace(first, marks=figures.marks(row))
    for what, name, of, shape in _beside(request, "share"):
        values = tuple(None if cell is None else of(cell) for cell in row[:-1])
        if any(v is not None for v in values):
            # A standard error or a limit is what its figure is; others are the same all along the line.
            each = shapes if what in ("se", "low", "high") else (shape,) * len(columns)
            line = replace(first, category="", kind=what, figure=name, shape=shape, strong=False)
            yield replace(line, values=(*values, None), shapes=each)


def _said_base(row: list[Cell | None]) -> int | None:
    """What an item's figures are of: total per cents are of everybody who answered both, other figures of the
    column."""
    own = [cell for cell in row if cell is not None and cell.base_n is not None]
    order = sorted(own, key=lambda cell: statistic_of(cell.stat).base == "total")
    return next((cell.base_n for cell in order), None)


def _base_of_item(row: list[Cell | None]) -> int | None:
    """An item's base; where there are only counts of its answers, what these come to."""
    said = _said_base(row)
    if said is not None:
        return said
    counted = [
        (cell.stat, round(cell.est) if cell.stat == "n" else cell.n or 0)
        for cell in row
        if cell is not None and cell.stub.code is not None and statistic_of(cell.stat).base == "none"
    ]
    return sum(n for stat, n in counted if stat == counted[0][0]) if counted else None


def _titles(result: TableResult, keys: list[NamedPath]) -> dict[NamedPath, str]:
    """What each column is called where it heads a section."""
    labels = {
        (name, column.step): column.label
        for banner in result.banners
        for name, level in zip(banner.variables, banner.levels, strict=True)
        for column in level
    }
    return {key: ", ".join(labels[step] for step in key) or "All" for key in keys}
