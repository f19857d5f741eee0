"""The step that sets aside the cases of a finding, as a rule that holds for answers still to come."""

from typing import Any

from even_ballot.core.dataset import Dataset
from even_ballot.core.screening.entries import batteries, with_role
from even_ballot.core.screening.finding import Finding
from even_ballot.core.screening.settings import Screening

_WHY = {
    "staff_test": "made by our own staff while trying the form",
    "duplicate_identifier": "the same respondent twice",
    "duplicate_entry": "the same entry twice",
    "too_fast": "faster than anyone can read it",
    "straight_line": "one answer to everything in a row",
    "too_little": "too little answered to be of use",
}


def _too_fast(data: Dataset, cut: str) -> str:
    seconds = with_role(data, "seconds")
    if seconds is None:
        seconds = f"seconds_between({with_role(data, 'started')}, {with_role(data, 'ended')})"
    return f"{seconds} < {cut}"


def _condition(data: Dataset, finding: Finding, settings: Screening) -> str | None:
    match finding.kind:
        case "staff_test":
            return f"{finding.variable} == {finding.value!r}"
        case "too_fast":
            return _too_fast(data, finding.value.split()[1])
        case "straight_line":
            battery = next((run for run in batteries(data, settings.battery) if run[0] == finding.variable), ())
            return " == ".join(battery) or None
        case "too_little":
            runs = batteries(data, settings.battery)
            names = settings.questions or tuple(name for run in runs for name in run)
            return f"answered({', '.join(names)}) < {settings.answered * len(names):g}" if names else None
        case _:
            return None


def step_for(data: Dataset, finding: Finding, settings: Screening) -> dict[str, Any] | None:
    """A drop_cases step for a finding about whole entries; None where its cells want mending instead."""
    why = _WHY.get(finding.kind)
    if finding.kind == "duplicate_identifier":
        return {"do": "drop_cases", "duplicates": {"of": [finding.variable], "keep": "first"}, "why": why}
    if finding.kind == "duplicate_entry":
        names = [v.name for v in data.variables.values() if v.kind == "coded" and v.role is None]
        return {"do": "drop_cases", "duplicates": {"of": names, "keep": "first"}, "why": why} if names else None
    where = _condition(data, finding, settings)
    return None if where is None else {"do": "drop_cases", "where": where, "why": why}
