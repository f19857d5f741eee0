"""Columns that belong together: batteries, and columns of one several-answer question."""

from bisect import bisect_left
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby

from even_ballot.core.data.codebook import Code, Variable
from even_ballot.core.data.dataset import Dataset

_LEAST_STEM, _MOST_WORDS = 12, 80
QUIET = " \t\n\"'“”‘’«»[](){}:;,.-–—…=?"


@dataclass(frozen=True)
class Battery:
    """Neighbouring questions of one stem answered on one scale, or with the same words. items: what tells
    each from the others."""

    stem: str
    variables: tuple[str, ...]
    items: tuple[str, ...]
    scale: str | None


@dataclass(frozen=True)
class SeveralAnswers:
    """Neighbouring columns that look like the answers of one several-answer question. worded: the columns
    hold a word where chosen and a blank where not, so that 0/1 columns have to be made of them first;
    words: those words."""

    stem: str
    name: str
    parts: tuple[str, ...]
    options: tuple[Code, ...]
    worded: bool
    words: tuple[str, ...] = ()


def common_start(texts: Sequence[str]) -> str:
    """The characters that all of some texts begin with.

    >>> common_start(["The ferry is late", "The ferry is full"])
    'The ferry is '
    """
    low, high = min(texts), max(texts)
    n = next((i for i, (a, b) in enumerate(zip(low, high, strict=False)) if a != b), min(len(low), len(high)))
    return low[:n]


def stem_of(labels: Sequence[str]) -> str:
    """What some question texts begin with in common, up to a whole word; empty where that is too little to
    go by.

    >>> stem_of(["How safe do you feel: on deck", "How safe do you feel: below"])
    'How safe do you feel: '
    """
    common = common_start(labels)
    if (
        any(len(label) > len(common) and label[len(common)].isalnum() for label in labels)
        and common[-1:].isalnum()
    ):
        common = common[: len(common) - len(_last_word(common))]
    return common if len(common.strip(QUIET)) >= _LEAST_STEM else ""


def _last_word(text: str) -> str:
    """The run of letters and digits that a text ends in."""
    start = len(text)
    while start and (text[start - 1].isalnum() or text[start - 1] == "_"):
        start -= 1
    return text[start:]


def item_of(label: str, stem: str) -> str:
    """What is left of a question text after its stem.

    >>> item_of("How safe do you feel: on deck", "How safe do you feel:")
    'on deck'
    >>> item_of("Satisfied with: speed (in knots)", "Satisfied with:"), item_of("Boats [Mail boat]", "Boats")
    ('speed (in knots)', 'Mail boat')
    """
    rest = label[len(stem) :].strip()
    item = rest.strip(QUIET)
    for opens, closes in ("()", "[]", "{}", "“”", "«»"):
        # A bracket within the item is a part of it, and not what parts it from the stem.
        if item.count(opens) > item.count(closes) and rest.endswith(closes):
            item += closes
    return item or label


def _name_stem(names: Sequence[str]) -> str:
    return common_start(names).rstrip("_0123456789")


def _runs(data: Dataset, key: Callable[[Variable], object]) -> Iterator[list[Variable]]:
    """Runs of neighbouring variables of one key other than None."""
    for value, run in groupby(data.variables.values(), key=key):
        if value is not None:
            yield list(run)


def _of_one_stem(
    run: list[Variable], alike: Callable[[list[Variable]], bool]
) -> Iterator[tuple[str, list[Variable]]]:
    """A run cut where question texts stop having a stem in common, or stop being alike."""
    titles, start = [v.title for v in run], 0

    def apart(n: int) -> bool:
        """Whether so many from the start are too many; more of them are, too."""
        return not (stem_of(titles[start : start + n]) and alike(run[start : start + n]))

    while start < len(run):
        # In strides that double, so that most cuts are seen at the first look.
        reach, most = 2, len(run) - start
        while reach <= most and not apart(reach):
            reach *= 2
        within = range(reach // 2 + 1, min(reach, most + 1))
        together = within.start - 1 + bisect_left(within, True, key=apart)
        if together > 1:
            yield stem_of(titles[start : start + together]), run[start : start + together]
        start += together


def batteries_of(data: Dataset) -> tuple[Battery, ...]:
    """Neighbouring questions with a common stem and the same answers: one scale, or few and mostly the
    same words.

    >>> from even_ballot.core.data.example import ferry
    >>> batteries_of(ferry())
    ()
    """

    def answers(variable: Variable) -> object:
        if variable.role is not None:
            return None
        if variable.kind == "coded":
            return variable.scale
        if variable.kind != "text":
            return None
        return "words"

    words: dict[str, frozenset[str]] = {}
    for variable in data.variables.values():
        if answers(variable) == "words":
            entries = data.column(variable.name).words
            words[variable.name] = (
                frozenset(w.strip().casefold() for w in entries)
                if len(entries) <= _MOST_WORDS
                else frozenset()
            )

    def same_words(run: list[Variable]) -> bool:
        """Whether texts are answered with the same words: at least two, and a third of each one's, are the
        first one's."""
        first = words.get(run[0].name)
        if first is None:
            return True
        return all(len(words[v.name] & first) >= max(2, len(words[v.name]) / 3) for v in run)

    found = []
    for run in _runs(data, answers):
        for stem, together in _of_one_stem(run, same_words):
            items = tuple(item_of(v.title, stem) for v in together)
            found.append(
                Battery(stem.strip(QUIET), tuple(v.name for v in together), items, together[0].scale)
            )
    return tuple(found)


def _ticked(data: Dataset, variable: Variable) -> str | None:
    """Whether a column says "chosen or not": "coded" 0 and 1; "worded", one and the same word or blank."""
    if variable.role is not None:
        return None
    column = data.column(variable.name) if variable.kind != "multi" else None
    if column is None:
        return None
    if variable.kind == "number" and set(column.distinct.tolist()) <= {0, 1} and 1 in column.distinct:
        return "coded"
    if (
        variable.kind == "text"
        and len(column.words) - column.words.count("") == 1
        and bool((column.state != 0).any())
    ):
        return "worded"
    return None


def _chosen(data: Dataset, name: str) -> tuple[str, ...]:
    return tuple(word for word in data.column(name).words if word.strip())


def several_answers_of(data: Dataset) -> tuple[SeveralAnswers, ...]:
    """Columns that look like one several-answer question: neighbours of one stem, each 0 and 1, or one
    word or blank.

    >>> from even_ballot.core.data.example import ferry
    >>> several_answers_of(ferry())
    ()
    """
    taken = {part for v in data.variables.values() for part in v.parts}
    found = []
    for run in _runs(data, lambda v: None if v.name in taken else _ticked(data, v)):
        worded = run[0].kind == "text"
        for stem, together in _of_one_stem(run, lambda _: True):
            options = tuple(
                Code(code=i, label=item_of(v.title, stem)) for i, v in enumerate(together, start=1)
            )
            if len({option.label for option in options}) == len(options):
                names = [v.name for v in together]
                name = _name_stem(names) or names[0]
                while name in data.variables:
                    name += "_any"
                words = tuple(dict.fromkeys(w for n in names for w in _chosen(data, n))) if worded else ()
                found.append(SeveralAnswers(stem.strip(QUIET), name, tuple(names), options, worded, words))
    return tuple(found)
