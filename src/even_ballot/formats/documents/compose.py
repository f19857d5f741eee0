"""A release composed: what the plan names, in its order, as one document."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from babel.dates import format_date

from even_ballot.core.models.model_request import Analysis
from even_ballot.core.models.results import AnalysisResult, ModelResult
from even_ballot.core.models.side_by_side import side_by_side
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.release.plan import Part, ReleasePlan
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.formats.analyses.in_words import analysis_in_words
from even_ballot.formats.documents.analysis_page import analysis_tables, beside_table
from even_ballot.formats.documents.charts import chart_of_model, charts_of
from even_ballot.formats.documents.own_text import own_blocks, plain_paragraph
from even_ballot.formats.documents.sections.methods import methods_blocks
from even_ballot.formats.documents.table_page import anchor_of, contrast_table, printed_table
from even_ballot.formats.printed.blocks import Block, Chart, Document, Heading, Picture
from even_ballot.formats.tables.reading_in_words import in_words

UNDATED = (2026, 1, 1)
"""The day that files of a release without a date carry."""


def parts_of(study: Study, plan: ReleasePlan) -> tuple[Part, ...]:
    """What stands in a release: as the plan says, else every table under its group's heading, then every
    analysis under a heading for its kind."""
    if plan.parts is not None:
        return plan.parts
    found: list[Part] = []
    group: str | None = None
    grouped = any(request.group for request in study.tables)
    for request in study.tables:
        if grouped and (request.group or "Tables") != group:
            group = request.group or "Tables"
            found.append(Part(heading=group))
        found.append(Part(table=request.id))
    kinds = (
        ("Models", "models", "model"),
        ("", "side_by_side", "side_by_side"),
        ("Scale reliability", "reliability", "reliability"),
        ("Correlations", "correlations", "correlations"),
    )
    for title, of, key in kinds:
        named = [Part(**{key: item.id}) for item in getattr(study, of)]
        if named and title:
            found.append(Part(heading=title))
        found += named
    if found and found[0].heading is None and any(part.heading for part in found):
        found.insert(0, Part(heading="Tables"))
    return tuple(found)


@dataclass
class _Numbers:
    """Numbers of tables and pictures, where they are wanted."""

    wanted: bool
    tables: int = 0
    pictures: int = 0

    def table(self) -> str:
        self.tables += 1
        return f"Table {self.tables}" if self.wanted else ""

    def picture(self) -> str:
        self.pictures += 1
        return f"Figure {self.pictures}" if self.wanted else ""


_METHODS = {
    "linearised": "linearisation",
    "jackknife": "the jackknife",
    "bootstrap": "the bootstrap",
    "balanced": "balanced half samples",
    "columns": "replicate weights from the file",
}


class _Composer:
    """Makes the blocks of parts, numbered as they come."""

    def __init__(self, study: Study, results: Results, plan: ReleasePlan) -> None:
        self.study, self.results, self.plan = study, results, plan
        self._numbers = _Numbers(plan.numbered)
        self._tables = {of.id: of for of in results.tables}
        self._requests = {of.id: of for of in study.tables}
        self._faulty = {(of.part, of.id): of for of in results.faulty}

    def blocks(self, part: Part, k: int) -> Iterator[Block]:
        """The blocks of one part."""
        if part.heading is not None:
            yield Heading(part.heading, part.level, f"part-{k}")
        elif part.text is not None:
            yield from own_blocks(part.text, f"part-{k}", 2)
        elif part.named is not None:
            of, name = part.named
            if (faulty := self._faulty.get((of, name))) is not None:
                said = f"Not made: {faulty.title}. {faulty.faults[0].said} {faulty.faults[0].mend}"
                yield plain_paragraph(said)
            elif of == "tables":
                yield from self._table(name, part)
            elif of == "side_by_side":
                yield from self._beside(name)
            else:
                yield from self._analysis(of, name, part)

    def _picture(self, id: str, at: str, title: str, chart: Chart, says: Sequence[str]) -> Picture:
        text = " ".join(says) or f"{title}. {chart.axis} for {len(chart.categories)} lines."
        return Picture(id, at, self._numbers.picture(), title, chart, text)

    def _table(self, name: str, part: Part) -> Iterator[Block]:
        result, request = self._tables[name], self._requests[name]
        study, notes = self.study, [part.note] if part.note else []
        source = f"Source: {study.title}; {self.results.used_cases:,} cases in use."
        yield printed_table(
            result,
            request,
            self.plan.style,
            scope=study.where,
            marks=study.marks,
            suppression=study.suppression,
            label=self._numbers.table(),
            notes=(*notes, *self._method(name), source),
        )
        if (contrasts := contrast_table(result, self.plan.style)) is not None:
            yield contrasts
        wanted = self.plan.pictures if part.picture is None else part.picture
        read = self.plan.reading if part.reading is None else part.reading
        says = [of.text for of in in_words(result, request)] if wanted or read else []
        if read:
            yield from (plain_paragraph(text) for text in says)
        for k, (about, chart) in enumerate(charts_of(result, request) if wanted else ()):
            title = f"{result.title}: {about}" if about else result.title
            yield self._picture(name, f"figure-{anchor_of(name)}-{k + 1}", title, chart, says)

    def _method(self, name: str) -> Iterator[str]:
        """The note on method of one table, in a line."""
        interval, beside = self._requests[name].interval, self._requests[name].beside
        weights = f"weighted by {self.results.weight}" if self.results.weight else "unweighted"
        errors = "design-based standard errors" if "se" in beside else ""
        limits = f"{100 * interval.level:g} % intervals ({interval.method})" if "interval" in beside else ""
        how = f"variance by {_METHODS[self.study.design.variance.method]}"
        weights = weights[:1].upper() + weights[1:]
        yield f"{weights}; {', '.join(filter(None, (errors, limits, how)))}."

    def _beside(self, name: str) -> Iterator[Block]:
        request = next(of for of in self.study.side_by_side if of.id == name)
        made = {of.id: of for of in self.results.models}
        models = [made[of] for of in request.models if of in made]
        if models:
            yield beside_table(side_by_side(models), request, self.plan.style, self._numbers.table())

    def _analysis(self, of: str, name: str, part: Part) -> Iterator[Block]:
        asked: Analysis = next(item for item in getattr(self.study, of) if item.id == name)
        found: AnalysisResult = next(item for item in getattr(self.results, of) if item.id == name)
        label = self._numbers.table()
        said = analysis_in_words(found)
        notes = (*([part.note] if part.note else ()), *said)
        made = list(
            analysis_tables(found, asked, self.plan.style, part=of, scope=self.study.where, label=label)
        )
        yield from made[:-1]
        yield from (replace(table, notes=notes) for table in made[-1:])
        wanted = self.plan.pictures if part.picture is None else part.picture
        chart = chart_of_model(found) if wanted and isinstance(found, ModelResult) else None
        if chart is not None:
            yield self._picture(name, f"figure-{of}-{anchor_of(name)}", asked.name, chart, said)


@dataclass(frozen=True)
class Section:
    """The blocks of one part of a release; at: which of its parts, or what of the rest."""

    at: int | Literal["foreword", "changes", "methods", "depends"]
    blocks: tuple[Block, ...]


def sections_of(
    study: Study,
    results: Results,
    plan: ReleasePlan,
    *,
    hashes: Mapping[str, str] | None = None,
    changes: Sequence[Block] = (),
    appendix: Sequence[Block] = (),
    progress: Progress = quiet,
) -> Iterator[Section]:
    """A release part after part, in order."""
    composer = _Composer(study, results, plan)
    if plan.foreword:
        yield Section("foreword", tuple(own_blocks(plan.foreword, "foreword", 1)))
    if changes:
        yield Section("changes", tuple(changes))
    parts = parts_of(study, plan)
    for k, part in enumerate(parts):
        progress("Laying out", k / max(len(parts), 1))
        yield Section(k, tuple(composer.blocks(part, k)))
    if "methods" in plan.with_it:
        yield Section("methods", tuple(methods_blocks(study, results, plan.style, plan.method, hashes)))
    if appendix:
        yield Section("depends", tuple(appendix))


def said_date(plan: ReleasePlan) -> str:
    """The date of a release in its language; empty where it has none."""
    return "" if plan.date is None else format_date(plan.date, "long", locale=_locale(plan.style.language))


def compose(
    study: Study,
    results: Results,
    plan: ReleasePlan,
    *,
    hashes: Mapping[str, str] | None = None,
    changes: Sequence[Block] = (),
    appendix: Sequence[Block] = (),
    progress: Progress = quiet,
) -> Document:
    """The document of a release. hashes: SHA-256 of the source files by their names; changes: blocks that say
    what is new since the last release; appendix: that say what figures depend on; progress: told of each
    part."""
    sections = sections_of(
        study, results, plan, hashes=hashes, changes=changes, appendix=appendix, progress=progress
    )
    blocks = tuple(block for section in sections for block in section.blocks)
    day = plan.date
    made = UNDATED if day is None else (day.year, day.month, day.day)
    title = plan.title or study.title
    return Document(
        title, plan.subtitle, plan.authors, said_date(plan), made, blocks, plan.style, plan.contents
    )


def _locale(language: str) -> str:
    """A language tag as dates want it; English where it is not known."""
    from babel import Locale, UnknownLocaleError

    try:
        return str(Locale.parse(language, sep="-"))
    except (UnknownLocaleError, ValueError):
        return "en"
