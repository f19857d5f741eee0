"""What one column is, judged over all that is in it."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

from even_ballot.core.data.codebook import Role
from even_ballot.core.draft.answers import Answers
from even_ballot.core.draft.line import DateReading, LineKind, NumberReading, Why
from even_ballot.core.draft.missing import missing_among
from even_ballot.core.draft.ordering.orders import in_order
from even_ballot.core.draft.ordering.quantities import by_quantity
from even_ballot.core.draft.roles import role_of, says_count, says_identifier
from even_ballot.core.written.dates import DateOrder, DateStyle, judge_dates, read_date
from even_ballot.core.written.number_words import number_in_words
from even_ballot.core.written.numbers import NumberStyle, StyleFound, judge_style, read_number
from even_ballot.core.written.texts import fold

_LEADING_ZERO = re.compile(r"\s*0\d+\s*", re.ASCII)
_BOUND = re.compile(
    r"(?:over |more than |above |older than |at least |under |less than |below |up to |[<>≥≤]\s*)?"
    r"(\d[\d,]*(?:\.\d+)?)\s*(?:\+|(?:and|or) (?:over|older|above|more|under|less|below|fewer|younger)|plus)?"
    r"(?:\s*(?:years?|yrs?)(?: old)?)?(?:\s*(?:\+|(?:and|or) (?:over|older|above|more|under|less|"
    r"below|younger)))?",
    re.IGNORECASE,
)
_DATE_WORDS = re.compile(r"\b(date|day|time|when|started|ended|submitted|timestamp|datum|fecha)\b")
_OWN_WORDS = re.compile(
    r"\b(specify|comments?|own words|say more|tell us|explain|describe|remarks?|open ended|verbatim|e-?mail"
    r"|first name|last name|surname|address|telephone|phone)\b"
)
_SEPARATORS = (";", "|", "\n", ",")
_FEW, _MORE, _MOST = 12, 60, 400
_LEAST_READ, _GLANCE = 0.9, 100


@dataclass(frozen=True)
class Judged:
    """What a column is, why, and how sure that is, from 0 to 1. codes: of coded columns, those their numbers
    are; missing: codes of numbers that mean no answer; separator, parts: of cells that hold several answers.
    read: whether it has to be read by a step, because the file's own reading does not give it."""

    answers: Answers
    kind: LineKind
    why: Why
    sure: float
    role: Role | None = None
    codes: tuple[int, ...] = ()
    missing: tuple[int, ...] = ()
    number: NumberReading | None = None
    date: DateReading | None = None
    separator: str | None = None
    parts: tuple[str, ...] = ()
    read: bool = False
    numbers: Mapping[float, int] = field(default_factory=dict, repr=False)


def _numbers_in(said: Mapping[str, int], style: NumberStyle) -> dict[float, int]:
    found: dict[float, int] = {}
    for word, n in said.items():
        if (value := read_number(word, style)) is not None:
            found[value] = found.get(value, 0) + n
    return found


def _bounds(said: Mapping[str, int], style: NumberStyle) -> dict[str, float]:
    """The numbers of entries such as "89 or older" beside numbers."""
    entries = {}
    for word in said:
        if read_number(word, style) is None and (found := _BOUND.fullmatch(fold(word))) is not None:
            value = read_number(found[1], NumberStyle(thousands=","))
            if value is not None:
                entries[word] = value
    return entries


def _as_numbers(answers: Answers, decimal: str) -> Judged | None:
    """A column whose answers are numbers, all but a few."""
    said = answers.said
    total = sum(said.values())
    if not said:
        return None
    plainly = _plain(said, decimal)
    style = (
        StyleFound(NumberStyle("," if decimal == "," else "."), total)
        if plainly
        else _judged_style(said, decimal)
    )
    entries = _bounds(said, style.style) if style.cells < total else {}
    spelled = {word for word in said if number_in_words(word) is not None} if style.cells < total else set()
    read = style.cells + sum(said[word] for word in entries) + sum(said[word] for word in spelled)
    if read < _LEAST_READ * total or not style.cells or (entries and style.cells < total / 2):
        return None
    if sum(1 for word in said if _LEADING_ZERO.fullmatch(word)) and not style.style.clock:
        return Judged(answers, "text", "leading_zeros", 0.9 if not says_identifier(answers) else 1.0)
    numbers = _numbers_in(said, style.style)
    if (entries or spelled) and len(numbers) < 8 and by_quantity(list(said)) is not None:
        return None
    plain = plainly and total == answers.cells
    return _number_judged(answers, style, numbers, entries, bool(spelled), read / total, plain)


def _judged_style(said: Mapping[str, int], decimal: str) -> StyleFound:
    """The style of a column's numbers; of words without digits, that none reads."""
    some = list(said)[:_GLANCE]
    if 2 * sum(1 for word in some if any(c.isdigit() for c in word)) < len(some):
        return StyleFound(NumberStyle(), 0)
    return judge_style(said, decimal)


