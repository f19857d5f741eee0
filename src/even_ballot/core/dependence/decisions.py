"""The decisions that a study's figures rest on, each as what the study would be without it."""

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal

from even_ballot.core.faults import counted
from even_ballot.core.ledger.cases import DropCases
from even_ballot.core.sampling.design import Jackknifed, Linearised, SinglePsu
from even_ballot.core.screening import Finding
from even_ballot.core.study.alternatives import Alternative, put
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.core.study.uses import weight_name

DecisionKind = Literal[
    "ledger", "margin", "limits", "nonresponse", "weight", "calibrated", "clusters", "strata", "variance",
    "single_psu", "weak", "alternative",
]  # fmt: skip
Change = Callable[[Study], Study]
_ENTRY = re.compile(r"[a-z_]+(\[\d+\])?")
READING = frozenset({"rename", "code", "split", "discard", "to_number", "to_date"})
"""Steps that only make answers readable: no figure is decided by them, it is not there without them."""
WEAK = ("too_fast", "straight_line")
"""Checks whose cases are weak: findings of them that were let stand are decisions."""


@dataclass(frozen=True)
class Decision:
    """A decision. id: its path in the study file, and after = what it is set to where that is one of
    several; says: what was decided, in words; change: takes it out of a study, or puts the other in its
    place; instead: what takes its place, in words; entry: of the ledger, its place; reading: it only makes
    answers readable."""

    id: str
    kind: DecisionKind
    says: str
    change: Change
    instead: str | None = None
    entry: int | None = None
    of: str | None = None

    reading: bool = False

    @property
    def place(self) -> str:
        """Where in the study file it stands."""
        return self.of or self.id.partition("=")[0]


def with_entries_off(study: Study, places: Sequence[int]) -> Study:
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


def document_of(study: Study) -> dict[str, Any]:
    """A study as its study file says it.

    >>> from even_ballot.core.study.study_file import parse_study
    >>> document_of(parse_study({"source": {"path": "answers.csv"}, "title": "Ferries"}))["title"]
    'Ferries'
    """
    return study.model_dump(exclude_unset=True, by_alias=True)


def _entry_off(place: int, study: Study) -> Study:
    return with_entries_off(study, (place,))


def _weighting(at: int, take: Callable[[Any], dict[str, Any]], study: Study) -> Study:
    weighting = study.weightings[at]
    changed = weighting.model_copy(update=take(weighting))
    return study.model_copy(
        update={"weightings": (*study.weightings[:at], changed, *study.weightings[at + 1 :])}
    )


def _design(changes: dict[str, Any], study: Study) -> Study:
    design = study.design.model_copy(update=changes)
    design.model_fields_set.update(changes)  # Said to be none, not left out.
    return study.model_copy(update={"design": design})


def _weighted(study: Study) -> Iterator[Decision]:
    """What each weighting decides."""
    for w, weighting in enumerate(study.weightings):
        name, at = weighting.save_as, f"weightings[{w}]"
        for m, margin in enumerate(weighting.margins):

            def others(of: Any, mine: Any = margin) -> dict[str, Any]:
                return {"margins": tuple(other for other in of.margins if other is not mine)}

            said = f"{'Calibrate' if margin.total_of else 'Rake'} {name} to {margin.title}"
            yield Decision(f"{at}.margins[{m}]", "margin", said, partial(_weighting, w, others))
        if weighting.limits is not None and weighting.limits.bind:
            said = f"Limit the weights of {name}"
            yield Decision(f"{at}.limits", "limits", said, partial(_weighting, w, lambda _: {"limits": None}))
        if weighting.nonresponse is not None:
            said = f"Adjust {name} for non-response"
            none = partial(_weighting, w, lambda _: {"nonresponse": None})
            yield Decision(f"{at}.nonresponse", "nonresponse", said, none)


def _weights(study: Study) -> Iterator[Decision]:
    """Other weights of the tables: none, the base weight alone, another weighting."""
    name = weight_name(study)
    if name is None:
        return
    said = f"Weight by {name}"
    # Weights that were not raked here have no margins for standard errors to account for.
    bare = {"calibrated": False} if study.design.calibrated else {}
    unweighted = partial(_design, {"weight": None, **bare})
    yield Decision("design.weight", "weight", said, unweighted, "no weights at all")
    own = next((w for w in study.weightings if w.save_as == name), None)
    others = [w.save_as for w in study.weightings if w.save_as != name]
    base = own.base if own is not None and isinstance(own.base, str) else None
    if base is not None and base not in others:
        others.insert(0, base)
    for other in others:
        instead = f"the base weight {other} alone" if other == base else f"the weight {other}"
        change = partial(_design, {"weight": other, **(bare if other == base else {})})
        yield Decision(f"design.weight={other}", "weight", said, change, instead)


_LINEARISED = Linearised(method="linearised")  # Said, so that it stands in the study file.
_POLICIES: dict[SinglePsu, str] = {
    "add_nothing": "let them add nothing", "mean_of_units": "compare them with the mean of all units",
    "mean_of_strata": "take the mean of the other strata",
}  # fmt: skip


