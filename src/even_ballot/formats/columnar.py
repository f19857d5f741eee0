"""Parquet and JSON lines: typed columns as text, in the spelling a text file would have."""

import io
import json
from typing import Any

import pyarrow as pa
from pyarrow import compute, parquet

from even_ballot.core.dataset import Column, RawTable, text_column
from even_ballot.core.faults import fault
from even_ballot.core.study import Source
from even_ballot.formats.delimited import as_column, without_blank_records
from even_ballot.formats.headings import split_headings
from even_ballot.formats.spreadsheet import spelled


def _text(values: pa.ChunkedArray) -> Column:
    """A column's cells as text; dictionaries by their values, whole floats without decimals."""
    if pa.types.is_dictionary(values.type):
        values = values.cast(values.type.value_type)
    if pa.types.is_string(values.type) or pa.types.is_large_string(values.type):
        return as_column(values.cast(pa.string()))
    if pa.types.is_integer(values.type):
        return as_column(compute.cast(values, pa.string()))
    return text_column([spelled(cell) for cell in values.to_pylist()])


def read_parquet(content: bytes, source: Source) -> RawTable:
    """A Parquet file's columns; nested ones are refused by name."""
    try:
        table = parquet.read_table(io.BytesIO(content))
    except (pa.ArrowInvalid, OSError) as error:
        raise fault(f"The Parquet file cannot be read: {error}.", source.path, "Check that it arrived whole.") from None
    nested = [field.name for field in table.schema if pa.types.is_nested(field.type)]
    if nested:
        raise fault(f"Column {nested[0]} is nested.", source.path, "Flatten it into columns of single values.")
    if not table.num_rows:
        raise fault("The file holds no record.", source.path, "Bring a file with at least one record.")
    names, labels = split_headings([table.column_names])
    return without_blank_records(names, labels, [_text(column) for column in table.columns])


def _line(text: str, number: int, path: str) -> dict[str, Any]:
    try:
        record = json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        raise fault(f"This line is not JSON: {error}.", f"{path}, line {number}", "Each line holds one object.") from None
    if not isinstance(record, dict):
        raise fault("This line holds no object.", f"{path}, line {number}", "Each line holds one object, a key for each column.")
    return record


def _cell(value: Any) -> str:
    if isinstance(value, list):
        return "; ".join(spelled(item) for item in value)
    return json.dumps(value, ensure_ascii=False) if isinstance(value, dict) else spelled(value)


def read_json_lines(content: bytes, source: Source) -> RawTable:
    """An object a line; a key that a line lacks is blank there; a list becomes one delimited cell."""
    try:
        lines = content.decode(source.encoding or "utf-8-sig").splitlines()
    except UnicodeDecodeError as error:
        raise fault(f"The file does not read as UTF-8: {error}.", source.path, "Save it as UTF-8.") from None
    records = [_line(line, number, source.path) for number, line in enumerate(lines, start=1) if line.strip()]
    keys = list(dict.fromkeys(key for record in records for key in record))
    if not keys:
        raise fault("The file holds no answers.", source.path, "Bring a file with at least one record.")
    names, labels = split_headings([keys])
    columns = [text_column([_cell(record.get(key)) for record in records]) for key in keys]
    return without_blank_records(names, labels, columns)
