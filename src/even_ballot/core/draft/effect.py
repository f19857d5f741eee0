"""What a line of a draft makes of the answers: how many cells take which code, what does not read."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from even_ballot.core.data.interpretation import code_of
from even_ballot.core.draft.answers import Answers
from even_ballot.core.draft.line import DraftLine
from even_ballot.core.ledger.reading.to_number import ToNumber
from even_ballot.core.written.dates import DateStyle, read_date

Sort = Literal["answer", "missing", "left"]
_SHOWN, _SOME = 400, 12


@dataclass(frozen=True)
class DraftAnswer:
    """An answer, what it becomes, and in how many cells of the line's questions. sort `left`: it becomes
    nothing, and would be a finding; value: the number or seconds since 1970 that it reads as."""

    text: str
    cells: int
    sort: Sort
    code: int | None = None
    value: float | None = None


@dataclass(frozen=True)
class DraftEffect:
    """The answers of a line: of codes in their order, then those that mean none, then what does not read; of
    numbers and dates what does not read, those that mean none, and some of the others, from the smallest to
    the largest. blank: cells without an entry; distinct: how many different entries there are."""

    answers: tuple[DraftAnswer, ...]
    blank: int
    cells: int
    left: int
    distinct: int


def _together(questions: Sequence[Answers]) -> dict[str, int]:
    words: dict[str, int] = {}
    for answers in questions:
        for word, n in answers.words.items():
            words[word] = words.get(word, 0) + n
    return words


def _coded(line: DraftLine, words: Mapping[str, int]) -> list[DraftAnswer]:
    scale = line.scale
    if scale is None:
        return [DraftAnswer(word, n, "answer") for word, n in words.items()]
    labels = scale.wordings | line.answers
    cells: dict[int, int] = {}
    left: list[DraftAnswer] = []
    for word, n in words.items():
        code = code_of(word, labels)
        if code is None or scale.label_of(code) is None:
            left.append(DraftAnswer(word, n, "left", code))
        else:
            cells[code] = cells.get(code, 0) + n
    found = [DraftAnswer(item.label, cells.get(item.code, 0), "answer", item.code) for item in scale.codes]
    found += [
        DraftAnswer(item.label, cells.get(item.code, 0), "missing", item.code) for item in scale.missing
    ]
    return found + left


def _read(line: DraftLine, words: Mapping[str, int]) -> list[DraftAnswer]:
    """Numbers and dates, each entry with what it reads as."""
    none = {word: item.code for item in line.missing for word in (item.label, *item.also)}
    codes = {float(item.code) for item in line.missing}
    how = {} if line.number is None else line.number.model_dump()
    number = ToNumber(do="to_number", variables=line.questions, **how)
    style = None if line.date is None else DateStyle(line.date.order, line.date.two_digits_up_to)
    found = []
    for word, n in words.items():
        if word in none:
            found.append(DraftAnswer(word, n, "missing", none[word]))
            continue
        if line.kind == "date":
            value = read_date(word, style or DateStyle("year_month_day"))
        else:
            value = number.number(word)
        sort: Sort = "left" if value is None else "missing" if value in codes else "answer"
        found.append(
            DraftAnswer(word, n, sort, int(value) if sort == "missing" and value is not None else None, value)
        )
    answers = sorted((a for a in found if a.sort == "answer"), key=lambda a: a.value or 0.0)
    step = max(1, (len(answers) - 1) // (_SOME - 1))
    others = sorted((a for a in found if a.sort != "answer"), key=lambda a: (a.sort, -a.cells))
    return others + (answers if len(answers) <= _SOME else [*answers[:-1:step][: _SOME - 1], answers[-1]])


def _several(line: DraftLine, questions: Sequence[Answers]) -> list[DraftAnswer]:
    if line.separator is not None:
        known = {option.label: option for option in line.options}
        cells: dict[str, int] = {}
        for word, n in _together(questions).items():
            for part in {part.strip() for part in word.split(line.separator)} - {""}:
                cells[part] = cells.get(part, 0) + n
        found = [DraftAnswer(o.label, cells.pop(o.label, 0), "answer", o.code) for o in known.values()]
        return found + [DraftAnswer(part, n, "left") for part, n in cells.items()]
    found = []
    for option, answers in zip(line.options, questions, strict=False):
        chosen = sum(
            n for word, n in answers.words.items() if line.answers.get(word, int(word.strip() == "1"))
        )
        found.append(DraftAnswer(option.label, chosen, "answer", option.code))
    return found


def effect(line: DraftLine, questions: Sequence[Answers]) -> DraftEffect:
    """What a line makes of its questions' answers.

    >>> from even_ballot.core.draft.wordings import worded_scale
    >>> answers = Answers("q1", "q1", {"Never": 2, "Often": 3, "?!": 1}, {}, 8)
    >>> scale = worded_scale({"Never": 2, "Often": 3}, {}).scale
    >>> line = DraftLine(questions=("q1",), kind="coded", why="known_order", scale_name="q1", scale=scale)
    >>> [(a.text, a.cells, a.sort) for a in effect(line, [answers]).answers]
    [('Never', 2, 'answer'), ('Often', 3, 'answer'), ('?!', 1, 'left')]
    """
    words = _together(questions)
    match line.kind:
        case "coded":
            found = _coded(line, words)
        case "number" | "date":
            found = _read(line, words)
        case "several":
            found = _several(line, questions)
        case _:
            found = [
                DraftAnswer(word, n, "answer") for word, n in sorted(words.items(), key=lambda item: -item[1])
            ]
    left = sum(a.cells for a in found if a.sort == "left")
    blank, cells = sum(a.blank for a in questions), sum(a.cells for a in questions)
    return DraftEffect(tuple(found[:_SHOWN]), blank, cells, left, len(words))
