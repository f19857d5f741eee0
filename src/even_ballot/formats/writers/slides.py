"""A release as slides: each table or picture on one of its own, tables native, charts native and editable."""

import io
import re
from collections.abc import Iterator, Sequence
from typing import Any

from lxml import etree
from pptx import Presentation
from pptx.chart.data import CategoryChartData
from pptx.dml.color import RGBColor
from pptx.enum.chart import XL_CHART_TYPE, XL_LEGEND_POSITION
from pptx.enum.text import PP_ALIGN
from pptx.oxml import parse_xml
from pptx.util import Mm, Pt

from even_ballot.formats.documents.paging import pieces
from even_ballot.formats.images.charting import colours
from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.printed.blocks import Chart, Document, Heading, Picture, PrintedTable
from even_ballot.formats.printed.looks import look_of
from even_ballot.formats.writers.containers import settled
from even_ballot.formats.writers.properties import say_about
from even_ballot.formats.writers.slide_table import LINE, Line, slide_table

_WIDE, _TALL, _EDGE = 338.7, 190.5, 14.0
_ROWS = 18
"""Rows of a table on one slide."""
_rgb: Any = RGBColor
_INK, _SOFT = _rgb(0x1D, 0x1B, 0x18), _rgb(0x5F, 0x58, 0x4F)
_KINDS = {
    "shares": XL_CHART_TYPE.BAR_STACKED_100,
    "groups": XL_CHART_TYPE.BAR_CLUSTERED,
}


def _portions(table: PrintedTable) -> Iterator[list[Line]]:
    """The rows of a table in portions that fit on slides, a question repeated where it goes on; what stands
    below a figure stays with it."""
    held: list[Line] = []
    for group in table.groups:
        if group.title:
            held.append((group.title, None))
        for at, row in enumerate(group.rows):
            own = (
                next((k for k in range(at + 1, len(group.rows)) if group.rows[k].weight != "soft"), at + 1)
                - at
            )
            if row.weight != "soft" and len(held) + own > _ROWS and any(r is not None for _, r in held):
                yield held
                held = [(group.title, None)] if group.title else []
            held.append(("", row))
    if held:
        yield held


