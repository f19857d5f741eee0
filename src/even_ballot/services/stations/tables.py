"""Tables of a study, each with its layout and note, and what is released."""

import json
from collections.abc import Collection, Iterator, Sequence
from dataclasses import replace
from typing import Literal

from sqlalchemy.orm import Session

from even_ballot.core.data.batteries import item_of, stem_of
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.disclosure.tables import control_of
from even_ballot.core.estimation.comparisons import ColumnComparison
from even_ballot.core.faults import Fault, StudyError, counted, fault, some
from even_ballot.core.models.analysis import ANALYSES, AnalysisPart
from even_ballot.core.models.joint import Joint, joint
from even_ballot.core.models.model_request import (
    Analysis,
    CorrelationsRequest,
    ModelRequest,
    ReliabilityRequest,
)
from even_ballot.core.models.results import CorrelationsResult, ModelResult, ReliabilityResult
from even_ballot.core.models.side_by_side import ModelsBeside, side_by_side
from even_ballot.core.progress import Stopped
from even_ballot.core.release.gone import without_gone
from even_ballot.core.sampling.planning import plans
from even_ballot.core.study.study_file import parse_study
from even_ballot.core.tables.design_effect import design_effect
from even_ballot.core.tables.display import displayed
from even_ballot.core.tables.recipe import by_itself
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.analyses.in_words import analysis_in_words
from even_ballot.formats.exchange.plans import plan_csv, plan_json
from even_ballot.formats.tables.grid import lay_out
from even_ballot.formats.tables.methods import methods_note
from even_ballot.formats.tables.reading_in_words import in_words
from even_ballot.services.in_place.exact import as_asked
from even_ballot.services.releases.files import ReleaseFiles
from even_ballot.services.releases.hashes import kept_hashes
from even_ballot.services.states.study_states import Pipelines
from even_ballot.services.states.writing import write
from even_ballot.services.stations.views import (
    AnalysisView,
    DisclosureView,
    Planned,
    PlanOf,
    TableView,
    WithheldView,
)
from even_ballot.services.workers.helper_processes import HELPERS
from even_ballot.services.workers.ongoing_work import Superseded
from even_ballot.store.studies import StudyState, dump_study, read_study

_STOPPED = Fault("Counting this table was stopped.", "", "Count it again when there is time.")
_SUPERSEDED = Fault(
    "The study was changed while this table was being counted.", "", "Count it again, as the study is now."
)


def _nominal(data: Dataset, name: str) -> bool:
    return data.variables[name].level_on(data.scale_of(name)) == "nominal"


def table(session: Session, pipelines: Pipelines, state: StudyState, table_id: str) -> TableView:
    """A table, or what is wrong with it; the others are not touched by its faults."""
    ids = [request.id for request in state.study.tables]
    if table_id not in ids:
        raise fault(f"There is no table {table_id!r}.", "tables", f"Tables: {some(ids) or 'none'}.")
    at = ids.index(table_id)
    request = state.study.tables[at]
    try:
        known = pipelines.told(session, state, at)
        told, notable = known.found, known.notable
        words = in_words(told, request, [v for v in request.stub if _nominal(notable.data, v)])
        note = methods_note(state.study, notable, (request,))
    except StudyError as error:
        return TableView(table_id, None, None, (), error.faults, of_sample=state.files.sampled)
    except Superseded:
        return TableView(table_id, None, None, (), (_SUPERSEDED,))
    except Stopped:
        return TableView(table_id, None, None, (), (_STOPPED,))
    compared = tuple(test for test in told.tests if isinstance(test, ColumnComparison))
    result = as_asked(told, request)
    grid = lay_out(result, request, state.study.marks, state.study.suppression)
    shown = displayed(result, request.display, request.items_down)
    return TableView(
        table_id, shown, grid, tuple(note), (), words, compared, known.of_sample, notable.source_cases
    )


