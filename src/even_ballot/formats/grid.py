"""A table's result laid out in rows and columns, for every format that shows tables."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from even_ballot.core.faults import counted
from even_ballot.core.letters import column_letters, letters_of
from even_ballot.core.marks import SHARES, Marks, weak
from even_ballot.core.recognition import QUIET, item_of, stem_of
from even_ballot.core.request import TableRequest
from even_ballot.core.results import BannerKey, Cell, StubHeading, StubKey, TableResult
from even_ballot.core.tests import Columns

Shape = Literal["share", "number", "whole"]

NAMES = {
    "n": "Cases (unweighted)", "count": "Count (weighted)", "col_pct": "Column %", "row_pct": "Row %", "total_pct": "Total %",
    "response_pct": "% of responses", "mean": "Mean", "sd": "Standard deviation", "median": "Median", "mode": "Mode",
    "skewness": "Skewness", "kurtosis": "Excess kurtosis",
}  # fmt: skip


_FAIR = {
    "none": "not adjusted for the number of comparisons",
    "bonferroni": "adjusted by Bonferroni",
    "holm": "adjusted by Holm",
    "fdr": "adjusted for the false discovery rate (Benjamini and Hochberg)",
}


def name_of(stat: str) -> str:
    """A figure's name: Column %, Quantile 25 %."""
    return NAMES.get(stat) or f"Quantile {stat[1:]} %"


@dataclass(frozen=True)
class Line:
    """One line of figures: the category (said on its first line only), what the figures are, and one for each column.

    code, net and stat say which cells the figures come from. letters: of columns that each value exceeds by more than sampling
    would explain; marks: why each is weak; either None where there is nothing to say. variable, shapes: of a battery's line, its
    item and what its figures are column by column.
    """

    code: int | None
    net: str | None
    stat: str
    category: str
    figure: str
    shape: Shape
    values: tuple[float | None, ...]
    strong: bool
    marked: bool = False
    letters: tuple[str | None, ...] | None = None
    marks: tuple[str | None, ...] | None = None
    variable: str | None = None
    shapes: tuple[Shape, ...] | None = None


@dataclass(frozen=True)
class Section:
    """A stub variable: its question, its lines, and the unweighted bases of its columns. path: of a battery's section, the banner
    column whose cases it is of."""

    variable: str
    title: str
    lines: tuple[Line, ...]
    bases: tuple[int | None, ...]
    path: tuple[BannerKey, ...] | None = None


@dataclass(frozen=True)
class BatteryColumn:
    """A column of a battery: an answer, a net, or a figure of the whole item."""

    code: int | None
    net: str | None
    stat: str


@dataclass(frozen=True)
class Spanner:
    """A heading over some columns: first column, how many, text."""

    first: int
    span: int
    text: str


@dataclass(frozen=True)
class Grid:
    """headings: rows of spanners, outermost first, over `columns` columns (the total is the first); paths: the codes
    that each column stands for; letters: of the columns, where they are compared; notes: what letters and marks mean."""

    columns: int
    paths: tuple[tuple[BannerKey, ...], ...]
    headings: tuple[tuple[Spanner, ...], ...]
    sections: tuple[Section, ...]
    letters: tuple[str | None, ...] | None = None
    notes: tuple[str, ...] = ()
    battery: tuple[BatteryColumn, ...] | None = None


Key = tuple[tuple[str, int], ...]


def _columns(result: TableResult) -> tuple[list[Key], tuple[tuple[Spanner, ...], ...]]:
    keys: list[Key] = [()]
    depth = max((len(b.variables) for b in result.banners), default=0)
    rows: list[list[Spanner]] = [[] for _ in range(2 * depth)]
    for banner in result.banners:
        first = len(keys)
        paths: list[Key] = [()]
        for name, categories in zip(banner.variables, banner.categories, strict=True):
            paths = [(*path, (name, c.code)) for path in paths for c in categories]
        keys += paths
        repeat, width = 1, len(paths)
        for level, (title, categories) in enumerate(zip(banner.titles, banner.categories, strict=True)):
            rows[2 * level] += [Spanner(first + k * width, width, title) for k in range(repeat)]
            each = width // max(len(categories), 1)
            rows[2 * level + 1] += [
                Spanner(first + k * width + j * each, each, c.label) for k in range(repeat) for j, c in enumerate(categories)
            ]
            repeat, width = repeat * max(len(categories), 1), each
    return keys, tuple(tuple(row) for row in rows)


Cells = dict[tuple[str, int | None, str | None, Key, str], Cell]


