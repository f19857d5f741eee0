"""The sweep of all checks, and what is behind a finding."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from even_ballot.core.data.codebook import Accepted, Codebook, Rule
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.formulas import Formula
from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.ledger.cases import DropCases
from even_ballot.core.numerics.arrays import Bools
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.screening import cells, duplicates, entries
from even_ballot.core.screening.finding import Check, Finding, Found
from even_ballot.core.screening.settings import Screening

CHECKS: dict[str, Check] = {
    "not_in_codebook": cells.not_in_codebook,
    "not_placed": cells.not_placed,
    "out_of_range": cells.out_of_range,
    "staff_test": entries.staff_test,
    "duplicate_identifier": duplicates.duplicate_identifier,
    "duplicate_entry": duplicates.duplicate_entry,
    "ended_before_started": entries.ended_before_started,
    "too_fast": entries.too_fast,
    "too_little": entries.too_little,
    "straight_line": entries.straight_line,
    "unusual": cells.unusual,
    "influential": cells.influential,
    "blank": cells.blank,
}
"""Every check by the kind of its findings, in the order they are shown."""
EVERY = ("rule", *CHECKS)
_COMPARING = ("duplicate_identifier", "duplicate_entry", "unusual", "influential")
ADDITIVE = tuple(kind for kind in EVERY if kind not in _COMPARING)
"""Checks that look at each case by itself, so that what parts have adds up, where settings say what is too
fast."""


def _broken(data: Dataset, rules: Sequence[Rule]) -> Iterator[Found]:
    """Cases that a rule is false for. Faults of a rule's formula are placed at the rule."""
    for i, rule in enumerate(rules):
        yield Found.among("", rule.name, Formula(rule.must, f"codebook.rules[{i}].must").false(data))


def _found(data: Dataset, kind: str, book: Codebook, settings: Screening) -> Iterator[Found]:
    return _broken(data, book.rules) if kind == "rule" else CHECKS[kind](data, settings)


def _why(accepted: Sequence[Accepted], found: Finding) -> str | None:
    """Why a finding may stand: it was accepted, and concerns no more cases since."""
    for item in accepted:
        alike = (
            item.kind == found.kind
            and (item.variable or "") == found.variable
            and (item.value or "") == found.value
        )
        if alike and (item.cases is None or found.cases <= item.cases):
            return item.why
    return None


def listed(findings: Iterable[Finding], accepted: Sequence[Accepted]) -> tuple[Finding, ...]:
    """Findings by check and then by how many cases they concern, those of none left out; accepted ones are
    marked.

    >>> [of.kind for of in listed([Finding("b", "blank", "", 1), Finding("a", "rule", "", 1)], ())]
    ['rule', 'blank']
    """
    marked = [replace(of, accepted=_why(accepted, of)) for of in findings if of.cases]
    return tuple(sorted(marked, key=lambda f: (EVERY.index(f.kind), -f.cases, f.variable, f.value)))


def sweep(
    data: Dataset,
    book: Codebook | None = None,
    settings: Screening | None = None,
    progress: Progress = quiet,
    checks: Sequence[str] = EVERY,
) -> tuple[Finding, ...]:
    """All findings, by check and then by how many cases they concern; accepted ones are marked. progress:
    told at each check.

    >>> from even_ballot.core.data.example import ferry
    >>> [(found.kind, found.variable, found.cases) for found in sweep(ferry())]
    [('blank', 'crosses', 1)]
    """
    book, settings = book or Codebook(), settings or Screening()
    findings: list[Finding] = []
    for i, kind in enumerate(checks):
        progress(f"Screening: {kind.replace('_', ' ')}", i / len(checks))
        for of in _found(data, kind, book, settings):
            findings.append(Finding(of.variable, kind, of.value, of.count, None, of.step, of.usual))
    return listed(findings, book.accepted)


def found_as(
    data: Dataset, finding: Finding, book: Codebook | None = None, settings: Screening | None = None
) -> Found | None:
    """What the check of a finding finds there now; None where there is nothing any more.

    >>> from even_ballot.core.data.example import ferry
    >>> finding = sweep(ferry())[0]
    >>> found_as(ferry(), finding).count == finding.cases
    True
    """
    if finding.kind != "rule" and finding.kind not in CHECKS:
        raise StudyError(
            Fault(
                f"There is no check {finding.kind!r}.",
                "kind",
                f"Checks: rule, {', '.join(CHECKS)}.",
            )
        )
    wanted = (finding.variable, finding.value)
    every = _found(data, finding.kind, book or Codebook(), settings or Screening())
    return next((found for found in every if (found.variable, found.value) == wanted), None)


@dataclass(frozen=True)
class Behind:
    """What is behind a finding: which cases, (n,), and the step that sets them aside."""

    cases: Bools
    step: DropCases | None = None


def behind(
    data: Dataset, finding: Finding, book: Codebook | None = None, settings: Screening | None = None
) -> Behind:
    """Which cases a finding concerns now; none where there is nothing any more.

    >>> from even_ballot.core.data.example import ferry
    >>> int(behind(ferry(), sweep(ferry())[0]).cases.sum())
    1
    """
    found = found_as(data, finding, book, settings)
    return Behind(np.zeros(data.n, np.bool_)) if found is None else Behind(found.cases(), found.step)
