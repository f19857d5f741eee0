"""Numbers as people write them: thousands parted, decimals marked, currencies and units around them."""

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from even_ballot.core.written.texts import tidied

Decimal = Literal[".", ",", "either"]
Thousands = Literal[",", ".", " ", "'"]

_LONGEST = 60
_TIMES = {"k": 1e3, "m": 1e6, "bn": 1e9}
_ENDING = re.compile(r"(k|m|bn)$", re.IGNORECASE)
_CLOCK = re.compile(r"(?:(\d{1,3}):)?(\d{1,2}):(\d{2}(?:\.\d+)?)", re.ASCII)
_PLAIN = re.compile(r"[+-]?(\d+(?:\.\d*)?|\.\d+)([eE][+-]?\d{1,6})?", re.ASCII)
_SPANS = re.compile(
    r"(?:(\d+(?:\.\d+)?)\s*(?:h|hrs?|hours?)\W*)?(?:(\d+(?:\.\d+)?)\s*(?:m|mins?|minutes?)\W*)?"
    r"(?:(\d+(?:\.\d+)?)\s*(?:s|secs?|seconds?)\W*)?",
    re.IGNORECASE | re.ASCII,
)
_MARKS: tuple[Decimal, ...] = (".", ",")
_AROUND = "$€£¥₽₴₺₹¢%‰~≈"
_SIGN = {"−": "-", "–": "-", "＋": "+"}


@dataclass(frozen=True)
class NumberStyle:
    """How numbers are written. decimal: `either`, where some have a point and some a comma; thousands: what
    parts groups of three digits; multiples: "3k" is 3,000, "1.2m" 1,200,000; clock:
    "1:05:00" and "1 h 5 min" are seconds; unit: letters that may follow a number.
    """

    decimal: Decimal = "."
    thousands: Thousands | None = None
    multiples: bool = False
    clock: bool = False
    unit: str | None = None


def seconds_in(word: str) -> float | None:
    """The seconds of a span of time, "h:mm:ss", "m:ss" or with its units; None where it is none.

    >>> seconds_in("1:05:00"), seconds_in("12:30"), seconds_in("1 h 20 min"), seconds_in("90")
    (3900.0, 750.0, 4800.0, None)
    """
    word = word.strip()
    if len(word) > _LONGEST or not word:
        return None
    found = _CLOCK.fullmatch(word)
    if found is None:
        found = _SPANS.fullmatch(word)
        if found is None or not any(found.groups()):
            return None
    hours, minutes, seconds = (float(part) if part else 0.0 for part in found.groups())
    return hours * 3600 + minutes * 60 + seconds


def _grouped(bare: str, style: NumberStyle) -> str | None:
    """A number's digits with a point and no groups; None where groups are not of three digits."""
    whole, mark, part = bare.partition(style.decimal)
    if style.thousands is not None and style.thousands in whole:
        groups = whole.lstrip("+-").split(style.thousands)
        if not 1 <= len(groups[0]) <= 3 or any(len(group) != 3 for group in groups[1:]):
            return None
        whole = whole.replace(style.thousands, "")
    if style.decimal != "." and "." in bare.replace(style.thousands or style.decimal, ""):
        return None
    return f"{whole}.{part}" if mark else whole


def read_number(word: str, style: NumberStyle) -> float | None:
    """The number a word is in a style; None where it is none.

    >>> [read_number(w, NumberStyle(thousands=",")) for w in ("$1,200", "12 %", "($3.50)", "1,20")]
    [1200.0, 12.0, -3.5, None]
    >>> read_number("1.234,50", NumberStyle(",", ".")), read_number("3k", NumberStyle(multiples=True))
    (1234.5, 3000.0)
    """
    if style.decimal == "either":
        both = {read_number(word, replace(style, decimal=mark)) for mark in _MARKS} - {None}
        return both.pop() if len(both) == 1 else None
    if style.decimal == "." and not style.clock and len(word) < _LONGEST and _PLAIN.fullmatch(word):
        value = float(word)
        return value if math.isfinite(value) else None
    word = tidied(word)
    if style.clock:
        return seconds_in(word)
    if len(word) > _LONGEST:
        return None
    bare = "".join(_SIGN.get(c, c) for c in word)
    # "(1,200)" is how accounts write a number below 0; "(3)" alone may be a code.
    negative = bare.startswith("(") and bare.endswith(")") and not bare[1:-1].isdigit()
    bare = bare[1:-1] if negative else bare
    if style.unit and bare.casefold().endswith(style.unit.casefold()):
        bare = bare[: -len(style.unit)]
    bare = bare.strip(_AROUND + " ").replace("’", "'")
    for sign in "+-":
        if bare.startswith(sign):
            bare = sign + bare[1:].lstrip(_AROUND + " ")
    times = 1.0
    if style.multiples and (ending := _ENDING.search(bare)) is not None:
        times, bare = _TIMES[ending[1].lower()], bare[: ending.start()].rstrip()
    digits = _grouped(bare, style)
    if digits is None or _PLAIN.fullmatch(digits) is None:
        return None
    value = float(digits) * times
    return (-value if negative else value) if math.isfinite(value) else None


