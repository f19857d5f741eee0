"""Tables as a workbook that needs no touching up."""

import io
import re
from collections.abc import Iterator
from datetime import datetime
from typing import Any, Protocol

from even_ballot.core.models.analysis import ANALYSES
from even_ballot.core.models.model_request import Analysis, SideBySide
from even_ballot.core.models.results import AnalysisResult
from even_ballot.core.models.side_by_side import ModelsBeside, side_by_side
from even_ballot.core.release.plan import ReleasePlan, Style
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.formats.analyses.sheet import write_analysis, write_beside
from even_ballot.formats.documents.sections.methods import Hashes, methods_blocks
from even_ballot.formats.estimates.lines import HEADINGS, estimate_lines
from even_ballot.formats.images.drawing import no_controls as clean
from even_ballot.formats.printed.blocks import Heading, Paragraph, PrintedTable
from even_ballot.formats.printed.looks import look_of
from even_ballot.formats.tables.grid import lay_out
from even_ballot.formats.tables.layout import Grid
from even_ballot.formats.tables.methods import methods_note
from even_ballot.formats.workbooks.table_sheet import LONGEST, Formats, write_table
from even_ballot.formats.workbooks.widening import widened, without

_FORBIDDEN = re.compile(r"[\[\]:*?/\\']")
_MOST_COLUMNS, _MOST_ROWS = 16_384, 1_048_576
"""Of a sheet."""


class Book(Protocol):
    """What a workbook is written by: worksheets, and formats of cells."""

    def add_worksheet(self, name: str) -> Any:
        """A new sheet, after the others."""

    def add_format(self, settings: dict[str, Any]) -> Any:
        """A format for cells."""


def _cut(text: str, most: int) -> str:
    """So much of a text as takes up to `most` places of 16 bits, which is how a workbook counts."""
    while len(text.encode("utf-16-le")) > 2 * most:
        text = text[:-1]
    return text.strip()


def _sheet_name(title: str, taken: set[str]) -> str:
    base = _cut(_FORBIDDEN.sub(" ", clean(title)).strip(), 28) or "Table"
    name, k = base, 2
    while name.casefold() in taken:
        name, k = f"{_cut(base, 24)} {k}", k + 1
    taken.add(name.casefold())
    return name


