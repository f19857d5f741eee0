"""Studies: made, changed, undone, copied, deleted with a way back, in and out as files."""

import io
import json
import zipfile
from dataclasses import replace
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from even_ballot.core.data.codebook import Codebook, Kind, Variable
from even_ballot.core.faults import Fault, StudyError, counted, fault, some
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.study.study_file import Source, Study, parse_study
from even_ballot.core.weighting.report import WeightingReport
from even_ballot.formats.exchange.bundle import safe_name
from even_ballot.services.running import read_document
from even_ballot.services.states.bench import Bench
from even_ballot.services.stations.intake import bring_in, preview
from even_ballot.services.stations.views import Station, StudyCard, StudyCounts, StudyView
from even_ballot.services.workers.apart import HELPERS
from even_ballot.store.files import file_bytes, find_file
from even_ballot.store.models import now
from even_ballot.store.studies import (
    Files,
    StudyState,
    all_studies,
    create_study,
    dump_study,
    find_study,
    move_study,
    neighbours,
    read_study,
    source_sizes,
    write_study,
)

_PARTS = (
    "title",
    "codebook",
    "screening",
    "ledger",
    "weightings",
    "design",
    "tables",
    "marks",
    "where",
    "usual_banner",
    "suppression",
)


def _time(moment: datetime) -> str:
    return moment.isoformat(timespec="seconds") + "Z"


def list_studies(session: Session, deleted: bool = False) -> list[StudyCard]:
    """All studies, latest change first."""
    sizes = source_sizes(session)
    return [
        StudyCard(r.id, r.title, *sizes.get(r.id, ("", 0)), _time(r.changed))
        for r in all_studies(session, deleted)
    ]


def begin(session: Session, title: str, file_id: str, kinds: dict[str, Kind] | None = None) -> str:
    """A new study on a kept file; every column arrives. kinds: those that were said other than guessed."""
    file = find_file(session, file_id)
    reading = Source.model_validate_json(file.reading)
    said = tuple(Variable(name=name, kind=kind) for name, kind in (kinds or {}).items())
    study = Study(source=reading, title=title.strip() or "Untitled study", codebook=Codebook(variables=said))
    return create_study(session, study, Files(file_id, {}), f"Brought in {file.name}").id


def view(session: Session, bench: Bench, study_id: str) -> StudyView:
    """A study as it stands."""
    state = read_study(session, study_id)
    undo, redo = neighbours(session, state.record)
    progress = _Progress(session, bench, state)
    return StudyView(
        id=state.record.id,
        title=state.study.title,
        edition=state.record.edition,
        document=state.study,
        source=preview(session, bench, state.files.source),
        lookups={name: preview(session, bench, file_id) for name, file_id in state.files.lookups.items()},
        tally=progress.tally,
        stations=progress.stations,
        undo=undo,
        redo=redo,
        faults=progress.faults,
        changed=_time(state.record.changed),
    )


