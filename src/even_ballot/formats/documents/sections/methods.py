"""The methods note of a release: everything that was done, in headed paragraphs, with the fit of margins."""

from collections.abc import Iterator, Mapping

from even_ballot import __version__
from even_ballot.core.estimation.comparisons import AGAINST
from even_ballot.core.faults import counted, some
from even_ballot.core.release.plan import Style
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.core.weighting.report import MarginReport
from even_ballot.formats.documents.own_text import own_blocks, plain_paragraph
from even_ballot.formats.printed.blocks import (
    Block,
    Entry,
    Group,
    Head,
    Heading,
    Paragraph,
    PrintedTable,
    Row,
)
from even_ballot.formats.printed.numerals import HIDDEN, numeral
from even_ballot.formats.tables.designs import design_sentence, method_sentence
from even_ballot.formats.tables.methods import interval_sentences, weight_sentence
from even_ballot.formats.tables.notes import ADJUSTED, OTHERS

Hashes = Mapping[str, str]
"""SHA-256 of the source files, by their names."""


def _source(study: Study, results: Results, hashes: Hashes) -> Iterator[Paragraph]:
    files = [study.source.path, *(source.path for source in study.lookups.values())]
    for name in dict.fromkeys(files):
        own = f" (SHA-256 {hashes[name]})" if name in hashes else ""
        yield plain_paragraph(f"{'Answers' if name == study.source.path else 'Looked up in'}: {name}{own}.")
    aside = results.source_cases - results.used_cases
    received = counted(results.source_cases, "case")
    yield plain_paragraph(f"{received} received, {aside:,} set aside, {results.used_cases:,} in use.")


def _cleaning(results: Results) -> Iterator[Paragraph]:
    for effect in results.effects:
        if effect.off:
            continue
        gone = effect.cases_before - effect.cases_after
        did = [f"{counted(gone, 'case')} set aside"] if gone else []
        did += [f"{counted(effect.cells_changed, 'cell')} changed"] if effect.cells_changed else []
        why = f" ({effect.why})" if effect.why else ""
        yield Paragraph(
            plain_paragraph(f"{effect.sentence}{why}: {', '.join(did) or 'nothing changed'}.").runs, True
        )
    left = results.summary
    if left.not_placed:
        cells = sum(of.cells for of in left.not_placed)
        said = some(list(dict.fromkeys(of.variable for of in left.not_placed)))
        yield plain_paragraph(f"{counted(cells, 'answer')} not recognised, and counted as missing: {said}.")
    if left.not_in_codebook:
        cells = sum(of.cells for of in left.not_in_codebook)
        said = f"{counted(cells, 'answer')} with codes not in the codebook, shown as they are."
        yield plain_paragraph(said)


def _nonresponse(results: Results) -> Iterator[Paragraph]:
    """Unit non-response, where weights were adjusted for it."""
    for report in results.weightings:
        # With a cell hidden, the sums would tell of it.
        if report.nonresponse and report.nonresponse_hidden is None:
            answered = sum(cell.responded for cell in report.nonresponse)
            silent = sum(cell.silent for cell in report.nonresponse)
            rate = 100 * answered / (answered + silent) if answered + silent else 0.0
            asked = f"{answered:,} responded, {silent:,} did not"
            said = f"{report.save_as}: {asked} (unweighted response rate {rate:.1f} %)."
            yield plain_paragraph(said)


def _item_nonresponse(study: Study, results: Results) -> Iterator[Paragraph]:
    """How many cases in use left the questions of tables unanswered. Nothing where small counts are hidden,
    which such shares would tell of."""
    if study.suppression.below is not None or not results.used_cases:
        return
    left = [(n / results.used_cases, name) for name, n in results.unanswered.items()]
    if left:
        (least, first), (most, last) = min(left), max(left)
        spread = f"from {100 * least:.1f} % ({first}) to {100 * most:.1f} % ({last})"
        said = spread if len(left) > 1 else f"{100 * most:.1f} % ({last})"
        yield plain_paragraph(
            f"Item non-response in the questions used in tables: {said} of the cases in use."
        )


