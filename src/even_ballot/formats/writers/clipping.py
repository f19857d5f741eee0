"""A document for the clipboard: HTML that word processors, mail and spreadsheets take with its lines, and
text whose cells are parted by tabs."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from html import escape

from even_ballot.formats.guarding import guarded
from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.printed.blocks import Document, Entry, Head, Paragraph, PrintedTable, Row

_TABLE = "border-collapse:collapse;border-top:1.5pt solid #000;border-bottom:1.5pt solid #000"
_SMALL = "font-size:9pt;color:#555;margin:2pt 0"


@dataclass(frozen=True)
class Clip:
    """The same twice: html, and text."""

    html: str
    text: str


def clip_of(document: Document) -> Clip:
    """The tables and paragraphs of a document; pictures are copied by themselves.

    >>> from even_ballot.core.release.plan import Style
    >>> from even_ballot.formats.printed.blocks import Group
    >>> rows = (Row(("Hask",), (Entry("45.0"), Entry("\u22121.5"))),)
    >>> heads = ((Head(0, 2, "Isle"),), (Head(0, 1, "All"), Head(1, 1, "A")))
    >>> of = (Group("", rows),)
    >>> table = PrintedTable("t", "t", "", "Title", "n = 8", ("",), heads, 2, of, ("A note.",))
    >>> print(clip_of(Document("", "", (), "", (2026, 1, 1), (table,), Style())).text.expandtabs(8))
    Title
    n = 8
            Isle
            All     A
    Hask    45.0    -1.5
    A note.
    """
    html, text = list[str](), list[str]()
    for block in document.blocks:
        if isinstance(block, PrintedTable):
            html += _html_table(block)
            text += _text_table(block)
        elif isinstance(block, Paragraph):
            html.append(f"<p>{escape(block.text)}</p>")
            text.append(block.text)
    return Clip(no_controls("".join(html)), no_controls("\n".join(text)))


def _html_table(table: PrintedTable) -> Iterator[str]:
    yield f"<p><b>{escape(table.caption)}</b></p>"
    if table.subtitle:
        yield f'<p style="{_SMALL}">{escape(table.subtitle)}</p>'
    yield f'<table style="{_TABLE}" cellpadding="3">'
    wide, last = len(table.stub) + table.columns, len(table.heads) - 1
    for r, row in enumerate(table.heads):
        cells = [_html_stub(name) for name in table.stub] if r == last else ["<td></td>"] * len(table.stub)
        line = "border-bottom:0.75pt solid #000;" if r == last else ""
        cells += [
            f'<th style="{line}text-align:{"center" if head.span > 1 else "right"}"'
            f"{f' colspan={head.span!r}' if head.span > 1 else ''}>{escape(head.text)}</th>"
            for head in _every_column(row, table, r)
        ]
        yield f"<tr>{''.join(cells)}</tr>"
    for group in table.groups:
        if group.title:
            yield f'<tr><th colspan="{wide}" style="text-align:left">{escape(group.title)}</th></tr>'
        for of in group.rows:
            yield _html_row(of)
    yield "</table>"
    yield from (f'<p style="{_SMALL}">{escape(note)}</p>' for note in table.notes)


def _html_stub(name: str) -> str:
    return f'<th style="border-bottom:0.75pt solid #000;text-align:left">{escape(name)}</th>'


def _html_row(row: Row) -> str:
    style = {"figure": "", "soft": "color:#555;", "base": "font-style:italic;"}[row.weight]
    labels = "".join(f'<td style="{style}text-align:left">{escape(label)}</td>' for label in row.labels)
    figures = "".join(
        f'<td style="{style}text-align:right;white-space:nowrap">{escape(entry.text)}'
        f"{f'<sup>{escape(entry.beside)}</sup>' if entry.beside else ''}</td>"
        for entry in row.entries
    )
    return f"<tr>{labels}{figures}</tr>"


def _every_column(row: Sequence[Head], table: PrintedTable, at: int) -> Iterator[Head]:
    """The headings of a row with nothing over the columns that have none. One that reaches down stands in the
    last row that it reaches, beside the headings of single columns."""
    down = [
        Head(head.first, head.span, head.text)
        for r, above in enumerate(table.heads)
        for head in above
        if head.down > 1 and r + head.down - 1 == at
    ]
    heads = sorted([*(head for head in row if head.down == 1), *down], key=lambda head: head.first)
    column = 0
    for head in heads:
        yield from (Head(c, 1, "") for c in range(column, head.first))
        yield head
        column = head.first + head.span
    yield from (Head(c, 1, "") for c in range(column, table.columns))


def _text_table(table: PrintedTable) -> Iterator[str]:
    yield _cells([table.caption])
    if table.subtitle:
        yield _cells([table.subtitle])
    for r, row in enumerate(table.heads):
        stub = table.stub if r == len(table.heads) - 1 else ("",) * len(table.stub)
        across = [
            text for head in _every_column(row, table, r) for text in (head.text, *[""] * (head.span - 1))
        ]
        yield _cells([*stub, *across])
    for group in table.groups:
        if group.title:
            yield _cells([group.title])
        for of in group.rows:
            yield _cells(of.labels, [_figure(entry) for entry in of.entries])
    yield from (_cells([note]) for note in table.notes)


def _figure(entry: Entry) -> str:
    """A figure as a spreadsheet reads it: its minus is a hyphen."""
    return " ".join(filter(None, (entry.text, entry.beside))).replace("\u2212", "-")


def _cells(texts: Sequence[str], figures: Sequence[str] = ()) -> str:
    """A line of cells; no text of the study is a formula, nor breaks its cell."""
    return "\t".join([*(guarded(" ".join(text.split())) for text in texts), *figures]).rstrip("\t")