_POINTED: tuple[Thousands | None, ...] = (None, ",", " ", "'")
_COMMAED: tuple[Thousands | None, ...] = (None, ".", " ", "'")
_STYLES = (*(NumberStyle(".", mark) for mark in _POINTED), *(NumberStyle(",", mark) for mark in _COMMAED))
_UNITED = re.compile(r"[^A-Za-zÀ-ÿ]*\d\s*([A-Za-zÀ-ÿ²³/.]{1,12})", re.ASCII)
_THREES = re.compile(r"[1-9]\d{0,2}([.,])\d{3}", re.ASCII)


def ambiguous(word: str) -> str | None:
    """The mark of a number that may part its thousands or begin its decimals, "1,200"; None elsewhere.

    >>> ambiguous("1,200"), ambiguous("1,20"), ambiguous("0.125")
    (',', None, None)
    """
    found = _THREES.fullmatch(word.strip(_AROUND + " +-"))
    return found[1] if found else None


@dataclass(frozen=True)
class StyleFound:
    """A style, how many cells read in it, and whether another would have read them as other numbers."""

    style: NumberStyle
    cells: int
    unsure: bool = False


def _unit_of(words: Mapping[str, int]) -> str | None:
    """The letters that most of the words end in after their digits."""
    seen: dict[str, int] = {}
    for word, n in words.items():
        if (found := _UNITED.fullmatch(tidied(word))) is not None:
            seen[found[1]] = seen.get(found[1], 0) + n
    unit = max(seen, key=lambda u: seen[u], default=None)
    return unit if unit is not None and 2 * seen[unit] > sum(words.values()) else None


def judge_style(words: Mapping[str, int], decimal: str = ".") -> StyleFound:
    """The style in which most cells read as numbers, judged over all of a column. words: with how many cells
    hold each; decimal: what other columns of the file mark decimals with, which settles "1,200".

    >>> judge_style({"1.234,50": 1, "12": 3}).style
    NumberStyle(decimal=',', thousands='.', multiples=False, clock=False, unit=None)
    >>> judge_style({"1,200": 1}).style.thousands, judge_style({"1,200": 1}, ",").style.thousands
    (',', None)
    """
    clock = NumberStyle(clock=True)
    timed = sum(n for word, n in words.items() if ":" in word and seconds_in(word) is not None)
    if 2 * timed > sum(words.values()):
        return StyleFound(clock, sum(n for word, n in words.items() if seconds_in(word) is not None))
    multiples = any(
        _ENDING.search(word.strip()) and word.strip()[:-1].rstrip()[-1:].isdigit() for word in words
    )
    unit = None if multiples else _unit_of(words)
    found: list[tuple[int, int, NumberStyle]] = []
    for style in _STYLES:
        style = NumberStyle(style.decimal, style.thousands, multiples, False, unit)
        cells = sum(n for word, n in words.items() if read_number(word, style) is not None)
        natural = (style.thousands is None) + 2 * (style.decimal == decimal)
        found.append((cells, natural, style))
    most = max(cells for cells, _, _ in found)
    mixed = NumberStyle("either", None, multiples, False, unit)
    if (both := sum(n for word, n in words.items() if read_number(word, mixed) is not None)) > most:
        return StyleFound(mixed, both)
    best = [item for item in found if item[0] == most]
    marks = {mark for word in words if (mark := ambiguous(word))}
    if marks:
        # "1,200" alone: the mark of decimals elsewhere is one here too; the other one parts thousands.
        best.sort(key=lambda item: (item[2].decimal == decimal, item[1]), reverse=True)
    else:
        best.sort(key=lambda item: item[1], reverse=True)
    chosen = best[0][2]
    decimals = {style.decimal for _, _, style in best}
    return StyleFound(chosen, most, bool(marks) and len(decimals) > 1)
