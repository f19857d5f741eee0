"""Delimited text: encoding and delimiter guessed, ragged records named by line, every column kept as text."""

import csv
import io
import re
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import csv as arrow_csv

from even_ballot.core.data.dataset import BLANK, Column, RawTable
from even_ballot.core.faults import Fault, StudyError, counted, fault, some
from even_ballot.core.numerics.arrays import Bools
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.study.study_file import Source
from even_ballot.formats.guarding import unguarded
from even_ballot.formats.sources.headings import guess_heading_rows, split_headings
from even_ballot.formats.sources.letters.encodings import as_utf8
from even_ballot.formats.sources.packing import as_column
from even_ballot.formats.sources.sizes import LONGEST_ENTRY, check_columns, check_headings
from even_ballot.formats.sources.surroundings import cut_tail, guess_rows_above, repeats

DELIMITERS = ",;\t|"

_SNIFF, _HEAD, _LOOKED_AT = 64 * 1024, 1 << 20, 60
_FEW, _SMALL, _BLOCK, _LARGE = 64, 1 << 22, 1 << 24, 1 << 20

_LINE_END = re.compile(rb"\r\n|\n|\r")


@dataclass(frozen=True)
class Guess:
    """What was found out about a delimited file."""

    encoding: str
    delimiter: str
    header_rows: int = 1
    names_row: int = 1
    rows_above: int | None = None
    rows_below: int | None = None
    repeated: bool | None = None


def guess_delimiter(text: str) -> str:
    """The delimiter that splits the first records into the most columns, evenly."""
    best, score = ",", (0.0, 0)
    for delimiter in DELIMITERS:
        try:
            rows = [
                row
                for _, row in zip(range(50), csv.reader(io.StringIO(text), delimiter=delimiter), strict=False)
                if row
            ]
        except csv.Error:
            continue
        if not rows:
            continue
        wide = len(rows[0])
        if wide == 1:
            # The first rows may be a title; what follows is a table where it is wide and even.
            wide = Counter(map(len, rows)).most_common(1)[0][0]
            if wide < 3 or sum(len(row) == wide for row in rows) < 0.7 * len(rows):
                continue
        even = sum(len(row) == wide for row in rows) / len(rows)
        if (even, wide) > score:
            best, score = delimiter, (even, wide)
    return best


def _ragged(text: str, delimiter: str, width: int, path: str) -> StudyError:
    """The faults of records with too many or too few fields, by line."""
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    wrong: list[tuple[int, int]] = []
    start = 1
    for row in reader:
        if row and len(row) != width:
            wrong.append((start, len(row)))
        start = reader.line_num + 1
    shapes = ", ".join(
        f"{counted(n, 'field')} in line {some([line for line, m in wrong if m == n])}"
        for n, _ in Counter(n for _, n in wrong).most_common(3)
    )
    what = (
        f"{counted(len(wrong), 'record does', 'records do')} not have the {counted(width, 'field')} of the "
        "heading: "
        f"{shapes or 'see the quotes'}."
    )
    lines = some([line for line, _ in wrong])
    return StudyError(
        Fault(
            what,
            f"{path}, line {lines}" if wrong else path,
            "Close open quotes, quote values that contain the delimiter, or name the right delimiter.",
        )
    )


def without_blank_records(
    names: tuple[str, ...], labels: tuple[str, ...], columns: list[Column], left_out: Bools | None = None
) -> RawTable:
    """A table without its wholly blank records; the others keep their numbers. left_out: others that are no
    records."""
    n = len(columns[0].values) if columns else 0
    filled = np.zeros(n, np.bool_)
    for column in columns:
        filled |= column.state != BLANK
    blank = n - int(filled.sum())
    if left_out is not None:
        filled &= ~left_out
    rows = np.arange(1, n + 1, dtype=np.int64)
    if not filled.all():
        rows, columns = rows[filled], [column.take(filled) for column in columns]
    if not len(rows):
        raise fault(
            "The file contains no answers below its headings.", "", "Choose a file with at least one record."
        )
    return RawTable(names, labels, tuple(columns), rows, blank)


def _in_entries(texts: list[Any], progress: Progress) -> list[Column]:
    """Columns as their distinct entries; each one's texts are let go once it is there."""

    def entries(at: int) -> Column:
        text, texts[at] = texts[at], None
        column, large = as_column(text), text.nbytes > _LARGE
        del text
        if large:
            pa.default_memory_pool().release_unused()
        return column

    columns: list[Column] = []
    with ThreadPoolExecutor(2) as pool:
        for column in pool.map(entries, range(len(texts))):
            columns.append(column)
            progress(f"Looking at column {len(columns)} of {len(texts)}", len(columns) / len(texts))
    return columns


