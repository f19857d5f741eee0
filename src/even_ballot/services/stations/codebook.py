"""The codebook as it stands after the ledger: every variable with its answers."""

from typing import Literal

import numpy as np
from pydantic import BaseModel
from sqlalchemy.orm import Session

from even_ballot.core.data.batteries import batteries_of, several_answers_of
from even_ballot.core.data.codebook import Code, Kind, Scale, Variable
from even_ballot.core.data.dataset import MISSING, UNPLACED, Column, Dataset
from even_ballot.core.data.travelling import narrowed
from even_ballot.core.ledger.scale_fit import Fit, fits
from even_ballot.core.screening import Behind, Finding, Screening, batteries, behind
from even_ballot.core.screening.entries import answered_share, fast_cut, seconds_of
from even_ballot.core.screening.item_nonresponse import NonResponse, nonresponse, questions_of
from even_ballot.core.study.nodes import Ledgered, key_of, said
from even_ballot.formats.exchange.microdata import entries
from even_ballot.services.states.elsewhere import in_a_helper
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.stations.views import (
    CodebookView,
    CutOffView,
    FindingCases,
    NumberSummary,
    ShownAnswer,
    Use,
    VariableView,
)
from even_ballot.store.studies import StudyState

_SHOWN, _ALL, _BARS, _WHOLE, _LISTED = 60, 5000, 20, 40, 200


def _texts(column: Column, state: int, sort: str, most: int) -> list[ShownAnswer]:
    counts = np.bincount(column.values[column.state == state].astype(np.int64), minlength=len(column.words))
    order = np.argsort(-counts, kind="stable")[:most]
    return [ShownAnswer(None, column.words[i], int(counts[i]), sort) for i in order if counts[i]]


def _coded(data: Dataset, name: str, column: Column) -> list[ShownAnswer]:
    codes, known = data.categories(name)
    counts = np.bincount(data.positions(name)[column.answered].astype(np.int64), minlength=len(codes))
    shown = [
        ShownAnswer(item.code, item.label, int(n), "answer" if i < known else "not_in_codebook")
        for i, (item, n) in enumerate(zip(codes, counts, strict=True))
    ]
    scale = data.scale_of(name)
    for item in (*(scale.missing if scale else ()), *data.variable(name).missing):
        n = int(((column.values == item.code) & (column.state == MISSING)).sum())
        shown.append(ShownAnswer(item.code, item.label, n, "missing"))
    return shown


def _number(column: Column) -> NumberSummary | None:
    values = column.values[column.answered].astype(np.float64)
    if not len(values):
        return None
    low, quarter, median, three, high = (float(q) for q in np.quantile(values, (0, 0.25, 0.5, 0.75, 1)))
    bins, ends = _BARS, (low, high if high > low else low + 1)
    if high - low < _WHOLE and bool((values == np.floor(values)).all()):
        # A bar for each whole number: bins of any other width would leave gaps between them.
        bins, ends = int(high - low) + 1, (low - 0.5, high + 0.5)
    bars = np.histogram(values, bins=bins, range=ends)[0]
    return NumberSummary(low, quarter, median, three, high, float(values.mean()), tuple(map(int, bars)))


def variable_view(
    data: Dataset, name: str, arrived: Kind | None = None, made_by: int | None = None, most: int = _SHOWN
) -> VariableView:
    """A variable with its answers as they stand in a dataset; of texts the most frequent, up to `most`."""
    variable = data.variable(name)
    if variable.kind == "multi":
        return _several_view(data, variable, arrived, made_by)
    column = data.column(name)
    answered, blank, missing, unplaced = np.bincount(column.state, minlength=4).tolist()
    shown: list[ShownAnswer] = []
    if variable.kind == "coded":
        shown = _coded(data, name, column)
    elif variable.kind == "text":
        shown = _texts(column, 0, "answer", most)
    shown += _texts(column, UNPLACED, "not_placed", most)
    number = _number(column) if variable.kind == "number" else None
    words = variable.kind == "text"
    distinct = int((np.bincount(column.values[column.answered]) > 0).sum()) if words else len(column.distinct)
    level = variable.level_on(data.scale_of(name))
    counts = (answered, blank, missing, unplaced, distinct)
    return VariableView(variable, level, arrived, made_by, *counts, tuple(shown), number)


def _several_view(
    data: Dataset, variable: Variable, arrived: Kind | None, made_by: int | None
) -> VariableView:
    """A several-answer question: each option with who chose it."""
    parts = [data.column(part) for part in variable.parts]
    answered = np.logical_or.reduce([part.answered for part in parts])
    shown = []
    for i, (name, part) in enumerate(zip(variable.parts, parts, strict=True)):
        option = (
            variable.options[i] if variable.options else Code(code=i + 1, label=data.variable(name).title)
        )
        chosen = int(((part.values == 1) & part.answered).sum())
        shown.append(ShownAnswer(option.code, option.label, chosen, "answer"))
    counts = (int(answered.sum()), int((~answered).sum()), 0, 0, len(parts))
    return VariableView(variable, None, arrived, made_by, *counts, tuple(shown), None)


def _kind_of(ledgered: Ledgered, name: str) -> Kind | None:
    arrived = ledgered.start.variables.get(name)
    return None if arrived is None else arrived.kind