def _stages(study: Study) -> Iterator[Decision]:
    """Standard errors without the clusters, and without the strata; replicate weights of the file have both
    in them. The first-stage fraction is of units in strata, so that it goes with either."""
    design = study.design
    if design.variance.method == "columns":
        return
    whole = {} if design.population_size is None else {"population_size": None}
    if design.clusters:
        said = f"Clusters: {', '.join(design.clusters)}"
        change = partial(_design, {"clusters": (), **whole})
        yield Decision("design.clusters", "clusters", said, change, "every case drawn by itself")
    if design.strata:
        said = f"Strata: {', '.join(design.strata)}"
        change = partial(_design, {"strata": (), **whole})
        yield Decision("design.strata", "strata", said, change, "one stratum")


def _variances(study: Study, singles: bool) -> Iterator[Decision]:
    """Other ways to the same standard errors."""
    design = study.design
    if design.calibrated or any(weighting.margins for weighting in study.weightings):
        said = f"{'Account' if design.calibrated else 'Do not account'} for raking in standard errors"
        change = partial(_design, {"calibrated": not design.calibrated})
        yield Decision("design.calibrated", "calibrated", said, change)
    yield from _stages(study)
    other = Jackknifed(method="jackknife") if isinstance(design.variance, Linearised) else _LINEARISED
    ways = {"linearised": "linearisation", "jackknife": "the jackknife", "bootstrap": "the bootstrap"}
    ways |= {"balanced": "balanced half samples", "columns": "replicate weights of the file"}
    said = f"Estimate variances by {ways[design.variance.method]}"
    change = partial(_design, {"variance": other})
    yield Decision(f"design.variance={other.method}", "variance", said, change, ways[other.method])
    for policy, instead in _POLICIES.items() if singles else ():
        if policy != design.single_psu:
            said = f"Single-PSU strata: {_POLICIES.get(design.single_psu, 'stop')}"
            change = partial(_design, {"single_psu": policy})
            yield Decision(f"design.single_psu={policy}", "single_psu", said, change, instead)


def _set_aside(step: DropCases, study: Study) -> Study:
    return study.model_copy(update={"ledger": (*study.ledger, step)})


def _let_stand(study: Study, findings: Sequence[Finding]) -> Iterator[Decision]:
    """Weak cases that somebody let stand."""
    for at, accepted in enumerate(study.codebook.accepted):
        for found in findings:
            alike = (found.kind, found.variable, found.value) == (
                accepted.kind, accepted.variable or "", accepted.value or "",
            )  # fmt: skip
            if alike and found.accepted is not None and found.step is not None and found.kind in WEAK:
                weak = "too fast" if found.kind == "too_fast" else "straight-lining"
                said = f"Keep {counted(found.cases, 'case')} accepted as {weak}"
                change = partial(_set_aside, found.step)
                yield Decision(f"codebook.accepted[{at}]", "weak", said, change, "set them aside")


def _alternatively(alternative: Alternative, at: int, study: Study) -> Study:
    document = document_of(study)
    for k, setting in enumerate(alternative.set):
        put(document, setting.at, setting.to, f"alternatives[{at}].set[{k}].at")
    return parse_study(document)


def _now(study: Study, place: str | None) -> str:
    """What stands at a place that has an alternative."""
    entry = re.fullmatch(r"ledger\[(\d+)\]", place or "")
    if entry is None or int(entry[1]) >= len(study.ledger):
        return "The study as it is"
    return study.ledger[int(entry[1])].sentence()


def decisions_of(
    study: Study, findings: Sequence[Finding] = (), singles: bool = False
) -> tuple[Decision, ...]:
    """Every decision in force, in the order of the study file: entries of the ledger that are on, margins,
    limits and adjustments of weightings, the weight of the tables, how variances are made, weak cases that
    were let stand; then the study's own alternatives. findings: of the sweep; singles: whether there are
    strata of one unit.

    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 20"}
    >>> study = parse_study({"source": {"path": "answers.csv"}, "ledger": [step]})
    >>> [of.id for of in decisions_of(study)]
    ['ledger[0]', 'design.variance=jackknife']
    """
    found = [
        Decision(
            f"ledger[{i}]",
            "ledger",
            step.sentence(),
            partial(_entry_off, i),
            entry=i,
            reading=step.do in READING,
        )
        for i, step in enumerate(study.ledger)
        if not step.off
    ]
    found += [*_weighted(study), *_weights(study), *_variances(study, singles), *_let_stand(study, findings)]
    for at, alternative in enumerate(study.alternatives):
        place = _ENTRY.match(alternative.set[0].at)
        of = place[0] if place else None
        change = partial(_alternatively, alternative, at)
        said = _now(study, of)
        found.append(
            Decision(f"alternatives[{at}]", "alternative", said, change, alternative.label, None, of)
        )
    return tuple(found)
