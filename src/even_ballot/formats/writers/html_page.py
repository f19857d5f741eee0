"""A release as one page of HTML: no scripts, nothing from elsewhere."""

from typing import Any

from even_ballot.formats.images.charting import chart_svg
from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.pages import page, plain_page
from even_ballot.formats.printed.blocks import (
    Block,
    Document,
    Heading,
    Paragraph,
    Picture,
    PrintedTable,
    contents_of,
    listed,
)
from even_ballot.formats.printed.looks import look_of

_SERIF = '"Source Serif 4", "Liberation Serif", Georgia, serif'
_SANS = '"Source Sans 3", "Liberation Sans", "Helvetica Neue", Arial, sans-serif'


def _css(document: Document) -> str:
    look = look_of(document.style)
    return plain_page(
        "document.css",
        accent=look.accent,
        size=f"{look.size + 1.5:g}",
        face=_SANS,
        title_face=_SERIF if look.serif else _SANS,
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


def _block(block: Block | tuple[Paragraph, ...]) -> dict[str, Any]:
    match block:
        case Heading():
            return {"kind": "heading", "level": block.level, "anchor": block.anchor, "text": block.text}
        case Paragraph():
            return {"kind": "paragraph", "runs": block.runs}
        case Picture():
            svg = chart_svg(block.chart)
            own = {"anchor": block.anchor, "caption": block.caption, "says": block.says, "svg": svg}
            return {"kind": "picture", **own}
        case PrintedTable():
            return {"kind": "table", "table": block, "heads": _heads(block)}
    return {"kind": "list", "items": [item.runs for item in block]}


def html_page(document: Document) -> str:
    """A document as HTML."""
    text = page(
        "document",
        document=document,
        language=document.style.language,
        css=_css(document),
        contents=contents_of(document) if document.contents else [],
        blocks=[_block(block) for block in listed(document.blocks)],
    )
    return no_controls(text)
