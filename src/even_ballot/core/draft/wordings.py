"""The answers of a scale, made of all the wordings that questions were answered with."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rapidfuzz import fuzz, process

from even_ballot.core.data.codebook import Code, Scale
from even_ballot.core.draft.line import Why
from even_ballot.core.draft.ordering.orders import in_order
from even_ballot.core.written.texts import fold, tidied

_LIKE, _SHORT, _RARE = 86, 4, 0.04
_ADDED, _NUMERAL = 2, 3
_NUMBERED = re.compile(r"\(?(-?\d{1,3})\)?\s*(?:[-–—=.:)]+\s*|\s+|$)(.*)", re.DOTALL)
_OPPOSITE = ("un", "dis", "in", "im", "not ", "non", "ir", "il")


@dataclass(frozen=True)
class Wording:
    """A scale, why its answers stand in their order, the codes of wordings other than its labels, and those
    of them that look misspelt."""

    scale: Scale
    why: Why
    known: bool
    answers: dict[str, int]
    misspelt: tuple[str, ...] = ()


def _numbered(labels: Sequence[str]) -> dict[str, tuple[int, str]] | None:
    """The code and text of every label that begins with its own code: "1 - Very bad"."""
    found = {label: match for label in labels if (match := _NUMBERED.fullmatch(tidied(label))) is not None}
    if len(found) < len(labels) or len(labels) < 2:
        return None
    parts = {label: (int(match[1]), match[2].strip()) for label, match in found.items()}
    codes, texts = [code for code, _ in parts.values()], [text for _, text in parts.values() if text]
    if len(set(codes)) < len(codes) or not texts or len(set(texts)) < len(texts):
        return None
    if any(re.match(r"(to\b|or\b|and\b|[-–+]|\d)", text) for text in texts):
        return None
    run = max(codes) - min(codes) < 2 * len(codes) + 2
    marked = all(re.match(r"\(?-?\d{1,3}\)?\s*[-–—=.:)]", label.strip()) for label in labels)
    # Without a mark behind it a number is a code only where some answers are nothing else.
    ends = len(texts) < len(codes) and all(text[:1].isalpha() for text in texts)
    return parts if run and (marked or ends) else None


def _opposite(one: str, other: str) -> bool:
    """Whether two texts that look alike are two answers: they differ in their digits, in a word as short as
    a letter or a numeral, or by what stands before or behind one of them ("Remarried", "Unlikely")."""
    if re.findall(r"\d+", one) != re.findall(r"\d+", other):
        return True
    longer, shorter = (one, other) if len(one) > len(other) else (other, one)
    if len(longer) - len(shorter) >= _ADDED and shorter in longer:
        return True
    if any(longer.replace(start, "", 1) == shorter for start in _OPPOSITE):
        return True
    words = one.split(), other.split()
    if len(words[0]) != len(words[1]):
        return ("not" in words[0]) != ("not" in words[1])
    apart = [pair for pair in zip(*words, strict=True) if pair[0] != pair[1]]
    return any(min(map(len, pair)) <= _NUMERAL for pair in apart)


def _misspelt(counts: Mapping[str, int]) -> dict[str, str]:
    """Rare wordings that are another one, misspelt."""
    usual = sorted(counts, key=lambda word: -counts[word])
    found: dict[str, str] = {}
    for word in reversed(usual):
        if len(word) < _SHORT or len(counts) > 400:
            continue
        least = max(counts[word] / _RARE if counts[word] > 1 else 0, 10 * counts[word])
        others = [other for other in usual if counts[other] >= least and other not in found]
        near = process.extractOne(word, others, scorer=fuzz.ratio, score_cutoff=_LIKE)
        if near is not None and not _opposite(word, near[0]):
            found[word] = near[0]
    return found


def _spelt(words: Mapping[str, int]) -> dict[str, str]:
    """The spelling that an answer goes by most often, for every folded answer."""
    best: dict[str, tuple[int, str]] = {}
    for word, n in words.items():
        key = fold(word)
        if key not in best or n > best[key][0]:
            best[key] = (n, tidied(word))
    return {key: spelling for key, (_, spelling) in best.items()}


def worded_scale(said: Mapping[str, int], none: Mapping[str, int]) -> Wording:
    """The scale of some answers. said, none: answers, and wordings that mean no answer, with how many cells
    hold each.

    >>> found = worded_scale({"Often": 90, "often ": 5, "Nevr": 1, "Never": 80}, {"Refused": 3})
    >>> [(code.code, code.label) for code in (*found.scale.codes, *found.scale.missing)]
    [(1, 'Never'), (2, 'Often'), (99, 'Refused')]
    >>> found.answers, found.misspelt
    ({'often ': 2, 'Nevr': 1}, ('Nevr',))
    """
    spelt = _spelt(said)
    counts: dict[str, int] = {}
    for word, n in said.items():
        counts[fold(word)] = counts.get(fold(word), 0) + n
    wrong = _misspelt(counts)
    labels = [spelt[key] for key in counts if key not in wrong]
    numbered = _numbered(labels)
    if numbered is not None:
        codes = tuple(Code(code=code, label=text or str(code)) for code, text in sorted(numbered.values()))
        order = in_order([code.label for code in codes if not code.label.isdigit()])
        # Ends of a row of numbers, "1 Very bad" … "5 Very good", make an order of it.
        ordered = (order.known and order.ordered) or len(codes) > len(order.labels)
        why, known, middle = "numbered_labels", True, None
        place = {fold(label): code for label, (code, _) in numbered.items()}
    else:
        found = in_order(labels)
        codes = tuple(Code(code=i, label=label) for i, label in enumerate(found.labels, start=1))
        ordered, known, middle = found.ordered, found.known, found.middle
        why = "natural_order" if found.natural else "known_order" if found.known else "few_words"
        place = {fold(code.label): code.code for code in codes}
    missing = _missing(none, [code.code for code in codes])
    at = {code.label: code.code for code in (*codes, *missing)}
    place |= {fold(code.label): code.code for code in missing}
    answers = {}
    for word in (*said, *none):
        key = wrong.get(fold(word), fold(word))
        if word not in at:
            answers[word] = place[key]
    mid = next((code.code for code in codes if code.label == middle), None)
    scale = Scale(codes=codes, ordered=ordered, missing=missing, midpoint=mid)
    return Wording(scale, why, known, answers, tuple(w for w in said if fold(w) in wrong))  # type: ignore[arg-type]


def _missing(none: Mapping[str, int], taken: Sequence[int]) -> tuple[Code, ...]:
    """Codes for wordings that mean no answer: 99, 98, … or longer ones, beyond those of the answers."""
    labels = list(_spelt(none).values())
    top = 99
    while top - len(labels) <= max(taken, default=0):
        top = top * 10 + 9
    return tuple(Code(code=top - i, label=label) for i, label in enumerate(labels))


def numbered_scale(codes: Sequence[int], missing: Sequence[int], ordered: bool = True) -> Scale:
    """The scale of codes that nothing is known of but that they occur. ordered: whether three of them and
    more are taken for an order.

    >>> scale = numbered_scale([1, 2, 3], [9])
    >>> scale.codes[0].label, scale.missing[0].label, scale.ordered
    ('1', 'No answer (9)', True)
    """
    return Scale(
        codes=tuple(Code(code=code, label=str(code)) for code in codes),
        ordered=ordered and len(codes) > 2,
        missing=no_answer_codes(missing),
    )


def no_answer_codes(missing: Sequence[int]) -> tuple[Code, ...]:
    """Codes that mean no answer, of which nothing else is known.

    >>> no_answer_codes([99])[0].label
    'No answer (99)'
    """
    return tuple(Code(code=code, label=f"No answer ({code})") for code in missing)


def with_words(scale: Scale, worded: Mapping[str, int]) -> tuple[Scale, dict[str, int]]:
    """A scale with codes for wordings that mean no answer, and the codes of those that are spelt otherwise.

    >>> scale, answers = with_words(numbered_scale([1, 2], []), {"Refused": 2, "refused": 1})
    >>> scale.missing[0].code, answers
    (99, {'refused': 99})
    """
    taken = [code.code for code in (*scale.codes, *scale.missing)]
    codes: dict[str, int] = {}
    made: list[Code] = []
    free = 99
    for word in worded:
        if fold(word) not in codes:
            while free in taken:
                free -= 1
            codes[fold(word)] = free
            made.append(Code(code=free, label=word))
            taken.append(free)
    labels = {code.label for code in made}
    answers = {word: codes[fold(word)] for word in worded if word not in labels}
    return scale.model_copy(update={"missing": (*scale.missing, *made)}), answers
