"""The decisions that a study's figures rest on, each as the study without it."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from even_ballot.core.study.pipeline import weight_name
from even_ballot.core.study.study_file import Study

DecisionKind = Literal["ledger", "margin", "limits", "nonresponse", "weight", "calibrated"]


@dataclass(frozen=True)
class Decision:
    """A decision. id: its path in the study file; says: what it is, or what is done without it, in words;
    without: the study with that decision taken out; entry: of the ledger, its place."""

    id: str
    kind: DecisionKind
    says: str
    without: Study
    entry: int | None = None


def with_entries_off(study: Study, places: tuple[int, ...]) -> Study:
    """A study with some entries of its ledger switched off.

    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 20"}
    >>> study = parse_study({"source": {"path": "answers.csv"}, "ledger": [step]})
    >>> with_entries_off(study, (0,)).ledger[0].off
    True
    """
    ledger = tuple(
        step.model_copy(update={"off": True}) if i in places else step for i, step in enumerate(study.ledger)
    )
    return study.model_copy(update={"ledger": ledger})


def _weighting(study: Study, at: int, **changes: object) -> Study:
    changed = study.weightings[at].model_copy(update=changes)
    weightings = (*study.weightings[:at], changed, *study.weightings[at + 1 :])
    return study.model_copy(update={"weightings": weightings})


def _weighted(study: Study) -> Iterator[Decision]:
    """What each weighting decides."""
    for w, weighting in enumerate(study.weightings):
        name, at = weighting.save_as, f"weightings[{w}]"
        for m, margin in enumerate(weighting.margins):
            rest = (*weighting.margins[:m], *weighting.margins[m + 1 :])
            said = f"Rake {name} to {' × '.join(margin.by) or margin.total_of}"
            yield Decision(f"{at}.margins[{m}]", "margin", said, _weighting(study, w, margins=rest))
        if weighting.limits is not None and weighting.limits.bind:
            said = f"Hold {name} within limits"
            yield Decision(f"{at}.limits", "limits", said, _weighting(study, w, limits=None))
        if weighting.nonresponse is not None:
            said = f"Adjust {name} for non-response"
            yield Decision(f"{at}.nonresponse", "nonresponse", said, _weighting(study, w, nonresponse=None))


def decisions_of(study: Study) -> tuple[Decision, ...]:
    """Every decision in force, in the order of the study file: entries of the ledger that are on, margins,
    limits and adjustments of weightings, the weight of the tables, and whether errors know the raking.

    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 20"}
    >>> study = parse_study({"source": {"path": "answers.csv"}, "ledger": [step]})
    >>> [(of.id, of.says) for of in decisions_of(study)]
    [('ledger[0]', 'Set aside the cases where age < 20')]
    """
    found = [
        Decision(f"ledger[{i}]", "ledger", step.sentence(), with_entries_off(study, (i,)), i)
        for i, step in enumerate(study.ledger)
        if not step.off
    ]
    found += _weighted(study)
    design, name = study.design, weight_name(study)
    if name is not None:
        bare = design.model_copy(update={"weight": None})
        # Said to be none, not left out.
        bare.model_fields_set.add("weight")
        found.append(
            Decision(
                "design.weight", "weight", f"Weight by {name}", study.model_copy(update={"design": bare})
            )
        )
    if design.calibrated or any(weighting.margins for weighting in study.weightings):
        other = design.model_copy(update={"calibrated": not design.calibrated})
        said = f"{'Account' if design.calibrated else 'Do not account'} for raking in standard errors"
        without = study.model_copy(update={"design": other})
        found.append(Decision("design.calibrated", "calibrated", said, without))
    return tuple(found)
