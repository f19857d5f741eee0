"""Packed words behave as the tuple they stand for."""

import pickle

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data import interpretation
from even_ballot.core.data.dataset import Column, text_column
from even_ballot.core.data.words import Words
from even_ballot.formats.sources import packing

TEXTS = st.lists(st.text(max_size=12) | st.sampled_from(["12", "007", " 1.5 ", "1e400", "1e-400", "-.5", "1,5", " ", "٣", "nan"]), min_size=1, max_size=40)  # fmt: skip


@given(TEXTS)
def test_packed_words_are_the_words(texts: list[str]) -> None:
    words = Words.of(texts)
    assert list(words) == texts and words == tuple(texts) and [words[i] for i in range(len(words))] == texts
    assert words[-1] == texts[-1] and words[1:3] == tuple(texts[1:3]) and ("x", *words) == ("x", *texts)
    assert pickle.loads(pickle.dumps(words)) == words and (words == tuple(texts[1:])) is False


@given(TEXTS.filter(lambda texts: all(c < "\ud800" or c > "\udfff" for t in texts for c in t)))
def test_packed_columns_are_read_as_the_others_are(texts: list[str]) -> None:
    distinct = list(dict.fromkeys(texts))
    chunks = pa.chunked_array([pa.array(texts, pa.string()).dictionary_encode()])
    plain = packing.as_column(chunks)
    before, packing._MANY = packing._MANY, 0
    try:
        packed = packing.as_column(chunks)
    finally:
        packing._MANY = before
    assert isinstance(packed.words, Words) and list(packed.words) == list(plain.words) == distinct
    assert packed.state.tolist() == plain.state.tolist() and packed.values.tolist() == plain.values.tolist()
    assert interpretation.guess_kind(packed) == interpretation.guess_kind(plain)
    one, other = interpretation.as_number(packed), interpretation.as_number(plain)
    assert one.state.tolist() == other.state.tolist() and one.values.tolist() == other.values.tolist()
    assert text_column(texts).state.tolist() == packed.state.tolist()


def test_a_column_of_a_hundred_thousand_numbers_is_not_made_into_objects() -> None:
    numbers = np.arange(100_000) / 8
    column = packing.as_column(pa.chunked_array([pa.array(map(str, numbers.tolist()), pa.string())]))
    assert isinstance(column.words, Words) and interpretation.guess_kind(column) == "number"
    read: Column = interpretation.as_number(column)
    assert read.values.tolist() == numbers.tolist() and read.words == ()
