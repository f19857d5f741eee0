"""A study from raw answers to tables, on datasets it is given."""

from collections.abc import Mapping

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.disclosure.tables import (
    control_of,
    links_of,
    pattern_of,
    report_without,
    without_hidden,
)
from even_ballot.core.faults import fault
from even_ballot.core.ledger import run_ledger
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.units import Units
from even_ballot.core.screening import sweep
from even_ballot.core.study.results import Results, Weighted
from even_ballot.core.study.study_file import Study
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.tabulate import counted_table
from even_ballot.core.weighting.raking import Raked, rake, with_weight
from even_ballot.core.weighting.report import WeightingReport, report
from even_ballot.core.weighting.request import Weighting


def start(study: Study, raw: RawTable) -> Dataset:
    """The cases as the codebook reads them, before the ledger."""
    made = [name for step in study.ledger for name in step.makes()] + [w.save_as for w in study.weightings]
    decimal = study.source.decimal or "."
    return interpret(raw, study.codebook, made, decimal)


def weigh(data: Dataset, weighting: Weighting, where: str) -> tuple[Dataset, Raked, WeightingReport]:
    """The cases with one weighting's weight, how it came about, and the report on it."""
    result = rake(data, weighting, where)
    weighted = with_weight(data, weighting, result.weights, where)
    return weighted, result, report(weighted, result, weighting)


def run_weightings(study: Study, data: Dataset) -> Weighted:
    """Every weighting in order; a later one may start from an earlier one's weight."""
    raked, reports = [], []
    for i, weighting in enumerate(study.weightings):
        where = f"weightings[{i}]"
        data, result, said = weigh(data, weighting, where)
        raked.append(result)
        reports.append(said)
    return Weighted(data, tuple(raked), tuple(reports))


def weight_name(study: Study) -> str | None:
    """The weight that tables use: the design's; where it says nothing, the last weighting's, or none."""
    if "weight" in study.design.model_fields_set:
        return study.design.weight
    return study.weightings[-1].save_as if study.weightings else None


def margins_of(study: Study) -> tuple[tuple[str, ...], ...]:
    """The variables of every margin that a report is made on, its groups included."""
    return tuple(
        dict.fromkeys(tuple(dict.fromkeys((*w.within, *m.by))) for w in study.weightings for m in w.margins)
    )


def designed(study: Study, weighted: Weighted) -> tuple[Units, Floats]:
    """The design and the weight of every case."""
    if weighted.data.n == 0:
        raise fault("No case is left.", "ledger", "Switch off the step that sets everybody aside.")
    return sampled(weighted.data, study.design, weight_name(study), weighted.raked)


def run(study: Study, raw: RawTable, lookups: Mapping[str, RawTable]) -> Results:
    """From raw answers to tables. Raises StudyError with what is at fault and where."""
    data = start(study, raw)
    effects = []
    for state, effect in run_ledger(data, study.ledger, lookups):
        data = state
        effects.append(effect)
    findings = sweep(data, study.codebook, study.screening)
    weighted = run_weightings(study, data)
    units, weight = designed(study, weighted)
    passes = SharedCounts(weighted.data, units, weight, study.where)
    tables = [counted_table(passes, request, f"tables[{i}]") for i, request in enumerate(study.tables)]
    reports, control = weighted.reports, None
    if study.suppression.below is not None:
        pattern = pattern_of(
            passes, study.tables, study.suppression, links_of(study.ledger), margins_of(study)
        )
        whole = zip(tables, study.tables, strict=True)
        tables = [
            without_hidden(passes, table, request, pattern, f"tables[{i}]")
            for i, (table, request) in enumerate(whole)
        ]
        reports = tuple(report_without(report, pattern, study.suppression.below) for report in reports)
        control = control_of(study.suppression, pattern)
    return Results(
        len(raw.rows),
        data.n,
        tuple(effects),
        findings,
        reports,
        units,
        weight_name(study),
        tuple(tables),
        weighted.data,
        control,
    )
