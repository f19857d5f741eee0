"""An open document spreadsheet, filled as other workbooks are: sheets with cells, widths, merged headings,
what is repeated on every page."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from html import escape
from typing import Any

from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.formats.documents.sections.methods import Hashes
from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.workbooks.workbook import fill
from even_ballot.formats.writers.containers import archive

_NAMES = " ".join(
    f'xmlns:{short}="urn:oasis:names:tc:opendocument:xmlns:{long}:1.0"'
    for short, long in (
        ("office", "office"), ("style", "style"), ("text", "text"), ("table", "table"),
        ("number", "datastyle"), ("meta", "meta"),
    )
) + (
    ' xmlns:fo="urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0"'
    ' xmlns:xlink="http://www.w3.org/1999/xlink" xmlns:dc="http://purl.org/dc/elements/1.1/"'
)  # fmt: skip
_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'
_TYPE = "application/vnd.oasis.opendocument.spreadsheet"
_MM = 2.2
"""Millimetres of a character's width."""


def _xml(text: str) -> str:
    return escape(no_controls(text))


@dataclass
class _Cell:
    value: float | None
    text: str
    style: str
    columns: int = 1
    link: str = ""


@dataclass
class _Sheet:
    """One sheet, as it is filled. Only the calls that our workbooks make."""

    name: str
    cells: dict[int, dict[int, _Cell]] = field(default_factory=dict)
    columns: dict[int, float] = field(default_factory=dict)
    frozen: tuple[int, int] = (0, 0)
    repeated: tuple[int, int] | None = None
    turned: bool = False

    def _put(self, row: int, column: int, cell: _Cell) -> None:
        self.cells.setdefault(row, {})[column] = cell

    def write(self, row: int, column: int, value: object, style: str = "") -> None:
        """A text, or a number."""
        if isinstance(value, int | float):
            self.write_number(row, column, value, style)
        else:
            self.write_string(row, column, str(value), style)

    def write_string(self, row: int, column: int, text: str, style: str = "") -> None:
        """A text, whatever it begins with."""
        self._put(row, column, _Cell(None, text, style))

    def write_number(self, row: int, column: int, value: float, style: str = "") -> None:
        """A number, with all its digits."""
        self._put(row, column, _Cell(float(value), "", style))

    def write_blank(self, row: int, column: int, blank: None, style: str = "") -> None:
        """A cell with a style alone."""
        self._put(row, column, _Cell(None, "", style))

    def write_url(self, row: int, column: int, url: str, style: str, text: str) -> None:
        """A link to another sheet."""
        sheet = url.removeprefix("internal:'").split("'!")[0]
        self._put(row, column, _Cell(None, text, style, link=sheet))

    def merge_range(self, row: int, first: int, last_row: int, last: int, text: str, style: str = "") -> None:
        """A text over some columns of a row."""
        self._put(row, first, _Cell(None, text, style, last - first + 1))
        for column in range(first + 1, last + 1):
            self.cells[row].pop(column, None)

    def set_column(self, first: int, last: int, width: float) -> None:
        """How wide columns are, in characters."""
        self.columns |= dict.fromkeys(range(first, min(last, 16_383) + 1), width)

    def freeze_panes(self, row: int, column: int) -> None:
        """Rows and columns that stay in sight."""
        self.frozen = (row, column)

    def repeat_rows(self, first: int, last: int) -> None:
        """Rows that every page begins with."""
        self.repeated = (first, last)

    def set_landscape(self) -> None:
        """Its pages lie on their side."""
        self.turned = True

    def set_row(self, row: int, height: float) -> None:
        """Rows are as high as their text."""

    def hide_gridlines(self, option: int) -> None:
        """Rules are only where a table has them."""

    def set_paper(self, paper: int) -> None:
        """The paper is that of the document."""

    def fit_to_pages(self, wide: int, tall: int) -> None:
        """Every sheet is as wide as a page."""


