"""The sample design in sentences: how it lies on the cases, what to mind, and how standard errors are
made."""

from even_ballot.core.faults import Fault, counted, some
from even_ballot.core.sampling.design import Balanced, Bootstrapped, Design, GivenColumns, Jackknifed
from even_ballot.core.sampling.units import Units

_FEW, _LARGE = 8, 0.1


def design_sentences(design: Design, units: Units) -> tuple[str, str]:
    """How many strata, units and degrees of freedom there are; and which variables say so, with what
    population sizes do to it."""
    psus, df = int(units.psus.sum()), units.degrees_of_freedom
    strata = counted(len(units.psus), "stratum", "strata") if design.strata else "One stratum"
    drawn = (
        counted(psus, "first-stage unit")
        if design.clusters
        else f"{counted(psus, 'case')}, each a first-stage unit of its own"
    )
    said = f"{strata}, {drawn}, {counted(df, 'degree')} of freedom."
    details = []
    if design.strata:
        details.append(f"Strata: {' × '.join(design.strata)}")
    if design.clusters:
        details.append(f"units: {' × '.join(design.clusters)}")
    if len(units.psus) > 1:
        low, high = int(units.psus.min()), int(units.psus.max())
        details.append(
            f"{low:,} to {high:,} units in a stratum" if low < high else f"{low:,} units in each stratum"
        )
    if design.population_size is not None:
        least, most = (f"{100 * f:.3g}" for f in (units.fraction.min(), units.fraction.max()))
        share = f"{least} %" if least == most else f"{least} to {most} %"
        details.append(f"{share} of a stratum's units were drawn ({design.population_size})")
    words = "; ".join(details)
    return said, f"{words[0].upper()}{words[1:]}." if words else ""


def design_sentence(design: Design, units: Units) -> str:
    """Both in one."""
    return " ".join(filter(None, design_sentences(design, units)))


def method_sentence(design: Design, units: Units) -> str:
    """How standard errors are made."""
    count = units.replicates.count if units.replicates is not None else 0
    match design.variance:
        case Jackknifed():
            how = f"the jackknife, each first-stage unit left out in turn ({count:,} replicates)"
        case Bootstrapped(seed=seed):
            how = f"{count:,} bootstrap replicates of the first-stage units (rescaled, seed {seed})"
        case Balanced(fay=fay):
            how = f"{count:,} balanced half samples" + (f" (Fay factor {fay:g})" if fay else "")
        case GivenColumns(scale=scale):
            each = "as said of each" if isinstance(scale, tuple) else f"{scale:g}"
            how = f"{count:,} replicate weights from the file (scale {each}))"
        case _:
            how = "linearisation (Taylor series)"
    known = ""
    if design.calibrated:
        known = (
            ", which are raked again"
            if units.replicates is not None
            else ", accounting for raking through the residuals on the margins"
        )
    return f"Standard errors by {how}{known}."


def design_notices(units: Units, weightless: int) -> tuple[Fault, ...]:
    """What to mind about a design that fits. weightless: cases of weight 0."""
    single = [units.names[h] for h in range(len(units.psus)) if units.single[h]]
    found = (
        _recurring(units.recurring) if units.recurring else None,
        _single(single, units.single_psu) if single else None,
        _weightless(weightless) if weightless else None,
        _large(units),
        _few(units.degrees_of_freedom),
        _failed(units),
    )
    return tuple(fault for fault in found if fault is not None)


def _recurring(clusters: tuple[str, ...]) -> Fault:
    names = counted(len(clusters), "cluster name stands", "cluster names stand")
    return Fault(
        f"{names} in more than one stratum ({some(clusters)}): read within the stratum, they are different "
        "units.",
        "design.clusters",
        "If one is the same unit, assign it to one stratum only.",
    )


_ADDS = {
    "add_nothing": "add nothing to the variance",
    "mean_of_units": "are compared with the mean of all units",
    "mean_of_strata": "take the mean of the other strata",
}


def _single(strata: list[str], policy: str) -> Fault:
    names = counted(len(strata), "stratum has", "strata have")
    return Fault(
        f"{names} only one first-stage unit ({some(strata)}); they {_ADDS[policy]}.",
        "design.single_psu",
        "Combine them with similar strata, if the sample design allows it.",
    )


def _large(units: Units) -> Fault | None:
    """Where a large share of clusters was drawn, what the cases within them add is not negligible."""
    most = float(units.fraction.max(initial=0.0))
    if units.own or most <= _LARGE:
        return None
    return Fault(
        f"In some strata {100 * most:.3g} % of the first-stage units were drawn. The variance within units, "
        "which the finite population correction leaves out, is then not negligible: standard errors are too "
        "small if not everybody in a unit was asked.",
        "design.population_size",
        "Leave the population size out to be on the safe side, unless whole units were asked.",
    )


def _weightless(cases: int) -> Fault:
    mend = "Cases of weight 0 keep their first-stage unit in the design but count in no base."
    return Fault(f"{counted(cases, 'case has', 'cases have')} weight 0.", "design.weight", mend)


def _few(df: int) -> Fault | None:
    if df == 0:
        what = "There are no degrees of freedom, so no intervals and no tests."
        return Fault(
            what,
            "design.clusters",
            "Check the strata and clusters of the design, or combine strata.",
        )
    if df < _FEW:
        what = f"With {counted(df, 'degree')} of freedom intervals are wide and rough."
        return Fault(what, "design.clusters", "Interpret them with caution.")
    return None


def _failed(units: Units) -> Fault | None:
    failed = None if units.replicates is None else units.replicates.failed
    if units.replicates is None or failed is None or not failed.any():
        return None
    n, every = int(failed.sum()), units.replicates.count
    return Fault(
        f"{n:,} of {every:,} replicates cannot be raked to the margins, so there are no standard errors.",
        "design.variance",
        "Combine categories that occur in few first-stage units, or use linearisation.",
    )
