"""Values of formulas: whole columns with a mask of what is missing, and how they compare."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.codebook import Scale
from even_ballot.core.data.dataset import Column

Kind = Literal["number", "truth", "text", "date", "coded"]
"""What a value is."""


@dataclass(frozen=True)
class Value:
    """A column of values (or one value for all), and where it is missing.

    For text, `values` index `words`. For coded variables `values` are codes and `scale` knows their labels.
    """

    kind: Kind
    values: NDArray[Any]
    missing: NDArray[np.bool_]
    words: Sequence[str] = ()
    scale: Scale | None = None

    @property
    def numeric(self) -> bool:
        return self.kind in ("number", "coded", "truth")


def nothing_missing() -> NDArray[np.bool_]:
    """No case is missing, for a value that is one for all.

    >>> nothing_missing().tolist()
    False
    """
    return np.zeros((), np.bool_)


def number(values: NDArray[Any], missing: NDArray[np.bool_]) -> Value:
    """Results that are no finite number (a division by zero, the log of nothing) are missing.

    >>> number(np.array([1.0, np.inf]), np.array([False, False])).missing.tolist()
    [False, True]
    """
    values = np.asarray(values, np.float64)
    finite = np.isfinite(values)
    return Value("number", np.where(finite, values, 0.0), missing | ~finite)


def truth(values: NDArray[Any], missing: NDArray[np.bool_]) -> Value:
    """True or false; what is missing is neither.

    >>> truth(np.array([True, True]), np.array([False, True])).values.tolist()
    [True, False]
    """
    return Value("truth", np.asarray(values, np.bool_) & ~missing, missing)


def joined(values: list[Value], conjunction: bool) -> Value:
    """Three-valued and/or: a false part settles an `and`, a true one an `or`, whatever is missing.

    >>> known = truth(np.array([False]), np.array([False]))
    >>> unknown = truth(np.array([True]), np.array([True]))
    >>> joined([known, unknown], True).missing.tolist(), joined([known, unknown], False).missing.tolist()
    ([False], [True])
    """
    result = values[0]
    for value in values[1:]:
        a, b = result, value
        if conjunction:
            settled = (~a.values & ~a.missing) | (~b.values & ~b.missing)
            result = truth(a.values & b.values, (a.missing | b.missing) & ~settled)
        else:
            settled = (a.values & ~a.missing) | (b.values & ~b.missing)
            result = Value("truth", settled, (a.missing | b.missing) & ~settled)
    return result


def spelled(value: Value) -> NDArray[np.str_]:
    """A text's words, one for each case.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.data.formulas import Formula
    >>> spelled(Formula("said").evaluate(ferry()))[:2].tolist()
    ['late', 'dear']
    """
    return np.asarray(np.array(value.words or ("",))[value.values])


def same_text(a: Value, b: Value) -> NDArray[np.bool_]:
    """Where two texts are the same.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.data.formulas import Formula
    >>> said, late = (Formula(text).evaluate(ferry()) for text in ("said", "'late'"))
    >>> same_text(said, late)[:3].tolist()
    [True, False, True]
    """
    index = {word: i for i, word in enumerate(a.words)}
    of_b = np.array([index.get(word, -1) for word in b.words] or [-1])
    return np.asarray(a.values == of_b[b.values])


def column_of(value: Value) -> Column:
    """A formula's value as a column: truths as 1 and 0, what is missing blank.

    >>> column_of(truth(np.array([True, False]), np.array([False, False]))).values.tolist()
    [1.0, 0.0]
    """
    dtype = np.int32 if value.kind == "text" else np.float64
    values = np.where(value.missing, 0, value.values).astype(dtype)
    return Column(values, value.missing.astype(np.uint8), value.words)
