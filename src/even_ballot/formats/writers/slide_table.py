"""A portion of a printed table as the XML of a slide's table, written at once."""

from collections.abc import Sequence

from even_ballot.formats.printed.blocks import Entry, PrintedTable, Row
from even_ballot.formats.writers.docx_table import xml_text

_SPACE = 'xmlns:a="http://schemas.openxmlformats.org/drawingml/2006/main"'
_NO_STYLE = "{2D5ABB26-0587-4C30-8999-92F81FD0307C}"
"""The format's own table style without rules or fills."""
_EMU = 36_000
LINE = 6.4
"""Height of a row, in mm."""
_RULE = '<a:{} w="9525"><a:solidFill><a:srgbClr val="8A8378"/></a:solidFill></a:{}>'
Line = tuple[str, Row | None]
"""A question over rows, or a row."""


def _run(text: str, size: float, *, bold: bool = False, soft: bool = False, raised: bool = False) -> str:
    about = f'sz="{size * 100:.0f}"{" b=" + chr(34) + "1" + chr(34) if bold else ""}'
    about += ' baseline="30000"' if raised else ""
    colour = "5F584F" if soft else "1D1B18"
    fill = f'<a:solidFill><a:srgbClr val="{colour}"/></a:solidFill><a:latin typeface="Calibri"/>'
    if not text:
        return f'<a:endParaRPr sz="{size * 100:.0f}"/>'
    return f"<a:r><a:rPr {about}>{fill}</a:rPr><a:t>{xml_text(text)}</a:t></a:r>"


def _cell(
    inside: str,
    *,
    side: str = "r",
    span: int = 1,
    covered: bool = False,
    above: bool = False,
    below: bool = False,
) -> str:
    merged = f' gridSpan="{span}"' if span > 1 else ' hMerge="1"' if covered else ""
    rules = (_RULE.format("lnT", "lnT") if above else "") + (_RULE.format("lnB", "lnB") if below else "")
    about = f'<a:tcPr marL="36000" marR="36000" marT="9000" marB="9000" anchor="b">{rules}</a:tcPr>'
    text = f'<a:txBody><a:bodyPr/><a:p><a:pPr algn="{side}"/>{inside}</a:p></a:txBody>'
    return f"<a:tc{merged}>{text}{about}</a:tc>"


def _row(cells: Sequence[str]) -> str:
    return f'<a:tr h="{LINE * _EMU:.0f}">{"".join(cells)}</a:tr>'


def _heads(table: PrintedTable) -> list[str]:
    rows, depth = [], len(table.heads)
    for r in range(depth):
        last, first = r == depth - 1, r == 0
        names = table.stub if last else ("",) * len(table.stub)
        cells = [_cell(_run(name, 10.5, bold=True), side="l", above=first, below=last) for name in names]
        # What reaches down stands in the lowest row that it reaches.
        heads = {h.first: h for k, row in enumerate(table.heads) for h in row if k + h.down - 1 == r}
        at = 0
        while at < table.columns:
            head = heads.get(at)
            span = 1 if head is None else head.span
            text = "" if head is None else head.text
            under = last or span > 1
            side = "ctr" if span > 1 else "r"
            cells.append(_cell(_run(text, 10.5, bold=True), side=side, span=span, above=first, below=under))
            cells += [_cell(_run("", 10.5), covered=True, above=first, below=under)] * (span - 1)
            at += span
        rows.append(_row(cells))
    return rows


def _entry(entry: Entry, size: float, soft: bool, last: bool) -> str:
    raised = _run(entry.beside, size, soft=soft, raised=True) if entry.beside else ""
    return _cell(_run(entry.text, size, soft=soft) + raised, below=last)


def slide_table(table: PrintedTable, lines: Sequence[Line], wide: float) -> str:
    """The element of a table of some rows. wide: in mm."""
    stub = len(table.stub)
    own = min(70.0, wide * 0.3) if stub == 1 else wide * 0.18
    columns = [own] * stub + [(wide - own * stub) / max(table.columns, 1)] * table.columns
    grid = "".join(f'<a:gridCol w="{each * _EMU:.0f}"/>' for each in columns)
    rows = _heads(table)
    for k, (title, row) in enumerate(lines):
        last = k == len(lines) - 1
        if row is None:
            span = stub + table.columns
            cells = [_cell(_run(title, 10.5, bold=True), side="l", span=span, below=last)]
            rows.append(_row(cells + [_cell(_run("", 10.5), covered=True)] * (span - 1)))
            continue
        soft = row.weight == "soft"
        size = 9.0 if soft else 10.5
        cells = [_cell(_run(label, size, soft=soft), side="l", below=last) for label in row.labels]
        rows.append(_row(cells + [_entry(entry, size, soft, last) for entry in row.entries]))
    about = f'<a:tblPr firstRow="1"><a:tableStyleId>{_NO_STYLE}</a:tableStyleId></a:tblPr>'
    return f"<a:tbl {_SPACE}>{about}<a:tblGrid>{grid}</a:tblGrid>{''.join(rows)}</a:tbl>"
