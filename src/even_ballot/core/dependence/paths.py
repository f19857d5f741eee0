"""A figure over every combination of some decisions: each taken as it is, or not."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import product
from typing import Any

from even_ballot.core.dependence.comparing import DependentTable, compared_table
from even_ballot.core.dependence.decisions import Decision
from even_ballot.core.dependence.depends import Depending, or_none, standing
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.tables.results import as_json

MOST_PATHS = 512


@dataclass(frozen=True)
class Path:
    """One combination. without: the decisions taken away in it, by their ids, none for the study as it is;
    entries: others of the ledger that went with them; refused: why there is nothing."""

    without: tuple[str, ...]
    entries: tuple[str, ...]
    refused: Fault | None
    tables: tuple[DependentTable, ...]

    def document(self) -> dict[str, Any]:
        """As it stands in depends.json."""
        refused = None if self.refused is None else str(self.refused)
        said = {"without": list(self.without), "with": list(self.entries), "refused": refused}
        return said | {"tables": as_json(self.tables)}


def combinations(decisions: Sequence[Decision]) -> tuple[tuple[Decision, ...], ...]:
    """Every choice among decisions, that of none first; of those of one place one at most. Raises StudyError
    for more than some hundreds.

    >>> from even_ballot.core.dependence.decisions import decisions_of
    >>> from even_ballot.core.study.study_file import parse_study
    >>> steps = [{"do": "drop_cases", "where": f"age < {age}"} for age in (18, 20)]
    >>> study = parse_study({"source": {"path": "answers.csv"}, "ledger": steps})
    >>> [[of.id for of in choice] for choice in combinations(decisions_of(study)[:2])]
    [[], ['ledger[1]'], ['ledger[0]'], ['ledger[0]', 'ledger[1]']]
    """
    places: dict[str, list[tuple[Decision, ...]]] = {}
    for decision in decisions:
        places.setdefault(decision.place, [()]).append((decision,))
    count = math.prod(len(choices) for choices in places.values())
    if count > MOST_PATHS:
        raise fault(
            f"These decisions make {count:,} combinations; {MOST_PATHS} can be worked out.",
            "decisions",
            "Choose fewer.",
        )
    return tuple(tuple(of for part in choice for of in part) for choice in product(*places.values()))


def paths(of: Depending, decisions: Sequence[Decision], progress: Progress = quiet) -> Iterator[Path]:
    """The figures over every combination of decisions, the study as it is first. progress: told before each,
    and may raise Stopped.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.study.pipeline import given
    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 30"}
    >>> table = {"id": "t", "stub": ["age"], "show": ["mean"]}
    >>> study = parse_study({"source": {"path": "a.csv"}, "ledger": [step], "tables": [table]})
    >>> whole = Depending(study, given(study, ferry_answers(), {}).inputs)
    >>> [path.tables[0].cells[0].without for path in paths(whole, whole.decisions[:1])]
    [46.6, 40.0]
    """
    choices = combinations(decisions)
    for k, choice in enumerate(choices):
        progress(f"Combination {k + 1} of {len(choices)}", k / len(choices))
        yield _path(of, choice)


def _path(of: Depending, choice: Sequence[Decision]) -> Path:
    ids, entries = tuple(decision.id for decision in choice), tuple[str, ...]()
    try:
        pipeline, gone = standing(of.study, choice, of.inputs, of.keeping())
        entries = tuple(f"ledger[{i}]" for i in gone)
        _ = pipeline.weighted, pipeline.shared
    except StudyError as error:
        return Path(ids, entries, error.faults[0], ())
    tables = tuple(
        compared_table(mine, or_none(partial(pipeline.table, at)), of.shown, of.alpha(at))
        for at, mine in of.published.items()
    )
    return Path(ids, entries, None, tables)
