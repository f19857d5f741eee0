"""A release as a text document: native tables with heading rows, numbered captions, contents, styles that a
house template overrides, pictures with what they show in words."""

import io
from typing import Any

from docx import Document as open_document
from docx.enum.section import WD_ORIENT, WD_SECTION
from docx.enum.style import WD_STYLE_TYPE
from docx.enum.text import WD_ALIGN_PARAGRAPH
from docx.oxml import parse_xml
from docx.shared import Mm, Pt, RGBColor

from even_ballot.formats.documents.paging import is_turned, pieces, room
from even_ballot.formats.images.charting import WIDE, chart_svg
from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.images.files import drawn
from even_ballot.formats.printed.blocks import (
    Document,
    Heading,
    Paragraph,
    Picture,
    PrintedTable,
    contents_of,
)
from even_ballot.formats.printed.looks import PAPER, look_of
from even_ballot.formats.writers.containers import settled
from even_ballot.formats.writers.docx_table import CELL, GROUP, HEAD, SOFT, table_xml, xml_text
from even_ballot.formats.writers.house_template import house_template
from even_ballot.formats.writers.properties import say_about

_W = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'
_NOTE, _ITEM = "Table Note", "List Bullet"
_BUILT_IN = (
    "Normal", "Title", "Subtitle", "Heading 1", "Heading 2", "Heading 3", "Heading 4", "Caption", _ITEM,
)  # fmt: skip


def opened(template: bytes | None) -> Any:
    """An empty document, with the styles of a house template where one is given."""
    if template is None:
        return open_document()
    return open_document(io.BytesIO(house_template(template)[0]))