def read_delimited(content: bytes, source: Source, progress: Progress = quiet) -> tuple[RawTable, Guess]:
    """A delimited file as text columns, and what was guessed.

    Raises StudyError for an empty or binary file, for undecodable bytes, and for ragged records, by line.
    """
    if not content[:_HEAD].strip() and not content.strip():
        raise fault(
            "The file is empty.", source.path, "Choose a file with a row of headings and at least one record."
        )
    progress("Reading the text", None)
    body, encoding = as_utf8(content, source)
    head = body[:_HEAD].decode(errors="ignore")
    delimiter = source.delimiter or guess_delimiter(head[:_SNIFF])
    heads, lines, names_row, above = _headings(head, delimiter, source)
    wide = max(map(len, heads))
    check_columns(wide, source.path)
    body, below = cut_tail(body, delimiter, wide, source.rows_below)
    names, labels = split_headings([row + [""] * (wide - len(row)) for row in heads], names_row)
    check_headings(labels, source.path)
    _check_closed(body, lines, source.path)
    progress("Splitting the records", None)
    texts = _parsed(body, delimiter, len(names), lines, source.path, progress)
    check_last(texts, body, source.path)
    columns = _in_entries(texts, progress)
    columns, again = as_written(columns, heads[names_row - 1], source)
    found = again is not None and bool(again.any())
    guess = Guess(
        encoding,
        delimiter,
        len(heads),
        names_row,
        above if source.rows_above is None else source.rows_above,
        (below or None) if source.rows_below is None else source.rows_below,
        True if found else source.repeated,
    )
    return without_blank_records(names, labels, columns, again), guess


def as_written(
    columns: list[Column], headings: Sequence[str], source: Source
) -> tuple[list[Column], Bools | None]:
    """Columns of delimited text with the texts that were written here as they were before they were guarded;
    and which records are the headings once more, where those are left out."""
    if headings[0].strip() == "row":
        columns = [replace(column, words=tuple(map(unguarded, column.words))) for column in columns]
    return columns, repeats(columns, headings) if source.repeated is not False else None


def _headings(head: str, delimiter: str, source: Source) -> tuple[list[list[str]], int, int, int | None]:
    """The rows of headings, how many lines of the file they and what is above them take up, which of them
    holds the names, and how many rows are above, where that was guessed to be any."""
    reader = csv.reader(io.StringIO(head, newline=""), delimiter=delimiter)
    rows: list[list[str]] = []
    ends: list[int] = []
    try:
        for row in reader:
            if any(cell.strip() for cell in row):
                rows.append(row)
                ends.append(reader.line_num)
            if len(rows) == _LOOKED_AT:
                break
    except csv.Error as error:
        # Further down it is the records that do not read; they are reported by line when they are taken
        # apart.
        if len(rows) < (source.header_rows or 1):
            raise fault(
                f"The headings do not read as delimited text: {error}.", source.path, "Check the quotes."
            ) from None
    if not rows:
        raise fault(
            "The file contains no answers: every cell is blank.",
            source.path,
            "Choose a file with headings and records.",
        )
    above = guess_rows_above(rows) if source.rows_above is None else min(source.rows_above, len(rows) - 1)
    rows, ends = rows[above:], ends[above:]
    n, names_row = guess_heading_rows(rows) if source.header_rows is None else (source.header_rows, 1)
    return rows[:n], ends[min(n, len(ends)) - 1], source.names_row or names_row, above or None


def _open_quote(at: int, body: bytes, path: str) -> StudyError:
    line = len(_LINE_END.findall(body, 0, at)) + 1
    return fault(
        "A quoted cell begins here and is never closed, so that all that follows would be one answer.",
        f"{path}, line {line}",
        "Close the quote, or take it out.",
    )


def _check_closed(body: bytes, lines: int, path: str) -> None:
    """Refuses headings whose last cell is quoted and has no end."""
    if _after(body, lines) == len(body) and body.count(b'"') % 2:
        raise _open_quote(body.rfind(b'"'), body, path)


