"""Variables whose part in the survey is said, but which the design and the weightings do not use."""

from collections.abc import Mapping
from dataclasses import dataclass

from even_ballot.core.data.codebook import Role, Variable
from even_ballot.core.faults import Fault
from even_ballot.core.study.study_file import Study
from even_ballot.core.weighting.weighting import ProductBase

_SAID: dict[Role, tuple[str, str]] = {
    "stratum": ("a stratum", "design.strata"),
    "cluster": ("a cluster", "design.clusters"),
    "population_size": ("a population size", "design.population_size"),
    "weight": ("a weight", "design.weight"),
}


@dataclass(frozen=True)
class DesignProposal:
    """What a design would be if it used every variable by its part in the survey; None: as it is."""

    strata: tuple[str, ...] | None = None
    clusters: tuple[str, ...] | None = None
    population_size: str | None = None
    weight: str | None = None


def unused_roles(study: Study, variables: Mapping[str, Variable]) -> tuple[tuple[Role, str], ...]:
    """Parts in the survey that nothing is made of, each with its variable.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.study.study_file import parse_study
    >>> unused_roles(parse_study({"source": {"path": "answers.csv"}}), ferry().variables)
    (('weight', 'w'),)
    """
    design = study.design
    bases = [weighting.base for weighting in study.weightings]
    weights: set[str | None] = {design.weight, *(base for base in bases if isinstance(base, str))}
    weights |= {name for base in bases if isinstance(base, ProductBase) for name in (*base.times, *base.over)}
    used: dict[Role, set[str | None]] = {
        "stratum": set(design.strata),
        "cluster": set(design.clusters),
        "population_size": {design.population_size},
        "weight": weights,
    }
    return tuple(
        (role, name)
        for role in _SAID
        for name, variable in variables.items()
        if variable.role == role and name not in used[role]
    )


def role_notices(study: Study, variables: Mapping[str, Variable]) -> tuple[Fault, ...]:
    """The same to be told.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.study.study_file import parse_study
    >>> role_notices(parse_study({"source": {"path": "answers.csv"}}), ferry().variables)[0].what
    'w is said to be a weight, but nothing is weighted by it.'
    """
    found = []
    for role, name in unused_roles(study, variables):
        said, where = _SAID[role]
        use = "nothing is weighted by it" if role == "weight" else "the design does not use it"
        mend = "Use it in the design, or give it no part in the survey."
        if role == "weight" and study.weightings:
            mend = "Use it as a base weight, or remove its role."
        found.append(Fault(f"{name} is said to be {said}, but {use}.", where, mend, kind="unused_role"))
    return tuple(found)


def design_proposal(study: Study, variables: Mapping[str, Variable]) -> DesignProposal | None:
    """The design with every variable used by its part; None where there is nothing to propose.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.study.study_file import parse_study
    >>> design_proposal(parse_study({"source": {"path": "answers.csv"}}), ferry().variables).weight
    'w'
    """
    unused = unused_roles(study, variables)
    named = {role: tuple(name for of, name in unused if of == role) for role in _SAID}
    strata, clusters = named["stratum"], named["cluster"]
    size, weight = named["population_size"][:1], named["weight"][:1]
    if study.weightings:
        weight = ()
    if not (strata or clusters or size or weight):
        return None
    return DesignProposal(
        (*study.design.strata, *strata) if strata else None,
        (*study.design.clusters, *clusters) if clusters else None,
        size[0] if size else None,
        weight[0] if weight else None,
    )
