"""Questions proposed as what somebody says they are, in place of what was judged."""

from collections.abc import Sequence

from even_ballot.core.data.codebook import Code
from even_ballot.core.draft.answers import Answers
from even_ballot.core.draft.line import DateReading, DraftLine, LineKind, NumberReading
from even_ballot.core.draft.missing import missing_among
from even_ballot.core.draft.stems import common_ending, stem_within
from even_ballot.core.draft.ticks import name_stem, option_labels, unmarked
from even_ballot.core.draft.wordings import no_answer_codes, numbered_scale, with_words, worded_scale
from even_ballot.core.faults import fault
from even_ballot.core.written.dates import judge_dates
from even_ballot.core.written.numbers import NumberStyle, judge_style, read_number

_MOST_CODES = 5000


def _together(questions: Sequence[Answers]) -> tuple[dict[str, int], dict[str, int]]:
    said: dict[str, int] = {}
    none: dict[str, int] = {}
    for answers in questions:
        for into, of in ((said, answers.said), (none, answers.none)):
            for word, n in of.items():
                into[word] = into.get(word, 0) + n
    return said, none


def _coded(line: DraftLine, said: dict[str, int], none: dict[str, int]) -> DraftLine:
    if len(said) > _MOST_CODES:
        raise fault(
            f"There are {len(said):,} different answers.",
            "kind",
            f"Up to {_MOST_CODES:,} are given codes; leave it as text.",
        )
    numbers = {word: read_number(word, NumberStyle()) for word in said}
    whole = {v for v in numbers.values() if v is not None and v == int(v) and abs(v) < 2**31}
    if said and len(whole) == len(set(numbers.values())):
        counts: dict[float, int] = {}
        for word, n in said.items():
            value = numbers[word] or 0.0
            counts[value] = counts.get(value, 0) + n
        missing = missing_among(counts)
        codes = sorted(int(v) for v in whole if int(v) not in missing)
        scale, answers = with_words(numbered_scale(codes, missing), none)
        return line.model_copy(update={"scale": scale, "answers": answers, "why": "few_whole_numbers"})
    made = worded_scale(said, none) if said else None
    if made is None:
        raise fault("There is no answer to give a code to.", "kind", "Leave it as text.")
    return line.model_copy(update={"scale": made.scale, "answers": made.answers, "why": made.why})


def _number(line: DraftLine, said: dict[str, int], none: dict[str, int], decimal: str) -> DraftLine:
    style = judge_style(said, decimal).style if said else NumberStyle()
    counts: dict[float, int] = {}
    for word, n in said.items():
        if (value := read_number(word, style)) is not None:
            counts[value] = counts.get(value, 0) + n
    missing = (*no_answer_codes(missing_among(counts)), *_worded(none, counts))
    reading = NumberReading(
        decimal=style.decimal,
        thousands=style.thousands,
        multiples=style.multiples,
        clock=style.clock,
        unit=style.unit,
    )
    return line.model_copy(update={"number": reading, "missing": missing, "why": "written_numbers"})


def _worded(none: dict[str, int], counts: dict[float, int]) -> tuple[Code, ...]:
    free, codes = -1, []
    for word in none:
        while free in counts:
            free -= 1
        codes.append(Code(code=free, label=word))
        free -= 1
    return tuple(codes)


def _date(line: DraftLine, said: dict[str, int], none: dict[str, int]) -> DraftLine:
    found = judge_dates(said) if said else None
    reading = DateReading(order="day_month_year" if found is None else found.style.order)
    return line.model_copy(update={"date": reading, "missing": _worded(none, {}), "why": "dates"})


def _several(line: DraftLine, questions: Sequence[Answers], names: frozenset[str]) -> DraftLine:
    stem, labels = option_labels(questions)
    words = {word for answers in questions for word in answers.words}
    answers = {} if words <= {"0", "1"} else {word: int(not unmarked(word)) for word in words}
    columns = [answers.name for answers in questions]
    name = name_stem(columns) or f"{columns[0]}_any"
    while name in names:
        name += "_any"
    options = tuple(Code(code=i, label=label) for i, label in enumerate(labels, start=1))
    return line.model_copy(
        update={"name": name, "stem": stem or None, "options": options, "answers": answers, "why": "ticks"}
    )


def proposed_as(
    kind: LineKind, questions: Sequence[Answers], decimal: str = ".", names: frozenset[str] = frozenset()
) -> DraftLine:
    """A line that proposes some questions as a kind, as well as they can be that. decimal: what the file
    marks decimals with; names: that are taken. Raises StudyError where they cannot be it.

    >>> line = proposed_as("coded", [Answers("q1", "q1", {"3": 1, "1": 1, "9": 1}, {}, 3)])
    >>> [item.code for item in line.scale.codes], [item.code for item in line.scale.missing]
    ([1, 3], [9])
    """
    said, none = _together(questions)
    labels = [answers.label for answers in questions]
    stem = (stem_within(labels) or common_ending(labels) or None) if len(labels) > 1 else None
    columns = tuple(answers.name for answers in questions)
    line = DraftLine(questions=columns, kind=kind, why="open_answers", stem=stem, scale_name=columns[0])
    match kind:
        case "coded":
            return _coded(line, said, none)
        case "number":
            return _number(line, said, none, decimal)
        case "date":
            return _date(line, said, none)
        case "several":
            return _several(line, questions, names)
        case _:
            return line.model_copy(update={"scale_name": None})
