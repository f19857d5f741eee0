"""Columns that are the answers of one several-answer question, ticked or not."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from even_ballot.core.data.batteries import QUIET, item_of
from even_ballot.core.data.codebook import Code
from even_ballot.core.draft.answers import Answers
from even_ballot.core.draft.judgement import Judged
from even_ballot.core.draft.stems import common_ending, stem_within
from even_ballot.core.written.texts import fold

_MARKS = frozenset(
    [
        "x",
        "✓",
        "✔",
        "☑",
        "yes",
        "y",
        "1",
        "true",
        "checked",
        "selected",
        "chosen",
        "ticked",
        "t",
        "on",
        "ja",
        "oui",
        "sí",
        "si",
        "sim",
        "tak",
    ]
)
_UNMARKED = frozenset(
    [
        "unchecked",
        "not selected",
        "not chosen",
        "no",
        "n",
        "0",
        "false",
        "off",
        "unselected",
        "not ticked",
        "f",
        "nein",
        "non",
    ]
)
_MOST_WORDS = 8
_SUFFIX = re.compile(r"(.+?)[_.]?(\d{1,3}|[a-z])", re.IGNORECASE)


@dataclass(frozen=True)
class Ticks:
    """A several-answer question: its columns with the options they stand for; words: those that mean chosen
    (True) or not."""

    columns: tuple[Judged, ...]
    stem: str
    options: tuple[Code, ...]
    words: dict[str, bool]
    sure: float


def _sort(judged: Judged) -> str | None:
    """Whether a column is ticked or not: `numbers`, 0 and 1; `mark`, one word that means yes or blank;
    `own`, a text of its own or blank; `pair`, two words that mean chosen and not."""
    answers = judged.answers
    if not 0 < len(answers.words) <= _MOST_WORDS or judged.role is not None:
        return None
    words = {fold(word) for word in answers.words}
    if words <= {"0", "1"} and "1" in words:
        return "numbers" if len(words) == 2 or answers.blank else None
    if len(words) == 1:
        return None if not answers.blank else "mark" if words <= _MARKS else "own"
    if (
        len(words) == 2
        and words & _MARKS
        and words & _UNMARKED
        and words & {"checked", "selected", "chosen", "true", "ticked", "unchecked"}
    ):
        return "pair"
    return None


def name_stem(names: Sequence[str]) -> str:
    """What some names begin with, where they differ in a number or letter behind it; empty elsewhere.

    >>> name_stem(["q5_1", "q5_2", "q5_3"]), name_stem(["car", "boat"])
    ('q5', '')
    """
    found = [_SUFFIX.fullmatch(name) for name in names]
    stems = {match[1].rstrip("_.") for match in found if match is not None}
    return stems.pop() if None not in found and len(stems) == 1 else ""


def _together(run: Sequence[Judged], sort: str) -> tuple[str, float] | None:
    """The stem of neighbours that are one question, and how sure that is; None where nothing says so."""
    labels = [judged.answers.label for judged in run]
    stem = stem_within(labels) or common_ending(labels)
    if stem:
        return stem.strip(QUIET), 0.9
    if name := name_stem([judged.answers.name for judged in run]):
        return name, 0.85 if len(run) > 2 or sort != "numbers" else 0.7
    if sort == "own" or (sort in ("mark", "pair") and len(run) >= 3):
        return "", 0.75 if sort == "mark" else 0.8
    return None


def ticks_among(columns: Sequence[Judged]) -> list[Ticks]:
    """The several-answer questions among neighbouring columns, each as long as it can be.

    >>> from even_ballot.core.data.dataset import text_column
    >>> from even_ballot.core.draft.answers import answers_in
    >>> from even_ballot.core.draft.judgement import judge
    >>> made = [judge(answers_in(f"q5_{i}", f"q5_{i}", text_column(["x", "", "x"]))) for i in (1, 2, 3)]
    >>> [(found.stem, len(found.columns)) for found in ticks_among(made)]
    [('q5', 3)]
    """
    found: list[Ticks] = []
    at = 0
    while at < len(columns):
        sort = _sort(columns[at])
        end = at
        while sort is not None and end < len(columns) and _sort(columns[end]) == sort:
            end += 1
        taken = 1
        for stop in range(min(end, at + 200), at + 1, -1):
            run = columns[at:stop]
            together = _together(run, sort or "")
            if together is not None and len(run) >= 2:
                if (ticks := _made(run, together, sort or "")) is not None:
                    found.append(ticks)
                    taken = stop - at
                break
        at += taken
    return found


def unmarked(word: str) -> bool:
    """Whether a word says that something was not chosen.

    >>> unmarked("Unchecked"), unmarked("x")
    (True, False)
    """
    return fold(word) in _UNMARKED


def option_labels(questions: Sequence[Answers]) -> tuple[str, list[str]]:
    """What some columns have in common in their question texts, and the option that each stands for.

    >>> of = {"a": "Cross for: work", "b": "Cross for: school"}
    >>> option_labels([Answers(name, label, {"x": 1}, {}, 2) for name, label in of.items()])
    ('Cross for', ['work', 'school'])
    """
    texts = [answers.label for answers in questions]
    stem = (stem_within(texts) or common_ending(texts)).strip(QUIET)
    own = [next(iter(answers.words), "") for answers in questions]
    marks = {fold(word) for answers in questions for word in answers.words} <= _MARKS | _UNMARKED
    labels = []
    for answers, word in zip(questions, own, strict=True):
        label = item_of(answers.label, _prefix(answers.label, stem)) if marks else word
        labels.append(label.removesuffix(stem).strip(QUIET) if stem and label != stem else label)
    if len({fold(label) for label in labels}) < len(labels) or not all(labels):
        labels = texts
    return stem, labels


def _made(run: Sequence[Judged], together: tuple[str, float], sort: str) -> Ticks | None:
    stem, sure = together
    _, labels = option_labels([judged.answers for judged in run])
    if len({fold(label) for label in labels}) < len(labels):
        return None
    words = {word: not unmarked(word) for judged in run for word in judged.answers.words}
    if sort == "own" and max(map(len, labels)) > 120:
        return None
    options = tuple(Code(code=i, label=label) for i, label in enumerate(labels, start=1))
    return Ticks(tuple(run), stem, options, words, sure)


def _prefix(label: str, stem: str) -> str:
    """The stem as a label begins with it, the signs around it included; empty where it does not."""
    start = label.find(stem) if stem else -1
    return label[: start + len(stem)] if 0 <= start <= 3 else ""
