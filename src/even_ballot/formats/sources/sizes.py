"""What a file unpacks to, looked at before it is unpacked."""

import io
import re
import zipfile
from collections.abc import Sequence

import numpy as np

from even_ballot.core.data.dataset import ANSWERED, RawTable
from even_ballot.core.data.words import Words
from even_ballot.core.faults import fault

MOST_CELLS, MOST_COLUMNS = 1_000_000_000, 20_000
LONGEST_HEADING, LONGEST_ENTRY = 10_000, 1_000_000
"""Characters that a heading and a single entry may have."""
UNPACKED = 2 << 30
_PLAIN, _RATIO = 100_000_000, 1000
_PIECE = 1 << 20
_REFERENCE = re.compile(rb'r="([A-Z]{1,3})(\d{1,7})"')


def check_cells(rows: int, columns: int, size: int, path: str) -> None:
    """Refuses a table of more cells than are read, or than its bytes can honestly hold."""
    check_columns(columns, path)
    cells = rows * columns
    if cells > MOST_CELLS or (cells > _PLAIN and cells > _RATIO * size):
        raise fault(
            f"This says that it holds {rows:,} rows × {columns:,} columns = {cells:,} cells, in {size:,} "
            "bytes.",
            path,
            f"At most {MOST_CELLS:,} are read. Save only the rows and columns that are filled.",
        )


def check_columns(columns: int, path: str) -> None:
    """Refuses a table of more columns than are read."""
    if columns > MOST_COLUMNS:
        raise fault(
            f"This has {columns:,} columns; at most {MOST_COLUMNS:,} are read.",
            path,
            "Leave out columns that are not needed, or import them as several files.",
        )


def check_headings(labels: Sequence[str], path: str) -> None:
    """Refuses a heading that is longer than any question."""
    for at, label in enumerate(labels, start=1):
        if len(label) > LONGEST_HEADING:
            raise fault(
                f"The heading of column {at:,} has {len(label):,} characters; at most "
                f"{LONGEST_HEADING:,} are read.",
                path,
                "Shorten it. Where it is not a heading, check the quotes and the delimiter.",
            )


def check_entries(table: RawTable, path: str) -> None:
    """Refuses a single entry that is longer than any answer, by its column and record."""
    for name, column in zip(table.names, table.columns, strict=True):
        words = column.words
        lengths = (
            words.lengths if isinstance(words, Words) else np.array([len(word) for word in words] or [0])
        )
        if (
            lengths.max(initial=0) > LONGEST_ENTRY
            and (longest := len(words[int(lengths.argmax())])) > LONGEST_ENTRY
        ):
            held = np.flatnonzero((column.values == lengths.argmax()) & (column.state == ANSWERED))
            record = int(table.rows[held[0]]) if len(held) else 1
            raise fault(
                f"The entry of {name} in record {record:,} has {longest:,} characters; at most "
                f"{LONGEST_ENTRY:,} are read.",
                path,
                "Shorten it. Where it is not one answer, check the quotes.",
            )


def _column(letters: bytes) -> int:
    at = 0
    for letter in letters:
        at = at * 26 + letter - 64
    return at


def check_archive(content: bytes, path: str) -> None:
    """Refuses a spreadsheet that is damaged, encrypted, or unpacks to more than is read; looks at how far
    its sheets reach."""
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            items = archive.infolist()
            if any(item.flag_bits & 1 for item in items):
                raise fault("The spreadsheet is encrypted.", path, "Save it without a password.")
            unpacked = sum(item.file_size for item in items)
            if unpacked > UNPACKED or (unpacked > _PLAIN and unpacked > _RATIO * max(len(content), 1)):
                raise fault(
                    f"The spreadsheet unpacks to {unpacked / 2**30:.1f} GiB; at most 2 are read.",
                    path,
                    "Save it as CSV.",
                )
            for item in items:
                if item.filename.endswith("workbook.xml"):
                    _check_letters(archive, item, path)
                if item.filename.endswith(".xml") and "worksheets" in item.filename:
                    _check_letters(archive, item, path)
                    _check_sheet(archive, item, len(content), path)
    except (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError):
        raise fault(
            "The spreadsheet is damaged or cut off.", path, "Save it again as XLSX or ODS, or as CSV."
        ) from None


def _check_letters(archive: zipfile.ZipFile, item: zipfile.ZipInfo, path: str) -> None:
    """Refuses a part in UTF-16, which reads as an empty sheet."""
    with archive.open(item) as part:
        if b"\x00" in part.read(4):
            raise fault(
                f"The spreadsheet's {item.filename} is written in UTF-16, which is not read.",
                path,
                "Open it and save it again as XLSX or ODS, or as CSV.",
            )


def _check_sheet(archive: zipfile.ZipFile, item: zipfile.ZipInfo, size: int, path: str) -> None:
    """How far the cells of a sheet reach, by their own references."""
    rows, columns = 0, 0
    seen: set[bytes] = set()
    rest = b""
    with archive.open(item) as sheet:
        while piece := sheet.read(_PIECE):
            text = rest + piece
            for letters, number in _REFERENCE.findall(text):
                rows = max(rows, int(number))
                if letters not in seen:
                    seen.add(letters)
                    columns = max(columns, _column(letters))
            rest = text[-40:]
    check_cells(rows, columns, max(size, item.compress_size * 20), path)
