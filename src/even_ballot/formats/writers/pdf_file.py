"""A release as PDF: tagged, with bookmarks, contents with page numbers, letters inside it.

What the pages say is handed to the typesetter as data, so nothing in it is ever read as markup.
"""

import json
import re
from collections.abc import Iterator
from datetime import UTC, datetime
from functools import cache
from importlib.resources import files
from itertools import chain, groupby, repeat
from typing import Any, Literal

from even_ballot.core.faults import fault
from even_ballot.formats.documents.paging import is_turned, pieces, room, stub_widths, widths
from even_ballot.formats.fonts import font_folder
from even_ballot.formats.images.charting import WIDE, chart_svg
from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.printed.blocks import (
    Block,
    Document,
    Entry,
    Heading,
    Paragraph,
    Picture,
    PrintedTable,
    Row,
    contents_of,
    listed,
)
from even_ballot.formats.printed.looks import look_of

Data = dict[str, Any]

_SHORT = 28
"""Lines of print of a table that no page break goes through."""
_HELD = 10
"""Lines of notes that stay with the last row."""


def _heads(table: PrintedTable) -> list[Data]:
    """Headings, each with its place among the rows and columns."""
    left, down = len(table.stub), len(table.heads)
    stub = [
        {"x": x, "y": 0, "text": name, "span": 1, "down": down, "stub": True}
        for x, name in enumerate(table.stub)
    ]
    over = [
        {"x": left + h.first, "y": y, "text": h.text, "span": h.span, "down": h.down, "stub": False}
        for y, row in enumerate(table.heads)
        for h in row
    ]
    return [*stub, *over]


def _entry(entry: Entry) -> str | list[str]:
    text = entry.text.replace(" ", "\N{NO-BREAK SPACE}")  # A figure is never broken over two lines.
    return [text, entry.beside] if entry.beside else text


def _bundles(table: PrintedTable) -> Iterator[tuple[str, list[Row]]]:
    """Rows that no page break parts: a figure with what stands below it, the last one with the bases; each
    with the title over it."""
    for group in table.groups:
        found: list[list[Row]] = []
        for row in group.rows:
            if found and row.weight != "figure":
                found[-1].append(row)
            else:
                found.append([row])
        yield from zip(chain((group.title,), repeat("")), found, strict=False)


def _rows(table: PrintedTable, held: bool) -> Iterator[Data]:
    """Rows of the body. keep: how many, from here on, stay together; held: the last ones with the notes."""
    across = table.columns + len(table.stub)
    bundles = list(_bundles(table))
    for k, (title, bundle) in enumerate(bundles):
        keep = len(bundle) + (held and k == len(bundles) - 1)
        if title:
            yield {"kind": "group", "label": title, "over": across}
        for r, row in enumerate(bundle):
            entries = [_entry(entry) for entry in row.entries]
            own = {"labels": row.labels, "entries": entries, "keep": keep if r == 0 else 0}
            yield {"kind": row.weight, **own}


