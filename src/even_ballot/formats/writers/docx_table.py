"""A printed table as the XML of a text document, written at once: cell by cell through a library takes many
times as long."""

from collections.abc import Iterator
from html import escape

from even_ballot.formats.documents.paging import stub_widths, widths
from even_ballot.formats.images.drawing import no_controls
from even_ballot.formats.printed.blocks import Entry, PrintedTable, Row

_SPACE = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'
_TWIPS = 1440 / 25.4
_ROOMY = 1.1
"""Other letters than ours may be wider."""
CELL, SOFT, HEAD, GROUP = "Table Figures", "Table Beside", "Table Heading", "Table Question"
"""Names of the paragraph styles of cells."""


def style_id(name: str) -> str:
    """The identifier of a style, which has no spaces."""
    return name.replace(" ", "")


def xml_text(text: str) -> str:
    """A text as it stands in XML."""
    return escape(no_controls(text), quote=False)


def _run(text: str, raised: str = "") -> str:
    own = f'<w:r><w:t xml:space="preserve">{xml_text(text)}</w:t></w:r>' if text else ""
    if raised:
        own += (
            '<w:r><w:rPr><w:vertAlign w:val="superscript"/></w:rPr>'
            f'<w:t xml:space="preserve"> {xml_text(raised)}</w:t></w:r>'
        )
    return own


def _cell(
    inside: str,
    style: str,
    side: str = "right",
    span: int = 1,
    merge: str = "",
    below: bool = False,
    indent: int = 0,
) -> str:
    own = f'<w:gridSpan w:val="{span}"/>' if span > 1 else ""
    own += {"": "", "first": '<w:vMerge w:val="restart"/>', "more": "<w:vMerge/>"}[merge]
    own += '<w:tcBorders><w:bottom w:val="single" w:sz="4" w:color="8A8378"/></w:tcBorders>' if below else ""
    own += "<w:noWrap/>" if side == "right" else ""
    own += '<w:vAlign w:val="bottom"/>' if style == HEAD else ""
    pull = f'<w:ind w:left="{indent}"/>' if indent else ""
    para = f'<w:pPr><w:pStyle w:val="{style_id(style)}"/>{pull}<w:jc w:val="{side}"/></w:pPr>'
    return f"<w:tc><w:tcPr>{own}</w:tcPr><w:p>{para}{inside}</w:p></w:tc>"


def _row(cells: str, heading: bool = False) -> str:
    own = "<w:cantSplit/>" + ("<w:tblHeader/>" if heading else "")
    return f"<w:tr><w:trPr>{own}</w:trPr>{cells}</w:tr>"


def _heads(table: PrintedTable) -> Iterator[str]:
    """Rows of headings; the stub's names and whatever reaches down are merged over them."""
    down: dict[int, int] = {}
    for r, row in enumerate(table.heads):
        last = r == len(table.heads) - 1
        merge = "" if len(table.heads) == 1 else "first" if r == 0 else "more"
        cells = [_cell(_run(name if r == 0 else ""), HEAD, "left", 1, merge, last) for name in table.stub]
        at, heads = 0, {head.first: head for head in row}
        while at < table.columns:
            if down.get(at, 0) > 0:
                cells.append(_cell("", HEAD, "right", 1, "more", last))
                down[at] -= 1
                at += 1
            elif (head := heads.get(at)) is not None:
                side = "center" if head.span > 1 else "right"
                tall = "first" if head.down > 1 else ""
                cells.append(_cell(_run(head.text), HEAD, side, head.span, tall, last or head.span > 1))
                for c in range(at, at + head.span):
                    down[c] = head.down - 1
                at += head.span
            else:
                cells.append(_cell("", HEAD, "right", 1, "", last))
                at += 1
        yield _row("".join(cells), heading=True)


def _entry(entry: Entry, style: str) -> str:
    return _cell(_run(entry.text, entry.beside), style)


def _figures(row: Row) -> str:
    style = SOFT if row.weight == "soft" else CELL
    indent = 240 if row.weight == "soft" and len(row.labels) == 1 else 0
    labels = "".join(_cell(_run(label), style, "left", indent=indent) for label in row.labels)
    return _row(labels + "".join(_entry(entry, style) for entry in row.entries))


def table_xml(table: PrintedTable) -> str:
    """The element of a table."""
    wide = [round(_ROOMY * each * _TWIPS) for each in stub_widths(table)]
    wide += [round(_ROOMY * each * _TWIPS) for each in widths(table)]
    rows = list(_heads(table))
    for group in table.groups:
        if group.title:
            rows.append(_row(_cell(_run(group.title), GROUP, "left", table.columns + len(table.stub))))
        rows += (_figures(row) for row in group.rows)
    rule = '<w:{} w:val="single" w:sz="6" w:space="0" w:color="8A8378"/>'
    edges = f"<w:tblBorders>{rule.format('top')}{rule.format('bottom')}</w:tblBorders>"
    title = xml_text(table.caption).replace('"', "&quot;")[:250]
    about = (
        f'<w:tblW w:w="{sum(wide)}" w:type="dxa"/>{edges}<w:tblLayout w:type="fixed"/>'
        '<w:tblCellMar><w:left w:w="60" w:type="dxa"/><w:right w:w="60" w:type="dxa"/></w:tblCellMar>'
        f'<w:tblLook w:firstRow="1" w:firstColumn="1"/><w:tblCaption w:val="{title}"/>'
    )
    grid = "".join(f'<w:gridCol w:w="{each}"/>' for each in wide)
    return f"<w:tbl {_SPACE}><w:tblPr>{about}</w:tblPr><w:tblGrid>{grid}</w:tblGrid>{''.join(rows)}</w:tbl>"
