"""Dates as categories: the day, month, quarter or year each falls in."""

from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.categories import Category
from even_ballot.core.data.dataset import Column
from even_ballot.core.numerics.arrays import Ints

Period = Literal["day", "month", "quarter", "year"]

_MONTHS = (
    "January", "February", "March", "April", "May", "June",
    "July", "August", "September", "October", "November", "December",
)  # fmt: skip
_ORDINALS = ("1st", "2nd", "3rd", "4th")
_MOST, _DAY = 400, 86_400


def _numbered(values: Any, period: Period) -> Ints:
    """Periods counted on from 1970. values: seconds since then, (n,)."""
    moments = np.floor(np.asarray(values, np.float64)).astype("datetime64[s]")
    unit = {"day": "D", "month": "M", "quarter": "M", "year": "Y"}[period]
    counted = moments.astype(f"datetime64[{unit}]").astype(np.int64)
    return np.asarray(counted // 3 if period == "quarter" else counted)


def _category(number: int, period: Period) -> Category:
    """2026, 20262 (a quarter), 202603 or 20260314, with what it is called."""
    if period == "year":
        return Category(1970 + number, str(1970 + number))
    if period == "day":
        day = np.datetime64(number, "D").item()
        return Category(
            10000 * day.year + 100 * day.month + day.day, f"{day.day} {_MONTHS[day.month - 1]} {day.year}"
        )
    each = 4 if period == "quarter" else 12
    year, at = 1970 + number // each, number % each
    if period == "quarter":
        return Category(10 * year + at + 1, f"{_ORDINALS[at]} quarter {year}")
    return Category(100 * year + at + 1, f"{_MONTHS[at]} {year}")


def periods(
    column: Column, period: Period, days: Ints | None = None
) -> tuple[NDArray[Any], tuple[Category, ...]]:
    """Each case's place among the periods, −1 without a date, and the periods: all from the first to the
    last that occurs; where those are very many, only those that occur. column: dates, seconds since 1970;
    days: those that occur in the whole, where the column is a part of it.

    >>> from even_ballot.core.data.example import ferry
    >>> at, months = periods(ferry().column("day"), "month")
    >>> at.tolist(), [month.label for month in months]
    ([0, 0, 1, 1, 1, 1, 1, -1], ['May 2026', 'June 2026'])
    """
    answered = column.answered
    at = np.full(len(answered), -1, np.int32)
    numbers = _numbered(column.values[answered], period)
    there = numbers if days is None else _numbered(days * _DAY, period)
    if not len(there):
        return at, ()
    found = np.arange(there.min(), there.max() + 1)
    if len(found) > _MOST:
        found = np.unique(there)
    at[answered] = np.searchsorted(found, numbers)
    return at, tuple(_category(int(number), period) for number in found)


def days_of(column: Column) -> Ints:
    """The days that occur in a column of dates, since 1970, ascending.

    >>> from even_ballot.core.data.example import ferry
    >>> len(days_of(ferry().column("day")))
    6
    """
    return np.unique(_numbered(column.values[column.answered], "day"))
