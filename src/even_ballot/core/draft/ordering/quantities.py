"""Answers that are quantities or spans of them: "18 to 24", "Under £10", "3 or more", "Once a week"."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from even_ballot.core.written.number_words import number_in_words
from even_ballot.core.written.texts import fold

_NUMBER = re.compile(r"(\d[\d,. ]*\d|\d)(\s?k\b|\s?m\b|\s?million\b)?")
_BELOW = re.compile(
    r"\b(under|less than|up to|below|fewer than|younger than|before|at most|lower than|no more "
    r"than)\b|[<≤]"
)
_ABOVE = re.compile(
    r"\b(over|more than|and over|or more|or older|or over|and older|above|at least|older than|after|"
    r"plus|upwards"
    r"|and above|or above|and more|onwards|or later)\b|[+>≥]"
)
_UNITS = {
    "second": 1.0, "sec": 1.0, "minute": 60.0, "min": 60.0, "hour": 3600.0, "hr": 3600.0, "day": 86400.0,
    "week": 604800.0, "fortnight": 1209600.0, "month": 2629746.0, "quarter": 7889238.0, "year": 31556952.0,
    "yr": 31556952.0,
}  # fmt: skip
_UNIT = re.compile(r"\b(second|sec|minute|min|hour|hr|day|week|fortnight|month|quarter|year|yr)s?\b")
_EVERY = {
    "daily": 365.0, "every day": 365.0, "each day": 365.0, "almost every day": 300.0,
    "nearly every day": 300.0,
    "most days": 260.0, "weekly": 52.0, "every week": 52.0, "fortnightly": 26.0, "monthly": 12.0,
    "every month": 12.0, "quarterly": 4.0, "yearly": 1.0, "annually": 1.0, "every year": 1.0, "never": 0.0,
    "not at all": 0.0, "every weekday": 261.0, "weekdays": 261.0, "every other day": 180.0,
    "at weekends": 104.0,
    "once": 0.01, "once only": 0.01, "only once": 0.01,
}  # fmt: skip
_PER_YEAR = {"day": 365.0, "week": 52.0, "fortnight": 26.0, "month": 12.0, "quarter": 4.0, "year": 1.0}
_TIMES = {
    "once": 1.0, "twice": 2.0, "one": 1.0, "two": 2.0, "three": 3.0, "four": 4.0, "five": 5.0, "several": 4.0,
    "a few": 3.0, "few": 3.0, "many": 8.0, "a couple of": 2.0,
}  # fmt: skip
_OFTEN = re.compile(
    r"(?P<bound>less than |more than |at least |about |around |up to |less often than |more often than )?"
    r"(?P<times>once|twice|one|two|three|four|five|several|a few|few|many|a couple of|\d+)"
    r"(?:\s*(?:to|or|-|–)\s*(?P<more>\d+|twice|two|three|four|five|six))?(?P<plus> or more|\+)?(?: "
    r"times?| days?)?"
    r"(?: a| per| every| each| in a| in the last)? (?P<per>day|week|fortnight|month|quarter|year)s?"
    r"(?P<after> or more| or less| or more often| or less often)?"
)
_LEAST_OFTEN = re.compile(
    r"(less often|less frequently|less often than that|less than that|rarely|hardly ever|less)"
)
_NOTHING = re.compile(r"(none|no|nothing|zero|nil|never)\b.*")


@dataclass(frozen=True)
class Sized:
    """A key that sorts every answer; ordered: whether they are sizes, and not numbers of things."""

    keys: dict[str, tuple[float, float]]
    ordered: bool


def _frequencies(labels: Sequence[str]) -> dict[str, tuple[float, float]] | None:
    """Times a year, where answers say how often; ascending."""
    keys: dict[str, tuple[float, float]] = {}
    least: list[str] = []
    phrases = 0
    for label in labels:
        word = fold(label).rstrip(".")
        if word in _EVERY:
            keys[label] = (_EVERY[word], 0.0)
        elif (
            less := word.removesuffix(" or less").removesuffix(" or less often")
        ) != word and less in _EVERY:
            keys[label] = (_EVERY[less] * 0.9, -0.4)
        elif _LEAST_OFTEN.fullmatch(word):
            least.append(label)
        elif (found := _OFTEN.fullmatch(word)) is not None:
            phrases += 1
            times = _TIMES.get(found["times"]) or float(found["times"])
            if (bound := found["bound"]) is not None and bound.startswith("less"):
                side = -0.5
            elif found["after"] == " or less" or bound == "up to ":
                side = -0.4
            else:
                side = (
                    0.5
                    if bound is not None and bound.startswith("more")
                    else 0.1
                    if bound or found["after"] or found["plus"]
                    else 0
                )
            keys[label] = (times * _PER_YEAR[found["per"]] * (1 + side / 10), side)
        else:
            return None
    regular = sum(1 for label, key in keys.items() if key[0] > 0)
    if len(least) > 1 or regular < 2:
        return None
    lowest = min((key[0] for key in keys.values() if key[0] > 0), default=1.0)
    keys |= dict.fromkeys(least, (lowest / 2, 0.0))
    return keys if len(set(keys.values())) == len(labels) else None


def _amount(found: re.Match[str]) -> float | None:
    digits = re.sub(r"[, ](?=\d{3}\b)", "", found[1].strip()).replace(" ", "")
    try:
        value = float(digits.replace(",", "."))
    except ValueError:
        return None
    ending = (found[2] or "").strip()
    return value * (1e3 if ending == "k" else 1e6 if ending in ("m", "million") else 1.0)


def _key(word: str) -> tuple[float, float, bool] | None:
    """What sorts a quantity, and whether it is a span or a bound."""
    below, above = _BELOW.search(word) is not None, _ABOVE.search(word) is not None
    numbers = list(_NUMBER.finditer(word))
    units = list(_UNIT.finditer(word))
    values = [value for found in numbers if (value := _amount(found)) is not None]
    if not values:
        spelled = [
            number for part in re.split(r"[\s\-–/]+", word) if (number := number_in_words(part)) is not None
        ]
        values = spelled
    if not values:
        return (0.0, -0.5, False) if _NOTHING.fullmatch(word) else None
    first = values[0]
    if units:
        # "30 minutes to 1 hour": each number has the unit behind it.
        at = numbers[0].end() if numbers else 0
        unit = next((found for found in units if found.start() >= at), units[-1])
        first *= _UNITS[unit[1]]
    span = below or above or len(values) > 1
    return first, -1.0 if below and not above else 1.0 if above and not below else 0.0, span


def by_quantity(labels: Sequence[str]) -> Sized | None:
    """Keys that sort answers by the quantity they say; None where they do not all say one.

    >>> sized = by_quantity(["65+", "Under 18", "18-24"])
    >>> sorted(sized.keys, key=lambda label: sized.keys[label]), sized.ordered
    (['Under 18', '18-24', '65+'], True)
    >>> often = by_quantity(["Once a week", "Daily", "Less often", "Never"])
    >>> sorted(often.keys, key=lambda label: often.keys[label])
    ['Never', 'Less often', 'Once a week', 'Daily']
    """
    often = _frequencies(labels)
    if often is not None:
        return Sized(often, True)
    found = {label: _key(fold(label)) for label in labels}
    keys = {label: (key[0], key[1]) for label, key in found.items() if key is not None}
    if len(keys) < len(labels) or len(set(keys.values())) < len(labels):
        return None
    spans = sum(1 for key in found.values() if key is not None and key[2])
    plain = {re.sub(r"[^a-z]+", " ", _UNIT.sub("", fold(label))).strip() for label in labels}
    if not spans and len(plain) > max(2, len(labels) // 2):
        return None
    return Sized(keys, spans > 0)
