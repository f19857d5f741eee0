"""Studies: made, changed, undone, copied, deleted with a way back, in and out as files."""

import io
import json
import zipfile
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

from sqlalchemy.orm import Session

from even_ballot.core.draft.line import DraftLine
from even_ballot.core.faults import fault, some
from even_ballot.core.study.study_file import Source, Study, parse_study
from even_ballot.formats.exchange.bundle import safe_name
from even_ballot.services.running import read_document
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.states.writing import write
from even_ballot.services.stations.intake import bring_in, preview, taken_lines
from even_ballot.services.stations.views import StudyCard, StudyView
from even_ballot.services.studies.progress import progress_of
from even_ballot.services.workers.helper_processes import HELPERS
from even_ballot.store.files import file_bytes, file_ids, find_file
from even_ballot.store.models import now
from even_ballot.store.retention import purge as purge_study
from even_ballot.store.retention import retention, set_retention
from even_ballot.store.studies import (
    Files,
    all_studies,
    create_study,
    dump_study,
    find_study,
    neighbours,
    read_study,
    source_sizes,
)


def _time(moment: datetime) -> str:
    return moment.isoformat(timespec="seconds") + "Z"


def list_studies(session: Session, deleted: bool = False) -> list[StudyCard]:
    """All studies, latest change first."""
    sizes, kept = source_sizes(session), retention(session)
    return [
        StudyCard(
            r.id,
            r.title,
            *sizes.get(r.id, ("", 0)),
            _time(r.changed),
            _time(r.deleted) if r.deleted else None,
            _time(until) if r.deleted and (until := kept.until(r.deleted)) else None,
        )
        for r in all_studies(session, deleted)
    ]


def kept_for(session: Session) -> int | None:
    """How many days deleted studies are kept; None: until somebody deletes them permanently."""
    return retention(session).days


def keep_for(session: Session, days: int | None) -> int | None:
    """Sets it; days count from now for what has been deleted already."""
    return set_retention(session, days).days


def begin(
    session: Session, pipelines: Pipelines, title: str, file_id: str, lines: Sequence[DraftLine] = ()
) -> str:
    """A new study on a kept file; every column arrives. lines: of a draft that are taken."""
    file = find_file(session, file_id)
    reading = Source.model_validate_json(file.reading)
    codebook, steps = taken_lines(session, pipelines, file_id, lines)
    title = title.strip() or "Untitled study"
    study = Study(source=reading, title=title, codebook=codebook, ledger=steps)
    files = Files(file_id, {}, sampled=file.in_place is not None)
    did = f"Drew a sample of {file.name}" if files.sampled else f"Imported {file.name}"
    return create_study(session, study, files, did).id


def view(session: Session, pipelines: Pipelines, study_id: str) -> StudyView:
    """A study as it stands."""
    state = read_study(session, study_id)
    undo, redo = neighbours(session, state.record)
    progress = progress_of(session, pipelines, state)
    return StudyView(
        id=state.record.id,
        title=state.study.title,
        edition=state.record.edition,
        document=state.study,
        source=preview(session, pipelines, state.files.source),
        lookups={name: preview(session, pipelines, file_id) for name, file_id in state.files.lookups.items()},
        tally=progress.tally,
        stations=progress.stations,
        undo=undo,
        redo=redo,
        faults=progress.faults,
        changed=_time(state.record.changed),
    )


def set_lookup(
    session: Session, pipelines: Pipelines, study_id: str, edition: int, name: str, file_id: str
) -> None:
    """Gives a study a lookup file under a name."""
    state = read_study(session, study_id)
    file = find_file(session, file_id)
    reading = Source.model_validate_json(file.reading)
    study = state.study.model_copy(update={"lookups": {**state.study.lookups, name: reading}})
    files = replace(state.files, lookups={**state.files.lookups, name: file_id})
    after = parse_study(json.loads(dump_study(study)))
    write(session, pipelines, state, edition, after, files, f"Imported {file.name} to look up")