def check_last(columns: list[pa.ChunkedArray], body: bytes, path: str) -> None:
    """Refuses a file that ends inside a quoted cell. Such a cell is the last of the last record, and holds
    the rest of the file."""
    if not len(columns[-1]) or b'"' not in body:
        return
    last = columns[-1][-1].as_py() or ""
    rest = last.replace('"', '""').encode()
    opens = len(body) - len(rest) - 1
    if opens < 0 or body[opens : opens + 1] != b'"' or not body.endswith(rest):
        return
    before = body[opens - 1 : opens]
    # A quote in front of it that is no beginning of a cell closes or doubles another.
    if last or before != b'"':
        at_start = before in (b"", b"\n", b"\r") or not (before.isalnum() or before == b'"')
        if at_start:
            raise _open_quote(opens, body, path)


def _after(body: bytes, lines: int) -> int:
    """Where the line after so many begins."""
    at = 0
    for _ in range(lines):
        found = _LINE_END.search(body, at)
        if found is None:
            return len(body)
        at = found.end()
    return at


def _parsed(
    body: bytes, delimiter: str, width: int, skip: int, path: str, progress: Progress
) -> list[pa.ChunkedArray]:
    """The columns, taken apart block by block: of each block the distinct entries of a column, and which of
    them each cell holds."""
    keys = [str(i) for i in range(width)]
    start = _after(body, skip)
    if not body[start : start + _HEAD].strip() and not body[start:].strip():
        raise fault(
            "The file contains headings and no records.", path, "Choose a file with at least one record."
        )
    # Small blocks take less time and memory, but are laid out for a block's letters in each column.
    few = width <= _FEW
    kept = list[pa.RecordBatch]()
    try:
        reader = arrow_csv.open_csv(
            pa.BufferReader(pa.py_buffer(body).slice(start)),
            read_options=arrow_csv.ReadOptions(column_names=keys, block_size=_SMALL if few else _BLOCK),
            parse_options=arrow_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True),
            convert_options=arrow_csv.ConvertOptions(
                column_types=dict.fromkeys(keys, pa.dictionary(pa.int32(), pa.string())),
                strings_can_be_null=False,
                quoted_strings_can_be_null=False,
            ),
        )
        for batch in reader:
            kept.append(batch)
            progress("Splitting the records", None)
        return list(pa.Table.from_batches(kept, reader.schema).columns)
    except pa.ArrowInvalid as error:
        if "straddling" in str(error):
            raise fault(
                f"An entry has more than {LONGEST_ENTRY:,} characters.",
                path,
                "Shorten it. Where it is not one answer, check the quotes.",
            ) from None
        if "columns" in str(error).lower():
            raise _ragged(body.decode(), delimiter, width, path) from None
        raise fault(
            f"The file does not read as delimited text: {error}.", path, "Check the quotes."
        ) from None


def first_record(head: bytes, tail: bytes, guess: Guess, source: Source) -> tuple[int, int]:
    """Where the records of a file in UTF-8 begin, and how many bytes of its end are none. head, tail: its
    first and last bytes."""
    marked = 3 if head.startswith(b"\xef\xbb\xbf") else 0
    text = head[marked:].decode(errors="ignore")
    heads, lines, *_ = _headings(text, guess.delimiter, source)
    kept, _ = cut_tail(tail, guess.delimiter, max(map(len, heads)), source.rows_below)
    return marked + _after(head[marked:], lines), len(tail) - len(kept)


def ragged_in(error: str, path: str) -> StudyError:
    """What Arrow says of a file that is read block by block."""
    if "columns" in error.lower():
        found = error.split(":", 1)[-1].strip()[:200]
        what = f"A record does not have as many fields as the heading: {found}."
        return fault(what, path, "Close open quotes, or quote values that contain the delimiter.")
    return fault(f"The file does not read as delimited text: {error[:200]}.", path, "Check the quotes.")


def as_csv(table: RawTable) -> bytes:
    """A table as the bytes of a CSV with two rows of headings, names and full texts. A record stands at
    its own number: numbers that are left out are blank lines of commas."""
    texts = [
        np.array((*column.words, ""), object)[np.where(column.state == BLANK, -1, column.values)]
        for column in table.columns
    ]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(table.names)
    writer.writerow(table.labels)
    nothing = [""] * len(table.names)
    at = 1
    for row, record in zip(table.rows.tolist(), zip(*texts, strict=True), strict=True):
        while at < row:
            writer.writerow(nothing)
            at += 1
        writer.writerow(record)
        at += 1
    return out.getvalue().encode()