class _Compared:
    """The letters of a table's columns, and of its figures."""

    def __init__(self, result: TableResult, request: TableRequest, keys: list[Key]) -> None:
        self.levels, self.keys = request.levels, keys
        self.tests = [test for test in result.tests if isinstance(test, Columns)]
        self.of_columns: dict[Key, str] = {}
        if "columns" in request.tests:
            for banner in result.banners:
                inside = [key for key in keys if tuple(name for name, _ in key) == banner.variables]
                letters = column_letters([tuple(code for _, code in key) for key in inside])
                self.of_columns |= {key: letters[tuple(code for _, code in key)] for key in inside}

    def letters(self, stub: StubKey, stat: str) -> tuple[str | None, ...] | None:
        """Beside the figures of one line."""
        if stat != ("mean" if stub.code is None and stub.net is None else "col_pct") or not self.of_columns:
            return None
        said = {name: value for name in ("variable", "code", "net") if (value := getattr(stub, name)) is not None}
        mine = [test for test in self.tests if test.stub == said]
        found: dict[Key, str] = {}
        for banner in dict.fromkeys(test.banner for test in mine):
            letters = {tuple(c for _, c in k): v for k, v in self.of_columns.items() if tuple(n for n, _ in k) == banner}
            of = letters_of([test for test in mine if test.banner == banner], letters, self.levels)
            found |= {tuple(zip(banner, path, strict=True)): text for path, text in of.items()}
        return tuple(found.get(key) for key in self.keys) if found else None


def lay_out(result: TableResult, request: TableRequest, marks: Marks | None = None) -> Grid:
    """The grid of a table: for each category a line per figure asked for, with standard error and limits below. marks: the rules
    for weak figures."""
    keys, headings = _columns(result)
    cells: Cells = {}
    for cell in result.cells:
        path = tuple((step.variable, step.code) for step in cell.banner)
        cells.setdefault((cell.stub.variable, cell.stub.code, cell.stub.net, path, cell.stat), cell)
    compared = _Compared(result, request, keys)
    rules = marks or Marks(base=None, df=None)
    if request.layout == "battery":
        return _battery(result, request, keys, cells, rules)
    sections = tuple(_section(stub, keys, cells, request, compared, rules) for stub in result.stubs)
    paths = tuple(tuple(BannerKey(*step) for step in key) for key in keys)
    letters = tuple(compared.of_columns.get(key) for key in keys) if compared.of_columns else None
    return Grid(len(keys), paths, headings, sections, letters, tuple(_notes(request, letters, sections)))


def _notes(request: TableRequest, letters: tuple[str | None, ...] | None, sections: tuple[Section, ...]) -> Iterator[str]:
    """What letters and marks mean."""
    if letters is not None:
        first, *second = (f"{100 * level:g} %" for level in request.levels)
        loose = f"; a small letter: at {second[0]}" if second else ""
        said = f"larger than that column by more than sampling would explain, at {first}{loose}"
        yield f"Letters: {said}; two-sided, {_FAIR[request.adjust]}."
    why: dict[str, int] = {}
    for line in (line for section in sections for line in section.lines):
        for mark in line.marks or ():
            for reason in (mark or "").split("; ") if mark else ():
                why[reason] = why.get(reason, 0) + 1
    if why:
        yield "° weak: " + "; ".join(f"{reason} ({counted(n, 'figure')})" for reason, n in why.items()) + "."


def _section(
    stub: StubHeading, keys: list[Key], cells: Cells, request: TableRequest, compared: _Compared, rules: Marks
) -> Section:  # fmt: skip
    lines: list[Line] = []
    rows: list[tuple[StubKey, str, bool]] = [(StubKey(stub.variable, c.code), c.label, not c.in_codebook) for c in stub.categories]
    rows += [(StubKey(stub.variable, net=label), label, False) for label in stub.nets]
    for key, label, marked in [*rows, (StubKey(stub.variable), "", False)]:
        said = label
        for stat in request.show:
            row = [cells.get((key.variable, key.code, key.net, path, stat)) for path in keys]
            if not any(row):
                continue
            for figure, shape, values in _figures(stat, row, request):
                strong = figure == name_of(stat)
                reasons = tuple("; ".join(weak(c, rules)) or None if c else None for c in row) if strong else ()
                letters = compared.letters(key, stat) if strong else None
                marked_as = reasons if any(reasons) else None
                lines.append(Line(key.code, key.net, stat, said, figure, shape, values, strong, marked, letters, marked_as))
                said = ""
    base_of = next((s for s in ("col_pct", "mean", "median", "sd") if s in request.show), None)
    bases: list[int | None] = []
    own = [key for key, _, _ in rows] + [StubKey(stub.variable)]
    for path in keys:
        found = (cells.get((k.variable, k.code, k.net, path, base_of or "")) for k in own)
        bases.append(next((cell.base_n for cell in found if cell is not None), None))
    return Section(stub.variable, stub.title, tuple(lines), tuple(bases))


