"""Changes to a study: checked, described, undone and done again."""

import json
from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session

from even_ballot.core.data.codebook import keeping_wordings
from even_ballot.core.faults import fault, some
from even_ballot.core.release.gone import without_gone
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.states.writing import write
from even_ballot.store.studies import (
    StudyState,
    dump_study,
    move_study,
    read_study,
)

_PARTS = (
    "title",
    "codebook",
    "screening",
    "ledger",
    "weightings",
    "design",
    "tables",
    "models",
    "reliability",
    "correlations",
    "side_by_side",
    "marks",
    "where",
    "usual_banner",
    "recipes",
    "usual_recipe",
    "suppression",
    "release",
    "alternatives",
)


_WORDS = {
    "codebook": "the codebook",
    "screening": "the screening",
    "weightings": "the weighting",
    "design": "the design",
    "tables": "the tables",
    "models": "the models",
    "reliability": "the scales of items",
    "correlations": "the correlations",
    "side_by_side": "the models side by side",
    "marks": "the rules for unreliable figures",
    "where": "the filter of all tables",
    "usual_banner": "the usual banner",
    "recipes": "the recipes",
    "usual_recipe": "the usual recipe",
    "suppression": "disclosure control",
    "release": "the release",
    "title": "the title",
    "alternatives": "the alternatives",
}


def change(
    session: Session, pipelines: Pipelines, study_id: str, edition: int, parts: dict[str, Any]
) -> None:
    """Lays new parts over a study: any of title, codebook, ledger, weightings, design, tables. The whole
    is checked and worked out first."""
    state = read_study(session, study_id)
    if strange := [name for name in parts if name not in _PARTS]:
        raise fault(f"A study has no part {some(strange)}.", "", f"Parts: {some(_PARTS)}.")
    document = json.loads(dump_study(state.study)) | parts
    if "release" not in parts:
        document = without_gone(document)
    study = _keeping_wordings(state.study, parse_study(document))
    _check_moved(session, pipelines, state, study)
    write(session, pipelines, state, edition, study, state.files, _said(state.study, study))


def _keeping_wordings(before: Study, after: Study) -> Study:
    """A relabelled scale goes on reading the answers that it read."""
    scales = {
        name: keeping_wordings(before.codebook.scales[name], scale)
        if name in before.codebook.scales
        else scale
        for name, scale in after.codebook.scales.items()
    }
    if scales == after.codebook.scales:
        return after
    return after.model_copy(update={"codebook": after.codebook.model_copy(update={"scales": scales})})


def _check_moved(session: Session, pipelines: Pipelines, state: StudyState, after: Study) -> None:
    """Entries of the ledger may change places only where every one can still be taken."""
    before = state.study
    same = len(before.ledger) == len(after.ledger) and all(step in before.ledger for step in after.ledger)
    if before.ledger == after.ledger or not same or pipelines.ledgered(session, state)[1].fault is not None:
        return
    moved = pipelines.ledgered(session, replace(state, study=after))[1]
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
            return "Deleted an entry of the ledger"
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
    changed = [
        _WORDS[part] for part in _PARTS if part != "ledger" and getattr(before, part) != getattr(after, part)
    ]
    return f"Changed {' and '.join(changed)}" if changed else "Saved without a change"


def move(session: Session, study_id: str, edition: int | None, by: int) -> None:
    """Undo (−1) or redo (1)."""
    move_study(session, study_id, edition, by)
