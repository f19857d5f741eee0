"""Tables whose items stand down: their answers and figures across, or groups of cases."""

from collections.abc import Iterator, Sequence
from dataclasses import replace

from even_ballot.core.data.batteries import QUIET, item_of, stem_of
from even_ballot.core.tables.results import (
    BannerKey,
    Cell,
    NamedPath,
    StubHeading,
    StubKey,
    TableResult,
    code_and_net,
)
from even_ballot.core.tables.statistics import Shape, statistic_of
from even_ballot.core.tables.table_request import ItemFigure, TableRequest
from even_ballot.formats.tables.compared import Compared
from even_ballot.formats.tables.layout import Bases, BatteryColumn, Grid, Line, Section, Spanner
from even_ballot.formats.tables.line_figures import Figures, beside_of, figures_of, name_of
from even_ballot.formats.tables.notes import left_out_of_items, notes_of
from even_ballot.formats.tables.whole_tests import whole_tests


def answers_across(
    result: TableResult, request: TableRequest, keys: list[NamedPath], figures: Figures, below: int | None
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
    tests = tuple(whole_tests(result, request))
    return Grid(len(columns), (), (over, heading), tuple(sections), None, notes, tuple(columns), None, tests)


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
    figures: Figures,
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
    for what, name, of, shape in beside_of(request, "share"):
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


def groups_across(
    result: TableResult, request: TableRequest, keys: list[NamedPath], figures: Figures, compared: Compared
) -> tuple[tuple[Section, ...], str]:
    """Items down, the banner's columns across, one figure of each item with what stands beside it and the
    letters between columns; and what that figure is called."""
    of = _figure_of(result, request)
    stem = stem_of([stub.title for stub in result.stubs]) if len(result.stubs) > 1 else ""
    answer = of.net or next((row.label for row in result.stubs[0].rows if row.step == of.code), "")
    called = name_of(of.stat, result.stubs[0].kind)
    figure = f"{called}: {answer}" if answer else called
    lines: list[Line] = []
    bases: list[tuple[int | None, ...]] = []
    for stub in result.stubs:
        key = StubKey(stub.variable, of.code, of.net)
        row = [figures.at(key, path, of.stat) for path in keys]
        gone = tuple(figures.is_hidden(key, path, of.stat) for path in keys)
        letters = compared.letters(key, of.stat, figures.may_have_letters(row))
        label = item_of(stub.title, stem)
        for kind, name, shape, values in figures_of(of.stat, row, request, stub.kind):
            strong = kind == "estimate"
            said = figure if strong else name
            line = Line(of.code, of.net, of.stat, label, kind, said, shape, values, strong)
            line = replace(line, variable=stub.variable, hidden=gone if any(gone) else None)
            lines.append(replace(line, letters=letters, marks=figures.marks(row)) if strong else line)
            label = ""
        there = zip(row, gone, strict=True)
        bases.append(tuple(None if away else cell.base_n if cell else 0 for cell, away in there))
    return (Section("", stem.strip(QUIET), tuple(lines), _bases_of_items(bases)),), figure


def _figure_of(result: TableResult, request: TableRequest) -> ItemFigure:
    """The figure of each item: the one chosen; else one of the whole item, else of the first net or the last
    answer of its scale."""
    if request.figure is not None:
        return request.figure
    whole = next((stat for stat in request.show if statistic_of(stat).number_cells is not None), None)
    if whole is not None:
        return ItemFigure(stat=whole)
    shares = [stat for stat in request.show if statistic_of(stat).shape == "share"]
    stat = next(iter(shares), request.show[0])
    first = result.stubs[0]
    if first.nets:
        return ItemFigure(stat=stat, net=first.nets[0])
    known = [row.step for row in first.rows if isinstance(row.step, int) and not row.stray]
    return ItemFigure(stat=stat, code=known[-1] if known else None)


def _bases_of_items(bases: Sequence[tuple[int | None, ...]]) -> tuple[Bases, ...]:
    """Once where all items have the same; else the smallest and the largest of each column, where none is
    hidden."""
    if len(set(bases)) == 1:
        return (Bases("Base (unweighted)", bases[0]),)
    columns = [None if None in of else [n for n in of if n is not None] for of in zip(*bases, strict=True)]
    return tuple(
        Bases(f"{what} base (unweighted)", tuple(None if of is None else pick(of) for of in columns))
        for what, pick in (("Smallest", min), ("Largest", max))
    )