def _figures(stat: str, row: list[Cell | None], request: TableRequest) -> list[tuple[str, Shape, tuple[float | None, ...]]]:
    shape: Shape = "share" if stat in SHARES else "whole" if stat in ("n", "count") else "number"
    figures: list[tuple[str, Shape, tuple[float | None, ...]]] = [
        (name_of(stat), shape, tuple(None if c is None else c.est for c in row))
    ]
    if stat in ("n", "count"):
        return figures
    level = f"{100 * request.interval.level:g} %"
    for name, attribute in ((" standard error", "se"), (f" {level} from", "low"), (f" {level} to", "high")):
        values = tuple(None if c is None else getattr(c, attribute) for c in row)
        if any(v is not None for v in values):
            figures.append((name.strip().capitalize() if attribute == "se" else name.strip(), shape, values))
    return figures


def _battery(result: TableResult, request: TableRequest, keys: list[Key], cells: Cells, rules: Marks) -> Grid:
    """Items down, their answers across, then what else is asked for of each item; a section for everybody and for each column of
    the banner."""
    first = result.stubs[0]
    wanted = [stat for stat in request.show if stat in SHARES and stat != "row_pct"]
    across = [(BatteryColumn(c.code, None, stat), c.label) for stat in wanted for c in first.categories]
    across += [(BatteryColumn(None, label, stat), label) for stat in wanted for label in first.nets]
    of_items = [stat for stat in request.show if stat not in (*SHARES, "n", "count")]
    across += [(BatteryColumn(None, None, stat), name_of(stat)) for stat in of_items]
    across.append((BatteryColumn(None, None, "base"), "Base"))
    columns = [column for column, _ in across]
    shapes: tuple[Shape, ...] = tuple(
        "share" if c.stat in SHARES else "whole" if c.stat == "base" else "number" for c in columns
    )  # fmt: skip
    titles = _titles(result, keys)
    stem = stem_of([stub.title for stub in result.stubs]) if len(result.stubs) > 1 else ""
    asked = stem.strip(QUIET)
    sections: list[Section] = []
    for key in keys:
        lines: list[Line] = []
        for stub in result.stubs:
            row = [cells.get((stub.variable, c.code, c.net, key, c.stat)) for c in columns]
            base = next((cell.base_n for cell in row if cell is not None and cell.base_n is not None), None)
            if base is None:
                continue
            lines += _item(stub, item_of(stub.title, stem), row, base, shapes, request, rules)
        if lines:
            path = tuple(BannerKey(*step) for step in key)
            title = titles[key] if len(keys) > 1 or not asked else ""
            said = " · ".join(part for part in (title, asked if not sections else "") if part)
            sections.append(Section("", said, tuple(lines), tuple(None for _ in columns), path))
    heading = tuple(Spanner(i, 1, label) for i, (_, label) in enumerate(across))
    notes = tuple(_notes(request, None, tuple(sections)))
    return Grid(len(columns), (), ((), heading), tuple(sections), None, notes, tuple(columns))


def _item(
    stub: StubHeading, title: str, row: list[Cell | None], base: int, shapes: tuple[Shape, ...], request: TableRequest, rules: Marks
) -> Iterator[Line]:
    """An item's estimates, their standard errors and limits."""

    def line(figure: str, field: str) -> Line | None:
        values = tuple(None if c is None else getattr(c, field) for c in row[:-1])
        strong = field == "est"
        reasons = tuple("; ".join(weak(c, rules)) or None if c else None for c in row) if strong else ()
        if not any(v is not None for v in values):
            return None
        return Line(
            None, None, "", title if strong else "", figure, "share", (*values, base if strong else None), strong, False, None,
            reasons if any(reasons) else None, stub.variable, shapes,
        )  # fmt: skip

    level = f"{100 * request.interval.level:g} %"
    for figure, field in (("", "est"), ("Standard error", "se"), (f"{level} from", "low"), (f"{level} to", "high")):
        made = line(figure, field)
        if made is not None:
            yield made


def _titles(result: TableResult, keys: list[Key]) -> dict[Key, str]:
    """What each column is called where it heads a section."""
    labels = {
        (name, c.code): c.label for b in result.banners for name, cats in zip(b.variables, b.categories, strict=True) for c in cats
    }
    return {key: ", ".join(labels[step] for step in key) or "All" for key in keys}
