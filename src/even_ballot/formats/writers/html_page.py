"""A release as one page of HTML: no scripts, nothing from elsewhere; and the pages that a PDF is made of."""

from typing import Any

from even_ballot.formats.documents.looks import PAPER, Look, look_of
from even_ballot.formats.documents.parts import (
    Block,
    Document,
    Heading,
    Paragraph,
    Picture,
    PrintedTable,
    pieces,
    stub_width,
    stub_widths,
    widths,
)
from even_ballot.formats.fonts import FONTS
from even_ballot.formats.images.charting import chart_svg
from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.pages import page, plain_page

_SERIF = '"Source Serif 4", "Liberation Serif", Georgia, serif'
_SANS = '"Source Sans 3", "Liberation Sans", "Helvetica Neue", Arial, sans-serif'


_SHORT = 20
"""Rows of a table that no page break goes through."""


def _css(document: Document, look: Look, paged: bool) -> str:
    return plain_page(
        "document.css",
        accent=look.accent,
        size=f"{look.size if paged else look.size + 1.5:g}",
        face=_SANS,
        title_face=_SERIF if look.serif else _SANS,
        paged=paged,
        fonts=FONTS if paged else (),
        paper=document.style.paper,
        margin=look.margin,
    )


def room(document: Document, turned: bool) -> float:
    """Millimetres between the margins of a page."""
    return PAPER[document.style.paper][1 if turned else 0] - 2.0 * look_of(document.style).margin


def is_turned(document: Document, table: PrintedTable) -> bool:
    """Whether a table stands on a page that lies on its side."""
    turn = document.style.turn
    return turn == "always" or (
        turn == "where it helps" and sum(widths(table)) + stub_width(table) > room(document, False)
    )


def _heads(table: PrintedTable) -> list[list[tuple[int, Any]]]:
    """Rows of headings, each with the columns before it over which nothing stands."""
    rows: list[list[tuple[int, Any]]] = []
    covered: dict[int, set[int]] = {}
    for r, row in enumerate(table.heads):
        at, found = 0, []
        for head in row:
            free = [c for c in range(at, head.first) if c not in covered.get(r, set())]
            found.append((len(free), head))
            at = head.first + head.span
            for below in range(r + 1, r + head.down):
                covered.setdefault(below, set()).update(range(head.first, at))
        rows.append(found)
    return rows


def _table(document: Document, table: PrintedTable, paged: bool) -> dict[str, Any]:
    turned = paged and is_turned(document, table)
    cut = pieces(table, room(document, turned), document.style.widest) if paged else (table,)
    shown = [
        {
            "caption": p.caption,
            "subtitle": p.subtitle,
            "stub": p.stub,
            "heads": _heads(p),
            "columns": p.columns,
            "groups": p.groups,
            "widths": (*stub_widths(p), *widths(p)) if paged else (),
        }
        for p in cut
    ]
    rows = sum(len(group.rows) for group in table.groups)
    return {"kind": "table", "table": table, "pieces": shown, "turned": turned, "short": rows <= _SHORT}


def _block(document: Document, block: Block, paged: bool) -> dict[str, Any]:
    match block:
        case Heading():
            return {"kind": "heading", "level": block.level, "anchor": block.anchor, "text": block.text}
        case Paragraph():
            return {"kind": "paragraph", "runs": block.runs, "item": block.item}
        case Picture():
            svg = chart_svg(block.chart)
            own = {"anchor": block.anchor, "caption": block.caption, "says": block.says, "svg": svg}
            return {"kind": "picture", **own}
    return _table(document, block, paged)


def _listed(blocks: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Items that follow one another as one list."""
    found: list[dict[str, Any]] = []
    for block in blocks:
        if not block.get("item"):
            found.append(block)
        elif found and found[-1]["kind"] == "list":
            found[-1]["items"].append(block["runs"])
        else:
            found.append({"kind": "list", "items": [block["runs"]]})
    return found


def contents_of(document: Document) -> list[Heading]:
    """Lines of the contents: headings of the first two levels, and tables with their numbers below them."""
    lines: list[Heading] = []
    deep = 1
    for block in document.blocks:
        if isinstance(block, Heading) and block.level <= 2:
            lines.append(block)
            deep = 2
        elif isinstance(block, PrintedTable) and block.label:
            lines.append(Heading(block.caption, deep, block.anchor))
    return lines


def html_page(document: Document, paged: bool = False) -> str:
    """A document as HTML. paged: for print, with page numbers, and wide tables broken by columns."""
    look = look_of(document.style)
    text = page(
        "document",
        document=document,
        language=document.style.language,
        css=_css(document, look, paged),
        contents=contents_of(document) if document.contents else [],
        blocks=_listed([_block(document, block, paged) for block in document.blocks]),
    )
    return no_controls(text)
