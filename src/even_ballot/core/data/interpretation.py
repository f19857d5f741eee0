"""From a file's text columns to a dataset: what the codebook says, applied; what it leaves out, guessed."""

import math
import re
from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.codebook import Code, Codebook, Kind, Scale, Variable
from even_ballot.core.data.dataset import ANSWERED, BLANK, UNPLACED, Column, Dataset, RawTable
from even_ballot.core.data.travelling import News
from even_ballot.core.data.words import Words
from even_ballot.core.faults import Fault, StudyError, some
from even_ballot.core.numerics.arrays import Floats

_NUMBER = re.compile(r"\s*[+-]?(\d+(?:\.\d*)?|\.\d+)([eE][+-]?\d{1,6})?\s*", re.ASCII)
_PLAIN = re.compile(r"\s*[+-]?(?!0\d)(\d{1,15}(\.\d{0,15})?|\.\d{1,15})\s*", re.ASCII)
"""As nearly all numbers are written: `float` reads them as they are, and none has a leading zero."""
_POINTED = re.compile(r"[+-]?\d+(\.\d+)?", re.ASCII)
_COMMAED = re.compile(r"[+-]?\d+(,\d+)?", re.ASCII)
_PARTED = re.compile(r"[+-]?[1-9]\d{0,2}(,\d{3})+", re.ASCII)
_LOOKED_AT, _LONGEST = 500, 400
_LEADING_ZERO = re.compile(r"\s*[+-]?0\d", re.ASCII)
_WHOLE = re.compile(r"\s*[+-]?\d{1,9}(\.0*)?\s*", re.ASCII)


def parse_number(word: str, decimal: str = ".") -> float | None:
    """The number a word is; None where it is none, or one that float64 does not hold: beyond 1.8e308, or
    so small that it is 0.

    >>> parse_number("1234.5"), parse_number("1234,5", ","), parse_number("dear")
    (1234.5, 1234.5, None)
    """
    if not reads_as_number(word, decimal):
        return None
    number = float(word.replace(decimal, "."))
    held = math.isfinite(number) and (number != 0 or not re.search("[1-9]", word.lower().partition("e")[0]))
    return number if held else None


def reads_as_number(word: str, decimal: str = ".") -> bool:
    """Whether a word is written as a number is, held or not.

    >>> reads_as_number("1e400"), parse_number("1e400"), reads_as_number("late")
    (True, None, False)
    """
    if decimal != ".":
        word = word.replace(decimal, ".") if "." not in word else ""
    return len(word) < _LONGEST and _NUMBER.fullmatch(word) is not None


def guess_decimal(columns: Sequence[Column], delimiter: str = "") -> Literal[".", ","] | None:
    """A comma, where some column holds nothing but numbers written with one, and no column numbers with a
    point; None where nothing speaks for either.

    >>> from even_ballot.core.data.dataset import text_column
    >>> guess_decimal([text_column(["1,5", "2,25"])], ";")
    ','
    """
    found = None
    for column in columns:
        words = [word.strip() for word in column.words[:_LOOKED_AT] if word.strip()]
        if words and all(_POINTED.fullmatch(word) for word in words) and any("." in word for word in words):
            return "."
        if (
            words
            and delimiter != ","
            and all(_COMMAED.fullmatch(word) for word in words)
            and any("," in word for word in words)
            # Nothing but "1,200" may as well be thousands parted.
            and not all(_PARTED.fullmatch(word) for word in words if "," in word)
        ):
            found = ","
    return found  # type: ignore[return-value]


def parse_date(word: str) -> float | None:
    """Seconds since 1970 of an ISO date or date and time (UTC where no offset is given), or None.

    >>> parse_date("1970-01-02"), parse_date("1970-01-01T00:01:00"), parse_date("yesterday")
    (86400.0, 60.0, None)
    """
    try:
        moment = datetime.fromisoformat(word.strip())
    except ValueError:
        return None
    return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()