class OpenBook:
    """Sheets and cell styles of a spreadsheet."""

    def __init__(self, title: str, paper: tuple[int, int]) -> None:
        self.title, self.paper = title, paper
        self.sheets: list[_Sheet] = []
        self._styles: list[dict[str, Any]] = []

    def add_worksheet(self, name: str) -> _Sheet:
        """A new sheet, after the others."""
        self.sheets.append(_Sheet(name))
        return self.sheets[-1]

    def add_format(self, settings: dict[str, Any]) -> str:
        """A format for cells: the name of its style."""
        self._styles.append(settings)
        return f"ce{len(self._styles)}"

    def _number_style(self, k: int, shown: str) -> str:
        """A number format: decimal places, thousands apart, what stands after it."""
        digits, _, beside = shown.partition('"')
        places = len(digits.partition(".")[2])
        apart = ' number:grouping="true"' if "," in digits else ""
        after = f"<number:text>{_xml(beside.rstrip(chr(34)))}</number:text>" if beside else ""
        return (
            f'<number:number-style style:name="n{k}"><number:number number:decimal-places="{places}" '
            f'number:min-decimal-places="{places}" number:min-integer-digits="1"{apart}/>{after}'
            "</number:number-style>"
        )

    def _cell_style(self, k: int, own: dict[str, Any]) -> str:
        numbers = f' style:data-style-name="n{k}"' if "num_format" in own else ""
        cell = "".join(
            f' fo:border-{side}="0.5pt solid {own.get(f"{side}_color", "#8a8378")}"'
            for side in ("top", "bottom")
            if own.get(side)
        )
        cell += ' fo:wrap-option="wrap"' if own.get("text_wrap") else ""
        cell += (
            ' style:vertical-align="top"' if own.get("valign") == "top" else ' style:vertical-align="middle"'
        )
        # Where nothing is said, texts stand at the left and numbers at the right.
        align = {"right": "end", "center": "center", "left": "start"}.get(own.get("align", ""), "")
        source = "fix" if align else "value-type"
        para = f' fo:text-align="{align}"' if align else ""
        para += f' fo:margin-left="{2.5 * own["indent"]:g}mm"' if own.get("indent") else ""
        text = f' fo:color="{own["font_color"]}" fo:font-size="{own["font_size"]}pt"'
        text += ' fo:font-weight="bold"' if own.get("bold") else ""
        text += ' fo:font-style="italic"' if own.get("italic") else ""
        text += ' style:text-underline-style="solid"' if own.get("underline") else ""
        return (
            f'<style:style style:name="ce{k}" style:family="table-cell" style:parent-style-name="Default"'
            f'{numbers}><style:table-cell-properties style:text-align-source="{source}"{cell}/>'
            f"<style:paragraph-properties{para}/><style:text-properties{text}/></style:style>"
        )

    def _automatic(self) -> Iterator[str]:
        for k, own in enumerate(self._styles, start=1):
            if "num_format" in own:
                yield self._number_style(k, own["num_format"])
            yield self._cell_style(k, own)
        for width in sorted({width for sheet in self.sheets for width in sheet.columns.values()}):
            yield (
                f'<style:style style:name="co{width:g}" style:family="table-column">'
                f'<style:table-column-properties style:column-width="{_MM * width:g}mm"/></style:style>'
            )
        yield (
            '<style:style style:name="ro" style:family="table-row">'
            '<style:table-row-properties style:use-optimal-row-height="true"/></style:style>'
        )
        for name in ("upright", "turned"):
            yield (
                f'<style:style style:name="ta-{name}" style:family="table" style:master-page-name="{name}">'
                '<style:table-properties table:display="true"/></style:style>'
            )

    def content(self) -> bytes:
        """The file. The same sheets give the same bytes."""
        body = "".join(_sheet_xml(sheet) for sheet in self.sheets)
        content = (
            f'{_HEAD}<office:document-content {_NAMES} office:version="1.3"><office:automatic-styles>'
            f"{''.join(self._automatic())}</office:automatic-styles><office:body><office:spreadsheet>{body}"
            "</office:spreadsheet></office:body></office:document-content>"
        )
        meta = (
            f'{_HEAD}<office:document-meta {_NAMES} office:version="1.3"><office:meta>'
            f"<meta:generator>Even Ballot</meta:generator><dc:title>{_xml(self.title)}</dc:title>"
            "</office:meta></office:document-meta>"
        )
        files = {
            "mimetype": _TYPE,
            "content.xml": content,
            "styles.xml": _page_styles(self.paper),
            "settings.xml": _settings(self.sheets),
            "meta.xml": meta,
            "META-INF/manifest.xml": _MANIFEST,
        }
        return archive({name: text.encode() for name, text in files.items()}, "mimetype")


def _cell_xml(cell: _Cell) -> str:
    style = f' table:style-name="{cell.style}"' if cell.style else ""
    span = (
        f' table:number-columns-spanned="{cell.columns}" table:number-rows-spanned="1"'
        if cell.columns > 1
        else ""
    )
    covered = (
        f'<table:covered-table-cell table:number-columns-repeated="{cell.columns - 1}"/>' if span else ""
    )
    if cell.value is not None:
        held = f' office:value-type="float" office:value="{cell.value!r}"'
        return f"<table:table-cell{style}{span}{held}/>{covered}"
    if not cell.text:
        return f"<table:table-cell{style}{span}/>{covered}"
    said = _xml(cell.text)
    if cell.link:
        said = f'<text:a xlink:type="simple" xlink:href="#{_xml(cell.link)}.A1">{said}</text:a>'
    said = f"<text:p>{said}</text:p>"
    return f'<table:table-cell{style}{span} office:value-type="string">{said}</table:table-cell>{covered}'