def analysis(
    session: Session, pipelines: Pipelines, state: StudyState, part: AnalysisPart, analysis_id: str
) -> AnalysisView:
    """A model, a scale of items or correlations, or what is wrong with it."""
    requests: tuple[Analysis, ...] = getattr(state.study, part)
    ids = [request.id for request in requests]
    if analysis_id not in ids:
        there = f"Analyses: {some(ids) or 'none'}."
        raise fault(f"There is no analysis {analysis_id!r}.", part, there)
    at = ids.index(analysis_id)
    nothing = AnalysisView(analysis_id, None, None, None, {}, (), (), (), state.files.sampled)
    try:
        known = pipelines.analysed(session, state, part, at)
        found, notable = known.found, known.notable
    except StudyError as error:
        return replace(nothing, faults=error.faults)
    except Superseded:
        return replace(nothing, faults=(_SUPERSEDED,))
    except Stopped:
        return replace(nothing, faults=(_STOPPED,))
    of = notable.data.variables
    titles = {name: of[name].title for name in _named(requests[at]) if name in of}
    if part == "reliability":
        # Items of a battery by what tells them apart.
        stem = stem_of(list(titles.values()))
        titles = {name: item_of(title, stem) for name, title in titles.items()}
    return replace(
        nothing,
        model=found if isinstance(found, ModelResult) else None,
        reliability=found if isinstance(found, ReliabilityResult) else None,
        correlations=found if isinstance(found, CorrelationsResult) else None,
        titles=titles,
        words=analysis_in_words(found),
        note=tuple(methods_note(state.study, notable, ())),
        of_sample=known.of_sample,
        received=notable.source_cases,
    )


def planned(
    session: Session, pipelines: Pipelines, state: StudyState, table_id: str, asked: PlanOf
) -> Planned:
    """A figure's design effect taken apart, and ways to draw a sample that would show what is wanted."""
    ids = [request.id for request in state.study.tables]
    if table_id not in ids:
        raise fault(f"There is no table {table_id!r}.", "tables")
    if state.files.sampled:
        what = "Design effects are not broken down where records stay in their folder."
        raise fault(what, f"tables[{ids.index(table_id)}]", "Show the design effect in the table.")
    at, column = ids.index(table_id), {key.variable: key.code for key in asked.banner}
    shown = pipelines.table(session, state, at).cells
    if not any((of.stub, of.banner, of.stat) == (asked.stub, asked.banner, asked.stat) for of in shown):
        raise fault("The table shows no such figure.", f"tables[{at}]", "Choose one that it shows.")
    shared = pipelines.pipeline(session, state).shared.value
    known = {name: code for name, code in column.items() if code is not None}
    if len(known) < len(column):
        raise fault("A net of columns cannot be broken down.", f"tables[{at}]", "Choose a single column.")
    request = state.study.tables[at]
    parts = design_effect(shared, request, asked.stub, asked.stat, known, f"tables[{at}]")
    wanted = asked.wanted
    some_wanted = wanted is not None and (wanted.half_width or wanted.difference)
    return Planned(parts, tuple(plans(parts, wanted)) if wanted is not None and some_wanted else ())


def beside(session: Session, pipelines: Pipelines, state: StudyState, beside_id: str) -> ModelsBeside:
    """Models of the plan side by side; one that is at fault says so in its column."""
    asked = next((of for of in state.study.side_by_side if of.id == beside_id), None)
    if asked is None:
        raise fault(f"There is no model comparison {beside_id!r}.", "side_by_side")
    ids = [request.id for request in state.study.models]
    # Models of a sample and of all records do not stand side by side.
    sampled = state.files.sampled and pipelines.exact.lacking(state.study, state.files) > 0
    found = []
    for name in asked.models:
        request = state.study.models[ids.index(name)]
        try:
            at = ids.index(name)
            of = (
                pipelines.analysis(session, state, "models", at)
                if sampled
                else pipelines.analysed(session, state, "models", at).found
            )
            assert isinstance(of, ModelResult)
        except StudyError as error:
            of = ModelResult(name, request.kind, request.name, 0, message=str(error.faults[0]))
        found.append(of)
    return side_by_side(found)


def pair(
    session: Session, pipelines: Pipelines, state: StudyState, analysis_id: str, across: str, down: str
) -> Joint | None:
    """Two variables of some correlations held against each other; None where small groups are hidden."""
    if state.study.suppression.below is not None:
        return None
    at = next((i for i, of in enumerate(state.study.correlations) if of.id == analysis_id), None)
    if at is None:
        raise fault(f"There are no correlations {analysis_id!r}.", "correlations")
    shared, where = pipelines.pipeline(session, state).shared.value, f"correlations[{at}]"
    domain = shared.domain(state.study.correlations[at].where, f"{where}.where")
    return joint(shared.sample, across, down, domain.inside, f"{where}.variables")


def _named(request: Analysis) -> tuple[str, ...]:
    """The variables that an analysis names."""
    match request:
        case ModelRequest():
            return (request.outcome, *request.variables)
        case ReliabilityRequest():
            return request.items
        case CorrelationsRequest():
            return request.variables
    return ()


