"""Every figure of the tables in long form, a line each."""

import csv
import io
from collections.abc import Iterator, Sequence
from dataclasses import astuple, dataclass, fields

import pyarrow as pa

from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.core.tables.results import BannerPath, Cell, HiddenFigure, StubKey, TableResult
from even_ballot.core.tables.signs.marks import Marks, weak
from even_ballot.core.tables.statistics import statistic_of
from even_ballot.formats.guarding import guarded

TOTAL = "All"


@dataclass(frozen=True, slots=True)
class EstimateLine:
    """A figure with all there is to know of it. question, row, column: in words; variable, code, net: of the
    row; at: the column by codes, "isle=4; sex=2", empty for the total column. marks: why it is weak;
    hidden: that it is not shown, and then it has no numbers."""

    table: str
    title: str
    variable: str
    question: str
    code: int | None
    net: str | None
    row: str
    at: str
    column: str
    statistic: str
    label: str
    estimate: float | None
    se: float | None
    low: float | None
    high: float | None
    n: int | None
    base_n: int | None
    deff: float | None
    df: int | None
    marks: str
    hidden: str


class Names:
    """What the rows and columns of a table are called."""

    def __init__(self, result: TableResult) -> None:
        self._stubs = {stub.variable: stub for stub in result.stubs}
        self._rows = {(stub.variable, line.step): line.label for stub in result.stubs for line in stub.rows}
        self._columns = {
            (variable, line.step): line.label
            for banner in result.banners
            for variable, level in zip(banner.variables, banner.levels, strict=True)
            for line in level
        }

    def question(self, stub: StubKey) -> str:
        """A stub variable's question."""
        return self._stubs[stub.variable].title

    def row(self, stub: StubKey) -> str:
        """A row: its category or net, or the question itself."""
        step = stub.net if stub.net is not None else stub.code
        return self.question(stub) if step is None else self._rows.get((stub.variable, step), str(step))

    def column(self, path: BannerPath) -> str:
        """A column, the outermost category first."""
        return ", ".join(self._columns.get((k.variable, k.step), str(k.step)) for k in path) or TOTAL


def place_of(path: BannerPath) -> str:
    """A column by its codes.

    >>> from even_ballot.core.tables.results import BannerKey
    >>> place_of((BannerKey("isle", 4), BannerKey("sex", 2)))
    'isle=4; sex=2'
    """
    return "; ".join(f"{key.variable}={key.step}" for key in path)


def table_lines(result: TableResult, marks: Marks) -> Iterator[EstimateLine]:
    """The figures of a table as they were counted, then those that are hidden."""
    names = Names(result)

    def line(of: Cell | HiddenFigure) -> EstimateLine:
        several = next(s.kind for s in result.stubs if s.variable == of.stub.variable) == "multi"
        label = statistic_of(of.stat).label_of(of.stat, several)
        place = (
            result.id,
            result.title,
            of.stub.variable,
            names.question(of.stub),
            of.stub.code,
            of.stub.net,
        )
        where = (names.row(of.stub), place_of(of.banner), names.column(of.banner), of.stat, label)
        if isinstance(of, HiddenFigure):
            return EstimateLine(*place, *where, *(None,) * 8, "", SUPPRESSED)
        numbers = (of.est, of.se, of.low, of.high)
        bases = (of.n, of.base_n)
        return EstimateLine(*place, *where, *numbers, *bases, of.deff, of.df, "; ".join(weak(of, marks)), "")

    yield from map(line, result.cells)
    yield from map(line, result.hidden or ())


def estimate_lines(study: Study, results: Results) -> list[EstimateLine]:
    """Those of all tables, in the order of the plan."""
    return [line for result in results.tables for line in table_lines(result, study.marks)]


SUPPRESSED = "suppressed"
HEADINGS = tuple(field.name for field in fields(EstimateLine))


def lines_csv(lines: Sequence[EstimateLine], guard: bool = True) -> bytes:
    """Lines as delimited text, numbers by the fewest digits that tell them apart. guard: texts that a
    spreadsheet would run are written so that it does not."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(HEADINGS)
    for line in lines:
        cells = (
            "" if v is None else guarded(v) if guard and isinstance(v, str) else v for v in astuple(line)
        )
        writer.writerow(cells)
    return out.getvalue().encode(errors="replace")


_WHOLE = ("code", "n", "base_n", "df")
_NUMBERS = ("estimate", "se", "low", "high", "deff")


def lines_parquet(lines: Sequence[EstimateLine]) -> bytes:
    """The same as Parquet."""
    schema = pa.schema(
        (name, pa.int64() if name in _WHOLE else pa.float64() if name in _NUMBERS else pa.string())
        for name in HEADINGS
    )
    columns = list(zip(*map(astuple, lines), strict=True)) or [()] * len(HEADINGS)
    arrays = [
        pa.array(
            [v.encode(errors="replace").decode() if isinstance(v, str) else v for v in column], field.type
        )
        for column, field in zip(columns, schema, strict=True)
    ]
    from pyarrow import parquet  # Loaded where it is written.

    out = io.BytesIO()
    parquet.write_table(pa.Table.from_arrays(arrays, schema=schema), out, compression="zstd")
    return out.getvalue()
