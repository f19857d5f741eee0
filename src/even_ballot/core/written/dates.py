"""Dates and times as people write them: which number is the day, read over a whole column."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta, timezone
from typing import Literal

from even_ballot.core.written.months import month_named
from even_ballot.core.written.texts import tidied

DateOrder = Literal["day_month_year", "month_day_year", "year_month_day", "serial"]
ORDERS: tuple[DateOrder, ...] = ("year_month_day", "day_month_year", "month_day_year")
TWO_DIGITS_UP_TO = 2068
"""The last year of the hundred that a year of two digits lies in, where nothing else is said."""

_LONGEST, _DAY = 60, 86400.0
_FIRST_SERIAL = datetime(1899, 12, 30, tzinfo=UTC)
_ZONES = {
    "z": 0, "utc": 0, "gmt": 0, "ut": 0, "wet": 0, "bst": 60, "cet": 60, "west": 60, "cest": 120, "eet": 120,
    "eest": 180,
}  # fmt: skip
_TIME = re.compile(
    r"(?P<hour>\d{1,2})(?:[:.](?P<minute>\d{2})(?:[:.](?P<second>\d{2})(?:[.,](?P<part>\d{1,9}))?)?)?"
    r"\s*(?P<half>[ap]\.?\s?m\.?)?\s*(?P<zone>z|[a-z]{2,4}|(?:utc|gmt)?\s*[+-]\d{1,2}:?(?:\d{2})?)?",
    re.IGNORECASE | re.ASCII,
)
_NUMERIC = re.compile(r"(\d{1,4})\s*([./\-\s])\s*(\d{1,2})\s*[./\-\s]\s*(\d{1,4})(?!\d)\.?", re.ASCII)
_SOLID = re.compile(r"(\d{4})(\d{2})(\d{2})(?!\d)", re.ASCII)
_WORD = r"([^\W\d_]{3,}\.?)"
_DAY_FIRST = re.compile(
    rf"(\d{{1,2}})(?:st|nd|rd|th|\.|er|º|°)?[\s\-./]*(?:of|de|del)?\s*{_WORD}[\s\-./,]*(?:de|"
    rf"del)?\s*['’]?(\d{{4}}|\d{{2}})(?!\d)"
)
_MONTH_FIRST = re.compile(
    rf"{_WORD}[\s\-./]*(\d{{1,2}})(?:st|nd|rd|th)?[\s\-./,]+['’]?(\d{{4}}|\d{{2}})(?!\d)"
)
_YEAR_FIRST = re.compile(rf"(\d{{4}})[\s\-./,]*{_WORD}[\s\-./]*(\d{{1,2}})(?!\d)")
_WEEKDAY = re.compile(r"[^\W\d_]{2,}\.?,?\s+(?=\d|[^\W\d_]{3,}\.?\s*\d)")


@dataclass(frozen=True)
class DateStyle:
    """How dates are written. order: of day, month and year where all three are numbers; `serial`, days since
    30 December 1899; two_digits_up_to: the last year of the hundred that a year of two digits lies in."""

    order: DateOrder
    two_digits_up_to: int = TWO_DIGITS_UP_TO


def _year(text: str, style: DateStyle) -> int | None:
    if len(text) == 4:
        return int(text)
    if len(text) != 2:
        return None
    last = style.two_digits_up_to
    year = last - last % 100 + int(text)
    return year if year <= last else year - 100


def _day(word: str, style: DateStyle) -> tuple[int, int, int, int] | None:
    """Year, month, day and where in the word they end."""
    if (found := _SOLID.match(word)) is not None and style.order == "year_month_day":
        return int(found[1]), int(found[2]), int(found[3]), found.end()
    if (found := _NUMERIC.match(word)) is not None:
        a, mark, b, c = found.groups()
        if found[0].count(mark) < 2:
            return None
        if len(a) == 4 or style.order == "year_month_day":
            # Four digits in front are a year, whatever the rest of the column does.
            year, month, day = _year(a, style), b, c
        elif style.order == "day_month_year":
            year, month, day = _year(c, style), b, a
        else:
            year, month, day = _year(c, style), a, b
        return (year, int(month), int(day), found.end()) if year is not None else None
    for pattern, (y, m, d) in ((_DAY_FIRST, (3, 2, 1)), (_MONTH_FIRST, (3, 1, 2)), (_YEAR_FIRST, (1, 2, 3))):
        if (found := pattern.match(word)) is not None and (named := month_named(found[m])) is not None:
            year = _year(found[y], style)
            return (year, named, int(found[d]), found.end()) if year is not None else None
    return None


def _offset(zone: str) -> int | None:
    """Minutes east of UTC."""
    zone = zone.lower().strip()
    if zone in _ZONES:
        return _ZONES[zone]
    found = re.fullmatch(r"(?:utc|gmt)?\s*([+-])(\d{1,2}):?(\d{2})?", zone)
    if found is None:
        return None
    minutes = int(found[2]) * 60 + int(found[3] or 0)
    return None if minutes > 14 * 60 else -minutes if found[1] == "-" else minutes


def _clock(text: str) -> tuple[float, int | None] | None:
    """Seconds of the day and minutes east of UTC, where a text behind a date is a time."""
    found = _TIME.fullmatch(text)
    if found is None or (found["minute"] is None and found["half"] is None):
        return None
    hour, minute, second = int(found["hour"]), int(found["minute"] or 0), int(found["second"] or 0)
    if found["half"]:
        if not 1 <= hour <= 12:
            return None
        hour = hour % 12 + (12 if found["half"][0] in "pP" else 0)
    if hour > 23 or minute > 59 or second > 59:
        return None
    offset = None
    if found["zone"] and (offset := _offset(found["zone"])) is None:
        return None
    part = float(f"0.{found['part']}") if found["part"] else 0.0
    return hour * 3600 + minute * 60 + second + part, offset


def read_date(word: str, style: DateStyle) -> float | None:
    """Seconds since 1970 (UTC where no zone is given) of a date, with a time or not; None where it is none.

    >>> days = DateStyle("day_month_year")
    >>> [read_date(w, days) for w in ("2/1/1970", "02.01.70", "Jan 2, 1970 12:00 AM", "2/13/70")]
    [86400.0, 86400.0, 86400.0, None]
    >>> read_date("1970-01-01T01:00:00+01:00", days), read_date("25570", DateStyle("serial"))
    (0.0, 86400.0)
    """
    word = tidied(word)
    if not word or len(word) > _LONGEST:
        return None
    if style.order == "serial":
        try:
            days = float(word)
        except ValueError:
            return None
        return (_FIRST_SERIAL + timedelta(days=days)).timestamp() if 0 < days < 100_000 else None
    found = _day(word, style)
    if found is None and (weekday := _WEEKDAY.match(word)) is not None:
        word = word[weekday.end() :]
        found = _day(word, style)
    if found is None:
        return None
    year, month, day, end = found
    rest = word[end:].strip()
    if rest[:1] in "T,;" and rest:
        rest = rest[1:].strip()
    rest = re.sub(r"^(?:at|um|à|klo)\s+", "", rest, flags=re.IGNORECASE)
    clock = _clock(rest) if rest else (0.0, None)
    if clock is None:
        return None
    try:
        at = datetime(year, month, day, tzinfo=timezone(timedelta(minutes=clock[1] or 0)))
    except (ValueError, OverflowError):
        return None
    return at.timestamp() + clock[0]


@dataclass(frozen=True)
class DatesFound:
    """How dates of a column are written, how many cells read so, and whether another order reads as many."""

    style: DateStyle
    cells: int
    unsure: bool = False


def judge_dates(words: Mapping[str, int], also: Sequence[DateOrder] = ()) -> DatesFound | None:
    """The order in which most cells of a column read as dates; None where not even half do. words: with how
    many cells hold each; also: orders that other columns of the file are written in, for where two orders
    read all of it.

    >>> judge_dates({"3/4/2026": 5, "13/4/2026": 1}).style.order
    'day_month_year'
    >>> judge_dates({"3/4/2026": 1}, ["month_day_year"]).style.order
    'month_day_year'
    """
    read: dict[DateOrder, dict[str, float]] = {}
    for order in ORDERS:
        style = DateStyle(order)
        values = {word: read_date(word, style) for word in words}
        read[order] = {word: value for word, value in values.items() if value is not None}
    cells = {order: sum(words[word] for word in of) for order, of in read.items()}
    most = max(cells.values())
    if 2 * most < sum(words.values()) or not most:
        return None
    best = [order for order in ORDERS if cells[order] == most]
    if len(best) == 1 or all(read[order] == read[best[0]] for order in best):
        return DatesFound(DateStyle(best[0]), most)
    # Years of two digits in front are rare: only where nothing else reads.
    best = [order for order in best if order != "year_month_day"]
    if len(best) == 1:
        return DatesFound(DateStyle(best[0]), most)

    def spread(order: DateOrder) -> float:
        """Days of a survey lie close together when they are read rightly."""
        return max(read[order].values()) - min(read[order].values())

    narrow = min(best, key=spread)
    if (told := [order for order in best if order in also]) and len(told) == 1:
        return DatesFound(DateStyle(told[0]), most)
    clear = all(spread(order) > 2 * spread(narrow) + 2 * _DAY for order in best if order != narrow)
    if clear:
        return DatesFound(DateStyle(narrow), most)
    return DatesFound(DateStyle("day_month_year"), most, unsure=True)
