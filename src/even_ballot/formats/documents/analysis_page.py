"""An analysis as printed tables: a table for each of its blocks."""

from collections.abc import Iterator, Sequence
from dataclasses import replace

from even_ballot.core.models.model_request import Analysis, SideBySide
from even_ballot.core.models.results import AnalysisResult
from even_ballot.core.models.side_by_side import ModelsBeside
from even_ballot.core.release.plan import Style
from even_ballot.formats.analyses.rows import Block, Value, beside_block, blocks_of, places_in
from even_ballot.formats.documents.table_page import anchor_of, filter_line
from even_ballot.formats.printed.blocks import Entry, Group, Head, PrintedTable, Row
from even_ballot.formats.printed.numerals import numeral


def _entry(value: Value, places: int, heading: str, style: Style) -> Entry:
    if value is None or isinstance(value, str):
        return Entry(value or "")
    least = 10.0**-places
    if heading == "p" and value < least:  # No p-value is nought.
        return Entry(f"< {numeral(least, places, style)}", float(value), places)
    return Entry(numeral(value, places, style), float(value), places)


def _row(block: Block, values: Sequence[Value], style: Style) -> Row:
    entries = (
        _entry(value, places_in(block, values, c), block.headings[c].split(": ")[-1], style)
        for c, value in enumerate(values[1:], start=1)
    )
    missing = [Entry("")] * (len(block.headings) - len(values))
    return Row((str(values[0] or ""),), (*entries, *missing))


def _table(block: Block, id: str, anchor: str, title: str, subtitle: str, style: Style) -> PrintedTable:
    first, *names = block.headings
    rows = tuple(_row(block, values, style) for values in block.rows)
    heads = (tuple(Head(c, 1, name) for c, name in enumerate(names)),)
    return PrintedTable(id, anchor, "", title, subtitle, (first,), heads, len(names), (Group("", rows),), ())


def analysis_tables(
    result: AnalysisResult,
    request: Analysis,
    style: Style,
    *,
    part: str,
    scope: str | None = None,
    label: str = "",
) -> Iterator[PrintedTable]:
    """The tables of an analysis, the first with its number and the cases it is of."""
    said = filter_line(scope, request.where, getattr(result, "n", None))
    anchor = f"{part}-{anchor_of(request.id)}"
    for k, block in enumerate(blocks_of(result)):
        title = f"{request.name}: {block.title[0].lower()}{block.title[1:]}"
        own = _table(
            block, request.id, anchor if not k else f"{anchor}-{k + 1}", title, said if not k else "", style
        )
        yield numbered(own, label if not k else "")


def beside_table(found: ModelsBeside, request: SideBySide, style: Style, label: str = "") -> PrintedTable:
    """Models side by side."""
    block = beside_block(found, request)
    anchor = f"side_by_side-{anchor_of(request.id)}"
    table = _table(block, request.id, anchor, request.name, "", style)
    return numbered(_under_models(table, [of.title for of in found.columns]), label)


def _under_models(table: PrintedTable, titles: Sequence[str]) -> PrintedTable:
    """Each model's title over its figures, which are alike for all."""
    each = table.columns // max(len(titles), 1)
    names = [head.text.split(": ")[-1] for head in table.heads[0]]
    over = tuple(Head(k * each, each, title) for k, title in enumerate(titles))
    below = tuple(Head(c, 1, name) for c, name in enumerate(names))
    return replace(table, heads=(over, below))


def numbered(table: PrintedTable, label: str) -> PrintedTable:
    """The same under a number."""
    return replace(table, label=label)
