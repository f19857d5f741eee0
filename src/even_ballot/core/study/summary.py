"""What a run took for granted, and what it could not do: what was guessed, not placed, out of scale, not
met."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from even_ballot.core.screening import Finding
from even_ballot.core.weighting.laying.margins import CategoryCodes
from even_ballot.core.weighting.report import WeightingReport


@dataclass(frozen=True)
class UnfitEntries:
    """Entries of a variable that fit neither its codes nor a number, and in how many cells."""

    variable: str
    value: str
    cells: int


@dataclass(frozen=True)
class UnmetTarget:
    """A category whose target its weight does not meet, as shares; total_of: of a number, in its unit."""

    save_as: str
    at: CategoryCodes
    label: str
    target: float
    after: float
    total_of: str | None = None


@dataclass(frozen=True)
class Summary:
    """guessed: how the source was read, as far as the study file does not say; kinds: of columns that it does
    not list. not_placed, not_in_codebook: entries that count as missing or are of no scale. unmet: targets.
    findings: how many others there are, by kind, that nobody has accepted."""

    guessed: Mapping[str, Any]
    kinds: Mapping[str, str]
    not_placed: tuple[UnfitEntries, ...]
    not_in_codebook: tuple[UnfitEntries, ...]
    unmet: tuple[UnmetTarget, ...]
    findings: Mapping[str, int]

    @property
    def nothing_found(self) -> bool:
        """Whether there is nothing that anybody has to look at."""
        return not (self.not_placed or self.not_in_codebook or self.unmet or self.findings)


def unmet_targets(report: WeightingReport) -> tuple[UnmetTarget, ...]:
    """The categories of a weighting that has not met its margins, the largest gaps first.

    >>> from dataclasses import replace
    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.raking import rake
    >>> from even_ballot.core.weighting.report import report
    >>> from even_ballot.core.weighting.weighting import Margin, Target, Weighting
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> unmet_targets(report(ferry(), rake(ferry(), weighting), weighting))
    ()
    """
    if report.converged:
        return ()
    rows = [(margin, row) for margin in report.margins for row in margin.rows if margin.missed(row) > _MET]
    # Gaps that are alike but for rounding stay in the order of their margins.
    rows.sort(key=lambda of: -round(of[0].missed(of[1]), 11))
    return tuple(
        UnmetTarget(
            report.save_as,
            row.at,
            row.label if margin.total_of is None else f"{margin.title}, {row.label}",
            row.target,
            row.after,
            margin.total_of,
        )
        for margin, row in rows
    )


_MET = 1e-9


def summary_of(
    guessed: Mapping[str, Any],
    kinds: Mapping[str, str],
    findings: Sequence[Finding],
    reports: Sequence[WeightingReport],
) -> Summary:
    """The summary of a run: how its source was read, the kinds of columns, what was found, its weightings.

    >>> summary_of({"delimiter": ";"}, {"age": "number"}, (), ()).nothing_found
    True
    """
    by_kind: dict[str, list[UnfitEntries]] = {"not_placed": [], "not_in_codebook": []}
    others: dict[str, int] = {}
    for finding in findings:
        if finding.kind in by_kind:
            by_kind[finding.kind].append(UnfitEntries(finding.variable, finding.value, finding.cases))
        elif finding.accepted is None:
            others[finding.kind] = others.get(finding.kind, 0) + finding.cases
    unmet = tuple(target for report in reports for target in unmet_targets(report))
    return Summary(
        guessed,
        kinds,
        tuple(by_kind["not_placed"]),
        tuple(by_kind["not_in_codebook"]),
        unmet,
        others,
    )
