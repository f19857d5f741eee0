"""A study file drafted from a file of answers."""

import json
import os
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from even_ballot.core.draft.draft import draft
from even_ballot.core.draft.line import DraftLine
from even_ballot.core.draft.taking import taken
from even_ballot.core.faults import fault
from even_ballot.core.study.study_file import Source, Study
from even_ballot.services.answers import load_table
from even_ballot.services.releases.folder import write_outputs


@dataclass(frozen=True)
class Drafted:
    """What was drafted: the reading of the file, the lines, and how much there is of it."""

    reading: Source
    lines: tuple[DraftLine, ...]
    study: Study
    records: int
    columns: int


def study_text(study: Study) -> bytes:
    """A study as the bytes of its file, without what is as it is where nothing is said."""
    document: dict[str, Any] = study.model_dump(mode="json", exclude_defaults=True, by_alias=True)
    document = {"even_ballot": study.even_ballot, **document}
    return (json.dumps(document, ensure_ascii=False, indent=1) + "\n").encode()


def draft_file(answers: Path, out: Path, title: str | None = None, replace: bool = False) -> Drafted:
    """Drafts a study on a file of answers and writes it. Raises StudyError where the file cannot be read, or
    where there is a study file already and `replace` does not say to write over it."""
    if out.exists() and not replace:
        raise fault(
            f"{out} is there already.", str(out), "Name another file, or write over it with --replace."
        )
    folder = out.parent if out.parent != Path() else Path(".")
    path = os.path.relpath(answers, folder)
    raw, reading = load_table(answers.parent, Source(path=answers.name), "source")
    decimal = reading.decimal or "."
    lines = draft(raw, decimal)
    codebook, steps = taken(lines, raw, decimal)
    study = Study(
        title=title or answers.stem.replace("_", " ").replace("-", " "),
        source=reading.model_copy(update={"path": path}),
        codebook=codebook,
        ledger=steps,
    )
    write_outputs({out.name: (study_text(study),)}, folder)
    return Drafted(reading, lines, study, len(raw.rows), len(raw.columns))
