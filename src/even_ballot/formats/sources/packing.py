"""Text columns from Arrow: distinct entries and which of them each cell holds."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from even_ballot.core.data.dataset import BLANK, Column
from even_ballot.core.data.interpretation import parse_number
from even_ballot.core.data.words import Words
from even_ballot.core.numerics.arrays import Bools, Floats

DELIMITER = b"even_ballot.delimiter"
"""Metadata of a Parquet file that holds delimited text as it stands: how it was delimited, which says how its
decimals may be written."""
LABEL = b"even_ballot.label"
"""Metadata of a Parquet column: the text of its question, where its name is another."""
_MANY = 4096
_BLANK = r"^[\s\v\p{Z}\x{1c}-\x{1f}\x{85}]*$"
_NUMBER = r"^[\s\v]*[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,6})?[\s\v]*$"
_ZEROS = r"^[\s\v]*[+-]?0\d"


def _numbers(words: pa.Array) -> Floats:
    """The numbers that words are written as, NaN where they are none: as `parse_number` reads them."""
    plain = pc.match_substring_regex(words, _NUMBER)
    trimmed = pc.ascii_trim_whitespace(pc.if_else(plain, words, None))
    found: Floats = pc.cast(trimmed, pa.float64()).to_numpy(zero_copy_only=False).copy()
    odd = np.flatnonzero(np.isinf(found) | (found == 0))
    for at in odd.tolist():
        # Too large or too small to be held.
        number = parse_number(words[at].as_py())
        found[at] = np.nan if number is None else number
    return found


def _packed(words: pa.Array) -> Words:
    """Many words, without making each of them an object."""
    words = pa.concat_arrays([words])
    _, offsets, data = words.buffers()
    places = np.frombuffer(offsets, np.int32, len(words) + 1, words.offset * 4).astype(np.int64)
    letters = np.frombuffer(data, np.uint8) if data is not None else np.zeros(0, np.uint8)
    zeros = bool(pc.any(pc.match_substring_regex(words, _ZEROS)).as_py())
    return Words(letters[places[0] : places[-1]].copy(), places - places[0], _numbers(words), zeros)


def _blank_among(words: pa.Array) -> Bools:
    found: NDArray[np.bool_] = pc.match_substring_regex(words, _BLANK).to_numpy(zero_copy_only=False)
    return found


def as_column(chunks: pa.ChunkedArray) -> Column:
    """A text column from an Arrow one: distinct entries and their indices."""
    encoded = (chunks if pa.types.is_dictionary(chunks.type) else chunks.dictionary_encode()).combine_chunks()
    if isinstance(encoded, pa.ChunkedArray):
        encoded = encoded.chunk(0) if encoded.num_chunks else pa.array([], pa.string()).dictionary_encode()
    words = encoded.dictionary
    values = encoded.indices.fill_null(0).to_numpy(zero_copy_only=False).astype(np.int32)
    if len(words) > _MANY and not words.null_count:
        blank_word = _blank_among(words)
        kept: Sequence[str] = _packed(words)
    else:
        spelt = words.to_pylist()
        blank_word = np.array([word is None or not word.strip() for word in spelt] or [True])
        kept = tuple(word or "" for word in spelt)
    blank = np.zeros(len(values), np.bool_)
    if blank_word.any():
        blank = blank_word[values]
        values = np.where(blank, 0, values).astype(np.int32)
    if encoded.null_count:
        blank |= encoded.is_null().to_numpy(zero_copy_only=False)
    return Column(values, np.where(blank, BLANK, 0).astype(np.uint8), kept)


def packed(column: Column) -> Column:
    """A text column with its distinct entries packed, where they are many."""
    if isinstance(column.words, Words) or len(column.words) <= _MANY:
        return column
    return replace(column, words=_packed(pa.array(column.words, pa.string())))
