"""The study file: its models, and a run of one from end to end on datasets it is given."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, Self

from pydantic import Field, ValidationError, field_validator, model_validator

from even_ballot import __version__
from even_ballot.core.codebook import Codebook
from even_ballot.core.dataset import Dataset, Floats, RawTable
from even_ballot.core.design import Design, Units
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.ledger import AnyStep, Effect, run_ledger
from even_ballot.core.marks import Marks
from even_ballot.core.model import Model
from even_ballot.core.passes import Passes
from even_ballot.core.reading import interpret
from even_ballot.core.request import BannerEntry, TableRequest
from even_ballot.core.results import TableResult, plain
from even_ballot.core.sampling import sampled
from even_ballot.core.screening import Finding, Screening, sweep
from even_ballot.core.suppression.request import Suppression
from even_ballot.core.suppression.tables import (
    DisclosureControl,
    control_of,
    links_of,
    pattern_of,
    report_without,
    without_hidden,
)
from even_ballot.core.tabulate import counted_table
from even_ballot.core.weighting.raking import Raked, rake, with_weight
from even_ballot.core.weighting.report import WeightingReport, report
from even_ballot.core.weighting.request import Weighting


class Source(Model):
    """Where a file is and how it is read; what is left out is guessed. names_row: which of the header rows (from 1) holds
    the names; the others become labels."""

    path: str = Field(min_length=1)
    format: Literal["csv", "xlsx", "ods", "parquet", "jsonl"] | None = None
    sheet: str | None = None
    header_rows: int | None = Field(default=None, ge=1, le=10)
    names_row: int | None = Field(default=None, ge=1, le=10)
    encoding: str | None = None
    delimiter: str | None = Field(default=None, min_length=1, max_length=1)
    decimal: Literal[".", ","] | None = None

    @field_validator("delimiter")
    @classmethod
    def _apart_from_quotes_and_lines(cls, value: str | None) -> str | None:
        if value is not None and value in '"\r\n':
            raise ValueError("a quote or a line break cannot be the delimiter")
        return value


class Study(Model):
    """A whole study. where: a filter of all its tables, a domain; usual_banner: the banner that a new table begins with."""

    even_ballot: Literal[1] = 1
    title: str = "Untitled study"
    source: Source
    lookups: dict[str, Source] = {}
    codebook: Codebook = Codebook()
    screening: Screening = Screening()
    ledger: tuple[AnyStep, ...] = Field(default=(), max_length=10_000)
    weightings: tuple[Weighting, ...] = Field(default=(), max_length=100)
    design: Design = Design()
    where: str | None = None
    usual_banner: tuple[BannerEntry, ...] = ()
    tables: tuple[TableRequest, ...] = Field(default=(), max_length=5000)
    marks: Marks = Marks()
    suppression: Suppression = Suppression()

    @model_validator(mode="after")
    def _names_once(self) -> Self:
        for what, names in (("table id", [t.id for t in self.tables]), ("save_as", [w.save_as for w in self.weightings])):
            twice = [name for name in names if names.count(name) > 1]
            if twice:
                raise ValueError(f"{what} {twice[0]!r} is used twice; give each its own")
        return self


def _place(location: tuple[int | str, ...]) -> str:
    path = ""
    for part in location:
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
    return path


def _in_document(location: tuple[int | str, ...], document: Any) -> tuple[int | str, ...]:
    """A location without the names of alternatives, which are no keys of the document."""
    path: list[int | str] = []
    here, alternative = document, False
    for i, part in enumerate(location):
        keys = here if isinstance(here, dict) else {}
        named = part not in keys or part in (keys.get("do"), keys.get("method"))
        alternative = not alternative and isinstance(part, str) and named and i < len(location) - 1
        if not alternative:
            path.append(part)
            here = keys.get(part) if isinstance(part, str) else here[part] if isinstance(here, list) else None
    return tuple(path)


def place_in(location: tuple[int | str, ...], document: Any) -> str:
    """Where in a document a location of a validation error is, as a path."""
    return _place(_in_document(location, document))


_MENDS = {
    "extra_forbidden": ("This key is not known here.", "Take it out, or mend its spelling; `even-ballot schema` lists the keys."),
    "missing": ("This key is needed.", "Add it."),
    "too_long": ("There are too many of these.", "Leave some out, or part them over several tables or studies."),
    "union_tag_invalid": ("There is no such step.", "`even-ballot schema` lists the steps."),
    "union_tag_not_found": ("A step says what it does.", 'Add "do".'),
}


def parse_study(document: Any) -> Study:
    """A study from a decoded JSON document. Raises StudyError with a fault, and its JSON path, for each thing wrong."""
    try:
        return Study.model_validate(document)
    except ValidationError as error:
        faults = []
        for item in error.errors():
            what, mend = _MENDS.get(item["type"], (item["msg"].removeprefix("Value error, ").rstrip(".") + ".", ""))
            if item.get("ctx", {}).get("discriminator") == "'method'":
                what, mend = what.replace("step", "method"), mend.replace("the steps", "them").replace("do", "method")
            faults.append(Fault(what, place_in(item["loc"], document) or "study", mend))
        raise StudyError(faults) from None


@dataclass(frozen=True)
class Weighted:
    """The cases after the ledger and the weightings."""

    data: Dataset
    raked: tuple[Raked, ...]
    reports: tuple[WeightingReport, ...]


@dataclass(frozen=True)
class Results:
    """Everything a run finds out."""

    source_cases: int
    used_cases: int
    effects: tuple[Effect, ...]
    findings: tuple[Finding, ...]
    weightings: tuple[WeightingReport, ...]
    units: Units
    weight: str | None
    tables: tuple[TableResult, ...]
    data: Dataset
    control: DisclosureControl | None = None

    def document(self) -> dict[str, Any]:
        """results.json."""
        ledger = [
            {"step": e.step, "do": e.do, "cases_before": e.cases_before, "cases_after": e.cases_after,
             "cells_changed": e.cells_changed, **({"unplaced": plain(e.unplaced)} if e.unplaced else {}),
             **({"off": True} if e.off else {})}
            for e in self.effects
        ]  # fmt: skip
        units = self.units
        psus = int(units.psus.sum())
        return {
            "even_ballot": 1,
            "version": __version__,
            "cases": {"source": self.source_cases, "used": self.used_cases},
            "ledger": ledger,
            "findings": plain(self.findings),
            "weightings": plain(self.weightings),
            "design": {"strata": len(units.psus), "psus": psus, "df": units.degrees_of_freedom},
            "tables": plain(self.tables),
            **({"disclosure_control": plain(self.control)} if self.control is not None else {}),
        }


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
    return tuple(dict.fromkeys(tuple(dict.fromkeys((*w.within, *m.by))) for w in study.weightings for m in w.margins))


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
    passes = Passes(weighted.data, units, weight, study.where)
    tables = [counted_table(passes, request, f"tables[{i}]") for i, request in enumerate(study.tables)]
    reports, control = weighted.reports, None
    if study.suppression.below is not None:
        pattern = pattern_of(passes, study.tables, study.suppression, links_of(study.ledger), margins_of(study))
        whole = zip(tables, study.tables, strict=True)
        tables = [without_hidden(passes, table, request, pattern, f"tables[{i}]") for i, (table, request) in enumerate(whole)]
        reports = tuple(report_without(report, pattern, study.suppression.below) for report in reports)
        control = control_of(study.suppression, pattern)
    return Results(
        len(raw.rows), data.n, tuple(effects), findings, reports, units, weight_name(study), tuple(tables), weighted.data, control
    )
