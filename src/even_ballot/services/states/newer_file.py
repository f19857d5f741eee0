"""A newer file of answers: what it would change, and taking it over whole."""

import json
from dataclasses import dataclass, replace
from pathlib import PurePath

from sqlalchemy.orm import Session

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.ledger import take_step
from even_ballot.core.study.moved_figures import FigureChange, changed_figures
from even_ballot.core.study.newer_file import Drift, aligned, drift, extended
from even_ballot.core.study.nodes import key_of
from even_ballot.core.study.study_file import Source, parse_study
from even_ballot.core.tables.results import TableResult
from even_ballot.formats.sources.delimited import as_csv
from even_ballot.services.states.elsewhere import in_a_helper
from even_ballot.services.states.kept_files import keep
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.states.writing import write
from even_ballot.store.files import file_bytes, find_file, keep_file
from even_ballot.store.models import SourceFile
from even_ballot.store.studies import Files, StudyState, dump_study, read_study


@dataclass(frozen=True)
class WeightChange:
    """A weighting's effective sample size and largest weight before and after; None where it stops."""

    save_as: str
    n_effective: float
    n_effective_after: float | None
    max: float
    max_after: float | None


@dataclass(frozen=True)
class Unfit:
    """An entry of the ledger (from 1) that cannot be taken on the newer file."""

    step: int
    sentence: str
    fault: Fault


@dataclass(frozen=True)
class RefreshView:
    """What a newer file would change. file: to be taken over; already: where it extends the answers, its
    records that were there before; entries: those of the ledger that no longer fit; faults: what would
    then stop the study."""

    file: str
    name: str
    already: int | None
    drift: Drift
    used_before: int
    used_after: int
    findings_before: int
    findings_after: int
    entries: tuple[Unfit, ...]
    faults: tuple[Fault, ...]
    weights: tuple[WeightChange, ...]
    tables: tuple[FigureChange, ...]


def _with_file(session: Session, state: StudyState, file_id: str) -> StudyState:
    """The study on another source file, everything else as it is."""
    reading = Source.model_validate_json(find_file(session, file_id).reading)
    study = parse_study(
        json.loads(dump_study(state.study)) | {"source": reading.model_dump(exclude_none=True)}
    )
    sampled = find_file(session, file_id).in_place is not None
    return replace(state, study=study, files=Files(file_id, state.files.lookups, sampled))


def _tables(
    session: Session, pipelines: Pipelines, state: StudyState
) -> tuple[list[TableResult], list[Fault]]:
    results, faults = [], []
    for at in range(len(state.study.tables)):
        try:
            results.append(pipelines.table(session, state, at))
        except StudyError as error:
            faults += [fault for fault in error.faults if fault not in faults]
    return results, faults


def _unfit(session: Session, pipelines: Pipelines, state: StudyState) -> tuple[Unfit, ...]:
    """Every entry that cannot be taken, each passed over so that the later ones are tried too."""
    found = []
    data, tables = pipelines.start(session, state)[1], pipelines.tables(session, state)
    for i, step in enumerate(state.study.ledger):
        try:
            data, _ = take_step(data, step, 0, tables, elsewhere=in_a_helper)
        except StudyError as error:
            found.append(Unfit(i + 1, step.sentence(), error.faults[0]))
    return tuple(found)


def _identifier(state: StudyState, table: RawTable) -> str | None:
    """The column that identifies the cases, as it arrives."""
    ids = [v.name for v in state.study.codebook.variables if v.role == "id" and v.name in table.names]
    return ids[0] if ids else None


def _extended(session: Session, pipelines: Pipelines, state: StudyState, file_id: str) -> tuple[str, int]:
    """A file of the answers there are and, below them, the newer file's that are not among them; kept
    once."""
    if state.files.sampled:
        mend = "Put a part more into their folder, and draw the sample again."
        raise fault("Records that stay in their folder are not added to here.", "extend", mend)
    older, newer = pipelines.raw(session, state.files.source), pipelines.raw(session, file_id)

    def make() -> tuple[str, int]:
        table, already = extended(aligned(newer, older), older, _identifier(state, older))
        first, second = find_file(session, state.files.source), find_file(session, file_id)
        name = f"{PurePath(first.name).stem} and {PurePath(second.name).stem}.csv"
        return keep(
            session, name, as_csv(table), Source(path=name, format="csv", header_rows=2, names_row=1)
        ).id, already

    return pipelines.once(key_of("extended", state.files.source, file_id), make)


def _renamed(
    session: Session, pipelines: Pipelines, file_id: str, older: RawTable
) -> tuple[SourceFile, RawTable]:
    """A file with its columns under the names that the earlier one's have, kept anew where they differ."""
    file, newer = find_file(session, file_id), pipelines.raw(session, file_id)
    table = aligned(newer, older)
    if table.names == newer.names:
        return file, table
    if file.in_place is not None:
        mend = "Give the parts the headings that the study knows."
        raise fault("These parts have other headings than the study's answers.", "file", mend)
    reading = Source.model_validate_json(file.reading)
    return keep_file(session, file.name, file_bytes(session, file_id), reading, table), table


def look(
    session: Session, pipelines: Pipelines, study_id: str, file_id: str, extend: bool = False
) -> RefreshView:
    """What taking a file over, or extending the answers by it, would change. The file is kept anew with
    its columns under the names the study knows."""
    state = read_study(session, study_id)
    already = None
    if extend:
        file_id, already = _extended(session, pipelines, state, file_id)
    older = pipelines.raw(session, state.files.source)
    file, table = _renamed(session, pipelines, file_id, older)
    after = _with_file(session, state, file.id)
    found = RefreshView(
        file=file.id,
        name=file.name,
        already=already,
        drift=in_a_helper(drift, table, older),
        used_before=pipelines.ledgered(session, state)[1].last.n,
        used_after=0,
        findings_before=len(pipelines.findings(session, state)),
        findings_after=0,
        entries=(),
        faults=(),
        weights=(),
        tables=(),
    )
    try:
        ledgered = pipelines.ledgered(session, after)[1]
    except StudyError as error:
        return replace(found, faults=error.faults)
    results, faults = _tables(session, pipelines, after)
    return replace(
        found,
        used_after=ledgered.last.n,
        findings_after=len(pipelines.findings(session, after)),
        entries=_unfit(session, pipelines, after) if ledgered.fault else (),
        faults=tuple(ledgered.fault.faults if ledgered.fault else faults),
        weights=_weights(session, pipelines, state, after),
        tables=changed_figures(_tables(session, pipelines, state)[0], results),
    )


def _weights(
    session: Session, pipelines: Pipelines, before: StudyState, after: StudyState
) -> tuple[WeightChange, ...]:
    try:
        earlier = pipelines.weighted(session, before)[1].reports
    except StudyError:
        return ()
    try:
        later = pipelines.weighted(session, after)[1].reports
    except StudyError:
        return tuple(WeightChange(r.save_as, r.n_effective, None, r.max, None) for r in earlier)
    return tuple(
        WeightChange(a.save_as, a.n_effective, b.n_effective, a.max, b.max)
        for a, b in zip(earlier, later, strict=True)
    )


def take_over(session: Session, pipelines: Pipelines, study_id: str, edition: int, file_id: str) -> None:
    """The study on the newer file; the ledger runs on it. Undo brings the earlier file back."""
    state = read_study(session, study_id)
    after = _with_file(session, state, file_id)
    did = f"Imported the newer file {find_file(session, file_id).name}"
    write(session, pipelines, state, edition, after.study, after.files, did)
