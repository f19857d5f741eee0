"""Delimited text: encoding and delimiter guessed, ragged records named by line, every column kept as text."""

import csv
import io
from collections import Counter
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
from charset_normalizer import from_bytes
from pyarrow import csv as arrow_csv

from even_ballot.core.dataset import BLANK, Column, RawTable
from even_ballot.core.faults import Fault, StudyError, fault, some
from even_ballot.core.study import Source
from even_ballot.formats.headings import split_headings

DELIMITERS = ",;\t|"
_MARKS = {b"\xef\xbb\xbf": "utf-8-sig", b"\xff\xfe": "utf-16", b"\xfe\xff": "utf-16"}
_SNIFF = 64 * 1024


@dataclass(frozen=True)
class Guess:
    """What was found out about a delimited file."""

    encoding: str
    delimiter: str


def guess_encoding(content: bytes) -> str:
    """By its mark, else UTF-8 where it reads as that, else the likeliest; binary content is refused."""
    for mark, encoding in _MARKS.items():
        if content.startswith(mark):
            return encoding
    head = content[:_SNIFF]
    if b"\x00" in head:
        raise fault("This is not text: it holds zero bytes.", "", "Bring delimited text (CSV), XLSX or ODS.")
    try:
        content.decode("utf-8")
    except UnicodeDecodeError:
        pass
    else:
        return "utf-8"
    control = sum(byte < 9 or 13 < byte < 32 for byte in head)
    if control > len(head) / 100:
        raise fault("This is not text.", "", "Bring delimited text (CSV), XLSX or ODS.")
    best = from_bytes(content[: _SNIFF * 8], cp_isolation=["cp1252", "iso8859_15", "cp1250", "mac_roman"]).best()
    return "cp1252" if best is None else best.encoding


def guess_delimiter(text: str) -> str:
    """The delimiter that splits the first records into the most columns, evenly."""
    best, score = ",", (0.0, 0)
    for delimiter in DELIMITERS:
        try:
            rows = [row for _, row in zip(range(50), csv.reader(io.StringIO(text), delimiter=delimiter), strict=False) if row]
        except csv.Error:
            continue
        if rows and len(rows[0]) > 1:
            even = sum(len(row) == len(rows[0]) for row in rows) / len(rows)
            if (even, len(rows[0])) > score:
                best, score = delimiter, (even, len(rows[0]))
    return best


def _text(content: bytes, source: Source) -> tuple[str, str]:
    encoding = source.encoding or guess_encoding(content)
    try:
        return content.decode(encoding), encoding
    except (UnicodeDecodeError, LookupError) as error:
        raise fault(
            f"The file does not read as {encoding}: {error}.", source.path, "Leave encoding out, or name the right one."
        ) from None


def _ragged(text: str, delimiter: str, width: int, path: str) -> StudyError:
    """The faults of records with too many or too few fields, by line."""
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    wrong: list[tuple[int, int]] = []
    start = 1
    for row in reader:
        if row and len(row) != width:
            wrong.append((start, len(row)))
        start = reader.line_num + 1
    shapes = ", ".join(f"{n} fields ({k}×)" for n, k in Counter(n for _, n in wrong).most_common(3))
    what = f"{len(wrong)} records do not have the {width} fields of the heading: {shapes or 'see the quotes'}."
    lines = some([line for line, _ in wrong])
    return StudyError(Fault(what, f"{path}, line {lines}" if wrong else path,
                            "Close open quotes, quote entries that hold the delimiter, or name the right delimiter."))  # fmt: skip


def as_column(chunks: pa.ChunkedArray) -> Column:
    """A text column from an Arrow one: distinct entries and their indices."""
    encoded = chunks.dictionary_encode().combine_chunks()
    if isinstance(encoded, pa.ChunkedArray):
        encoded = encoded.chunk(0) if encoded.num_chunks else pa.array([], pa.string()).dictionary_encode()
    words = encoded.dictionary.to_pylist()
    values = encoded.indices.fill_null(0).to_numpy(zero_copy_only=False).astype(np.int32)
    blank_word = np.array([word is None or not word.strip() for word in words] or [True])
    blank = blank_word[values] if len(values) else np.zeros(0, np.bool_)
    blank |= encoded.is_null().to_numpy(zero_copy_only=False)
    return Column(
        np.where(blank, 0, values).astype(np.int32), np.where(blank, BLANK, 0).astype(np.uint8), tuple(w or "" for w in words)
    )


def without_blank_records(names: tuple[str, ...], labels: tuple[str, ...], columns: list[Column]) -> RawTable:
    """A table without its wholly blank records; the others keep their numbers."""
    n = len(columns[0].values) if columns else 0
    filled = np.zeros(n, np.bool_)
    for column in columns:
        filled |= column.state != BLANK
    rows = np.arange(1, n + 1, dtype=np.int64)
    if not filled.all():
        rows, columns = rows[filled], [column.take(filled) for column in columns]
    if not len(rows):
        raise fault("The file holds no answers below its headings.", "", "Bring a file with at least one record.")
    return RawTable(names, labels, tuple(columns), rows, n - len(rows))


def read_delimited(content: bytes, source: Source) -> tuple[RawTable, Guess]:
    """A delimited file as text columns, and what was guessed.

    Raises StudyError for an empty or binary file, for undecodable bytes, and for ragged records, by line.
    """
    if not content.strip():
        raise fault("The file is empty.", source.path, "Bring a file with a row of headings and at least one record.")
    text, encoding = _text(content, source)
    text = text.lstrip("\ufeff")
    delimiter = source.delimiter or guess_delimiter(text[:_SNIFF])
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    heads = []
    try:
        for row in reader:
            if any(cell.strip() for cell in row):
                heads.append(row)
            if len(heads) == (source.header_rows or 1):
                break
    except csv.Error as error:
        raise fault(f"The headings do not read as delimited text: {error}.", source.path, "Check the quotes.") from None
    names, labels = split_headings(heads)
    table = _parsed(text, delimiter, len(names), reader.line_num, source.path)
    return without_blank_records(names, labels, [as_column(c) for c in table.columns]), Guess(encoding, delimiter)


def _parsed(text: str, delimiter: str, width: int, skip: int, path: str) -> pa.Table:
    keys = [str(i) for i in range(width)]
    lines = io.StringIO(text, newline="")
    for _ in range(skip):
        lines.readline()
    body = lines.read()
    if not body.strip():
        raise fault("The file holds headings and no record.", path, "Bring a file with at least one record.")
    try:
        return arrow_csv.read_csv(
            pa.BufferReader(body.encode()),
            read_options=arrow_csv.ReadOptions(column_names=keys, block_size=max(1 << 24, min(len(body) * 4, 1 << 30))),
            parse_options=arrow_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True),
            convert_options=arrow_csv.ConvertOptions(
                column_types=dict.fromkeys(keys, pa.string()), strings_can_be_null=False, quoted_strings_can_be_null=False
            ),
        )
    except pa.ArrowInvalid as error:
        ragged = _ragged(text, delimiter, width, path)
        if "columns" in str(error).lower():
            raise ragged from None
        raise fault(f"The file does not read as delimited text: {error}.", path, "Check the quotes.") from None
