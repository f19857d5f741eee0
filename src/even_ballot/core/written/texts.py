"""Texts without what does not tell answers apart."""

import re

_SPACES = re.compile(r"[\s\u00a0\u2000-\u200a\u202f\u205f\u3000]+")
_INVISIBLE = re.compile("[\u00ad\u200b-\u200f\u2028-\u202e\u2060\ufeff]")


def tidied(word: str, trim: bool = True, squeeze: bool = True, case: str | None = None) -> str:
    """A word without stray white space and invisible characters, in the letter case asked for.

    >>> tidied("  too   late ", case="upper")
    'TOO LATE'
    """
    word = _INVISIBLE.sub("", word)
    if squeeze:
        word = _SPACES.sub(" ", word)
    if trim:
        word = word.strip()
    match case:
        case "lower":
            return word.lower()
        case "upper":
            return word.upper()
        case "sentence":
            return word[:1].upper() + word[1:].lower()
    return word


def fold(text: str) -> str:
    """A text without what does not tell answers apart: spacing, invisible characters, letter case.

    >>> fold("  Very   Often ")
    'very often'
    """
    return tidied(text).casefold()
