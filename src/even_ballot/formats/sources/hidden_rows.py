"""Rows of a spreadsheet that are hidden or filtered away."""

import io
import posixpath
import re
import zipfile
from collections.abc import Iterator

_ROW = re.compile(rb"<(?:\w+:)?row\b[^>]*>")
_NUMBER = re.compile(rb'\br="(\d{1,7})"')
_HIDDEN = re.compile(rb'\bhidden="(?:1|true)"')
_SHEET = re.compile(rb"<(?:\w+:)?sheet\b[^>]*>")
_RELATION = re.compile(rb"<(?:\w+:)?Relationship\b[^>]*>")
_ODS_TAG = re.compile(rb"<table:table(?:-row)?(?=[\s/>])[^>]*>")
_ODS_SHEET = re.compile(rb"<table:table[\s/>]")
_ODS_REPEATED = re.compile(rb'\btable:number-rows-repeated="(\d{1,7})"')
_ODS_HIDDEN = re.compile(rb'\btable:visibility="(?:collapse|filter)"')
_MOST_ROWS = 1 << 20
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


def _tags(archive: zipfile.ZipFile, part: str, wanted: re.Pattern[bytes]) -> Iterator[bytes]:
    """The tags of a part that are wanted, in their order, a piece of it in memory at a time."""
    rest = b""
    with archive.open(part) as file:
        while piece := file.read(_PIECE):
            text = rest + piece
            end = text.rfind(b">") + 1
            yield from wanted.findall(text[:end])
            rest = text[end:][-4096:]


def _away_in_xlsx(archive: zipfile.ZipFile, part: str) -> Iterator[int]:
    number = 0
    for tag in _tags(archive, part, _ROW):
        said = _NUMBER.search(tag)
        number = int(said[1]) if said else number + 1
        if _HIDDEN.search(tag):
            yield number - 1


def _away_in_ods(archive: zipfile.ZipFile, at: int) -> Iterator[int]:
    sheet, row = -1, 0
    for tag in _tags(archive, "content.xml", _ODS_TAG):
        if _ODS_SHEET.match(tag):
            sheet, row = sheet + 1, 0
            continue
        if sheet > at:
            return
        said = _ODS_REPEATED.search(tag)
        rows = int(said[1]) if said else 1
        if sheet == at and _ODS_HIDDEN.search(tag):
            yield from range(row, min(row + rows, _MOST_ROWS))
        row += rows


def hidden_rows(content: bytes, at: int) -> frozenset[int]:
    """The rows, from 0, that the sheet at a place in an XLSX or ODS workbook does not show: hidden, or
    filtered away. The archive has been checked for its size before."""
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        if "content.xml" in archive.namelist():
            return frozenset(_away_in_ods(archive, at))
        part = _part_of(archive, at)
        return frozenset() if part is None else frozenset(_away_in_xlsx(archive, part))
