"""A table's result laid out in rows and columns, for every format that shows tables."""

from collections.abc import Iterator
from dataclasses import replace

from even_ballot.core.disclosure.suppression import Suppression
from even_ballot.core.tables.display import displayed
from even_ballot.core.tables.results import BannerKey, NamedPath, StubHeading, StubKey, TableResult
from even_ballot.core.tables.signs.marks import Marks
from even_ballot.core.tables.statistics import every_statistic, statistic_of
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.tables.compared import Compared
from even_ballot.formats.tables.items import answers_across, groups_across
from even_ballot.formats.tables.layout import Bases, Grid, Line, Section, Spanner
from even_ballot.formats.tables.line_figures import Figures, figures_of
from even_ballot.formats.tables.notes import notes_of
from even_ballot.formats.tables.whole_tests import whole_tests


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
        # Innermost categories stand at one height, whatever is nested beside them.
        above = depth - len(banner.variables)
        for at, (title, level) in enumerate(zip(banner.titles, banner.levels, strict=True), start=above):
            rows[2 * at] += [Spanner(first + k * width, width, title) for k in range(repeat)]
            each = width // max(len(level), 1)
            rows[2 * at + 1] += [
                Spanner(first + k * width + j * each, each, column.label)
                for k in range(repeat)
                for j, column in enumerate(level)
            ]
            repeat, width = repeat * max(len(level), 1), each
    return keys, tuple(tuple(spanner for spanner in row if spanner.span) for row in rows)


def lay_out(
    result: TableResult,
    request: TableRequest,
    marks: Marks | None = None,
    suppression: Suppression | None = None,
) -> Grid:
    """The grid of a table: for each category a line per figure asked for, with standard error and limits
    below. marks: the rules for unreliable figures; suppression: those for figures that are hidden."""
    result = displayed(result, request.display, request.items_down)
    keys, headings = _columns(result, request.display.total_column or not result.banners)
    rules = marks or Marks(base=None, df=None)
    figures = Figures(result, rules)
    below = None if suppression is None else suppression.below
    compared = Compared(result, request, keys)
    if request.layout == "battery":
        return answers_across(result, request, keys, figures, below)
    figure: str | None = None
    if request.layout == "items_by_groups":
        sections, figure = groups_across(result, request, keys, figures, compared)
    else:
        sections = tuple(_section(stub, keys, figures, request, compared) for stub in result.stubs)
    paths = tuple(tuple(BannerKey.of(*step) for step in key) for key in keys)
    letters = tuple(compared.of_columns.get(key) for key in keys) if compared.of_columns else None
    notes = tuple(notes_of(result, request, letters, sections, below, compared.left_out, rules.letters))
    tests = tuple(whole_tests(result, request))
    return Grid(len(keys), paths, headings, sections, letters, notes, figure=figure, tests=tests)


def _section(
    stub: StubHeading, keys: list[NamedPath], figures: Figures, request: TableRequest, compared: Compared
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
    figures: Figures,
    request: TableRequest,
    compared: Compared,
) -> Iterator[Line]:
    """The lines of one row of a stub, its label on the first. of: the stub's kind."""
    for stat in request.figures_for(of):
        row = [figures.at(key, path, stat) for path in keys]
        gone = tuple(figures.is_hidden(key, path, stat) for path in keys)
        if not any(row) and not any(gone):
            continue
        for kind, figure, shape, values in figures_of(stat, row, request, of):
            strong = kind == "estimate"
            allowed = figures.may_have_letters(row)
            letters = compared.letters(key, stat, allowed) if strong else None
            marks = figures.marks(row) if strong else None
            line = Line(key.code, key.net, stat, label, kind, figure, shape, values, strong, stray)
            yield replace(line, letters=letters, marks=marks, hidden=gone if any(gone) else None)
            label = ""


def _cases_of(stub: StubHeading, figures: Figures, request: TableRequest) -> str | None:
    """The figure whose base is said: one of the column's cases, shares before means, of those that the
    stub has."""
    of_column = [s.name for s in every_statistic() if s.base == "column"]
    shown = [stat for stat in request.figures_for(stub.kind) if statistic_of(stat).base == "column"]
    order = sorted(shown, key=lambda stat: of_column.index(statistic_of(stat).name))
    return next((stat for stat in order if figures.has(stub.variable, stat)), next(iter(order), None))


def _base(figures: Figures, rows: list[StubKey], path: NamedPath, stat: str) -> int | None:
    """A column's unweighted base; None where it is hidden."""
    cells = (figures.at(key, path, stat) for key in rows)
    base = next((cell.base_n for cell in cells if cell is not None), None)
    if base is not None:
        return base
    return None if any(figures.is_hidden(key, path, stat) for key in rows) else 0
