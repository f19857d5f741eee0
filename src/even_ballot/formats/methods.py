"""The methods note: what was done, in sentences."""

from even_ballot import __version__
from even_ballot.core.request import TableRequest
from even_ballot.core.study import Results, Study
from even_ballot.core.weighting.request import Weighting

_INTERVALS = {
    "logit": "limits on the logit scale, turned back",
    "wald": "estimate ± t × standard error",
    "wilson": "Wilson's limits with the effective base",
    "beta": "Korn and Graubard's limits from the beta distribution",
}


def _base(weighting: Weighting) -> str:
    if weighting.base is None:
        return "1 for every case"
    return weighting.base if isinstance(weighting.base, str) else "stratum population over stratum cases"


def methods_note(study: Study, results: Results, requests: tuple[TableRequest, ...]) -> list[str]:
    """Cases, exclusions, weighting, design, intervals and version, a sentence or two each."""
    lines = [f"Source: {study.source.path}. {results.source_cases:,} cases received, {results.used_cases:,} in use."]
    for effect in results.effects:
        gone = effect.cases_before - effect.cases_after
        if gone:
            lines.append(f"{effect.sentence}{f' ({effect.why})' if effect.why else ''}: {gone:,} cases set aside.")
    for report, weighting in zip(results.weightings, study.weightings, strict=True):
        margins = "; ".join(" × ".join(m.by) for m in report.margins)
        met = "met" if report.converged else f"not met, largest gap {report.max_gap:.2g} of the whole"
        lines.append(
            f"Weight {report.save_as}: base weight {_base(weighting)}, raked to {margins} ({met} after {report.cycles} cycles); "
            f"from {report.min:.3g} to {report.max:.3g}; effective sample size {report.n_effective:,.0f} of {report.n:,} "
            f"(efficiency {100 * report.efficiency:.0f} %)."
        )
    units = results.units
    psus = int(units.psus.sum())
    what = "cases, each a first-stage unit of its own" if units.own else f"first-stage units ({', '.join(study.design.clusters)})"
    strata = f"{len(units.psus)} strata" if study.design.strata else "one stratum"
    fpc = ", with finite population correction" if study.design.population_size else ""
    lines.append(f"Design: {strata}, {psus:,} {what}{fpc}; {units.degrees_of_freedom:,} degrees of freedom. "
                 f"Tables are {'weighted by ' + results.weight if results.weight else 'unweighted'}.")  # fmt: skip
    lines.append("Standard errors by linearisation (Taylor series) for this design; percentages of those who answered.")
    for interval in dict.fromkeys(request.interval for request in requests):
        sides = {"both": "two-sided", "lower": "lower limit only", "upper": "upper limit only"}[interval.sides]
        lines.append(
            f"Intervals: {100 * interval.level:g} %, {sides}, Student's t at the design's degrees of freedom; "
            f"proportions: {_INTERVALS[interval.method]}."
        )
    lines.append(f"Computed by Even Ballot {__version__}.")
    return lines