def guess_kind(column: Column, decimal: str = ".") -> Kind:
    """number where every answer that is not blank is one and none has a leading zero; date likewise; else
    text.

    >>> from even_ballot.core.data.dataset import text_column
    >>> [guess_kind(text_column(entries)) for entries in (["1", "2.5"], ["007"], ["2026-05-02"], ["late"])]
    ['number', 'text', 'date', 'text']
    """
    packed = column.words
    if isinstance(packed, Words) and packed.numbers is not None and decimal == ".":
        # Of the others only those that are no numbers, or none that is held, are looked at one by one.
        others = [packed[at] for at in np.flatnonzero(np.isnan(packed.numbers)).tolist()]
        said = [word for word in others if word.strip()]
        if packed.zeros or len(others) < len(packed):
            return "text" if packed.zeros or not all(map(reads_as_number, said)) else "number"
    words = [word for word in column.words if word.strip()]
    if words and decimal == "." and all(map(_PLAIN.fullmatch, words)):
        return "number"
    if not words or any(not reads_as_number(word, decimal) or _LEADING_ZERO.match(word) for word in words):
        return "date" if words and all(parse_date(word) is not None for word in words) else "text"
    return "number"


def _placed(column: Column, values: list[float | None] | Floats, dtype: type) -> Column:
    """The column with each word's value in place of the word; words without one (None, NaN) stay,
    unplaced."""
    if isinstance(values, list):
        values = np.array([np.nan if value is None else value for value in values] or [np.nan])
    fits = ~np.isnan(values)
    numbers: NDArray[Any] = np.where(fits, values, np.arange(len(values))).astype(dtype)
    # A blank's value is that of the first word, whichever it is.
    blank = column.state == BLANK
    index = np.where(blank, 0, column.values) if blank.any() else column.values
    said = np.uint8(ANSWERED) if fits.all() else np.where(fits, ANSWERED, UNPLACED).astype(np.uint8)[index]
    state = np.where(blank, np.uint8(BLANK), said)
    return Column(numbers[index], state, () if fits.all() else column.words)


def with_missing_codes(column: Column, missing: Iterable[Code]) -> Column:
    """Answers equal to a missing code are marked as such, their code kept.

    >>> from even_ballot.core.data.dataset import ANSWERED, MISSING
    >>> column = Column(np.array([1, 9]), np.array([ANSWERED, ANSWERED], np.uint8))
    >>> with_missing_codes(column, [Code(code=9, label="No answer")]).state.tolist() == [ANSWERED, MISSING]
    True
    """
    codes = [item.code for item in missing]
    return column.marking(codes) if codes else column


def code_of(word: str, labels: dict[str, int]) -> int | None:
    """A word's code: that of the label it equals, else the whole number it is.

    >>> code_of("Hask", {"Hask": 1}), code_of("7", {}), code_of("full", {})
    (1, 7, None)
    """
    if (code := labels.get(word)) is not None:
        return code
    return int(float(word)) if _WHOLE.fullmatch(word) else None


def as_coded(column: Column, scale: Scale | None) -> Column:
    """A text column as codes; text that equals a label takes its code.

    >>> from even_ballot.core.data.dataset import text_column
    >>> scale = Scale(codes=(Code(code=1, label="Hask"), Code(code=2, label="Orran")))
    >>> as_coded(text_column(["Orran", "1", "Orran"]), scale).values.tolist()
    [2, 1, 2]
    """
    labels = {} if scale is None else scale.wordings
    coded = _placed(column, [code_of(word, labels) for word in column.words], np.int32)
    return with_missing_codes(coded, () if scale is None else scale.missing)


def numbers_of(words: Sequence[str], decimal: str = ".") -> list[float | None] | Floats:
    """The number that each word is: None, or NaN in an array, where it is none.

    >>> numbers_of(("1", "late"))
    [1.0, None]
    """
    if decimal == "." and not isinstance(words, Words) and all(map(_PLAIN.fullmatch, words)):
        return list(map(float, words))
    if not isinstance(words, Words) or words.numbers is None or decimal != ".":
        return [parse_number(word, decimal) for word in words]
    found = words.numbers.copy()
    for at in np.flatnonzero(np.isnan(found)).tolist():
        number = parse_number(words[at])
        found[at] = np.nan if number is None else number
    return found


