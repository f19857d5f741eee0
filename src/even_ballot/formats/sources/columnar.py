"""Parquet and JSON lines: typed columns as text, in the spelling a text file would have."""

import io
import json
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import compute, parquet

from even_ballot.core.data.dataset import BLANK, Column, RawTable, text_column
from even_ballot.core.faults import fault, whole
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.delimited import as_written, without_blank_records
from even_ballot.formats.sources.headings import split_headings
from even_ballot.formats.sources.packing import DELIMITER, LABEL, as_column
from even_ballot.formats.sources.readable import readable
from even_ballot.formats.sources.sizes import check_cells, check_columns, check_headings
from even_ballot.formats.sources.spreadsheet import spelled


def _text(values: pa.ChunkedArray) -> Column:
    """A column's cells as text; dictionaries by their values, whole floats without decimals."""
    if pa.types.is_dictionary(values.type):
        values = values.cast(values.type.value_type)
    if (
        pa.types.is_string(values.type)
        or pa.types.is_large_string(values.type)
        or pa.types.is_string_view(values.type)
    ):
        values.validate(full=True)
        return as_column(values.cast(pa.string()))
    if pa.types.is_timestamp(values.type) and values.type.unit == "ns":
        # No date that anybody asks for has billionths of a second.
        values = compute.cast(values, pa.timestamp("us", values.type.tz), safe=False)
    return _spelled(values)


def _spelled(values: pa.ChunkedArray) -> Column:
    """Cells that are no text, each distinct one spelled once."""
    if pa.types.is_null(values.type):
        return as_column(compute.cast(values, pa.string()))
    encoded = values.dictionary_encode().unify_dictionaries().combine_chunks()
    if isinstance(encoded, pa.ChunkedArray):
        encoded = encoded.chunk(0)
    distinct = encoded.dictionary
    if pa.types.is_integer(values.type) or pa.types.is_decimal(values.type):
        return as_column(_worded(encoded, compute.cast(distinct, pa.string())))
    try:
        words = [spelled(cell) for cell in distinct.to_pylist()]
    except (ValueError, OverflowError):
        # Dates that the calendar of the language does not reach, as Arrow writes them.
        return as_column(_worded(encoded, compute.cast(distinct, pa.string())))
    place: dict[str, int] = {}
    at = pa.array([place.setdefault(word, len(place)) for word in words], pa.int32())
    again = pa.DictionaryArray.from_arrays(at.take(encoded.indices), pa.array(list(place), pa.string()))
    return as_column(pa.chunked_array([again]))


def _worded(encoded: pa.DictionaryArray, words: pa.Array) -> pa.ChunkedArray:
    """The same cells with words in place of values."""
    return pa.chunked_array([pa.DictionaryArray.from_arrays(encoded.indices, words)])


def read_parquet(content: bytes, source: Source) -> tuple[RawTable, str | None]:
    """A Parquet file's columns, and how they were delimited where they are text that was; nested ones are
    refused by name."""
    with readable(source.path, "The Parquet file"):
        about = parquet.ParquetFile(io.BytesIO(content))
        check_cells(about.metadata.num_rows, about.metadata.num_columns, len(content), source.path)
        nested = [field.name for field in about.schema_arrow if pa.types.is_nested(field.type)]
        if nested:
            raise fault(
                f"Column {nested[0]} is nested.", source.path, "Flatten it into columns of single values."
            )
        if not about.metadata.num_rows:
            raise fault(
                "The file contains no records.", source.path, "Choose a file with at least one record."
            )
        table = about.read()
        names, labels = split_headings([table.column_names])
        labels = tuple(
            (field.metadata or {}).get(LABEL, label.encode()).decode()
            for field, label in zip(table.schema, labels, strict=True)
        )
        check_headings(labels, source.path)
        delimiter = (table.schema.metadata or {}).get(DELIMITER, b"").decode() or None
        columns, again = [_text(column) for column in table.columns], None
        if delimiter is not None:
            columns, again = as_written(columns, table.column_names, source)
        return without_blank_records(names, labels, columns, again), delimiter


def _line(text: str, number: int, path: str) -> dict[str, Any]:
    try:
        record = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise fault(
            f"This line is not JSON: {str(error)[:200]}.",
            f"{path}, line {number}",
            "Each line must be one object.",
        ) from None
    if not isinstance(record, dict):
        raise fault(
            "This line is not a JSON object.",
            f"{path}, line {number}",
            "Each line must be one object, a key for each column.",
        )
    return record


def _cell(value: Any) -> str:
    if isinstance(value, list):
        return "; ".join(_cell(item) for item in value)
    return whole(json.dumps(value, ensure_ascii=False)) if isinstance(value, dict) else spelled(value)


def read_json_lines(content: bytes, source: Source) -> RawTable:
    """An object a line; a key that a line lacks is blank there; a list becomes one delimited cell."""
    try:
        # Only line feeds end a line: other separators may stand in a text.
        lines = content.decode(source.encoding or "utf-8-sig").split("\n")
    except (UnicodeError, LookupError, ValueError) as error:
        raise fault(f"The file does not read as UTF-8: {error}.", source.path, "Save it as UTF-8.") from None
    columns, records = _by_key(lines, source.path)
    keys = list(columns)
    check_cells(records, len(keys), len(content), source.path)
    if not keys:
        raise fault("The file contains no answers.", source.path, "Choose a file with at least one record.")
    names, labels = split_headings([[whole(key) for key in keys]])
    check_headings(labels, source.path)
    return without_blank_records(names, labels, [_sparse(columns[key], records) for key in keys])


def _by_key(lines: Sequence[str], path: str) -> tuple[dict[str, dict[int, str]], int]:
    """Each key's cells by the record they are in, from 0, and how many records there are."""
    columns: dict[str, dict[int, str]] = {}
    records = 0
    for number, line in enumerate(lines, start=1):
        if not line.strip():
            continue
        for key, value in _line(line, number, path).items():
            if key not in columns:
                check_columns(len(columns) + 1, f"{path}, line {number}")
            columns.setdefault(key, {})[records] = _cell(value)
        records += 1
    return columns, records


def _sparse(cells: Mapping[int, str], records: int) -> Column:
    """A column of cells by their place; the others are blank."""
    if len(cells) == records:
        return text_column(list(cells.values()))
    held = text_column(list(cells.values()))
    at = np.fromiter(cells, np.int64, len(cells))
    values, state = np.zeros(records, np.int32), np.full(records, BLANK, np.uint8)
    values[at], state[at] = held.values, held.state
    return Column(values, state, held.words)
