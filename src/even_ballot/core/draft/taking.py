"""Lines of a draft taken: the codebook and the entries of the ledger they become."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field

from even_ballot.core.data.codebook import Code, Codebook, Kind, Scale, Variable
from even_ballot.core.data.dataset import RawTable
from even_ballot.core.data.interpretation import guess_kind
from even_ballot.core.draft.line import DraftLine, LineKind, NumberReading
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger import AnyStep
from even_ballot.core.ledger.cells import Split
from even_ballot.core.ledger.names import Discard
from even_ballot.core.ledger.reading.dates import ToDate
from even_ballot.core.ledger.reading.to_number import ToNumber
from even_ballot.core.ledger.wording import CodeAnswers

_CHOSEN = Scale(codes=(Code(code=0, label="Not chosen"), Code(code=1, label="Chosen")))


@dataclass
class _Taken:
    """What was made of the lines so far. kinds: of the columns, as the file's own reading gives them."""

    kinds: Mapping[str, Kind]
    scales: dict[str, Scale] = field(default_factory=dict)
    variables: dict[str, Variable] = field(default_factory=dict)
    steps: list[AnyStep] = field(default_factory=list)

    def say(self, line: DraftLine, name: str, kind: Kind, missing: tuple[Code, ...] = ()) -> None:
        """Describes a column, where there is something to say that the file's reading does not."""
        if kind != self.kinds[name] or missing or line.role is not None:
            self.variables[name] = Variable(name=name, kind=kind, role=line.role, missing=missing)


def _scale_name(taken: _Taken, wanted: str, scale: Scale) -> str:
    name, k = wanted, 2
    while name in taken.scales and taken.scales[name] != scale:
        name, k = f"{wanted}_{k}", k + 1
    taken.scales[name] = scale
    return name


def _coded(taken: _Taken, line: DraftLine) -> None:
    if line.scale is None:
        for name in line.questions:
            taken.say(line, name, "coded")
        return
    name = _scale_name(taken, line.scale_name or line.questions[0], line.scale)
    for question in line.questions:
        taken.say(line, question, "number" if taken.kinds[question] == "number" else "text")
    step = CodeAnswers(do="code", variables=line.questions, scale=name, answers=line.answers)
    taken.steps.append(step)


def _number(taken: _Taken, line: DraftLine) -> None:
    written = []
    for question in line.questions:
        plain = taken.kinds[question] == "number" and line.number is None
        taken.say(line, question, "number" if plain else "text", line.missing)
        if not plain:
            written.append(question)
    if written:
        how = (line.number or NumberReading()).model_dump(exclude_defaults=True)
        taken.steps.append(ToNumber(do="to_number", variables=tuple(written), **how))


def _date(taken: _Taken, line: DraftLine) -> None:
    written = []
    for question in line.questions:
        order = "year_month_day" if line.date is None else line.date.order
        plain = taken.kinds[question] == "date" and order == "year_month_day" and not line.missing
        taken.say(line, question, "date" if plain else "text", line.missing)
        if not plain:
            written.append(question)
    if written:
        how = (
            {"order": "year_month_day"} if line.date is None else line.date.model_dump(exclude_defaults=True)
        )
        taken.steps.append(ToDate.model_validate({"do": "to_date", "variables": tuple(written), **how}))


def _several(taken: _Taken, line: DraftLine) -> None:
    if line.separator is not None:
        name = line.name or f"{line.questions[0]}_each"
        taken.say(line, line.questions[0], "text")
        taken.steps.append(
            Split(
                do="split",
                variable=line.questions[0],
                separator=line.separator,
                into=name,
                options=line.options,
            )
        )
        return
    if line.answers:
        scale = _scale_name(taken, "chosen", _CHOSEN)
        step = CodeAnswers(do="code", variables=line.questions, scale=scale, answers=line.answers)
        taken.steps.append(step)
        for question in line.questions:
            taken.say(line, question, "text")
    name = line.name or f"{line.questions[0]}_any"
    taken.variables[name] = Variable(
        name=name, kind="multi", label=line.stem, parts=line.questions, options=line.options
    )


def _text(taken: _Taken, line: DraftLine) -> None:
    for question in line.questions:
        taken.say(line, question, "text")


def _discard(taken: _Taken, line: DraftLine) -> None:
    taken.steps.append(Discard(do="discard", variables=line.questions))


_TAKEN: dict[LineKind, Callable[[_Taken, DraftLine], None]] = {
    "coded": _coded,
    "number": _number,
    "date": _date,
    "several": _several,
    "text": _text,
    "discard": _discard,
}


def taken(
    lines: Iterable[DraftLine], raw: RawTable, decimal: str = ".", scales: Mapping[str, Scale] | None = None
) -> tuple[Codebook, tuple[AnyStep, ...]]:
    """The codebook and the ledger that say what some lines propose of a file's columns. scales: there are
    already, of other names or the same ones. Raises StudyError for a line of a column there is not.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.draft.draft import draft
    >>> codebook, steps = taken(draft(ferry_answers()), ferry_answers())
    >>> list(codebook.scales)[:2], steps[0].sentence()
    (['isle', 'boat'], 'Code the answers of isle by the scale isle')
    """
    kinds = {name: guess_kind(column, decimal) for name, column in zip(raw.names, raw.columns, strict=True)}
    made = _Taken(kinds, dict(scales or {}))
    place = {name: i for i, name in enumerate(raw.names)}
    wanted = list(lines)
    for line in wanted:
        absent = [name for name in line.questions if name not in kinds]
        if absent:
            raise fault(
                f"The file has no column {some(absent)}.",
                "lines",
                f"Columns: {some(raw.names, 12)}.",
            )
    for line in sorted(wanted, key=lambda line: place[line.questions[0]]):
        _TAKEN[line.kind](made, line)
    variables = sorted(
        made.variables.values(), key=lambda v: place.get(v.name, place.get((*v.parts, "")[0], 0))
    )
    steps = sorted(made.steps, key=lambda step: step.do == "code")
    return Codebook(scales=made.scales, variables=tuple(variables)), tuple(steps)


def added(
    codebook: Codebook, lines: Iterable[DraftLine], raw: RawTable, decimal: str = "."
) -> tuple[Codebook, tuple[AnyStep, ...]]:
    """A codebook with what some lines propose added to it, and the entries they become. What was said of a
    variable stays, but for its kind. Raises StudyError as `taken` does, and for a name that is in use.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.draft.draft import draft
    >>> boat = [line for line in draft(ferry_answers()) if line.scale_name == "boat"]
    >>> [step.sentence() for step in added(Codebook(), boat, ferry_answers())[1]]
    ['Code the answers of boat by the scale boat']
    """
    made, steps = taken(lines, raw, decimal, codebook.scales)
    known = {variable.name: variable for variable in codebook.variables}
    columns = set(raw.names)
    for variable in made.variables:
        before = known.get(variable.name)
        if before is not None and variable.name not in columns:
            raise fault(
                f"There is a variable {variable.name!r} already.", "lines", "Give the question another name."
            )
        said = {"kind": variable.kind, "missing": variable.missing, "role": variable.role}
        known[variable.name] = (
            variable
            if before is None
            else before.model_copy(update={key: value for key, value in said.items() if value})
        )
    return Codebook(scales=made.scales, variables=tuple(known.values())), steps
