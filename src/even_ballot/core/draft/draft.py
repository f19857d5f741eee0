"""The draft of a whole codebook: a line for every question, or for all that are answered alike."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from even_ballot.core.data.codebook import Code, Scale
from even_ballot.core.data.dataset import RawTable
from even_ballot.core.draft.answers import all_answers
from even_ballot.core.draft.judgement import Judged, judge
from even_ballot.core.draft.line import UNSURE, DraftLine
from even_ballot.core.draft.roles import says_names
from even_ballot.core.draft.stems import common_ending, stem_within
from even_ballot.core.draft.ticks import Ticks, name_stem, ticks_among
from even_ballot.core.draft.wordings import no_answer_codes, numbered_scale, with_words, worded_scale
from even_ballot.core.written.dates import DateOrder
from even_ballot.core.written.texts import fold

_MISSING_NUMBER = -1


@dataclass
class _Group:
    """Coded questions that share their answers."""

    columns: list[Judged] = field(default_factory=list)
    words: frozenset[str] = frozenset()
    spelt: dict[str, int] = field(default_factory=dict)
    none: dict[str, int] = field(default_factory=dict)

    def add(self, judged: Judged) -> None:
        self.columns.append(judged)
        for word, n in judged.answers.said.items():
            self.spelt[word] = self.spelt.get(word, 0) + n
        for word, n in judged.answers.none.items():
            self.none[word] = self.none.get(word, 0) + n
        self.words |= _usual(judged)


def _usual(judged: Judged) -> frozenset[str]:
    """The answers of a column that were given more than now and then."""
    counts: dict[str, int] = {}
    for word, n in judged.answers.said.items():
        counts[fold(word)] = counts.get(fold(word), 0) + n
    least = max(1, sum(counts.values()) // 200)
    return frozenset(word for word, n in counts.items() if n >= least)


def _alike(group: _Group, words: frozenset[str]) -> bool:
    """Whether answers are those of a group: the same, or most of more than three."""
    common = len(group.words & words)
    if group.words == words:
        return True
    smaller, larger = sorted((len(group.words), len(words)))
    if common < 3 or larger > 60:
        return False
    return (
        common == smaller and common >= 0.5 * larger
        if smaller > 3
        else common >= 0.6 * len(group.words | words)
    )


def _judged(raw: RawTable, decimal: str) -> list[Judged]:
    """Every column by itself, those with dates again once it is known how the others' are written."""
    answers = list(all_answers(raw))
    first = [judge(found, decimal) for found in answers]
    told: list[DateOrder] = [j.date.order for j in first if j.date is not None and j.why == "dates"]
    return [
        judge(j.answers, decimal, tuple(dict.fromkeys(told))) if j.why == "ambiguous_dates" else j
        for j in first
    ]


def _index_line(first: Judged) -> DraftLine | None:
    """A column without a heading that counts the records."""
    answers = first.answers
    heading = answers.label.strip().casefold()
    if (
        heading not in ("", "index", "unnamed: 0", "row", "rownames", "#", "no", "no.")
        and answers.name != "column_1"
    ):
        return None
    words = list(answers.words)
    if not words or answers.cells != len(words) or not words[0].strip().isdigit():
        return None
    start = int(words[0])
    counts = start in (0, 1) and all(w.strip() == str(start + i) for i, w in enumerate(words))
    return DraftLine(questions=(answers.name,), kind="discard", why="index", sure=0.9) if counts else None


def _stem(columns: Sequence[Judged]) -> str | None:
    labels = [judged.answers.label for judged in columns]
    if len(labels) < 2:
        return None
    return stem_within(labels) or common_ending(labels) or None


def _name_for(columns: Sequence[Judged], scale: Scale, taken: set[str]) -> str:
    """A free name for a scale: of what its questions' names begin with, or of the only one."""
    names = [judged.answers.name for judged in columns]
    base = (name_stem(names) if len(names) > 1 else "") or names[0].strip("_")
    name, k = base[:30], 2
    while name in taken:
        name, k = f"{base[:28]}_{k}", k + 1
    taken.add(name)
    return name


def _worded_lines(columns: Iterable[Judged], taken: set[str]) -> list[DraftLine]:
    """Questions answered in words, one line for all that share their answers."""
    groups: list[_Group] = []
    for judged in columns:
        words = _usual(judged)
        group = next((g for g in reversed(groups) if _alike(g, words)), None)
        if group is None:
            groups.append(group := _Group())
        group.add(judged)
    lines = []
    for group in groups:
        made = worded_scale(group.spelt, group.none)
        sure = min(judged.sure for judged in group.columns)
        sure = max(sure, 0.9) if made.known else min(sure, 0.85)
        sure = min(sure, 0.75) if made.misspelt else sure
        name = _name_for(group.columns, made.scale, taken)
        lines.append(
            DraftLine(
                questions=tuple(judged.answers.name for judged in group.columns),
                kind="coded",
                why=made.why,
                sure=sure,
                role=group.columns[0].role,
                stem=_stem(group.columns),
                scale_name=name,
                scale=made.scale,
                answers=made.answers,
            )
        )
    return lines


def _numbered_groups(columns: Sequence[Judged], at: Mapping[str, int]) -> list[list[Judged]]:
    """Questions answered by the same codes that belong together: of one stem, or three neighbours and more.
    The codes alone say nothing of what they mean."""
    runs: list[list[Judged]] = []
    for judged in columns:
        before = runs[-1][-1] if runs else None
        follows = before is not None and at[judged.answers.name] == at[before.answers.name] + 1
        same = before is not None and (judged.codes, judged.role) == (before.codes, before.role)
        if follows and same:
            runs[-1].append(judged)
        else:
            runs.append([judged])
    groups: list[list[Judged]] = []
    for run in runs:
        if (len(run) > 2 and len(run[0].codes) > 3) or (len(run) > 1 and (_stem(run) or _named_alike(run))):
            groups.append(run)
        else:
            groups += [[judged] for judged in run]
    return groups


