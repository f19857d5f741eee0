"""Files of one heading as one table."""

from collections.abc import Sequence

import numpy as np

from even_ballot.core.data.cases import joined_columns
from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import fault
from even_ballot.formats.sources.packing import packed


def joined(tables: Sequence[tuple[str, RawTable]]) -> RawTable:
    """The records of files, each with its name, one below the other; record numbers go on from file to file.
    Raises StudyError for a file whose headings are not those of the first."""
    (first, head), *others = tables
    for name, table in others:
        if table.labels != head.labels or table.names != head.names:
            raise fault(f"{apart(head.labels, table.labels)} {first}.", name, "Give all files one heading.")
    if not others:
        return head
    columns, offset, rows = [], 0, list[np.ndarray[tuple[int, ...], np.dtype[np.int64]]]()
    for _, table in tables:
        rows.append(table.rows + offset)
        offset += table.records
    for at in range(len(head.names)):
        columns.append(packed(joined_columns([table.columns[at] for _, table in tables], text=True)))
    blank = sum(table.blank_records for _, table in tables)
    return RawTable(head.names, head.labels, tuple(columns), np.concatenate(rows), blank)


def apart(first: Sequence[str], other: Sequence[str]) -> str:
    """Where headings differ, as the beginning of a sentence."""
    if len(first) != len(other):
        return f"This file has {len(other):,} columns, not the {len(first):,} of"
    at = next((k for k, (a, b) in enumerate(zip(first, other, strict=True)) if a != b), 0)
    return f"Column {at + 1} is “{other[at]}” here, not “{first[at]}” as in"
