"""Records are written as a reader of comma-separated text expects them."""

import csv
import io

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Variable
from even_ballot.core.data.dataset import Dataset, number_column, text_column
from even_ballot.formats.exchange.microdata import entries, microdata

NUMBERS = st.floats(allow_nan=True, allow_infinity=False) | st.integers(-(10**6), 10**6).map(float)
CELLS = st.tuples(
    NUMBERS, st.text(st.characters(exclude_categories=["Cs", "Cc"]) | st.sampled_from('",\n '), max_size=8)
)


@given(st.lists(CELLS, min_size=1, max_size=30))
def test_every_record_reads_back_as_it_was(cells: list[tuple[float, str]]) -> None:
    values = np.array([v for v, _ in cells])
    texts = text_column([t for _, t in cells])
    data = Dataset(
        np.arange(1, len(cells) + 1),
        {"x": number_column(values), "t": texts},
        {"x": Variable(name="x", kind="number"), "t": Variable(name="t", kind="text")},
        {},
    )
    rows = list(csv.DictReader(io.StringIO(b"".join(microdata(data, guard=False)).decode(), newline="")))
    assert [row["row"] for row in rows] == [str(k) for k in range(1, len(cells) + 1)]
    for row, (value, text) in zip(rows, cells, strict=True):
        assert row["x"] == "" if np.isnan(value) else float(row["x"]) == value
        assert row["t"] == (text if text.strip() else "")
    assert entries(data.column("x"), "number") == [row["x"] for row in rows]


def test_large_columns_are_written_as_small_ones() -> None:
    values = np.concatenate([np.arange(40_000) / 7, [1e-7, 1e17, -3.0, 0.1 + 0.2]])
    data = Dataset(
        np.arange(len(values)), {"x": number_column(values)}, {"x": Variable(name="x", kind="number")}, {}
    )
    written = [line.split(",")[1] for line in b"".join(microdata(data)).decode().splitlines()[1:]]
    plain = [str(int(v)) if v == int(v) and abs(v) < 1e15 else repr(float(v)) for v in values]
    assert written == plain
