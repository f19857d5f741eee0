"""A newer file of answers: what it would change, and taking it over whole."""

import json
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from even_ballot.core.drift import Drift, FigureChange, aligned, changed_figures, drift
from even_ballot.core.faults import Fault, StudyError
from even_ballot.core.results import TableResult
from even_ballot.core.study import Source, parse_study
from even_ballot.services.bench import Bench
from even_ballot.store.files import file_bytes, find_file, keep_file
from even_ballot.store.studies import Files, State, dump_study, read_study, write_study


@dataclass(frozen=True)
class WeightChange:
    """A weighting's effective sample size and largest weight before and after; None where it stops."""

    save_as: str
    n_effective: float
    n_effective_after: float | None
    max: float
    max_after: float | None


@dataclass(frozen=True)
class RefreshView:
    """What a newer file would change. file: to be taken over; faults: what would then stop the study."""

    file: str
    name: str
    drift: Drift
    used_before: int
    used_after: int
    findings_before: int
    findings_after: int
    faults: tuple[Fault, ...]
    weights: tuple[WeightChange, ...]
    tables: tuple[FigureChange, ...]


def _with_file(session: Session, state: State, file_id: str) -> State:
    """The study on another source file, everything else as it is."""
    reading = Source.model_validate_json(find_file(session, file_id).reading)
    study = parse_study(json.loads(dump_study(state.study)) | {"source": reading.model_dump(exclude_none=True)})
    return replace(state, study=study, files=Files(file_id, state.files.lookups))


def _tables(session: Session, bench: Bench, state: State) -> tuple[list[TableResult], list[Fault]]:
    results, faults = [], []
    for at in range(len(state.study.tables)):
        try:
            results.append(bench.table(session, state, at))
        except StudyError as error:
            faults += [fault for fault in error.faults if fault not in faults]
    return results, faults


def look(session: Session, bench: Bench, study_id: str, file_id: str) -> RefreshView:
    """What taking a file over would change. The file is kept anew with its columns under the names the study knows."""
    state = read_study(session, study_id)
    older, newer = bench.raw(session, state.files.source), bench.raw(session, file_id)
    table = aligned(newer, older)
    file = find_file(session, file_id)
    if table.names != newer.names:
        file = keep_file(session, file.name, file_bytes(session, file_id), Source.model_validate_json(file.reading), table)
    after = _with_file(session, state, file.id)
    differences = drift(table, older)
    try:
        ledgered = bench.ledgered(session, after)[1]
    except StudyError as error:
        used = bench.ledgered(session, state)[1].last.n
        found = len(bench.findings(session, state))
        return RefreshView(file.id, file.name, differences, used, 0, found, 0, error.faults, (), ())
    results, faults = _tables(session, bench, after)
    stops = list(ledgered.fault.faults) if ledgered.fault else faults
    return RefreshView(
        file=file.id,
        name=file.name,
        drift=differences,
        used_before=bench.ledgered(session, state)[1].last.n,
        used_after=ledgered.last.n,
        findings_before=len(bench.findings(session, state)),
        findings_after=len(bench.findings(session, after)),
        faults=tuple(stops),
        weights=_weights(session, bench, state, after),
        tables=changed_figures(_tables(session, bench, state)[0], results),
    )


def _weights(session: Session, bench: Bench, before: State, after: State) -> tuple[WeightChange, ...]:
    try:
        earlier = bench.weighted(session, before)[1].reports
    except StudyError:
        return ()
    try:
        later = bench.weighted(session, after)[1].reports
    except StudyError:
        return tuple(WeightChange(r.save_as, r.n_effective, None, r.max, None) for r in earlier)
    return tuple(
        WeightChange(a.save_as, a.n_effective, b.n_effective, a.max, b.max) for a, b in zip(earlier, later, strict=True)
    )  # fmt: skip


def take_over(session: Session, study_id: str, edition: int, file_id: str) -> None:
    """The study on the newer file; the ledger runs on it. Undo brings the earlier file back."""
    state = read_study(session, study_id)
    after = _with_file(session, state, file_id)
    write_study(
        session, study_id, edition, after.study, after.files, f"Took over the newer file {find_file(session, file_id).name}"
    )
