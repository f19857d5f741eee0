"""An analysis on a sheet of a workbook."""

from collections.abc import Callable, Sequence
from typing import Any

from even_ballot.core.models.model_request import Analysis, SideBySide
from even_ballot.core.models.results import AnalysisResult
from even_ballot.core.models.side_by_side import ModelsBeside
from even_ballot.formats.analyses.in_words import analysis_in_words
from even_ballot.formats.analyses.rows import Block, beside_block, blocks_of, places_in

_RULE, _GREY = "#8a8378", "#6b655c"
_SHOWN = {0: "#,##0", 3: "0.000", 4: "0.0000"}


def write_analysis(
    sheet: Any,
    formats: Callable[..., Any],
    clean: Callable[[str], str],
    result: AnalysisResult,
    request: Analysis,
    scope: str | None,
    note: Sequence[str],
) -> None:
    """Writes an analysis: its blocks one below the other, what it says in words, how it was made."""
    sheet.hide_gridlines(2)
    sheet.set_column(0, 0, 52)
    sheet.set_column(1, 12, 14)
    sheet.write(0, 0, clean(request.name), formats(bold=True, font_size=13))
    conditions = " and ".join(filter(None, (scope, request.where)))
    n = getattr(result, "n", None)
    said = f"Cases where {conditions}" if conditions else "All cases"
    said += "" if n is None else f"; n = {n:,}"
    sheet.write(1, 0, clean(said), formats(font_color=_GREY))
    row = _write_blocks(sheet, formats, clean, blocks_of(result), 3)
    for text in (*analysis_in_words(result), *note):
        sheet.write(row, 0, clean(text), formats(font_color=_GREY, font_size=9))
        row += 1
    _for_print(sheet)


def write_beside(
    sheet: Any,
    formats: Callable[..., Any],
    clean: Callable[[str], str],
    found: ModelsBeside,
    request: SideBySide,
    note: Sequence[str],
) -> None:
    """Writes models side by side."""
    sheet.hide_gridlines(2)
    sheet.set_column(0, 0, 52)
    sheet.set_column(1, 1 + 6 * len(found.columns), 14)
    row = _write_blocks(sheet, formats, clean, (beside_block(found, request),), 0)
    for text in note:
        sheet.write(row, 0, clean(text), formats(font_color=_GREY, font_size=9))
        row += 1
    _for_print(sheet)


def _for_print(sheet: Any) -> None:
    sheet.set_landscape()
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)


def _write_blocks(
    sheet: Any,
    formats: Callable[..., Any],
    clean: Callable[[str], str],
    blocks: Sequence[Block],
    row: int,
) -> int:
    """Writes blocks one below the other from a row on; the row after them."""
    for block in blocks:
        sheet.write(row, 0, clean(block.title), formats(bold=True))
        row += 1
        for c, heading in enumerate(block.headings):
            align = {} if c == 0 else {"align": "right"}
            edge = {"top": 1, "top_color": _RULE, "bottom": 1, "bottom_color": _RULE}
            sheet.write(row, c, clean(heading), formats(bold=True, text_wrap=True, **align, **edge))
        for values in block.rows:
            row += 1
            for c, value in enumerate(values):
                if isinstance(value, str):
                    sheet.write_string(row, c, clean(value), formats())
                elif value is not None:
                    shown = _SHOWN[places_in(block, values, c)]
                    sheet.write_number(row, c, value, formats(align="right", num_format=shown))
        row += 2
    return row