def as_number(column: Column, missing: Iterable[Code] = (), decimal: str = ".") -> Column:
    """A text column as numbers.

    >>> from even_ballot.core.data.dataset import text_column
    >>> as_number(text_column(["1", "2.5"])).values.tolist()
    [1.0, 2.5]
    """
    return with_missing_codes(_placed(column, numbers_of(column.words, decimal), np.float64), missing)


def as_date(column: Column) -> Column:
    """A text column as seconds since 1970.

    >>> from even_ballot.core.data.dataset import text_column
    >>> as_date(text_column(["1970-01-02"])).values.tolist()
    [86400.0]
    """
    return _placed(column, [parse_date(word) for word in column.words], np.float64)


def _interpreted(column: Column, variable: Variable, scales: dict[str, Scale], decimal: str) -> Column:
    if variable.kind == "coded":
        scale = None if variable.scale is None else scales[variable.scale]
        return with_missing_codes(as_coded(column, scale), variable.missing)
    if variable.kind == "number":
        return as_number(column, variable.missing, decimal)
    return as_date(column) if variable.kind == "date" else column


def interpret(
    raw: RawTable,
    codebook: Codebook,
    made_later: Iterable[str] = (),
    decimal: str = ".",
    kinds: Mapping[str, Kind] | None = None,
) -> Dataset:
    """A file's columns as the codebook describes them; unlisted ones are kept, their kind guessed.

    made_later: names that steps of the ledger make; entries of the codebook for them wait until then. kinds:
    of columns that are not listed, where they are known from more than this table.
    Raises StudyError for an entry that names neither a column nor one of these.

    >>> from even_ballot.core.data.example import CODEBOOK, ferry_answers
    >>> interpret(ferry_answers(), CODEBOOK).column("isle").values.tolist()
    [1, 1, 1, 2, 2, 2, 2, 2]
    """
    described = {variable.name: variable for variable in codebook.variables}
    later = set(made_later)
    columns: dict[str, Column] = {}
    variables: dict[str, Variable] = {}
    for name, label, column in zip(raw.names, raw.labels, raw.columns, strict=True):
        said = described.get(name)
        if said is None or said.kind == "multi":
            kind = guess_kind(column, decimal) if kinds is None else kinds[name]
            said = Variable(name=name, kind=kind)
        columns[name] = _interpreted(column, said, codebook.scales, decimal)
        full = label if label != name else None
        variables[name] = said if said.label is not None else said.model_copy(update={"label": full})
    faults = []
    for i, variable in enumerate(codebook.variables):
        wanted = variable.parts if variable.kind == "multi" else (variable.name,)
        absent = [name for name in wanted if name not in columns and name not in later]
        if absent:
            what = f"The data has no column {some(absent)}."
            faults.append(Fault(what, f"codebook.variables[{i}]", f"Columns: {some(raw.names, 12)}."))
        elif variable.kind == "multi" and all(name in columns for name in wanted):
            variables[variable.name] = variable
    if faults:
        raise StudyError(faults)
    waiting = {name: variable for name, variable in described.items() if name not in variables}
    return Dataset(raw.rows, columns, variables, dict(codebook.scales), pending=waiting)


def new_of(raw: RawTable, codebook: Codebook, made_later: Iterable[str], decimal: str) -> News:
    """The same as `interpret` gives, without the columns that stay as they came.

    >>> from even_ballot.core.data.example import CODEBOOK, ferry_answers
    >>> "said" in new_of(ferry_answers(), CODEBOOK, (), ".").columns
    False
    """
    known = dict(zip(raw.names, raw.columns, strict=True))
    return News.of(interpret(raw, codebook, made_later, decimal), known)
