"""A table's result laid out in rows and columns, for every format that shows tables."""

from dataclasses import dataclass
from typing import Literal

from even_ballot.core.request import TableRequest
from even_ballot.core.results import BannerKey, Cell, StubHeading, TableResult

Shape = Literal["share", "number", "whole"]

NAMES = {
    "n": "Cases (unweighted)", "count": "Count (weighted)", "col_pct": "Column %", "row_pct": "Row %", "total_pct": "Total %",
    "response_pct": "% of responses", "mean": "Mean", "sd": "Standard deviation", "median": "Median", "skewness": "Skewness",
    "kurtosis": "Excess kurtosis",
}  # fmt: skip
SHARES = ("col_pct", "row_pct", "total_pct", "response_pct")


@dataclass(frozen=True)
class Line:
    """One line of figures: the category (said on its first line only), what the figures are, and one for each column.

    code and stat say which cells the figures come from.
    """

    code: int | None
    stat: str
    category: str
    figure: str
    shape: Shape
    values: tuple[float | None, ...]
    strong: bool
    marked: bool = False


@dataclass(frozen=True)
class Section:
    """A stub variable: its question, its lines, and the unweighted bases of its columns."""

    variable: str
    title: str
    lines: tuple[Line, ...]
    bases: tuple[int | None, ...]


@dataclass(frozen=True)
class Spanner:
    """A heading over some columns: first column, how many, text."""

    first: int
    span: int
    text: str


@dataclass(frozen=True)
class Grid:
    """headings: rows of spanners, outermost first, over `columns` columns (the total is the first); paths: the codes
    that each column stands for."""

    columns: int
    paths: tuple[tuple[BannerKey, ...], ...]
    headings: tuple[tuple[Spanner, ...], ...]
    sections: tuple[Section, ...]


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


def lay_out(result: TableResult, request: TableRequest) -> Grid:
    """The grid of a table: for each category a line per figure asked for, with standard error and limits below."""
    keys, headings = _columns(result)
    cells: dict[tuple[str, int | None, Key, str], Cell] = {}
    for cell in result.cells:
        path = tuple((step.variable, step.code) for step in cell.banner)
        cells[(cell.stub.variable, cell.stub.code, path, cell.stat)] = cell
    sections = tuple(_section(stub, keys, cells, request) for stub in result.stubs)
    paths = tuple(tuple(BannerKey(*step) for step in key) for key in keys)
    return Grid(len(keys), paths, headings, sections)


def _section(
    stub: StubHeading, keys: list[Key], cells: dict[tuple[str, int | None, Key, str], Cell], request: TableRequest
) -> Section:
    lines: list[Line] = []
    rows = [(c.code, c.label, not c.in_codebook) for c in stub.categories]
    for code, label, marked in [*rows, (None, "", False)]:
        said = label
        for stat in request.show:
            row = [cells.get((stub.variable, code, key, stat)) for key in keys]
            if not any(row):
                continue
            for figure, shape, values in _figures(stat, row, request):
                lines.append(Line(code, stat, said, figure, shape, values, figure == NAMES[stat], marked))
                said = ""
    base_of = next((s for s in ("col_pct", "mean", "median", "sd") if s in request.show), None)
    bases: list[int | None] = []
    for key in keys:
        found = (cells.get((stub.variable, code, key, base_of or "")) for code in [*(r[0] for r in rows), None])
        bases.append(next((cell.base_n for cell in found if cell is not None), None))
    return Section(stub.variable, stub.title, tuple(lines), tuple(bases))


def _figures(stat: str, row: list[Cell | None], request: TableRequest) -> list[tuple[str, Shape, tuple[float | None, ...]]]:
    shape: Shape = "share" if stat in SHARES else "whole" if stat in ("n", "count") else "number"
    figures: list[tuple[str, Shape, tuple[float | None, ...]]] = [
        (NAMES[stat], shape, tuple(None if c is None else c.est for c in row))
    ]
    if stat in ("n", "count"):
        return figures
    level = f"{100 * request.interval.level:g} %"
    for name, attribute in ((" standard error", "se"), (f" {level} from", "low"), (f" {level} to", "high")):
        values = tuple(None if c is None else getattr(c, attribute) for c in row)
        if any(v is not None for v in values):
            figures.append((name.strip().capitalize() if attribute == "se" else name.strip(), shape, values))
    return figures
