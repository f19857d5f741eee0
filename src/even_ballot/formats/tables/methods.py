"""The methods note: what was done, in sentences."""

from collections.abc import Iterable

from even_ballot import __version__
from even_ballot.core.faults import counted
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.weighting.report import WeightingReport
from even_ballot.core.weighting.weighting import ProductBase, StratumPopulation, Weighting
from even_ballot.formats.tables.designs import design_sentence, method_sentence

_DEGREES = {
    "design": "the design's degrees of freedom",
    "cell": "the degrees of freedom of each figure's own cases",
}
_INTERVALS = {
    "logit": "logit limits, back-transformed",
    "wald": "estimate ± t × standard error",
    "wilson": "Wilson's limits with the effective base",
    "beta": "Korn and Graubard's limits from the beta distribution",
}


def base_words(weighting: Weighting) -> str:
    """What the weights start from."""
    match weighting.base:
        case None:
            words = "1 for every case"
        case str() as name:
            words = name
        case StratumPopulation(stratum_population=people, by=by):
            words = f"{people} over the cases in the stratum ({', '.join(by)})"
        case ProductBase() as product:
            words = " × ".join(product.times) or "1"
            words += "".join(f" / {name}" for name in product.over)
            words += f" / {product.divided_by:g}" if product.divided_by != 1 else ""
            words += (
                ""
                if product.sum_to is None
                else ", rescaled to sum to "
                + ("the cases" if product.sum_to == "cases" else f"{product.sum_to:,.12g}")
            )
    return words


def _adjusted(weighting: Weighting, report: WeightingReport) -> str:
    """The adjustment for non-response, and the limits."""
    words = ""
    if weighting.nonresponse is not None and report.nonresponse:
        cells = counted(len(report.nonresponse) + len(report.nonresponse_hidden or ()), "cell")
        over = f" ({', '.join(weighting.nonresponse.cells)})" if weighting.nonresponse.cells else ""
        words += f", adjusted for non-response in {cells}{over}"
        # With a cell hidden, the sums would tell of it.
        if report.nonresponse_hidden is None:
            responded = sum(cell.responded for cell in report.nonresponse)
            words += f": {responded:,} answered, {sum(cell.silent for cell in report.nonresponse):,} did not"
    return words


def _limits(weighting: Weighting, report: WeightingReport) -> str:
    if weighting.limits is None or not weighting.limits.bind or report.at_limits is None:
        return ""
    low, high = weighting.limits.low, weighting.limits.high
    at_limit = f"({counted(report.at_limits, 'case')} at a limit)"
    if high is None:
        return f", weights at least {low:g} times the mean weight {at_limit}"
    return f", weights limited to {low:g} to {high:g} times the mean weight {at_limit}"


def weight_sentence(weighting: Weighting, report: WeightingReport) -> str:
    """One weighting: base weight, adjustments, margins, limits and what came of it."""
    raked = ""
    if report.margins:
        margins = "; ".join(m.title for m in report.margins)
        within = f" within {' × '.join(weighting.within)}" if weighting.within else ""
        bound = weighting.limits is not None and weighting.limits.bind
        # Not raking, where numbers are fixed or limits bind.
        way = "calibrated" if bound or any(m.total_of for m in report.margins) else "raked"
        gap = "" if report.converged else f"; largest gap {report.max_gap:.2g} of the total"
        met = f"margins {'' if report.converged else 'not '}met after {counted(report.cycles, 'cycle')}{gap}"
        raked = f", {way} to {margins}{within} ({met}){_limits(weighting, report)}"
    return (
        f"Weight {report.save_as}: base weight {base_words(weighting)}{_adjusted(weighting, report)}{raked}; "
        f"from {report.min:.3g} to {report.max:.3g}; effective sample size {report.n_effective:,.0f} of "
        f"{report.n:,} "
        f"(efficiency {100 * report.efficiency:.0f} %)."
    )


def interval_sentences(requests: Iterable[TableRequest]) -> list[str]:
    """How the intervals of tables are made, a sentence for each way."""
    lines = []
    for interval in dict.fromkeys(request.interval for request in requests):
        sides = {"both": "two-sided", "lower": "lower limit only", "upper": "upper limit only"}[
            interval.sides
        ]
        lines.append(
            f"Intervals: {100 * interval.level:g} %, {sides}, Student's t at {_DEGREES[interval.df]}; "
            f"proportions: {_INTERVALS[interval.method]}."
        )
    return lines


def methods_note(study: Study, results: Results, requests: tuple[TableRequest, ...]) -> list[str]:
    """Cases, exclusions, weighting, design, intervals and version, a sentence or two each."""
    lines = [
        f"Source: {study.source.path}. {counted(results.source_cases, 'case')} received, "
        f"{results.used_cases:,} in use."
    ]
    for effect in results.effects:
        gone = effect.cases_before - effect.cases_after
        if gone:
            lines.append(
                f"{effect.sentence}{f' ({effect.why})' if effect.why else ''}: {counted(gone, 'case')} set "
                "aside."
            )
    made = {weighting.save_as: weighting for weighting in study.weightings}
    lines += [weight_sentence(made[report.save_as], report) for report in results.weightings]
    tables = "weighted by " + results.weight if results.weight else "unweighted"
    if study.where:
        lines.append(f"Tables cover the cases where {study.where}, treated as a domain of the design.")
    lines.append(f"Design: {design_sentence(study.design, results.units)} Tables are {tables}.")
    lines.append(
        f"{method_sentence(study.design, results.units)} Percentages are based on those who "
        f"answered the question (percent of responses: on the responses given)."
    )
    lines += interval_sentences(requests)
    lines.append(f"Computed by Even Ballot {__version__}.")
    return lines
