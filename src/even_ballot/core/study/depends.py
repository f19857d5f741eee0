"""What a study's figures depend on: everything worked out again with one decision taken away, each in turn.

Every state is kept by what it is made of, so that an alternative costs what the decision forces anew.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.study.decisions import Decision, decisions_of, with_entries_off
from even_ballot.core.study.pipeline import Inputs, Pipeline
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.core.tables.results import BannerPath, Cell, StubKey, TableResult, as_json

T = TypeVar("T")
CellKey = tuple[StubKey, BannerPath, str]


@dataclass(frozen=True)
class DependentCell:
    """A figure as it is published, and without a decision. without, se_without: None where there is no such
    figure, or none that may be shown; change: without less the figure; in_se: the change over the published
    standard error, where that is not nought."""

    stub: StubKey
    banner: BannerPath
    stat: str
    est: float
    se: float | None
    without: float | None = None
    se_without: float | None = None
    change: float | None = None
    in_se: float | None = None


@dataclass(frozen=True)
class DependentTable:
    """A table's figures with and without a decision."""

    id: str
    cells: tuple[DependentCell, ...]

    @property
    def largest(self) -> float:
        """The largest change of any figure, in standard errors."""
        return max((abs(cell.in_se) for cell in self.cells if cell.in_se is not None), default=0.0)

    @property
    def gone(self) -> int:
        """How many figures there are not, or may not be shown, without it."""
        return sum(cell.without is None for cell in self.cells)


@dataclass(frozen=True)
class Dependence:
    """What one decision does. entries: other entries of the ledger that cannot stand without it, by their
    ids; refused: why there is nothing without it, None where there is."""

    decision: Decision
    entries: tuple[str, ...]
    refused: Fault | None
    tables: tuple[DependentTable, ...]

    def document(self) -> dict[str, Any]:
        """As it stands in depends.json."""
        return {
            "id": self.decision.id,
            "kind": self.decision.kind,
            "says": self.decision.says,
            "with": list(self.entries),
            "refused": None if self.refused is None else str(self.refused),
            "tables": as_json(self.tables),
        }


class _Kept:
    """Values by their keys, and the faults that making them raised."""

    def __init__(self) -> None:
        self._values: dict[str, Any] = {}

    def __call__(self, key: str, make: Callable[[], T]) -> T:
        if key not in self._values:
            try:
                self._values[key] = make()
            except StudyError as error:
                self._values[key] = error
        found = self._values[key]
        if isinstance(found, StudyError):
            raise StudyError(found.faults)
        return found  # type: ignore[no-any-return]

    def only(self) -> "_Kept":
        """The same values; what is added to it is not added to this."""
        other = _Kept()
        other._values = dict(self._values)
        return other


def _standing(
    study: Study, decision: Decision, inputs: Inputs, keep: _Kept
) -> tuple[Pipeline, tuple[int, ...]]:
    """The study without a decision, and which other entries had to go with it: one after the other, those
    that cannot be taken any more."""
    if decision.entry is None:
        # As if it were read: what no study file may say is refused.
        said = decision.without.model_dump(exclude_unset=True, by_alias=True)
        return Pipeline(parse_study(said), inputs, keep), ()
    off = [decision.entry]
    while True:
        pipeline = Pipeline(with_entries_off(study, tuple(off)), inputs, keep, states=True)
        ledgered = pipeline.ledgered.value
        stopped = len(ledgered.states)
        if ledgered.fault is None or stopped in off:
            return pipeline, tuple(off[1:])
        off.append(stopped)


def _counted(pipeline: Pipeline, at: int) -> TableResult | None:
    """A table, or None where it cannot be made."""
    try:
        return pipeline.table(at)
    except StudyError:
        return None


def _near(a: int | None, b: int | None, below: int | None) -> bool:
    """Whether so few cases make the difference that showing both would tell of them."""
    return below is not None and a is not None and b is not None and 0 < abs(a - b) < below


def _compared(cell: Cell, other: Cell | None, below: int | None) -> DependentCell:
    key = (cell.stub, cell.banner, cell.stat, cell.est, cell.se)
    if other is None or _near(cell.n, other.n, below) or _near(cell.base_n, other.base_n, below):
        return DependentCell(*key)
    change = other.est - cell.est
    return DependentCell(*key, other.est, other.se, change, change / cell.se if cell.se else None)


def _by_key(table: TableResult | None) -> Mapping[CellKey, Cell]:
    found: dict[CellKey, Cell] = {}
    for cell in () if table is None else table.cells:
        found.setdefault((cell.stub, cell.banner, cell.stat), cell)
    return found


def _without(
    study: Study, decision: Decision, inputs: Inputs, keep: _Kept, published: Mapping[int, TableResult]
) -> Dependence:
    below, entries = study.suppression.below, tuple[str, ...]()
    try:
        pipeline, gone = _standing(study, decision, inputs, keep)
        entries = tuple(f"ledger[{i}]" for i in gone)
        # What is wrong with the cases, their weights or their design is wrong with every table.
        _ = pipeline.weighted, pipeline.shared
    except StudyError as error:
        return Dependence(decision, entries, error.faults[0], ())
    tables = []
    for at, table in published.items():
        others = _by_key(_counted(pipeline, at))
        cells = (_compared(c, others.get((c.stub, c.banner, c.stat)), below) for c in table.cells)
        tables.append(DependentTable(table.id, tuple(cells)))
    return Dependence(decision, entries, None, tuple(tables))


def depends(
    study: Study, inputs: Inputs, tables: Sequence[str] | None = None, progress: Progress = quiet
) -> Iterator[Dependence]:
    """For each decision in turn what the tables would be without it. tables: which, by their ids (None: all);
    progress: told before each, and may raise Stopped. Raises StudyError where the study itself is at fault.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.study.pipeline import given
    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 30"}
    >>> table = {"id": "t", "stub": ["age"], "show": ["mean"]}
    >>> study = parse_study({"source": {"path": "a.csv"}, "ledger": [step], "tables": [table]})
    >>> (found,) = depends(study, given(study, ferry_answers(), {}).inputs)
    >>> cell = found.tables[0].cells[0]
    >>> round(cell.est, 2), round(cell.without, 2)
    (46.6, 40.0)
    """
    kept = _Kept()
    base = Pipeline(study, inputs, kept, states=True)
    _ = base.weighted, base.shared
    wanted = [at for at, request in enumerate(study.tables) if tables is None or request.id in tables]
    published = {at: base.table(at) for at in wanted}
    decisions = decisions_of(study)
    for k, decision in enumerate(decisions):
        progress(f"Without: {decision.says}", k / max(len(decisions), 1))
        yield _without(study, decision, inputs, kept.only(), published)