def disclosure(session: Session, pipelines: Pipelines, state: StudyState) -> DisclosureView | None:
    """What disclosure control hides of the tables; None where there is none."""
    if state.study.suppression.below is None:
        return None
    pattern = pipelines.pipeline(session, state).pattern.value
    hidden = pattern.hidden
    return DisclosureView(
        control_of(state.study.suppression, pattern),
        round(hidden.seconds, 2),
        len(hidden.small),
        len(hidden.protecting),
        tuple(sorted(pattern.dominated)),
    )


def plan(state: StudyState, kind: Literal["csv", "json"]) -> str:
    """The plan of tables as a file."""
    study = state.study
    tables = tuple(map(by_itself, study.tables))
    if kind == "csv":
        return plan_csv(tables)
    return plan_json(tables, {part: getattr(study, part) for part in ANALYSES})


def _unknown(requests: Sequence[TableRequest | Analysis], known: Collection[str], name: str) -> list[Fault]:
    """A fault for each part of a plan that names variables there are not."""
    faults = []
    for request in requests:
        if isinstance(request, TableRequest):
            named = (*request.stub, *(part for entry in request.entries for part in entry))
        else:
            named = _named(request)
        absent = [v for v in dict.fromkeys(named) if v and v not in known]
        if absent:
            what = "table" if isinstance(request, TableRequest) else "analysis"
            said = (
                f"The {what} {request.title or request.id} names {some(absent)}, which the study does not "
                "have."
            )
            faults.append(Fault(said, name, "Correct the plan, or import it anyway.", kind="unknown_in_plan"))
    return faults


def lay_plan(
    session: Session,
    pipelines: Pipelines,
    study_id: str,
    edition: int,
    name: str,
    content: bytes,
    replace: bool,
    anyway: bool,
) -> int:
    """Reads a plan of tables and other analyses: after those there are, or in their place. How many it has.
    Raises StudyError for names that are no variables, unless it is to be read anyway."""
    state = read_study(session, study_id)
    kept = () if replace else state.study.tables
    requests = HELPERS.run("plan", content, name, [request.id for request in kept], size=len(content))
    taken = {part: [] if replace else [of.id for of in getattr(state.study, part)] for part in ANALYSES}
    analyses: dict[AnalysisPart, tuple[Analysis, ...]] = HELPERS.run(
        "analyses", content, name, taken, size=len(content)
    )
    others = [of for part in analyses.values() for of in part]
    if not anyway:
        made = [weighting.save_as for weighting in state.study.weightings]
        known = {*pipelines.ledgered(session, state)[1].last.variables, *made, "row"}
        if faults := _unknown([*requests, *others], known, name):
            raise StudyError(faults)
    document = json.loads(dump_study(state.study))
    earlier = [] if replace else document.get("tables") or []
    document["tables"] = [
        *earlier,
        *(request.model_dump(mode="json", exclude_unset=True) for request in requests),
    ]
    for part, of in analyses.items():
        there = [] if replace else document.get(part) or []
        document[part] = [*there, *(one.model_dump(mode="json", exclude_unset=True) for one in of)]
    models = {of["id"] for of in document.get("models") or []}
    for beside in document.get("side_by_side") or []:
        # Models that went with the plan stand side by side no longer.
        beside["models"] = [name for name in beside.get("models") or [] if name in models]
    more = f" and {counted(len(others), 'analysis', 'analyses')}" if others else ""
    did = f"Read a plan of {counted(len(requests), 'table')}{more} from {name}"
    study = parse_study(without_gone(document))
    write(session, pipelines, state, edition, study, state.files, did)
    return len(requests) + len(others)


def release(session: Session, pipelines: Pipelines, state: StudyState) -> dict[str, Iterator[bytes]]:
    """Every file of a release, by name, each made when it is gone through."""
    hashes = kept_hashes(session, state)
    files = ReleaseFiles(state.study, pipelines.results(session, state), hashes=hashes)
    if state.files.sampled:
        files.written = {}
    return files.all()


def withheld(session: Session, pipelines: Pipelines, state: StudyState) -> WithheldView:
    """Analyses that are not told, which takes longer to find out."""
    if state.study.suppression.below is None:
        return WithheldView(0, 0)
    found = pipelines.pipeline(session, state).withheld.value
    return WithheldView(len(found.keys), found.unjudged)
