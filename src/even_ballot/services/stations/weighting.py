"""Weightings, what limits cost, how weightings compare, targets pasted by label, and the design."""

from collections.abc import Sequence

import numpy as np
from sqlalchemy.orm import Session

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.study.nodes import key_of
from even_ballot.core.study.roles import design_proposal, role_notices
from even_ballot.core.weighting.comparison import Comparison, compare
from even_ballot.core.weighting.limit_price import LimitPrice, limit_prices
from even_ballot.core.weighting.pasted_targets import PastedTargets, match_targets
from even_ballot.core.weighting.raking import Raked
from even_ballot.formats.exchange.microdata import entries
from even_ballot.formats.tables.designs import design_notices, design_sentences, method_sentence
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.stations.views import DesignView, HeavyCase, TargetLines, WeightingsView
from even_ballot.services.workers.helper_processes import HELPERS
from even_ballot.store.studies import StudyState

_WATCHED = 40


def weightings(session: Session, pipelines: Pipelines, state: StudyState) -> WeightingsView:
    """The reports, or what is wrong."""
    try:
        outcomes = pipelines.weighed(session, state)[1].outcomes
    except StudyError as error:
        return WeightingsView(tuple(None for _ in state.study.weightings), error.faults)
    faults = tuple(f for outcome in outcomes if isinstance(outcome, StudyError) for f in outcome.faults)
    return WeightingsView(tuple(None if isinstance(o, StudyError) else o[1] for o in outcomes), faults)


def design(session: Session, pipelines: Pipelines, state: StudyState) -> DesignView:
    """The design laid on the cases, or what is wrong."""
    try:
        sample = pipelines.designed(session, state)[1]
    except StudyError as error:
        return DesignView(None, None, None, error.faults)
    units, asked = sample.units, state.study.design
    weightless = sum(int((part.weight <= 0).sum()) for part in sample.parts)
    variables = sample.head.variables
    return DesignView(
        len(units.psus),
        int(units.psus.sum()),
        units.degrees_of_freedom,
        (),
        *design_sentences(asked, units),
        method_sentence(asked, units),
        (*role_notices(state.study, variables), *design_notices(units, weightless)),
        design_proposal(state.study, variables),
    )


def pasted(
    session: Session, pipelines: Pipelines, state: StudyState, by: tuple[str, ...], text: str
) -> PastedTargets:
    """Targets from pasted or typed lines, matched by label or code, never by position."""
    return match_targets(pipelines.cases(session, state)[1], by, text)


def targets_file(name: str, content: bytes) -> TargetLines:
    """A file of targets as lines of text, as it came."""
    return TargetLines(HELPERS.run("targets", content, name, size=len(content)))


def _weighted(
    session: Session, pipelines: Pipelines, state: StudyState, at: int
) -> tuple[str, Dataset, Raked]:
    """The cases with their weights, and one weighting; raises what is wrong with it."""
    if not 0 <= at < len(state.study.weightings):
        raise fault("There is no such weighting.", f"weightings[{at}]", "Choose another.")
    key, weighed = pipelines.weighed(session, state)
    outcome = weighed.outcomes[at]
    if isinstance(outcome, StudyError):
        raise outcome
    return key, weighed.cases.whole(), outcome[0]


def _watched(state: StudyState, data: Dataset) -> list[str]:
    """Coded variables whose shares are followed: those of the tables, else the first there are."""
    named = [name for table in state.study.tables for name in table.stub]
    coded = [
        name
        for name in dict.fromkeys(named)
        if name in data.variables and data.variables[name].kind == "coded"
    ]
    return (coded or [name for name, variable in data.variables.items() if variable.kind == "coded"])[
        :_WATCHED
    ]


def prices(session: Session, pipelines: Pipelines, state: StudyState, at: int) -> tuple[LimitPrice, ...]:
    """What upper limits on a weighting's weights cost and buy."""
    key, data, _ = _weighted(session, pipelines, state, at)
    watched, weighting = _watched(state, data), state.study.weightings[at]
    key = key_of("prices", key, str(at), *watched)
    return pipelines.once(key, lambda: limit_prices(data, weighting, watched, f"weightings[{at}]"))


def comparison(
    session: Session, pipelines: Pipelines, state: StudyState, variables: Sequence[str]
) -> Comparison:
    """The weightings that could be made, side by side."""
    made = pipelines.weighed(session, state)[1].made
    return compare(made.cases, made.raked, variables or _watched(state, made.cases.head)[:3])


def heaviest(
    session: Session, pipelines: Pipelines, state: StudyState, at: int, most: int
) -> list[HeavyCase]:
    """The cases of largest weight."""
    _, data, raked = _weighted(session, pipelines, state, at)
    order = np.argsort(-raked.weights, kind="stable")[:most]
    identifier = data.with_role("id")
    ids = entries(data.column(identifier).take(order), data.variable(identifier).kind) if identifier else None
    mean = float(raked.weights[raked.weights > 0].mean())
    names = list(raked.combos.names)
    labels = {name: [item.label for item in data.categories(name)[0]] for name in names}
    found = []
    for i, case in enumerate(order.tolist()):
        at_of = {name: int(data.positions(name)[case]) for name in names}
        categories = {name: labels[name][p] if p >= 0 else "unknown" for name, p in at_of.items()}
        base, weight, own = (
            float(raked.base[case]),
            float(raked.weights[case]),
            None if ids is None else ids[i],
        )
        found.append(HeavyCase(int(data.rows[case]), own, base, weight, weight / mean, categories))
    return found
