"""The sweep over all variables, and the cases behind a finding."""

import numpy as np

from even_ballot.core.dataset import UNPLACED, Bools, Dataset
from even_ballot.core.screening.finding import Finding

NOT_IN_CODEBOOK, NOT_PLACED = "not_in_codebook", "not_placed"


def sweep(data: Dataset) -> tuple[Finding, ...]:
    """Codes that are not in the codebook, and entries that fit neither code nor number, most frequent first."""
    findings = []
    for name, variable in data.variables.items():
        if variable.kind == "multi":
            continue
        column = data.column(name)
        if variable.kind == "coded":
            codes, known = data.categories(name)
            for item in codes[known:]:
                cases = int(((column.values == item.code) & column.answered).sum())
                findings.append(Finding(name, NOT_IN_CODEBOOK, str(item.code), cases))
        findings += [Finding(name, NOT_PLACED, word, cases) for word, cases in column.entries().items()]
    return tuple(sorted(findings, key=lambda f: (-f.cases, f.variable, f.value)))


def cases_of(data: Dataset, finding: Finding) -> Bools:
    """Which cases have it."""
    column = data.column(finding.variable)
    if finding.kind == NOT_PLACED:
        wanted = [i for i, word in enumerate(column.words) if word == finding.value]
        return np.asarray((column.state == UNPLACED) & np.isin(column.values, wanted))
    return np.asarray(column.answered & (column.values == int(finding.value)))