class _Progress:
    """How far a study gets, station by station, and what stops it."""

    def __init__(self, session: Session, bench: Bench, state: StudyState) -> None:
        self._session, self._bench, self._state = session, bench, state
        self._faults: list[Fault] = []
        self._file = find_file(session, state.files.source)
        self._in_use = self._file.records
        self._weights: Floats | None = None
        self._weight = state.study.design.weight
        self.stations = (
            Station("intake", "ok", counted(self._file.records, "case")),
            *self._prepared(),
            self._weighted(),
            *self._tabled(),
        )
        self.faults = tuple(self._faults)

    @property
    def tally(self) -> StudyCounts:
        """Where it stands, in numbers."""
        received, w = self._file.records, self._weights
        to = None if w is None else float(w.sum())
        effective = None if w is None or to is None else to**2 / float(w @ w)
        aside = received - self._in_use
        return StudyCounts(
            received, self._file.blank_records, aside, self._in_use, effective, to, self._weight
        )

    def _prepared(self) -> tuple[Station, Station]:
        """Codebook and screening."""
        try:
            ledgered = self._bench.ledgered(self._session, self._state)[1]
            self._in_use = ledgered.last.n
            variables = ledgered.last.variables
            coded = sum(v.kind == "coded" for v in variables.values())
            says = f"{counted(len(variables), 'variable')}, {coded} coded"
            codebook = Station("codebook", "ok" if coded else "empty", says)
            found = [f for f in self._bench.findings(self._session, self._state) if f.accepted is None]
        except StudyError as error:
            self._faults += error.faults
            return Station("codebook", "attention", "does not fit the data"), Station(
                "screening", "waiting", "waits"
            )
        says = counted(len(found), "finding") if found else "nothing found"
        if ledgered.fault is not None:
            self._faults += ledgered.fault.faults
            says = f"step {len(ledgered.states) + 1} stops"
        return codebook, Station("screening", "attention" if found or ledgered.fault else "ok", says)

    def _weighted(self) -> Station:
        """Weights, then the design they are used in."""
        if self._faults:
            return _weighting_station((), True)
        try:
            reports = self._bench.weighted(self._session, self._state)[1].reports
        except StudyError as error:
            self._faults += error.faults
            return Station("weighting", "attention", "targets do not fit")
        if reports:
            self._weight = reports[-1].save_as
        try:
            weight = self._bench.designed(self._session, self._state)[1].weight
        except StudyError as error:
            self._faults += error.faults
            return Station("weighting", "attention", "the design does not fit")
        self._weights = weight[weight > 0]
        return _weighting_station(reports, False)

    def _tabled(self) -> tuple[Station, Station]:
        """Tables and release."""
        tables = len(self._state.study.tables)
        if self._faults:
            return Station("tables", "waiting", "waits"), Station("release", "waiting", "waits")
        if not tables:
            return Station("tables", "empty", "none yet"), Station("release", "waiting", "waits")
        return Station("tables", "ok", counted(tables, "table")), Station("release", "ok", "ready")


def _weighting_station(reports: tuple[WeightingReport, ...], stopped: bool) -> Station:
    if stopped:
        return Station("weighting", "waiting", "waits")
    if not reports:
        return Station("weighting", "empty", "no weights yet")
    if all(report.converged for report in reports):
        return Station("weighting", "ok", "margins met")
    return Station("weighting", "attention", "margins not met")


def change(session: Session, bench: Bench, study_id: str, edition: int, parts: dict[str, Any]) -> None:
    """Lays new parts over a study: any of title, codebook, ledger, weightings, design, tables. The whole
    is checked first."""
    state = read_study(session, study_id)
    if strange := [name for name in parts if name not in _PARTS]:
        raise fault(f"A study has no part {some(strange)}.", "", f"Parts there are: {some(_PARTS)}.")
    document = json.loads(dump_study(state.study)) | parts
    study = parse_study(document)
    _check_moved(session, bench, state, study)
    write_study(session, study_id, edition, study, state.files, _said(state.study, study))


def _check_moved(session: Session, bench: Bench, state: StudyState, after: Study) -> None:
    """Entries of the ledger may change places only where every one can still be taken."""
    before = state.study
    same = len(before.ledger) == len(after.ledger) and all(step in before.ledger for step in after.ledger)
    if before.ledger == after.ledger or not same or bench.ledgered(session, state)[1].fault is not None:
        return
    moved = bench.ledgered(session, replace(state, study=after))[1]
    if moved.fault is not None:
        first = moved.fault.faults[0]
        sentence = after.ledger[len(moved.states)].sentence()
        raise fault(
            f"Entries cannot change places like this: “{sentence}” would stop. {first.said}",
            first.where,
            "Move it the other way.",
        )


