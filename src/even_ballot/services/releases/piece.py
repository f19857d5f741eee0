"""One table or analysis by itself, as the release would show it: for the clipboard, or as a file."""

import re
from dataclasses import replace
from typing import Any, Literal

from sqlalchemy.orm import Session

from even_ballot.core.faults import fault, some
from even_ballot.core.models.analysis import AnalysisPart
from even_ballot.core.release.plan import Format, Part, ReleasePlan
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.formats.printed.blocks import Document
from even_ballot.formats.writers.clipping import Clip as Clip  # The API hands it on.
from even_ballot.formats.writers.clipping import clip_of
from even_ballot.services.in_place.exact import as_asked
from even_ballot.services.releases.files import ReleaseFiles
from even_ballot.services.releases.made import in_helper, template_of
from even_ballot.services.states.study_states import Pipelines
from even_ballot.store.studies import StudyState

PieceOf = Literal["tables", "models", "reliability", "correlations", "side_by_side"]
_KEYS = {"tables": "table", "models": "model"}
_ANALYSES = ("models", "reliability", "correlations")
_EMPTY: dict[str, Any] = dict.fromkeys(("tables", *_ANALYSES, "side_by_side"), ())
_NAMES: dict[Format, str] = {"xlsx": "tables.xlsx", "ods": "tables.ods", "csv": "estimates.csv"}


def _release_of_one(plan: ReleasePlan, part: PieceOf, name: str) -> ReleasePlan:
    """The plan of a release of one thing, with the note that it has in the study's own."""
    key = _KEYS.get(part, part)
    own = next((of for of in plan.parts or () if of.named == (part, name)), Part(**{key: name}))
    changes = {"parts": (own,), "contents": False, "numbered": False, "foreword": "", "method": ""}
    return plan.model_copy(update=changes | {"with_it": (), "changes": False, "depends": ()})


def _one(
    session: Session, pipelines: Pipelines, state: StudyState, part: PieceOf, name: str
) -> tuple[Study, Results]:
    """The study and its results as if it were of one table or analysis alone. Figures are those told beside
    everything else: what small cells hide stays hidden."""
    asked = getattr(state.study, part)
    ids = [of.id for of in asked]
    if name not in ids:
        raise fault(f"There is no {name!r} in {part}.", part, f"There: {some(ids) or 'none'}.")
    at = ids.index(name)
    found, used = dict[str, Any](), dict[str, Any]()
    if part == "tables":
        known = pipelines.told(session, state, at)
        notable, found["tables"] = known.notable, (as_asked(known.found, asked[at]),)
        used["tables"], sampled = (asked[at],), known.of_sample
    else:
        of: AnalysisPart = "models" if part == "side_by_side" else part
        requests = getattr(state.study, of)
        wanted = asked[at].models if part == "side_by_side" else (name,)
        places = [k for k, request in enumerate(requests) if request.id in wanted]
        made = [pipelines.analysed(session, state, of, k) for k in places]
        if not made:
            raise fault("There is nothing in it yet.", f"{part}[{at}]", "Choose its models.")
        notable, found[of] = made[0].notable, tuple(of_one.found for of_one in made)
        used |= {of: tuple(requests[k] for k in places), part: (asked[at],)}
        sampled = made[0].of_sample
    if sampled:
        what = "These figures are of a sample of the records."
        raise fault(what, part, "Calculate on all records first.")
    plan = _release_of_one(state.study.release or ReleasePlan(), part, name)
    study = state.study.model_copy(update=_EMPTY | used | {"release": plan})
    results = replace(
        notable, **(dict.fromkeys(("tables", "models", "reliability", "correlations"), ()) | found)
    )
    return study, replace(results, faulty=())


def _files(
    session: Session,
    pipelines: Pipelines,
    state: StudyState,
    part: PieceOf,
    name: str,
    formats: tuple[Format, ...],
) -> ReleaseFiles:
    study, results = _one(session, pipelines, state, part, name)
    files = ReleaseFiles(study, results, formats, template=template_of(session, state))
    files.writer = in_helper
    return files


def clipped(session: Session, pipelines: Pipelines, state: StudyState, part: PieceOf, name: str) -> Clip:
    """One table or analysis for the clipboard: with its lines, and as text."""
    document: Document = _files(session, pipelines, state, part, name, ()).document
    return clip_of(document)


def piece_file(
    session: Session, pipelines: Pipelines, state: StudyState, part: PieceOf, name: str, kind: Format
) -> tuple[str, bytes]:
    """One table or analysis as a file: the end of its name, and what is in it."""
    found = _files(session, pipelines, state, part, name, (kind,))
    made = {**found.documents(), **found.workbooks(), **found.estimates()}
    wanted = _NAMES.get(kind) or next((of for of in made if of.startswith("release.")), None)
    file = wanted or next(iter(made), None)
    if file is None or file not in made:
        raise fault(f"There is no {kind} of it.", part, "Choose another format.")
    # Identifiers may hold what no header and no file name does.
    plain = re.sub(r"[^A-Za-z0-9_-]+", "_", name)[:60]
    return f"{plain}.{file.rpartition('.')[2]}", b"".join(made[file])