def _named_alike(run: Sequence[Judged]) -> bool:
    return bool(name_stem([judged.answers.name for judged in run]))


def _numbered_lines(columns: Sequence[Judged], taken: set[str], at: Mapping[str, int]) -> list[DraftLine]:
    """Questions answered by codes, one line for all that belong together."""
    lines = []
    for members in _numbered_groups(columns, at):
        ordered = not any(says_names(judged.answers) for judged in members)
        missing = sorted({code for judged in members for code in judged.missing})
        scale = numbered_scale(members[0].codes, missing, ordered)
        worded = {word: n for judged in members for word, n in judged.answers.none.items()}
        scale, answers = with_words(scale, worded)
        lines.append(
            DraftLine(
                questions=tuple(judged.answers.name for judged in members),
                kind="coded",
                why="few_whole_numbers",
                sure=min(judged.sure for judged in members),
                role=members[0].role,
                stem=_stem(members),
                scale_name=_name_for(members, scale, taken),
                scale=scale,
                answers=answers,
            )
        )
    return lines


def _missing_codes(judged: Judged) -> tuple[Code, ...]:
    """Codes of numbers that mean no answer, and codes for words that do."""
    spelt: dict[str, list[str]] = {}
    for word in judged.answers.none:
        spelt.setdefault(fold(word), []).append(word)
    codes = no_answer_codes(judged.missing)
    free = _MISSING_NUMBER
    worded = []
    for words in spelt.values():
        while free in judged.missing or free in judged.numbers:
            free -= 1
        worded.append(Code(code=free, label=words[0], also=tuple(words[1:])))
        free -= 1
    return (*codes, *worded)


def _other_lines(columns: Iterable[Judged]) -> list[DraftLine]:
    """Numbers, dates, texts and columns with a part in the survey; one line for all that are alike in it."""
    groups: dict[tuple[object, ...], list[Judged]] = {}
    for judged in columns:
        alone = (judged.answers.name,) if judged.role or judged.kind == "several" else ()
        missing = _missing_codes(judged) if judged.kind in ("number", "date") else ()
        reading = judged.number if judged.read and judged.kind == "number" else None
        key = (
            judged.kind,
            judged.why,
            missing,
            repr(reading),
            repr(judged.date),
            judged.sure < UNSURE,
            *alone,
        )
        groups.setdefault(key, []).append(judged)
    return [_other_line(members) for members in groups.values()]


def _other_line(members: Sequence[Judged]) -> DraftLine:
    first = members[0]
    options = tuple(Code(code=i, label=label) for i, label in enumerate(first.parts, start=1))
    return DraftLine(
        questions=tuple(judged.answers.name for judged in members),
        kind=first.kind,
        why=first.why,
        sure=min(judged.sure for judged in members),
        role=first.role,
        stem=_stem(members),
        missing=_missing_codes(first) if first.kind in ("number", "date") else (),
        number=first.number if first.read and first.kind == "number" else None,
        date=first.date,
        name=f"{first.answers.name}_each"[:40] if first.separator else None,
        options=options,
        separator=first.separator,
    )


def _tick_line(ticks: Ticks, names: set[str]) -> DraftLine:
    columns = [judged.answers.name for judged in ticks.columns]
    name = base = name_stem(columns) or f"{columns[0]}_any"
    k = 2
    while name in names:
        name, k = f"{base}_any" if k == 2 else f"{base}_any{k}", k + 1
    names.add(name)
    worded = not set(ticks.words) <= {"0", "1"}
    return DraftLine(
        questions=tuple(columns),
        kind="several",
        why="ticks",
        sure=ticks.sure,
        stem=ticks.stem or None,
        name=name,
        options=ticks.options,
        answers={word: int(chosen) for word, chosen in ticks.words.items()} if worded else {},
    )


def draft(raw: RawTable, decimal: str = ".") -> tuple[DraftLine, ...]:
    """A proposal for every column of a file, each in one line: first the lines one is unsure of, then in the
    order of the questionnaire. decimal: what the file's reading marks decimals with.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> [(line.kind, line.questions) for line in draft(ferry_answers())][0]
    ('coded', ('isle',))
    """
    columns = _judged(raw, decimal)
    at = {judged.answers.name: i for i, judged in enumerate(columns)}
    index = _index_line(columns[0]) if columns else None
    rest = columns if index is None else columns[1:]
    ticks = ticks_among(rest)
    ticked = {judged.answers.name for found in ticks for judged in found.columns}
    rest = [judged for judged in rest if judged.answers.name not in ticked]
    taken: set[str] = set()
    names = set(raw.names)
    worded = [judged for judged in rest if judged.kind == "coded" and not judged.codes]
    numbered = [judged for judged in rest if judged.kind == "coded" and judged.codes]
    lines = [
        *([index] if index is not None else []),
        *(_tick_line(found, names) for found in ticks),
        *_worded_lines(worded, taken),
        *_numbered_lines(numbered, taken, at),
        *_other_lines(judged for judged in rest if judged.kind != "coded"),
    ]
    return tuple(sorted(lines, key=lambda line: (line.sure >= UNSURE, at[line.questions[0]])))