class _Slides:
    """Writes slides."""

    def __init__(self, document: Document) -> None:
        self._of, self._look = document, look_of(document.style)
        self._deck = Presentation()
        self._deck.slide_width, self._deck.slide_height = Mm(_WIDE), Mm(_TALL)

    def _slide(self, title: str) -> Any:
        slide = self._deck.slides.add_slide(self._deck.slide_layouts[5])
        box = slide.shapes.title
        box.left, box.top, box.width, box.height = Mm(_EDGE), Mm(8), Mm(_WIDE - 2 * _EDGE), Mm(18)
        self._write(box.text_frame, title, 22, title=True)
        return slide

    def _write(self, frame: Any, text: str, size: float, *, title: bool = False, soft: bool = False) -> None:
        frame.word_wrap = True
        paragraph = frame.paragraphs[0]
        paragraph.alignment = PP_ALIGN.LEFT
        run = paragraph.add_run()
        run.text = no_controls(text)
        run.font.size, run.font.bold = Pt(size), title
        run.font.name = "Georgia" if title and self._look.serif else "Calibri"
        run.font.color.rgb = _SOFT if soft else _INK

    def _below(self, slide: Any, text: str) -> None:
        if text:
            box = slide.shapes.add_textbox(Mm(_EDGE), Mm(_TALL - 20), Mm(_WIDE - 2 * _EDGE), Mm(14))
            self._write(box.text_frame, text[:600], 9, soft=True)

    def _beneath(self, slide: Any, text: str) -> None:
        if text:
            box = slide.shapes.add_textbox(Mm(_EDGE), Mm(25), Mm(_WIDE - 2 * _EDGE), Mm(8))
            self._write(box.text_frame, text[:300], 12, soft=True)

    def title(self) -> None:
        """The first slide."""
        slide = self._deck.slides.add_slide(self._deck.slide_layouts[6])
        box = slide.shapes.add_textbox(Mm(28), Mm(62), Mm(_WIDE - 56), Mm(30))
        self._write(box.text_frame, self._of.title, 38, title=True)
        by = " · ".join(filter(None, (", ".join(self._of.authors), self._of.date)))
        for top, text in ((96, self._of.subtitle), (112, by)):
            if text:
                box = slide.shapes.add_textbox(Mm(28), Mm(top), Mm(_WIDE - 56), Mm(12))
                self._write(box.text_frame, text, 18, soft=True)

    def heading(self, heading: Heading) -> None:
        """A slide for a part of the document."""
        slide = self._slide(heading.text)
        box = slide.shapes.title
        box.top = Mm(80)

    def table(self, table: PrintedTable) -> None:
        """As many slides as a table needs."""
        notes = " ".join(table.notes)
        first = True
        for piece in pieces(table, 1.15 * (_WIDE - 2 * _EDGE) / 1.35, self._of.style.widest):
            for rows in _portions(piece):
                slide = self._slide(table.caption + ("" if first else " (continued)"))
                self._beneath(slide, table.subtitle)
                self._grid(slide, piece, rows)
                self._below(slide, notes)
                first = False

    def _grid(self, slide: Any, table: PrintedTable, lines: Sequence[Line]) -> None:
        wide = _WIDE - 2 * _EDGE
        tall = LINE * (len(lines) + len(table.heads))
        frame = slide.shapes.add_table(1, 1, Mm(_EDGE), Mm(36), Mm(wide), Mm(tall))
        frame._element.nvGraphicFramePr.cNvPr.set("descr", no_controls(table.caption)[:1000])
        old = frame._element.graphic.graphicData.tbl
        old.getparent().replace(old, parse_xml(slide_table(table, lines, wide)))

    def picture(self, picture: Picture) -> None:
        """A chart that can be edited; intervals stand in it as error bars."""
        slide = self._slide(picture.caption)
        chart = picture.chart
        drawn: Any = CategoryChartData()  # type: ignore[no-untyped-call]
        drawn.categories = [no_controls(name) for name in chart.categories]
        for series in chart.series:
            drawn.add_series(no_controls(series.name) or "Series", series.values)
        kind = _KINDS.get(chart.kind, XL_CHART_TYPE.BAR_CLUSTERED)
        frame = slide.shapes.add_chart(kind, Mm(_EDGE), Mm(30), Mm(_WIDE - 2 * _EDGE), Mm(_TALL - 54), drawn)
        frame._element.nvGraphicFramePr.cNvPr.set("descr", no_controls(picture.says)[:2000])
        own = frame.chart
        own.has_legend = len(chart.series) > 1
        if own.has_legend:
            own.legend.position, own.legend.include_in_layout = XL_LEGEND_POSITION.TOP, False
        own.font.size, own.font.name = Pt(11), "Calibri"
        own.category_axis.reverse_order = True
        own.value_axis.has_major_gridlines = True
        own.plots[0].gap_width = 60
        fills = colours(len(chart.series), chart.kind == "shares")
        for series, fill, data in zip(own.plots[0].series, fills, chart.series, strict=True):
            series.format.fill.solid()
            series.format.fill.fore_color.rgb = _rgb(*bytes.fromhex(fill[1:]))
            if chart.kind != "shares" and any(value is not None for value in data.lows):
                _error_bars(series._element, chart, data)
        self._below(slide, picture.says)

    def content(self) -> bytes:
        """The file."""
        say_about(self._deck.core_properties, self._of)
        out = io.BytesIO()
        self._deck.save(out)
        return settled(out.getvalue(), mend=_settled_book)


def _error_bars(element: Any, chart: Chart, series: Any) -> None:
    """Limits of a series as error bars, each with its own length."""
    space = "http://schemas.openxmlformats.org/drawingml/2006/chart"

    def lengths(ends: Sequence[float | None], sign: int) -> str:
        points = "".join(
            f'<c:pt idx="{k}"><c:v>{max(sign * (end - value), 0.0)!r}</c:v></c:pt>'
            for k, (end, value) in enumerate(zip(ends, series.values, strict=True))
            if end is not None and value is not None
        )
        return f'<c:numLit><c:ptCount val="{len(series.values)}"/>{points}</c:numLit>'

    plus = f"<c:plus>{lengths(series.highs, 1)}</c:plus>"
    minus = f"<c:minus>{lengths(series.lows, -1)}</c:minus>"
    about = '<c:errBarType val="both"/><c:errValType val="cust"/><c:noEndCap val="0"/>'
    bars = etree.fromstring(f'<c:errBars xmlns:c="{space}">{about}{plus}{minus}</c:errBars>')
    before = next(child for child in element if etree.QName(child).localname in ("cat", "val"))
    before.addprevious(bars)


def _settled_book(name: str, content: bytes) -> bytes:
    """The numbers of a chart, a workbook inside: without the time it was made."""
    if not name.endswith(".xlsx"):
        return content

    def mend(inside: str, held: bytes) -> bytes:
        if inside != "docProps/core.xml":
            return held
        return re.sub(rb">\d{4}-\d\d-\d\dT[\d:]+Z<", b">2026-01-01T00:00:00Z<", held)

    return settled(content, mend=mend)


def slides(document: Document) -> bytes:
    """A document as .pptx. The same document gives the same bytes."""
    made = _Slides(document)
    made.title()
    for block in document.blocks:
        match block:
            case Heading() if block.level == 1 and block.anchor != "methods":
                made.heading(block)
            case PrintedTable() if not block.anchor.startswith("margin-"):
                made.table(block)
            case Picture():
                made.picture(block)
    return made.content()
