"""The codebook out as a file, and a file laid on a study: only what it says differently is changed."""

import json
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy.orm import Session

from even_ballot.core.data.codebook import Codebook, Level, Variable, keeping_wordings
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import Fault, StudyError, fault, some
from even_ballot.core.ledger.scale_fit import fit
from even_ballot.core.study.study_file import parse_study
from even_ballot.formats.exchange.codebooks import codebook_csv, codebook_schema
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.states.writing import write
from even_ballot.services.workers.helper_processes import HELPERS
from even_ballot.store.studies import StudyState, dump_study, read_study

_SAID = ("label", "note", "unit", "role", "level")


@dataclass(frozen=True)
class CodebookChanges:
    """What a codebook file changes: in sentences, with the variables it names that the study does not
    have."""

    says: tuple[str, ...]
    unknown: tuple[str, ...]


def out(session: Session, pipelines: Pipelines, state: StudyState, kind: Literal["csv", "json"]) -> str:
    """The codebook as it stands after the ledger."""
    data = pipelines.ledgered(session, state)[1].last
    write = codebook_csv if kind == "csv" else codebook_schema
    return write(data.variables.values(), {**state.study.codebook.scales, **data.scales})


def _differs(said: Variable, now: Variable, level: Level | None) -> dict[str, Any]:
    """What a file says of a variable and the study does not say yet; what the file leaves out stays.
    level: as it stands."""
    over = {key: getattr(said, key) for key in _SAID if getattr(said, key) not in (None, getattr(now, key))}
    if over.get("level") == level:
        over.pop("level", None)
    if over.get("label") == now.title:
        del over["label"]
    if said.missing and said.missing != now.missing:
        over["missing"] = [code.model_dump() for code in said.missing]
    return over


class _Laying:
    """The document that a codebook file makes of a study's."""

    def __init__(self, state: StudyState, data: Dataset, start: Dataset, book: Codebook) -> None:
        self.state, self.data, self.start, self.book = state, data, start, book
        self.document = json.loads(dump_study(state.study))
        self.codebook = self.document.setdefault("codebook", {})
        self.entries: list[dict[str, Any]] = self.codebook.setdefault("variables", [])
        self.scales: dict[str, Any] = self.codebook.setdefault("scales", {})
        self.says: list[str] = []
        self.faults: list[Fault] = []
        self.coded: dict[str, list[str]] = {}

    def lay(self) -> None:
        for said in self.book.variables:
            if said.name in self.data.variables:
                self._variable(said)
            elif said.kind == "multi" and all(part in self.data.variables for part in said.parts):
                self.entries.append(said.model_dump(exclude_unset=True))
                self.says.append(f"{said.name}: a several-answer question of {len(said.parts)} parts")
        for scale, names in self.coded.items():
            self.document.setdefault("ledger", []).append({"do": "code", "variables": names, "scale": scale})
            self.says.append(f"The answers of {some(names)} are coded by the scale {scale}")

    def _variable(self, said: Variable) -> None:
        now = self.data.variable(said.name)
        over = _differs(said, now, now.level_on(self.data.scale_of(said.name)))
        if over:
            entry = next((e for e in self.entries if e["name"] == said.name), None)
            if entry is None:
                # Of what the ledger makes, the codebook says no more than its kind: the scale is the
                # ledger's.
                arrived = self.start.variables.get(said.name)
                parts = {"parts", "options"} if now.kind == "multi" else set()
                entry = (
                    now.model_dump(include={"name", "kind", *parts})
                    if arrived is None
                    else arrived.model_dump(exclude_unset=True, exclude={"label"})
                )
                self.entries.append(entry)
            entry |= over
            self.says.append(
                f"{said.name}: {', '.join('question' if key == 'label' else key for key in over)}"
            )
        if said.scale is not None:
            self._scale(said, now)

    def _scale(self, said: Variable, now: Variable) -> None:
        assert said.scale is not None
        scale = self.book.scales[said.scale]
        known = self.state.study.codebook.scales.get(said.scale)
        for before in (known, self.data.scale_of(said.name)):
            if before is not None and [c.code for c in before.codes] == [c.code for c in scale.codes]:
                scale = keeping_wordings(before, scale)
        if self.data.scale_of(said.name) == scale:
            return
        if now.scale == said.scale and known is not None:
            if [c.code for c in known.codes] != [c.code for c in scale.codes]:
                what = f"The scale {said.scale} of {said.name} has other codes in the file."
                self.faults.append(
                    Fault(what, said.name, "Recode the question first, or give the scale another name.")
                )
            elif known != scale and json.loads(scale.model_dump_json()) != self.scales[said.scale]:
                self.scales[said.scale] = json.loads(scale.model_dump_json(exclude_unset=True))
                self.says.append(f"Scale {said.scale}: labels, order or codes that mean no answer")
            return
        found = fit(self.data, said.name, scale)
        if found.verdict in ("other codes", "other direction", "other kind"):
            self.faults.append(
                Fault(f"The scale {said.scale} does not fit {said.name}. {found.says}", said.name)
            )
            return
        if known is not None and known != scale:
            self.faults.append(
                Fault(
                    f"The study has a scale {said.scale} already, with other codes or labels.",
                    said.name,
                    "Give it another name.",
                )
            )
            return
        if known is None:
            self.scales[said.scale] = json.loads(scale.model_dump_json(exclude_unset=True))
        if found.verdict != "already":
            self.coded.setdefault(said.scale, []).append(said.name)


def lay(
    session: Session, pipelines: Pipelines, study_id: str, edition: int, name: str, content: bytes
) -> CodebookChanges:
    """Lays a codebook file on a study: questions, notes, roles, missing codes; scales by an entry of the
    ledger."""
    state = read_study(session, study_id)
    book = HELPERS.run("codebook", content, name, size=len(content))
    ledgered = pipelines.ledgered(session, state)[1]
    data = ledgered.last
    laying = _Laying(state, data, ledgered.start, book)
    laying.lay()
    if laying.faults:
        raise StudyError(laying.faults)
    unknown = tuple(v.name for v in book.variables if v.name not in data.variables and v.kind != "multi")
    if len(unknown) == len(book.variables):
        raise fault("The file names no variable of this study.", name, f"It names: {some(unknown)}.")
    if laying.says:
        study = parse_study(laying.document)
        did = f"Applied the codebook file {name}"
        write(session, pipelines, state, edition, study, state.files, did)
    return CodebookChanges(tuple(laying.says), unknown)