class _Workbook:
    """Fills a workbook: a sheet of contents, one for each table and analysis, every figure in long form, and
    the methods note."""

    def __init__(self, book: Book, study: Study, results: Results, style: Style) -> None:
        self.book, self.study, self.results, self.style = book, study, results, style
        self.formats = Formats(book, style)
        self._taken = {"contents", "methods", "all estimates"}
        self._listed = 0
        self.contents = self._contents()

    def _contents(self) -> Any:
        """The sheet of contents, under its title."""
        contents = self.book.add_worksheet("Contents")
        contents.hide_gridlines(2)
        contents.fit_to_pages(1, 0)
        contents.set_column(0, 0, 8)
        contents.set_column(1, 1, 90)
        contents.write(0, 0, clean(self.study.title), self.formats(bold=True, font_size=14))
        return contents

    def _link(self, sheet: str, title: str) -> None:
        """A line of the contents, which leads to a sheet."""
        row, style = 2 + self._listed, self.formats(font_color="#1f4e5f", underline=1)
        self.contents.write(row, 0, self._listed + 1, self.formats(align="left"))
        self.contents.write_url(row, 1, f"internal:'{sheet}'!A1", style, clean(title)[:250])
        self._listed += 1

    def _sheet(self, title: str) -> Any:
        name = _sheet_name(title, self._taken)
        self._link(name, title)
        return self.book.add_worksheet(name)

    def tables(self) -> None:
        """A sheet for each table, errors and limits below the figures or beside them, as the style says."""
        look, study = look_of(self.style), self.study
        requests = {request.id: request for request in study.tables}
        for result in self.results.tables:
            request = requests[result.id]
            grid = lay_out(result, request, study.marks, study.suppression)
            grid = without(grid, errors=look.errors != "none", limits=look.intervals != "none")
            if "beside" in (look.errors, look.intervals):
                grid = widened(grid)
            note = methods_note(study, self.results, (request,))
            grid, said = _fitting(grid)
            scope = study.where
            write_table(self._sheet(result.title), self.formats, result, request, scope, grid, [*said, *note])

    def analyses(self) -> None:
        """A sheet for each analysis, and for models side by side."""
        note = methods_note(self.study, self.results, ())
        for asked, analysis in _analyses(self.study, self.results):
            sheet = self._sheet(asked.name)
            write_analysis(sheet, self.formats, clean, analysis, asked, self.study.where, note)
        for beside, found in beside_of(self.study, self.results):
            write_beside(self._sheet(beside.name), self.formats, clean, found, beside, note)

    def estimates(self) -> None:
        """Every figure in long form, a line each."""
        lines = estimate_lines(self.study, self.results)
        if not lines:
            return
        sheet = self.book.add_worksheet("All estimates")
        self._link("All estimates", "All estimates, one per line")
        plain, bold = self.formats(), self.formats(bold=True, bottom=1)
        for c, heading in enumerate(HEADINGS):
            sheet.write_string(0, c, heading, bold)
        sheet.freeze_panes(1, 0)
        for r, line in enumerate(lines[: _MOST_ROWS - 1], start=1):
            for c, heading in enumerate(HEADINGS):
                value = getattr(line, heading)
                if isinstance(value, str):
                    if value:
                        sheet.write_string(r, c, clean(value)[:LONGEST], plain)
                elif value is not None:
                    sheet.write_number(r, c, value, plain)

    def methods(self, own: str, hashes: Hashes | None) -> None:
        """How everything was made."""
        sheet, formats = self.book.add_worksheet("Methods"), self.formats
        self._link("Methods", "How these tables were made")
        sheet.hide_gridlines(2)
        sheet.fit_to_pages(1, 0)
        sheet.set_column(0, 0, 100)
        sheet.set_column(1, 4, 12)
        row = 0
        for block in methods_blocks(self.study, self.results, self.style, own, hashes):
            match block:
                case Heading():
                    row += block.level > 1
                    sheet.write(row, 0, clean(block.text), formats(bold=True, font_size=15 - 2 * block.level))
                    row += 1
                case Paragraph():
                    sheet.write(row, 0, clean(block.text)[:LONGEST], formats(text_wrap=True, valign="top"))
                    row += 1
                case PrintedTable():
                    row = self._fit(sheet, block, row)

    def _fit(self, sheet: Any, table: PrintedTable, row: int) -> int:
        """A small table of the methods note; the row after it."""
        edge = {"bold": True, "bottom": 1}
        sheet.write(row, 0, clean(table.title), self.formats(**edge))
        for head in table.heads[0]:
            sheet.write(row, 1 + head.first, head.text, self.formats(align="right", **edge))
        for line in (line for group in table.groups for line in group.rows):
            row += 1
            sheet.write(row, 0, clean(line.labels[0]), self.formats(indent=1))
            for c, entry in enumerate(line.entries, start=1):
                if entry.value is None:
                    sheet.write(row, c, entry.text, self.formats(align="right"))
                else:
                    shown = f"#,##0.{'0' * entry.places}" if entry.places else "#,##0"
                    sheet.write_number(row, c, entry.value, self.formats(align="right", num_format=shown))
        return row + 2

    def not_made(self) -> None:
        """What could not be made, below the contents."""
        for k, table in enumerate(self.results.faulty):
            said = f"Not made: {table.title}. {table.faults[0].said} {table.faults[0].mend}"
            self.contents.write(3 + self._listed + k, 1, clean(said)[:LONGEST], self.formats(text_wrap=True))


def _fitting(grid: Grid) -> tuple[Grid, list[str]]:
    """A table as far as a sheet has columns, and what is said of the rest."""
    most = _MOST_COLUMNS - 2
    if grid.columns <= most:
        return grid, []
    said = (
        f"A sheet has {_MOST_COLUMNS:,} columns: {grid.columns - most:,} more columns are in All estimates."
    )
    return grid.cut(most), [said]


def fill(book: Book, study: Study, results: Results, hashes: Hashes | None = None) -> None:
    """Writes all of a study into a workbook, in the style of its release. hashes: of the source files."""
    plan = study.release or ReleasePlan()
    made = _Workbook(book, study, results, plan.style)
    made.tables()
    made.analyses()
    made.estimates()
    made.methods(plan.method, hashes)
    made.not_made()


def workbook(study: Study, results: Results, hashes: Hashes | None = None) -> bytes:
    """All tables of a study as .xlsx. The same study gives the same bytes."""
    import xlsxwriter  # Loaded where it is written.

    out = io.BytesIO()
    book = xlsxwriter.Workbook(
        out, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    )
    made = {"comments": "Made by Even Ballot", "created": datetime(2026, 1, 1)}
    book.set_properties({"title": clean(study.title)[:200], **made})
    fill(book, study, results, hashes)
    book.close()
    return out.getvalue()


def _analyses(study: Study, results: Results) -> Iterator[tuple[Analysis, AnalysisResult]]:
    """Every analysis that was made, with what it was asked for by."""
    for part in ANALYSES:
        asked: dict[str, Analysis] = {request.id: request for request in getattr(study, part)}
        yield from ((asked[of.id], of) for of in getattr(results, part))


def beside_of(study: Study, results: Results) -> Iterator[tuple[SideBySide, ModelsBeside]]:
    """Every set of models side by side, of those that were made."""
    made = {of.id: of for of in results.models}
    for beside in study.side_by_side:
        models = [made[name] for name in beside.models if name in made]
        if models:
            yield beside, side_by_side(models)