def _lines(table: PrintedTable) -> int:
    """About how many lines of print a table takes."""
    rows = [row for group in table.groups for row in group.rows]
    labels = sum(len(text) // 30 for row in rows for text in row.labels)
    return len(rows) + 2 * len(table.groups) + 3 * len(table.heads) + labels + _note_lines(table)


def _note_lines(table: PrintedTable) -> int:
    return sum(1 + len(note) // 90 for note in table.notes)


def _table(document: Document, table: PrintedTable) -> Data:
    wide = room(document, is_turned(document, table))
    cut = pieces(table, wide, document.style.widest)
    held = _note_lines(table) <= _HELD and bool(table.groups)
    shown = [
        {
            "caption": piece.caption,
            "subtitle": piece.subtitle,
            "heads": _heads(piece),
            "rows": list(_rows(piece, held and piece is cut[-1])),
            "widths": [*stub_widths(piece), *widths(piece)],
            "held": piece.notes if held and piece is cut[-1] else (),
            "room": wide,
        }
        for piece in cut
    ]
    own = {"anchor": table.anchor, "stub": len(table.stub), "listed": bool(table.label)}
    notes = () if held else table.notes
    return {"kind": "table", **own, "pieces": shown, "notes": notes, "short": _lines(table) <= _SHORT}


def _runs(paragraph: Paragraph) -> list[Data]:
    return [{"text": run.text, "stressed": run.stressed} for run in paragraph.runs]


def _block(document: Document, block: Block | tuple[Paragraph, ...]) -> Data:
    match block:
        case Heading():
            return {"kind": "heading", "level": block.level, "text": block.text, "anchor": block.anchor}
        case Paragraph():
            return {"kind": "paragraph", "runs": _runs(block)}
        case Picture():
            own = {"anchor": block.anchor, "caption": block.caption, "says": block.says}
            return {"kind": "picture", **own, "svg": chart_svg(block.chart)}
        case PrintedTable():
            return _table(document, block)
    return {"kind": "list", "items": [_runs(item) for item in block]}


def _turned(document: Document) -> list[tuple[bool, Block | tuple[Paragraph, ...]]]:
    """Blocks in order, each with whether its page lies on its side: a heading as what stands below it."""
    turned = False
    found = []
    for block in reversed(list(listed(document.blocks))):
        if not isinstance(block, Heading):
            turned = isinstance(block, PrintedTable) and is_turned(document, block)
        found.append((turned, block))
    return found[::-1]


def _parts(document: Document) -> list[Data]:
    return [
        {"turned": turned, "blocks": [_block(document, block) for _, block in run]}
        for turned, run in groupby(_turned(document), lambda pair: pair[0])
    ]


_REGION = re.compile(r"-([A-Za-z]{2})(?:-|$)")


def _data(document: Document) -> Data:
    """All that the pages say, and how they look."""
    look, style = look_of(document.style), document.style
    region = _REGION.search(style.language)
    year, month, day = document.made
    return {
        "title": document.title,
        "subtitle": document.subtitle,
        "authors": document.authors,
        "by": " · ".join(filter(None, (", ".join(document.authors), document.date))),
        "made": {"year": year, "month": month, "day": day},
        "lang": style.language.split("-")[0].lower(),
        "region": region[1].upper() if region else None,
        "paper": {"A4": "a4", "Letter": "us-letter"}[style.paper],
        "margin": look.margin,
        "room": min(room(document, False), WIDE * 25.4 / 96),
        "size": look.size,
        "serif": look.serif,
        "accent": look.accent,
        "contents": [
            {"text": line.text, "anchor": line.anchor, "level": line.level} for line in contents_of(document)
        ]
        if document.contents
        else [],
        "parts": _parts(document),
    }


@cache
def _letters(system: bool) -> Any:
    """Our own letters, with what the typesetter carries for signs that they lack; and the machine's."""
    import typst  # Loaded where it is needed: it is large.

    return typst.Fonts(system, True, [str(font_folder())])


def pdf_file(document: Document) -> bytes:
    """A document as PDF/UA-1. The same document gives the same bytes.

    Letters that we do not carry are taken from the machine; where it has none either, the file is tagged as
    ever but does not claim PDF/UA, which forbids a letter without its shape. Raises StudyError where the
    pages cannot be laid out, with what the typesetter says.
    """
    import typst

    template = (files("even_ballot.formats") / "templates" / "document.typ").read_bytes()
    text = no_controls(json.dumps(_data(document), ensure_ascii=False))
    when = int(datetime(*document.made, tzinfo=UTC).timestamp())
    said = ""
    tries: tuple[tuple[bool, Literal["ua-1"] | None], ...] = ((False, "ua-1"), (True, "ua-1"), (True, None))
    for system, standard in tries:
        pages = typst.Compiler(template, font_paths=_letters(system), ignore_system_fonts=not system)
        try:
            made = pages.compile(
                format="pdf", sys_inputs={"document": text}, pdf_standards=standard, timestamp=when
            )
        except typst.TypstError as error:
            said = error.message
        else:
            return bytes(made)  # type: ignore[arg-type]
    raise fault(f"The pages of the PDF could not be laid out: {said}.", "formats", "Leave out pdf.")
