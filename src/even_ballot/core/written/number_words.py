"""Numbers spelled out in English."""

import re

_SMALL = (
    "zero one two three four five six seven eight nine ten eleven twelve "
    "thirteen fourteen fifteen sixteen seventeen eighteen nineteen"
)
_TENS_FROM_TWENTY = "twenty thirty forty fifty sixty seventy eighty ninety"
_UNITS = {word: value for value, word in enumerate(_SMALL.split())}
_TENS = {word: 10 * value for value, word in enumerate(_TENS_FROM_TWENTY.split(), start=2)}


def number_in_words(text: str) -> float | None:
    """The whole number below a million that a text spells out, or None.

    >>> number_in_words("Thirty-four")
    34.0
    >>> number_in_words("two hundred and six")
    206.0
    >>> number_in_words("thirty or so") is None
    True
    """
    total = part = 0
    last = 1000
    words = [word for word in re.split(r"[\s-]+", text.strip().casefold()) if word != "and"]
    for word in words:
        if word in _UNITS and last > 9 and (last >= 100 or _UNITS[word] < 10):
            part += _UNITS[word]
            last = min(_UNITS[word], 9)
        elif word in _TENS and last >= 100:
            part += _TENS[word]
            last = 10
        elif word == "hundred" and 0 < part < 10:
            part, last = part * 100, 100
        elif word == "thousand" and part > 0 and not total:
            total, part, last = part * 1000, 0, 1000
        else:
            return None
    return float(total + part) if words else None