def copy(session: Session, study_id: str) -> str:
    """A copy that goes its own way."""
    state = read_study(session, study_id)
    study = state.study.model_copy(update={"title": f"{state.study.title} (copy)"})
    return create_study(session, study, state.files, f"Copied from {state.study.title}").id


def delete(session: Session, study_id: str) -> None:
    """Takes a study out of the list; `restore` brings it back."""
    find_study(session, study_id, lock=True).deleted = now()


def restore(session: Session, study_id: str) -> None:
    """Brings a deleted study back."""
    find_study(session, study_id, lock=True).deleted = None


def purge(session: Session, pipelines: Pipelines, study_id: str) -> None:
    """Removes a deleted study for good, from memory too."""
    purge_study(session, study_id)
    pipelines.forget(file_ids(session))


def export(session: Session, study_id: str) -> bytes:
    """The study file and every file it reads, as a ZIP that the command line runs once unpacked; records that
    stay in their folder stay there."""
    state = read_study(session, study_id)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:

        def put(name: str, content: bytes) -> None:
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), content, zipfile.ZIP_DEFLATED)

        study = state.study
        names = _own_names([study.source.path, *(source.path for source in study.lookups.values())])
        lookups = dict(zip(study.lookups, names[1:], strict=True))
        path = study.source.path if state.files.sampled else names[0]
        study = study.model_copy(
            update={
                "source": study.source.model_copy(update={"path": path}),
                "lookups": {k: s.model_copy(update={"path": lookups[k]}) for k, s in study.lookups.items()},
            }
        )
        put("study.json", document(study))
        if not state.files.sampled:
            put(names[0], file_bytes(session, state.files.source))
        for name, path in lookups.items():
            put(path, file_bytes(session, state.files.lookups[name]))
    return out.getvalue()


def _own_names(paths: list[str]) -> list[str]:
    """Safe names of some files in one archive, no two alike."""
    taken, names = {"study.json"}, []
    for path in paths:
        safe = name = safe_name(path)
        k = 2
        while name in taken:
            name, k = f"{k}-{safe}", k + 1
        taken.add(name)
        names.append(name)
    return names


def document(study: Study) -> bytes:
    """A study file as people read it."""
    return (json.dumps(json.loads(dump_study(study)), ensure_ascii=False, indent=1) + "\n").encode()


def take_in(session: Session, pipelines: Pipelines, name: str, content: bytes) -> str:
    """A study from a ZIP of its study file and the files it reads."""
    items: dict[str, bytes] = HELPERS.run("unpack", content, name, size=len(content))
    if "study.json" not in items:
        raise fault("The ZIP contains no study.json.", name, f"It contains: {some(list(items))}.")
    study = parse_study(read_document(items["study.json"], "study.json"))

    def take(source: Source, where: str) -> str:
        if source.path not in items:
            raise fault(f"The ZIP contains no {source.path}.", where, f"It contains: {some(list(items))}.")
        return bring_in(session, pipelines, safe_name(source.path), items[source.path], source).id

    files = Files(
        take(study.source, "source.path"), {k: take(s, f"lookups.{k}.path") for k, s in study.lookups.items()}
    )
    study = study.model_copy(
        update={
            "source": study.source.model_copy(update={"path": safe_name(study.source.path)}),
            "lookups": {
                k: s.model_copy(update={"path": safe_name(s.path)}) for k, s in study.lookups.items()
            },
        }
    )
    return create_study(session, study, files, f"Took in {name}").id


def lay_document(session: Session, pipelines: Pipelines, study_id: str, edition: int, content: bytes) -> None:
    """A study file laid on a study's own data: everything but its sources."""
    state = read_study(session, study_id)
    study = parse_study(read_document(content, "study file"))
    if lacking := [name for name in study.lookups if name not in state.files.lookups]:
        raise fault(
            f"The study file reads {some(lacking)}, which this study does not have.",
            "lookups",
            "Import these files first.",
        )
    kept = json.loads(dump_study(state.study))
    laid = json.loads(dump_study(study)) | {"source": kept["source"], "lookups": kept.get("lookups", {})}
    write(session, pipelines, state, edition, parse_study(laid), state.files, "Applied a study file")