def _fit(margin: MarginReport, weight: str, k: int, style: Style) -> PrintedTable:
    """Target, share before, share after, of each category of a margin."""
    number = margin.total_of is not None
    places = 2 if number else style.decimals.share
    times = 1.0 if number else 100.0

    def entry(value: float | None) -> Entry:
        return (
            Entry(HIDDEN)
            if value is None
            else Entry(numeral(times * value, places, style), times * value, places)
        )

    rows = [
        Row(
            (r.label,), (entry(r.target), entry(r.before), entry(r.after), Entry(numeral(r.n, 0, style), r.n))
        )
        for r in margin.rows
    ]
    rows += [
        Row(
            (r.label,),
            (Entry("") if r.target is None else entry(r.target), entry(None), entry(None), entry(None)),
        )
        for r in margin.hidden or ()
    ]
    unit = "" if number else " %"
    names = (f"Target{unit}", f"Before{unit}", f"After{unit}", "Cases")
    heads = (tuple(Head(c, 1, name) for c, name in enumerate(names)),)
    return PrintedTable(
        margin.title, f"margin-{weight}-{k}", "", f"{weight}: {margin.title}", "", (margin.title,), heads, 4,
        (Group("", tuple(rows)),), (),
    )  # fmt: skip


def _weights(study: Study, results: Results, style: Style) -> Iterator[Block]:
    made = {weighting.save_as: weighting for weighting in study.weightings}
    for report in results.weightings:
        yield plain_paragraph(weight_sentence(made[report.save_as], report))
        for k, margin in enumerate(report.margins):
            yield _fit(margin, report.save_as, k, style)
    if not results.weightings:
        yield plain_paragraph("No weights were made here.")


def _tests(study: Study) -> Iterator[str]:
    asked = {test for request in study.tables for test in request.tests}
    if "independence" in asked:
        yield "Independence is tested by Rao and Scott's second-order correction of chi-square."
    if "wald" in asked:
        yield "Independence is tested by Wald's statistic, adjusted for the degrees of freedom."
    if "trend" in asked:
        yield "Trends are tested over the order of the banner's categories."
    for request in study.tables:
        if "columns" in request.tests:
            levels = " and ".join(f"{100 * level:g} %" for level in request.levels)
            yield f"Columns are compared pair by pair at {levels}, two-sided, {ADJUSTED[request.adjust]}."
        others = [OTHERS[kind] for kind in AGAINST if kind in request.tests]
        if others:
            yield (
                f"Each column is tested against {' and against '.join(others)}, with the covariance of the "
                f"part and the whole, two-sided, {ADJUSTED[request.adjust]}."
            )


def _marks(study: Study) -> Iterator[str]:
    rules = study.marks
    said = [
        words.format(value)
        for value, words in (
            (rules.base, "a base under {:,} cases"),
            (rules.rse and 100 * rules.rse, "a relative standard error over {:g} %"),
            (rules.effective, "an effective base under {:g}"),
            (rules.df, "fewer than {} degrees of freedom among the cases of its base"),
            (rules.width and 100 * rules.width, "an interval wider than {:g} points"),
            (rules.relative_width, "an interval wider than {:g} times the figure"),
        )
        if value is not None
    ]
    if said:
        held = "; what is relative to a share is also held against its complement" if rules.complement else ""
        yield f"A figure is flagged as unreliable (°) if it has any of: {'; '.join(said)}{held}."
    if study.suppression.below is not None:
        yield (
            f"Disclosure control: counts below {study.suppression.below} are suppressed (×), with "
            f"other figures from which they could be derived."
        )


def methods_blocks(
    study: Study, results: Results, style: Style, own: str = "", hashes: Hashes | None = None
) -> Iterator[Block]:
    """The methods note. own: paragraphs that a person adds, after everything that is said of itself; hashes:
    of the files, where they are known."""
    tests = dict.fromkeys((*interval_sentences(study.tables), *_tests(study)))
    software = f"Computed by Even Ballot {__version__}; docs/methods.md of that version has its definitions."
    parts: list[tuple[str, list[Block]]] = [
        ("Source and cases", list(_source(study, results, hashes or {}))),
        ("Cleaning", list(_cleaning(results))),
        ("Non-response", [*_nonresponse(results), *_item_nonresponse(study, results)]),
        ("Weights", list(_weights(study, results, style))),
        ("Design and standard errors", [plain_paragraph(text) for text in _design(study, results)]),
        ("Intervals and tests", [plain_paragraph(text) for text in tests]),
        ("Marks and disclosure control", [plain_paragraph(text) for text in _marks(study)]),
        ("Software", [plain_paragraph(software)]),
    ]
    yield Heading("How these figures were made", 1, "methods")
    for title, blocks in parts:
        if blocks:
            yield Heading(title, 2, f"methods-{title.split()[0].lower()}")
            yield from blocks
    yield from own_blocks(own, "methods-own", 2)


def _design(study: Study, results: Results) -> Iterator[str]:
    yield design_sentence(study.design, results.units)
    yield f"Tables are {'weighted by ' + results.weight if results.weight else 'unweighted'}."
    if study.where:
        yield f"Tables are of the cases where {study.where}, a domain of the design."
    yield f"{method_sentence(study.design, results.units)} Percentages are of those who answered."
