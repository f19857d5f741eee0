"""Names of months in the languages of the files we read."""

import re
from functools import cache

from babel import Locale

_LANGUAGES = (
    "en", "de", "fr", "es", "it", "pt", "nl", "da", "sv", "nb", "fi", "is", "pl", "cs", "sk", "hu", "ro",
    "hr", "sl", "et", "lv", "lt", "el", "bg", "ru", "uk", "tr",
)  # fmt: skip
_MARKS = re.compile(r"[.’']")


def _plain(word: str) -> str:
    return _MARKS.sub("", word.casefold()).strip()


@cache
def months() -> dict[str, int]:
    """The month, 1 to 12, of every name and abbreviation that means one month in all of the languages.

    >>> months()["march"], months()["sept"], months()["août"], months()["maja"]
    (3, 9, 8, 5)
    """
    meant: dict[str, set[int]] = {"sept": {9}}
    for language in _LANGUAGES:
        forms = Locale(language).months
        for context in ("format", "stand-alone"):
            for width in ("wide", "abbreviated"):
                for number, name in forms[context][width].items():
                    if len(word := _plain(name)) > 2 and not word.isdigit():
                        meant.setdefault(word, set()).add(number)
    english = {_plain(name): n for n, name in Locale("en").months["format"]["wide"].items()}
    english |= {_plain(name): n for n, name in Locale("en").months["format"]["abbreviated"].items()}
    return {word: min(numbers) for word, numbers in meant.items() if len(numbers) == 1} | english


def month_named(word: str) -> int | None:
    """The month a word names, or None.

    >>> month_named("Dec."), month_named("dezember"), month_named("dear")
    (12, 12, None)
    """
    return months().get(_plain(word))
