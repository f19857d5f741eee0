"""Studies whose records stay where they are: begun on a sample, figures of all records worked out."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from sqlalchemy.orm import Session

from even_ballot.core.data.dataset import BLANK, UNPLACED, Dataset, RawTable
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.models.analysis import ANALYSES
from even_ballot.core.progress import Progress, stretch
from even_ballot.core.study.parted.sampled import on_a_sample, take_if_drawn
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.core.study.uses import book_in_use, made_later
from even_ballot.formats.exchange.microdata import entries
from even_ballot.services.in_place.exact import as_told
from even_ballot.services.in_place.folders import DataFolder, FolderOfParts, InPlace
from even_ballot.services.scale.work import Job, without_records
from even_ballot.services.states.kept_files import keep_drawn, place_of
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.stations.views import InPlaceView, RecordEntry, RecordView
from even_ballot.services.workers.helper_processes import READERS, WHOLE
from even_ballot.services.workers.jobs import Jobs, JobView
from even_ballot.store.files import find_file
from even_ballot.store.studies import StudyState, read_study

if TYPE_CHECKING:
    from even_ballot.services.in_place.sampling import Drawn

DRAWN = 100_000
"""Records that are drawn at most."""
_CELL = 16
"""Bytes that a cell takes while all records are worked on."""
_COLUMNS = 4
"""Columns that take as long to read as one table or analysis takes."""


def _data(pipelines: Pipelines) -> DataFolder:
    if pipelines.data is None:
        mend = "Start with `./start --data FOLDER`."
        raise fault("No folder of data was named when Even Ballot was started.", "--data", mend)
    return pipelines.data


def folders(pipelines: Pipelines) -> list[FolderOfParts]:
    """Folders that a study may be begun on; none where no folder of data was named."""
    return [] if pipelines.data is None else pipelines.data.folders()


def begin_drawing(jobs: Jobs, pipelines: Pipelines, folder: str) -> JobView:
    """A job that draws a sample of a folder's records and keeps it; its result is the file's identifier."""
    data = _data(pipelines)
    size = sum(size for _, size, _ in data.parts(folder))

    def work(session: Session, progress: Progress) -> str:
        drawn: Drawn = READERS.run(
            "draw", data.root, folder, DRAWN, size=size, progress=stretch(progress, 0, 0.8), where=folder
        )
        return keep_drawn(session, drawn, stretch(progress, 0.8, 1)).id

    return jobs.start("intake", folder[:255], work)


def _place(session: Session, state: StudyState) -> tuple[InPlace, int]:
    """Where a study's records are, and how many of them were drawn. Raises StudyError where it has its
    own."""
    file = find_file(session, state.files.source)
    place = place_of(file)
    if place is None:
        raise fault("This study holds its records itself.", "source", "Its figures are of all of them.")
    return place, file.records + file.blank_records


def view(session: Session, pipelines: Pipelines, state: StudyState) -> InPlaceView | None:
    """How a study stands to its records; None where it holds them itself."""
    if not state.files.sampled:
        return None
    place, drawn = _place(session, state)
    lacking = pipelines.exact.lacking(state.study, state.files)
    return InPlaceView(place.sample(drawn), lacking, _refusal(pipelines, state.study, place))


def _refusal(pipelines: Pipelines, study: Study, place: InPlace) -> Fault | None:
    """Why figures of all records cannot be worked out."""
    try:
        _data(pipelines).check(place)
        _check(study)
    except StudyError as error:
        return error.faults[0]
    return None


def _check(study: Study) -> None:
    if study.design.save_replicates:
        mend = "Do not save them with the records."
        raise fault("Replicate weights are not written where records stay.", "design.save_replicates", mend)


@contextmanager
def _job(session: Session, pipelines: Pipelines, state: StudyState) -> Iterator[tuple[Job, int]]:
    """What the work on all records gets, and how many bytes its limits go by; what it puts aside goes with
    this."""
    data, (place, _) = _data(pipelines), _place(session, state)
    data.check(place)
    _check(state.study)
    head = without_records(pipelines.raw(session, state.files.source))
    lookups = dict(pipelines.tables(session, state))
    document = as_told(state.study).model_dump_json(by_alias=True, exclude_unset=True)
    with tempfile.TemporaryDirectory(prefix="even-ballot-whole-") as shelf:
        job = Job(document, str(data.root), place.names, head, lookups)
        study = state.study
        asked = len(study.tables) + sum(len(getattr(study, part)) for part in ANALYSES)
        # How long it may take goes by bytes: what is made of the records counts like more of them.
        size = place.records * (len(head.names) + _COLUMNS * asked) * _CELL
        yield replace(job, shelf=shelf, inside=str(data.root)), size


def begin_figures(jobs: Jobs, pipelines: Pipelines, study_id: str, edition: int, title: str) -> JobView:
    """A job that works out all figures of an edition on all records, and keeps them; its result is the
    edition."""

    def work(session: Session, progress: Progress) -> str:
        state = read_study(session, study_id)
        if state.record.edition != edition:
            mend = "Look at the study as it is now, then calculate again."
            raise fault("The study changed before its figures were calculated.", "", mend)
        with _job(session, pipelines, state) as (job, size):
            session.commit()
            results: Results = WHOLE.run("whole", job, size=size, progress=progress)
        pipelines.exact.keep(state.study, state.files, results)
        return str(edition)

    return jobs.start("figures", title[:255], work)


def record(session: Session, pipelines: Pipelines, state: StudyState, number: int) -> RecordView:
    """A record by its number among all, as it came and as it is after the ledger. What the ledger works out
    over all cases (a mean, a median) is that of the sample's."""
    data, (place, _) = _data(pipelines), _place(session, state)
    raw: RawTable = READERS.run("record", data.root, place, number, where="record")
    first = pipelines.start(session, state)[1]
    study, lookups = on_a_sample(state.study), pipelines.tables(session, state)
    kinds = {name: variable.kind for name, variable in first.variables.items()}
    case = interpret(raw, book_in_use(study), made_later(study), study.source.decimal or ".", kinds)
    aside = False
    for at, step in enumerate(study.ledger):
        try:
            after, _ = take_if_drawn(case, step, at, lookups)
        except StudyError:
            after = case.where(np.zeros(0, np.int64))
        if aside := after.n == 0:
            break
        case = after
    return RecordView(number, aside, tuple(_entries(raw, case)))


def _entries(raw: RawTable, case: Dataset) -> Iterator[RecordEntry]:
    came = {
        name: None if column.state[0] == BLANK else column.words[column.values[0]]
        for name, column in zip(raw.names, raw.columns, strict=True)
    }
    for name, variable in case.variables.items():
        if variable.kind == "multi":
            continue
        column, scale = case.column(name), case.scale_of(name) if variable.kind == "coded" else None
        value, now = float(column.values[0]), int(column.state[0])
        known = (*(scale.codes if scale else ()), *(scale.missing if scale else ()), *variable.missing)
        says = {item.code: item.label for item in known} if now not in (BLANK, UNPLACED) else {}
        (written,) = entries(column, variable.kind)
        yield RecordEntry(name, variable.title, came.get(name), written, says.get(int(value)), now)
