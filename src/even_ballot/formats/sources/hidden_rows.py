"""Rows of a spreadsheet that are hidden or filtered away."""

import io
import posixpath
import re
import zipfile

_ROW = re.compile(rb"<(?:\w+:)?row\b[^>]*>")
_NUMBER = re.compile(rb'\br="(\d{1,7})"')
_HIDDEN = re.compile(rb'\bhidden="(?:1|true)"')
_SHEET = re.compile(rb"<(?:\w+:)?sheet\b[^>]*>")
_RELATION = re.compile(rb"<(?:\w+:)?Relationship\b[^>]*>")
_PIECE = 1 << 20


def _attribute(tag: bytes, name: bytes) -> str:
    found = re.search(name + rb'="([^"]*)"', tag)
    return found[1].decode(errors="replace") if found else ""


def _part_of(archive: zipfile.ZipFile, at: int) -> str | None:
    """The part of the archive that holds the sheet at a place in the workbook."""
    names = set(archive.namelist())
    if not {"xl/workbook.xml", "xl/_rels/workbook.xml.rels"} <= names:
        return None
    sheets = _SHEET.findall(archive.read("xl/workbook.xml"))
    if at >= len(sheets):
        return None
    wanted = _attribute(sheets[at], rb"\br:id") or _attribute(sheets[at], rb":id")
    for tag in _RELATION.findall(archive.read("xl/_rels/workbook.xml.rels")):
        if _attribute(tag, rb"\bId") == wanted:
            target = _attribute(tag, rb"\bTarget")
            part = target.lstrip("/") if target.startswith("/") else posixpath.normpath(f"xl/{target}")
            return part if part in names else None
    return None


def hidden_rows(content: bytes, at: int) -> frozenset[int]:
    """The rows, from 0, that the sheet at a place in an XLSX workbook does not show. An ODS file's are not
    looked for. The archive has been checked for its size before."""
    found: set[int] = set()
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        part = _part_of(archive, at)
        if part is None:
            return frozenset()
        rest, number = b"", 0
        with archive.open(part) as sheet:
            while piece := sheet.read(_PIECE):
                text = rest + piece
                end = text.rfind(b">") + 1
                for tag in _ROW.findall(text[:end]):
                    said = _NUMBER.search(tag)
                    number = int(said[1]) if said else number + 1
                    if _HIDDEN.search(tag):
                        found.add(number - 1)
                rest = text[end:][-4096:]
    return frozenset(found)