def _said(before: Study, after: Study) -> str:
    """What a change did, in a few words."""
    if len(after.ledger) > len(before.ledger):
        added = [step for step in after.ledger if step not in before.ledger] or [after.ledger[-1]]
        return added[-1].sentence()
    if after.ledger != before.ledger:
        if len(after.ledger) < len(before.ledger):
            return "Removed an entry of the ledger"
        switched = [(b, a) for b, a in zip(before.ledger, after.ledger, strict=True) if b.off != a.off]
        if (
            len(switched) == 1
            and switched[0][0].model_copy(update={"off": switched[0][1].off}) == switched[0][1]
        ):
            return f"Switched {'off' if switched[0][1].off else 'on'}: {switched[0][1].sentence()}"
        return (
            "Moved an entry of the ledger"
            if sorted(map(repr, after.ledger)) == sorted(map(repr, before.ledger))
            else "Changed the ledger"
        )
    words = {
        "codebook": "the codebook",
        "screening": "the screening",
        "weightings": "the weighting",
        "design": "the design",
        "tables": "the tables",
        "marks": "the marks for weak figures",
        "where": "the filter of all tables",
        "usual_banner": "the usual banner",
        "suppression": "what is hidden",
        "title": "the title",
    }
    changed = [
        words[part] for part in _PARTS if part != "ledger" and getattr(before, part) != getattr(after, part)
    ]
    return f"Changed {' and '.join(changed)}" if changed else "Saved without a change"


def move(session: Session, study_id: str, edition: int, by: int) -> None:
    """Undo (−1) or redo (1)."""
    move_study(session, study_id, edition, by)


def set_lookup(session: Session, study_id: str, edition: int, name: str, file_id: str) -> None:
    """Gives a study a lookup file under a name."""
    state = read_study(session, study_id)
    file = find_file(session, file_id)
    reading = Source.model_validate_json(file.reading)
    study = state.study.model_copy(update={"lookups": {**state.study.lookups, name: reading}})
    files = replace(state.files, lookups={**state.files.lookups, name: file_id})
    write_study(
        session,
        study_id,
        edition,
        parse_study(json.loads(dump_study(study))),
        files,
        f"Brought in {file.name} to look up",
    )


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


def export(session: Session, study_id: str) -> bytes:
    """The study file and every file it reads, as a ZIP that the command line runs once unpacked."""
    state = read_study(session, study_id)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:

        def put(name: str, content: bytes) -> None:
            archive.writestr(zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0)), content, zipfile.ZIP_DEFLATED)

        study = state.study
        names = _own_names([study.source.path, *(source.path for source in study.lookups.values())])
        lookups = dict(zip(study.lookups, names[1:], strict=True))
        study = study.model_copy(
            update={
                "source": study.source.model_copy(update={"path": names[0]}),
                "lookups": {k: s.model_copy(update={"path": lookups[k]}) for k, s in study.lookups.items()},
            }
        )
        put("study.json", document(study))
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


def take_in(session: Session, bench: Bench, name: str, content: bytes) -> str:
    """A study from a ZIP of its study file and the files it reads."""
    items: dict[str, bytes] = HELPERS.run("unpack", content, name, size=len(content))
    if "study.json" not in items:
        raise fault("The ZIP holds no study.json.", name, f"It holds: {some(list(items))}.")
    study = parse_study(read_document(items["study.json"], "study.json"))

    def take(source: Source, where: str) -> str:
        if source.path not in items:
            raise fault(f"The ZIP holds no {source.path}.", where, f"It holds: {some(list(items))}.")
        return bring_in(session, bench, safe_name(source.path), items[source.path], source).id

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


def lay_document(session: Session, study_id: str, edition: int, content: bytes) -> None:
    """A study file laid on a study's own data: everything but its sources."""
    state = read_study(session, study_id)
    study = parse_study(read_document(content, "study file"))
    if lacking := [name for name in study.lookups if name not in state.files.lookups]:
        raise fault(
            f"The study file reads {some(lacking)}, which this study does not have.",
            "lookups",
            "Bring these files in first.",
        )
    kept = json.loads(dump_study(state.study))
    laid = json.loads(dump_study(study)) | {"source": kept["source"], "lookups": kept.get("lookups", {})}
    write_study(session, study_id, edition, parse_study(laid), state.files, "Laid a study file on the data")