def _row_xml(cells: dict[int, _Cell]) -> str:
    parts, at = [], 0
    for column in sorted(cells):
        if column > at:
            parts.append(f'<table:table-cell table:number-columns-repeated="{column - at}"/>')
        parts.append(_cell_xml(cells[column]))
        at = column + cells[column].columns
    return (
        f'<table:table-row table:style-name="ro">{"".join(parts) or "<table:table-cell/>"}</table:table-row>'
    )


def _sheet_xml(sheet: _Sheet) -> str:
    rows = range(max(sheet.cells, default=0) + 1)
    made = [_row_xml(sheet.cells.get(row, {})) for row in rows]
    if sheet.repeated is not None:
        first, last = sheet.repeated
        head = "".join(made[first : last + 1])
        made[first : last + 1] = [f"<table:table-header-rows>{head}</table:table-header-rows>"]
    wide = max((c + cell.columns for cells in sheet.cells.values() for c, cell in cells.items()), default=1)
    widths = {c: f' table:style-name="co{width:g}"' for c, width in sheet.columns.items()}
    columns = "".join(f"<table:table-column{widths.get(c, '')}/>" for c in range(wide))
    way = "turned" if sheet.turned else "upright"
    about = f'table:name="{_xml(sheet.name)}" table:style-name="ta-{way}"'
    return f"<table:table {about}>{columns}{''.join(made)}</table:table>"


def _page_styles(paper: tuple[int, int]) -> str:
    """Pages, upright and on their side, each sheet as wide as one."""
    layouts, masters = "", ""
    for name, (wide, tall) in (("upright", paper), ("turned", paper[::-1])):
        way = "landscape" if name == "turned" else "portrait"
        layouts += (
            f'<style:page-layout style:name="pl-{name}"><style:page-layout-properties '
            f'fo:page-width="{wide}mm" fo:page-height="{tall}mm" fo:margin="15mm" '
            f'style:print-orientation="{way}" '
            'style:scale-to-X="1" style:scale-to-Y="0"/></style:page-layout>'
        )
        masters += f'<style:master-page style:name="{name}" style:page-layout-name="pl-{name}"/>'
    return (
        f'{_HEAD}<office:document-styles {_NAMES} office:version="1.3"><office:styles>'
        '<style:style style:name="Default" style:family="table-cell"/></office:styles>'
        f"<office:automatic-styles>{layouts}</office:automatic-styles>"
        f"<office:master-styles>{masters}</office:master-styles></office:document-styles>"
    )


def _settings(sheets: list[_Sheet]) -> str:
    """What stays in sight of each sheet."""

    def item(name: str, kind: str, value: object) -> str:
        return f'<config:config-item config:name="{name}" config:type="{kind}">{value}</config:config-item>'

    entries = ""
    for sheet in sheets:
        row, column = sheet.frozen
        own = item("ShowGrid", "boolean", "false")
        if column:
            own += item("HorizontalSplitMode", "short", 2) + item("HorizontalSplitPosition", "int", column)
            own += item("PositionRight", "int", column)
        if row:
            own += item("VerticalSplitMode", "short", 2) + item("VerticalSplitPosition", "int", row)
            own += item("PositionBottom", "int", row)
        if row or column:
            own += item("ActiveSplitRange", "short", 3 if row and column else 2)
        name = f'config:name="{_xml(sheet.name)}"'
        entries += f"<config:config-item-map-entry {name}>{own}</config:config-item-map-entry>"
    tables = f'<config:config-item-map-named config:name="Tables">{entries}</config:config-item-map-named>'
    view = (
        '<config:config-item-map-indexed config:name="Views"><config:config-item-map-entry>'
        f"{item('ViewId', 'string', 'view1')}{tables}"
        "</config:config-item-map-entry></config:config-item-map-indexed>"
    )
    return (
        f'{_HEAD}<office:document-settings xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
        'xmlns:config="urn:oasis:names:tc:opendocument:xmlns:config:1.0" '
        'xmlns:ooo="http://openoffice.org/2004/office" office:version="1.3"><office:settings>'
        f'<config:config-item-set config:name="ooo:view-settings">{view}</config:config-item-set>'
        "</office:settings></office:document-settings>"
    )


_MANIFEST = (
    f'{_HEAD}<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" '
    'manifest:version="1.3">'
    f'<manifest:file-entry manifest:full-path="/" manifest:version="1.3" manifest:media-type="{_TYPE}"/>'
    + "".join(
        f'<manifest:file-entry manifest:full-path="{name}.xml" manifest:media-type="text/xml"/>'
        for name in ("content", "styles", "settings", "meta")
    )
    + "</manifest:manifest>"
)


def spreadsheet(study: Study, results: Results, hashes: Hashes | None = None) -> bytes:
    """All tables of a study as .ods. The same study gives the same bytes."""
    from even_ballot.formats.printed.looks import PAPER

    style = study.release.style if study.release is not None else None
    book = OpenBook(study.title, PAPER[style.paper if style is not None else "A4"])
    fill(book, study, results, hashes)
    return book.content()