def _plain(said: Mapping[str, int], decimal: str) -> bool:
    """Whether the file's own reading takes every entry for a number."""
    style = NumberStyle("," if decimal == "," else ".")
    pattern = re.compile(
        rf"\s*[+-]?(\d+({re.escape(style.decimal)}\d*)?|{re.escape(style.decimal)}\d+)([eE][+-]?\d+)?\s*"
    )
    return all(pattern.fullmatch(word) for word in said)


def _number_judged(
    answers: Answers,
    style: StyleFound,
    numbers: dict[float, int],
    entries: dict[str, float],
    spelled: bool,
    share: float,
    plain: bool,
) -> Judged:
    missing = () if style.style.clock else missing_among(numbers)
    counted = {v: n for v, n in numbers.items() if v not in missing}
    role = role_of(answers, counted or None, False)
    reading = NumberReading(
        decimal=style.style.decimal,
        thousands=style.style.thousands,
        multiples=style.style.multiples,
        clock=style.style.clock,
        unit=style.style.unit,
        entries=entries,
        words=spelled,
    )
    if role in ("id", "weight", "seconds", "population_size"):
        why: Why = "identifier" if role == "id" else "durations" if style.style.clock else "role"
        return Judged(answers, "number", why, 0.9, role, (), (), reading, read=not plain)
    codes, sure, why = _codes(answers, counted, missing)
    if codes and not entries and not style.style.clock and not style.style.unit:
        return Judged(answers, "coded", why, sure, role, codes, missing, numbers=numbers)
    sure = min(sure, 0.95 if share == 1 else 0.6, 0.6 if style.unsure else 1.0)
    why = (
        "top_codes" if entries else "durations" if style.style.clock else "numbers" if plain else
        "counts" if says_count(answers) and _plain(answers.said, ".") else "written_numbers"
    )  # fmt: skip
    return Judged(answers, "number", why, sure, role, (), missing, reading, read=not plain, numbers=numbers)