class _Writer:
    """Writes a document part after part."""

    def __init__(self, document: Document, template: bytes | None) -> None:
        self._of, self._look, self._own = document, look_of(document.style), template is None
        self._docx = opened(template)
        self._mark, self._turned = 0, False
        self._styles()
        self._page(self._docx.sections[0], False)

    def _styles(self) -> None:
        """Our own styles, as far as the template does not have them."""
        known = {style.name for style in self._docx.styles}
        look = self._look
        # A house template may lack what it never used.
        for name in _BUILT_IN:
            if name not in known:
                self._docx.styles.add_style(name, WD_STYLE_TYPE.PARAGRAPH)
        for name, size in ((CELL, 9), (SOFT, 8), (HEAD, 9), (GROUP, 9), (_NOTE, 8)):
            if name not in known:
                style = self._docx.styles.add_style(name, WD_STYLE_TYPE.PARAGRAPH)
                style.base_style = self._docx.styles["Normal"]
                style.font.size = Pt(size)
                style.font.bold = name in (HEAD, GROUP)
                style.paragraph_format.space_after = Pt(2 if name == _NOTE else 0)
                style.paragraph_format.space_before = Pt(4 if name == GROUP else 2 if name == _NOTE else 0)
                if name in (SOFT, _NOTE):
                    style.font.color.rgb = RGBColor.from_string("5F584F")
        if self._own:
            accent = RGBColor.from_string(look.accent[1:])
            self._docx.styles["Normal"].font.name = "Calibri"
            self._docx.styles["Normal"].font.size = Pt(look.size + 0.5)
            for name in ("Title", "Heading 1", "Heading 2", "Heading 3", "Heading 4", "Caption", "Subtitle"):
                style = self._docx.styles[name]
                style.font.name = "Georgia" if look.serif else "Calibri"
                # The theme's own letters stand before a named typeface.
                fonts = style.element.rPr.rFonts
                for key in [key for key in fonts.attrib if key.endswith("heme")]:
                    del fonts.attrib[key]
                style.font.color.rgb = accent if name.startswith("Heading 1") else RGBColor(0x1D, 0x1B, 0x18)
                style.font.italic = False
            self._docx.styles["Caption"].font.size = Pt(look.size + 1)
            self._docx.styles["Caption"].paragraph_format.keep_with_next = True

    def _page(self, section: Any, turned: bool) -> None:
        wide, tall = PAPER[self._of.style.paper]
        section.orientation = WD_ORIENT.LANDSCAPE if turned else WD_ORIENT.PORTRAIT
        section.page_width, section.page_height = (Mm(tall), Mm(wide)) if turned else (Mm(wide), Mm(tall))
        if self._own:
            for side in ("left_margin", "right_margin", "top_margin", "bottom_margin"):
                setattr(section, side, Mm(self._look.margin))

    def _turn(self, turned: bool) -> None:
        if turned != self._turned:
            self._page(self._docx.add_section(WD_SECTION.NEW_PAGE), turned)
            self._turned = turned

    def _bookmarked(self, paragraph: Any, anchor: str) -> None:
        """Gives a paragraph an anchor that contents and links lead to."""
        self._mark += 1
        name = "".join(c if c.isalnum() else "_" for c in anchor)[:38]
        start = f'<w:bookmarkStart {_W} w:id="{self._mark}" w:name="_{name}"/>'
        place = 1 if paragraph._p.pPr is not None else 0
        paragraph._p.insert(place, parse_xml(start))
        paragraph._p.append(parse_xml(f'<w:bookmarkEnd {_W} w:id="{self._mark}"/>'))

    def _text(self, text: str, style: str) -> Any:
        return self._docx.add_paragraph(no_controls(text), style)

    def _field(self, paragraph: Any, code: str, shown: str) -> None:
        """A field with what it shows until it is worked out anew."""
        for inside in (
            '<w:fldChar w:fldCharType="begin"/>',
            f'<w:instrText xml:space="preserve"> {code} </w:instrText>',
            '<w:fldChar w:fldCharType="separate"/>',
            f'<w:t xml:space="preserve">{xml_text(shown)}</w:t>',
            '<w:fldChar w:fldCharType="end"/>',
        ):
            paragraph._p.append(parse_xml(f"<w:r {_W}>{inside}</w:r>"))

    def _caption(self, label: str, title: str, anchor: str, more: str = "") -> None:
        """A caption; its number is a field, so that it follows what is put in or taken out."""
        paragraph = self._docx.add_paragraph("", "Caption")
        if label and not more:
            kind, number = label.split(" ", 1)
            paragraph.add_run(f"{kind} ")
            self._field(paragraph, f"SEQ {kind} \\* ARABIC", number)
            paragraph.add_run(f". {no_controls(title)}")
        else:
            paragraph.add_run(no_controls(f"{label}. {title}" if label else title) + more)
        if not more:
            self._bookmarked(paragraph, anchor)

    def _contents(self) -> None:
        self._text("Contents", "Heading 2")
        for k, line in enumerate(contents_of(self._of)):
            paragraph = self._docx.add_paragraph("", "Normal")
            paragraph.paragraph_format.left_indent = Mm(6 * (line.level - 1))
            paragraph.paragraph_format.space_after = Pt(1)
            if not k:
                for inside in (
                    '<w:fldChar w:fldCharType="begin"/>',
                    '<w:instrText xml:space="preserve"> TOC \\o "1-2" \\h \\t "Caption,2" </w:instrText>',
                    '<w:fldChar w:fldCharType="separate"/>',
                ):
                    paragraph._p.append(parse_xml(f"<w:r {_W}>{inside}</w:r>"))
            name = "_" + "".join(c if c.isalnum() else "_" for c in line.anchor)[:38]
            said = f"<w:r><w:t>{xml_text(line.text)}</w:t></w:r>"
            link = f'<w:hyperlink {_W} w:anchor="{name}" w:history="1">{said}</w:hyperlink>'
            paragraph._p.append(parse_xml(link))
            paragraph.add_run("\t")
            self._field(paragraph, f"PAGEREF {name} \\h", "")
            paragraph.paragraph_format.tab_stops.add_tab_stop(
                Mm(room(self._of, False)), alignment=2, leader=1
            )  # fmt: skip
        paragraph._p.append(parse_xml(f'<w:r {_W}><w:fldChar w:fldCharType="end"/></w:r>'))

    def title(self) -> None:
        """Title, subtitle, authors, date, contents."""
        self._text(self._of.title, "Title")
        if self._of.subtitle:
            self._text(self._of.subtitle, "Subtitle")
        by = " · ".join(filter(None, (", ".join(self._of.authors), self._of.date)))
        if by:
            self._text(by, "Normal")
        if self._of.contents and contents_of(self._of):
            self._contents()

    def block(self, block: Any) -> None:
        """A heading, paragraph, table or picture."""
        if isinstance(block, PrintedTable):
            self._turn(is_turned(self._of, block))
            self._table(block)
            return
        self._turn(False)
        match block:
            case Heading():
                self._bookmarked(self._text(block.text, f"Heading {block.level}"), block.anchor)
            case Paragraph():
                paragraph = self._docx.add_paragraph("", _ITEM if block.item else "Normal")
                for run in block.runs:
                    paragraph.add_run(no_controls(run.text)).italic = run.stressed or None
            case Picture():
                self._picture(block)

    def _table(self, table: PrintedTable) -> None:
        cut = pieces(table, room(self._of, self._turned), self._of.style.widest)
        for k, piece in enumerate(cut):
            self._caption(piece.label, piece.title, piece.anchor, " (continued)" if k else "")
            if piece.subtitle:
                self._text(piece.subtitle, _NOTE).paragraph_format.keep_with_next = True
            self._docx.element.body.insert(-1, parse_xml(table_xml(piece)))
            if k < len(cut) - 1:
                self._text("", _NOTE)
        for note in table.notes or ("",):
            self._text(note, _NOTE)

    def _picture(self, picture: Picture) -> None:
        self._caption(picture.label, picture.title, picture.anchor)
        content = drawn(chart_svg(picture.chart), "png")
        wide = min(room(self._of, False), WIDE * 25.4 / 96)
        shape = self._docx.add_picture(io.BytesIO(content), width=Mm(wide))
        shape._inline.docPr.set("descr", no_controls(picture.says)[:2000])
        shape._inline.docPr.set("title", no_controls(picture.caption)[:250])

    def _footer(self) -> None:
        footer = self._docx.sections[0].footer.paragraphs[0]
        footer.alignment = WD_ALIGN_PARAGRAPH.RIGHT
        self._field(footer, "PAGE", "1")

    def content(self) -> bytes:
        """The file."""
        if self._own:
            self._footer()
        say_about(self._docx.core_properties, self._of)
        out = io.BytesIO()
        self._docx.save(out)
        return settled(out.getvalue())


def docx_file(document: Document, template: bytes | None = None) -> bytes:
    """A document as .docx. The same document gives the same bytes. template: a .docx whose styles, margins
    and headers are used. Raises StudyError where the template is none."""
    writer = _Writer(document, template)
    writer.title()
    for block in document.blocks:
        writer.block(block)
    return writer.content()