def _makers(ledgered: Ledgered) -> dict[str, int]:
    """The step that made each variable; one that was only renamed was made by none."""
    made: dict[str, int] = {}
    known = set(ledgered.start.variables)
    for i, data in enumerate(ledgered.states):
        for name in data.variables:
            if name not in known:
                known.add(name)
                if ledgered.effects[i].do != "rename":
                    made[name] = i + 1
    return made


def codebook(session: Session, pipelines: Pipelines, state: StudyState) -> CodebookView:
    """Variables and scales after as many steps as can be taken."""
    key, ledgered = pipelines.ledgered(session, state)
    made = key_of("codebook view", key, str(len(ledgered.states)), said(state.study.codebook, {"scales"}))
    return pipelines.once(made, lambda: _codebook_view(state, ledgered))


def _codebook_view(state: StudyState, ledgered: Ledgered) -> CodebookView:
    data = ledgered.last
    makers = _makers(ledgered)
    scales = {**state.study.codebook.scales, **data.scales}
    used = {
        name: tuple(
            Use(v.name, int(data.column(v.name).answered.sum()))
            for v in data.variables.values()
            if v.scale == name
        )
        for name in scales
    }
    return CodebookView(
        tuple(
            variable_view(data, name, _kind_of(ledgered, name), makers.get(name)) for name in data.variables
        ),
        scales,
        used,
        batteries_of(data),
        several_answers_of(data),
    )


def whole_variable(session: Session, pipelines: Pipelines, state: StudyState, name: str) -> VariableView:
    """A variable with all of its answers, up to some thousands."""
    ledgered = pipelines.ledgered(session, state)[1]
    return variable_view(ledgered.last, name, _kind_of(ledgered, name), _makers(ledgered).get(name), _ALL)


def distribution(
    session: Session, pipelines: Pipelines, state: StudyState, kind: Literal["too_fast", "too_little"]
) -> CutOffView | None:
    """What a movable cut-off is chosen by: seconds taken, or share answered, of every case in use."""
    data, settings = pipelines.ledgered(session, state)[1].last, state.study.screening
    if kind == "too_fast":
        timed = seconds_of(data)
        values = None if timed is None else timed.seconds[~np.isnan(timed.seconds)]
        if timed is None or values is None or not len(values):
            return None
        cut = fast_cut(timed, settings)
        high = float(np.quantile(values, 0.98))
    else:
        values = answered_share(data, settings)
        if values is None:
            return None
        cut, high = settings.answered, 1.0
    counts, edges = np.histogram(np.minimum(values, high), bins=40, range=(0.0, max(high, cut)))
    return CutOffView(kind, cut, float(edges[-1]), tuple(map(int, counts)), int((values < cut).sum()))


def _shown(data: Dataset, finding: Finding, settings: Screening) -> list[str]:
    """The variables worth seeing beside a finding's cases."""
    identifier = data.with_role("id")
    names = [] if identifier is None else [identifier]
    battery = next((run for run in batteries(data, settings.battery) if run[0] == finding.variable), ())
    wanted = battery if finding.kind == "straight_line" else (finding.variable,) if finding.variable else ()
    if not wanted:
        wanted = tuple(v.name for v in data.variables.values() if v.kind == "coded")[:8]
    return [*names, *(name for name in wanted if name not in names)]


def finding_cases(
    session: Session, pipelines: Pipelines, state: StudyState, finding: Finding
) -> FindingCases:
    """The cells behind a finding: each case's record, identifier and entries, and the step that sets the
    cases aside."""
    data = pipelines.ledgered(session, state)[1].last
    settings = state.study.screening
    found: Behind = in_a_helper(behind, data, finding, state.study.codebook, settings)
    keep = np.flatnonzero(found.cases)[:_LISTED]
    names = _shown(data, finding, settings)
    columns = [list(map(str, data.rows[keep].tolist()))]
    columns += [entries(data.column(name).take(keep), data.variable(name).kind) for name in names]
    step = found.step
    rows = tuple(zip(*columns, strict=True))
    return FindingCases(finding, step, None if step is None else step.sentence(), ("record", *names), rows)


class FitWanted(BaseModel):
    """A scale that may be laid on some variables."""

    scale: Scale
    variables: tuple[str, ...]


def fit_scale(
    session: Session, pipelines: Pipelines, state: StudyState, wanted: FitWanted
) -> tuple[Fit, ...]:
    """How a scale fits some variables, answer by answer, before it is laid on them."""
    data = narrowed(pipelines.ledgered(session, state)[1].last, wanted.variables)
    return in_a_helper(fits, data, wanted.variables, wanted.scale)


def left_out(session: Session, pipelines: Pipelines, state: StudyState, questions: list[str]) -> NonResponse:
    """Item non-response over some questions, or over all."""
    key, ledgered = pipelines.ledgered(session, state)
    data = ledgered.last
    if not questions:
        # What the ledger made was never put to anybody; several answers taken apart were.
        made = {name for name, at in _makers(ledgered).items() if ledgered.effects[at - 1].do != "split"}
        questions = [name for name in questions_of(data) if name not in made]
    return pipelines.once(key_of("left out", key, *questions), lambda: nonresponse(data, questions))
