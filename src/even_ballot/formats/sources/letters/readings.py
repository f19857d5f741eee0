"""Bytes that do not say how they are to be read: every reading judged by what its words look like.

A word that holds bytes above 127 is read in every encoding. A reading is as likely as its words are in the
language they fit best: how often the language writes each letter, whether capitals stand where capitals do,
and whether signs stand between words, not inside them. What is usual in files weighs in at the start.
"""

import re
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import islice
from math import log

from even_ballot.formats.sources.letters.alphabets import LATIN, OTHERS

# A word is looked at over its first letters only, so that no file can make one that takes for ever.
_REACH = 40
_HIGH = re.compile(rb"[\x80-\xff][A-Za-z\x80-\xff]{0,%d}" % _REACH)
_BEFORE = re.compile(rb"[A-Za-z]*\Z")
_LOOKED_AT, _JUDGED = 200_000, 2_000
# How usual each is, as a logarithm: two of these differ by as much as a word or two can say.
_USUAL = {
    "cp1252": 0.0,
    "iso8859_15": -0.5,
    "cp1250": -1.0,
    "cp1257": -1.5,
    "cp1251": -1.0,
    "cp1253": -1.0,
    "cp1254": -1.5,
    "cp1255": -2.0,
    "cp1256": -2.0,
    "iso8859_2": -3.0,
    "koi8_r": -3.0,
    "mac_roman": -4.0,
    "cp850": -4.0,
}
_STRANGE, _SIGN, _ODD_SIGN = 1e-5, 4e-3, 1e-6
_SIGNS = frozenset("‘’‚“”„–—…«»‹›¿¡€£°§•·©®™№ºª\xa0")
_JOINING = frozenset("’·")
_OPENING, _CLOSING = frozenset("¿¡«„‚“‘‹€£§•·©\xa0"), frozenset("»”“’‘…°€ºª®™›–—\xa0")
_MISPLACED, _CAPITAL, _ENDING = 0.01, 0.3, 0.03
_NEVER_FIRST = frozenset("ðğß")
_IN_DOUBT, _UNLIKE_WORDS, _BESIDE, _TOLD = 3.0, -7.0, 3, 6


@dataclass(frozen=True, slots=True)
class Reading:
    """One way to read the bytes: how likely, and what its words become."""

    encoding: str
    likelihood: float  # a logarithm, of all its words together
    each: float  # the same for each byte above 127
    words: tuple[str, ...]

    @property
    def looks_like_words(self) -> bool:
        """Whether it may be a language at all: another family of encodings is likelier where not."""
        return self.each > _UNLIKE_WORDS


def _capital(word: str, i: int) -> float:
    """What a capital is worth where it stands."""
    placed = word[0].lower() not in _NEVER_FIRST if i == 0 else word.isupper()
    return _CAPITAL if placed else _CAPITAL * _MISPLACED


def _sign(word: str, i: int) -> float:
    """What a sign that is no letter is worth where it stands."""
    c = word[i]
    if c not in _SIGNS:
        return _ODD_SIGN
    before, after = word[:i], word[i + 1 :]
    inside = any(map(str.isalpha, before)) and any(map(str.isalpha, after))
    if inside:
        return _SIGN if c in _JOINING else _SIGN * _MISPLACED
    right = c in (_CLOSING if before else _OPENING) or not (before or after)
    return _SIGN if right else _SIGN * _MISPLACED


def _plain(word: str) -> float:
    """What signs and capitals say, whatever the language."""
    total = 0.0
    for i, c in enumerate(word):
        if not c.isalpha() or c in "ºª":
            total += log(_sign(word, i))
        elif c.isupper() and not c.isascii():
            total += log(_capital(word, i))
    return total


def _letters(words: list[str]) -> tuple[Counter[str], Counter[str]]:
    """Letters above 127 by how often they stand in the words; and those of them that end no word."""
    all_of_them, inner = Counter[str](), Counter[str]()
    for word in words:
        for c, after in zip(word.lower(), (*word[1:], ""), strict=False):
            if c.isalpha() and c not in "ºª":
                all_of_them[c if not c.isascii() else ""] += 1
                if after.isalpha() and not c.isascii():
                    inner[c] += 1
    return all_of_them, inner


def _in_language(
    letters: Counter[str], inner: Counter[str], language: str, shares: Mapping[str, float], latin: bool
) -> float:
    total = sum(n * log(shares.get(c, _STRANGE)) for c, n in letters.items() if c)
    total += letters[""] * (log(1 - sum(shares.values())) if latin else log(1e-4))
    # Italian writes its accents at the ends of words alone.
    return total + (inner.total() * log(_ENDING) if language == "Italian" else 0)


def _judged(words: list[bytes], encoding: str) -> Reading | None:
    """How likely words are in an encoding; None where it cannot be read, or gives control characters."""
    try:
        texts = [word.decode(encoding) for word in words]
    except UnicodeDecodeError:
        return None
    if any(not c.isprintable() and c != "\xa0" for text in texts for c in text):
        return None
    letters, inner = _letters(texts)
    best = max(
        _in_language(letters, inner, language, shares, latin)
        for family, latin in ((LATIN, True), (OTHERS, False))
        for language, shares in family.items()
    )
    likelihood = best + sum(map(_plain, texts)) + _USUAL[encoding]
    high = sum(byte > 127 for word in words for byte in word)
    return Reading(encoding, likelihood, likelihood / max(high, 1), tuple(texts))


def _word(content: bytes, match: re.Match[bytes]) -> bytes:
    """The whole word whose first byte above 127 was found."""
    before = _BEFORE.search(content[max(match.start() - _REACH, 0) : match.start()])
    return (before.group() if before else b"") + match.group()


def _words(content: bytes) -> list[bytes]:
    found = (_word(content, match) for match in _HIGH.finditer(content))
    return list(islice(dict.fromkeys(islice(found, _LOOKED_AT)), _JUDGED))


def readings(content: bytes) -> tuple[Reading, ...]:
    """Every way to read bytes that are not UTF-8, the likeliest first; none where no encoding can read them.

    The first 200,000 words that hold bytes above 127 are looked at, the first 2,000 different ones judged.
    """
    words = _words(content)
    judged = [reading for encoding in _USUAL if (reading := _judged(words, encoding)) is not None]
    return tuple(sorted(judged, key=lambda reading: -reading.likelihood))


def side_by_side(content: bytes, encoding: str) -> tuple[Reading, ...]:
    """Up to three readings of other words each, with the words they differ in; none where the likeliest is
    the one the file was read with and leaves no doubt."""
    different = {reading.words: reading for reading in reversed(readings(content))}
    best = sorted(different.values(), key=lambda reading: -reading.likelihood)[:_BESIDE]
    if len(best) < 2:
        return ()
    sure = best[0].likelihood - best[1].likelihood > _IN_DOUBT
    if sure and best[0].words == _as_words(content, encoding):
        return ()
    told = [i for i, words in enumerate(zip(*(r.words for r in best), strict=True)) if len(set(words)) > 1]
    return tuple(replace(r, words=tuple(r.words[i] for i in told[:_TOLD])) for r in best)


def _as_words(content: bytes, encoding: str) -> tuple[str, ...] | None:
    """The words judged, in an encoding; None where they cannot be read in it."""
    try:
        return tuple(word.decode(encoding) for word in _words(content))
    except (UnicodeError, LookupError):
        return None