def _codes(
    answers: Answers, counted: Mapping[float, int], missing: Sequence[int]
) -> tuple[tuple[int, ...], float, Why]:
    """The codes that a column's numbers are, if few whole ones stand in a row; and how sure the decision for
    or against is."""
    total = sum(counted.values())
    if not counted or any(v != int(v) for v in counted):
        return (), 1.0, "numbers"
    # A mistyped 55 among 1 to 5 does not make a number of them.
    usual = sorted(int(v) for v, n in counted.items() if n >= max(1, total // 500))
    if not usual:
        return (), 0.95, "numbers"
    low, high = usual[0], usual[-1]
    span = high - low + 1
    if (
        len(usual) < 2
        or len(usual) > 20
        or low not in (0, 1)
        or len(usual) < 0.6 * span
        or total < 2 * len(usual)
    ):
        return (), 0.95 if len(usual) > 20 or low > 1 else 0.7, "numbers"
    every = tuple(range(low, high + 1)) if high <= 11 else tuple(usual)
    asked = says_count(answers)
    if usual == [0, 1]:
        return every, 0.6 if asked else 0.9, "few_whole_numbers"
    if asked:
        return (), 0.75 if not missing else 0.6, "counts"
    if low == 1 and high <= 11:
        return every, 0.9 if high >= 3 else 0.8, "few_whole_numbers"
    if low == 0 and high == 10 and len(usual) >= 10:
        return every, 0.85, "few_whole_numbers"
    if low == 0 and high <= 5:
        return every, 0.55, "few_whole_numbers"
    if low == 1 and high <= 20:
        return every, 0.6, "few_whole_numbers"
    return (), 0.6, "numbers"


def _as_dates(answers: Answers, also: Sequence[DateOrder], decimal: str) -> Judged | None:
    said = answers.said
    total = sum(said.values())
    if not said:
        return None
    serial = NumberReading(decimal="," if decimal == "," else ".")
    if _DATE_WORDS.search(answers.heading):
        numbers = _numbers_in(said, NumberStyle(serial.decimal))
        if sum(numbers.values()) == total and all(25_000 < v < 60_000 for v in numbers):
            reading = DateReading(order="serial")
            return Judged(
                answers, "date", "dates", 0.85, role_of(answers, None, True), date=reading, read=True
            )
    if not any(re.search(r"\d[^\d]+\d|\d{8}", word[:60]) for word in list(said)[:50]):
        return None
    some = dict(list(said.items())[:_GLANCE])
    if judge_dates(some) is None:
        return None
    found = judge_dates(said, also)
    if found is None or found.cells < _LEAST_READ * total:
        return None
    if _solid(said) and not _DATE_WORDS.search(answers.heading):
        return None
    style = _century(found.style, answers, said)
    reading = DateReading(order=style.order, two_digits_up_to=style.two_digits_up_to)
    sure = 0.5 if found.unsure else 0.95 if found.cells == total else 0.75
    why: Why = "ambiguous_dates" if found.unsure else "dates"
    return Judged(answers, "date", why, sure, role_of(answers, None, True), date=reading, read=True)


def _solid(said: Mapping[str, int]) -> bool:
    """Whether dates are written as one number, 20260503."""
    return all(word.strip().isdigit() for word in said)


def _century(style: DateStyle, answers: Answers, said: Mapping[str, int]) -> DateStyle:
    """Years of birth lie behind us: two digits that would lie ahead of the other dates are of the century
    before."""
    if not re.search(r"\b(birth|born|dob|birthday)\b", answers.heading):
        return style
    years = [value for word in said if (value := read_date(word, style)) is not None]
    this_year = datetime.now(UTC).year
    ahead = bool(years) and datetime.fromtimestamp(max(years), UTC).year > this_year
    return DateStyle(style.order, this_year) if ahead else style


def _separated(answers: Answers) -> Judged | None:
    """Cells that hold several answers each, parted by one mark."""
    said = answers.said
    for mark in _SEPARATORS:
        several = sum(n for word, n in said.items() if mark in word)
        if several * 8 < sum(said.values()):
            continue
        parts: dict[str, int] = {}
        for word, n in said.items():
            for part in {part.strip() for part in word.split(mark)} - {""}:
                parts[part] = parts.get(part, 0) + n
        shortest = max(map(len, parts), default=0) <= 60
        if 2 <= len(parts) <= 30 and len(parts) < len(said) and shortest and min(parts.values()) > 1:
            ordered = in_order(list(parts)).labels
            return Judged(answers, "several", "separated", 0.85, separator=mark, parts=ordered)
    return None


def _as_words(answers: Answers) -> Judged:
    said = answers.said
    folded: dict[str, int] = {}
    for word, n in said.items():
        folded[fold(word)] = folded.get(fold(word), 0) + n
    total, distinct = sum(folded.values()), len(folded)
    role = role_of(answers, None, False)
    if role == "id":
        return Judged(answers, "text", "identifier", 0.9, "id")
    if role == "status":
        return Judged(answers, "text", "role", 0.7, "status")
    if distinct == 1 and answers.blank:
        return Judged(answers, "text", "open_answers", 0.5)
    if (several := _separated(answers)) is not None:
        return several
    longest = max(map(len, folded), default=0)
    once = sum(1 for n in folded.values() if n == 1)
    wordy = distinct > 8 and sum(len(word.split()) for word in folded) > 5 * distinct
    if wordy or _OWN_WORDS.search(answers.heading):
        return Judged(answers, "text", "open_answers", 0.85 if distinct > _FEW else 0.6, role)
    if longest > 120 or total < 2 * distinct or (distinct > _FEW and 2 * once > distinct):
        return Judged(answers, "text", "open_answers", 0.9 if distinct > _FEW else 0.6, role)
    if distinct <= _FEW or (distinct <= _MORE and total >= 5 * distinct):
        order = in_order(list(folded)) if distinct <= _MORE else None
        why: Why = (
            "natural_order"
            if order and order.natural
            else "known_order"
            if order and order.known
            else "few_words"
        )
        sure = 0.95 if order and order.known else 0.85 if total >= 5 * distinct else 0.7
        return Judged(answers, "coded", why, sure, role)
    if distinct <= _MOST and total >= 15 * distinct:
        return Judged(answers, "coded", "few_words", 0.65, role)
    return Judged(answers, "text", "open_answers", 0.7, role)


def judge(answers: Answers, decimal: str = ".", also: Sequence[DateOrder] = ()) -> Judged:
    """What a column is. decimal: what the file marks decimals with; also: orders that other columns' dates
    are written in.

    >>> from even_ballot.core.data.dataset import text_column
    >>> from even_ballot.core.draft.answers import answers_in
    >>> def kind(heading, entries):
    ...     found = judge(answers_in(heading, heading, text_column(entries)))
    ...     return found.kind, found.why
    >>> kind("q1", ["1", "2", "3", "4", "5"] * 3)
    ('coded', 'few_whole_numbers')
    >>> kind("age", [*map(str, range(20, 60)), "89 or older"])
    ('number', 'top_codes')
    >>> kind("when", ["3/5/26", "14/5/26"]), kind("freq", ["Never", "Often", "Never", "Often"])
    (('date', 'dates'), ('coded', 'known_order'))
    """
    if not answers.said:
        return Judged(answers, "text", "empty", 0.9)
    if answers.long:
        return Judged(answers, "text", "open_answers", 0.9)
    dates = _as_dates(answers, also, decimal)
    if dates is not None:
        return dates
    numbers = _as_numbers(answers, decimal)
    return numbers if numbers is not None else _as_words(answers)
