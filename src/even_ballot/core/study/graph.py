"""From raw answers to tables: a small graph of nodes, each with a key that says all it is made of.

source → states of the ledger → findings
                             ↘ weightings → design → shared counts → tables → what is hidden of them → results

The command line goes straight through it; the server asks for what it needs, and keeps every node by its key.
"""

from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from functools import partial
from typing import TypeVar

import numpy as np

from even_ballot.core.calibration.weighted_sample import sampled
from even_ballot.core.data.cases import Cases
from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.data.interpretation import new_of
from even_ballot.core.disclosure.claims import Analyses
from even_ballot.core.disclosure.tables import (
    DisclosureControl,
    HiddenPattern,
    control_of,
    links_of,
    pattern_of,
    without_hidden,
)
from even_ballot.core.disclosure.withholding import Withheld, withheld_of
from even_ballot.core.elsewhere import Elsewhere, here
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.lazy import lazy
from even_ballot.core.ledger import Effect, take_step
from even_ballot.core.models.analysis import ANALYSES, AnalysisPart, analysed
from even_ballot.core.models.model_request import Analysis
from even_ballot.core.models.protection import protected
from even_ballot.core.models.results import AnalysisResult
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.sampling.sample import Sample
from even_ballot.core.screening import Finding, sweep
from even_ballot.core.study.nodes import (
    Inputs,
    Keeper,
    Ledgered,
    Node,
    Telling,
    Weighed,
    key_of,
    said,
)
from even_ballot.core.study.results import Weighted
from even_ballot.core.study.study_file import Study
from even_ballot.core.study.uses import book_in_use, made_later, margins_of, weight_name
from even_ballot.core.tables.display import Display
from even_ballot.core.tables.results import TableResult
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.core.tables.tabulate import counted_table
from even_ballot.core.weighting.raking import Raked, rake, with_weight
from even_ballot.core.weighting.report import WeightingReport, report
from even_ballot.core.weighting.weighting import Weighting

T = TypeVar("T")
Take = Callable[..., tuple[Dataset, Effect]]
_UNHEADED = {"group": None}
_JUDGED = {"kind", "where", "outcome", "event", "terms", "as_number", "items", "variables", "method"}
"""What of an analysis decides what it tells."""
_SINGLE = ("coded", "number")
_RELEASED = {"stub", "banner", "where", "show", "nets", "dates", "total_row"}
"""What of a table decides which groups of cases it releases."""


def start(study: Study, raw: RawTable) -> Dataset:
    """The cases as the codebook reads them, before the ledger.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> from even_ballot.core.study.study_file import parse_study
    >>> step = {"do": "drop_cases", "where": "age < 20"}
    >>> study = parse_study({"source": {"path": "answers.csv"}, "ledger": [step]})
    >>> start(study, ferry_answers()).n
    8
    """
    return _read(study, raw, here)


def _read(study: Study, raw: RawTable, elsewhere: Elsewhere) -> Dataset:
    decimal = study.source.decimal or "."
    news = elsewhere(new_of, raw, book_in_use(study), made_later(study), decimal)
    return news.beside(raw.rows, dict(zip(raw.names, raw.columns, strict=True)))


def weigh(cases: Cases, weighting: Weighting, where: str) -> tuple[Cases, Raked, WeightingReport]:
    """The cases with one weighting's weight, how it came about, and the report on it.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.weighting import Weighting
    >>> weighted, raked, report = weigh(Cases.of(ferry()), Weighting(base="w"), "weightings[0]")
    >>> report.n, weighted.head.variable("weight").kind
    (8, 'number')
    """
    result = rake(cases, weighting, where)
    weighted = with_weight(cases, result, where)
    return weighted, result, report(weighted, result, weighting)


def _once(key: str, make: Callable[[], T]) -> T:
    """Keeps nothing: whoever goes straight through asks for everything once."""
    return make()


def untold(what: str | None) -> AbstractContextManager[Progress]:
    """Tells nobody.

    >>> with untold("Counting") as tell:
    ...     tell("Counting", 0.5)
    """
    return nullcontext(quiet)


class Graph:
    """A study on its inputs. keep: keeps nodes by their keys; states: whether every state of the ledger is
    held, or the last alone; part: how the cases after the ledger are parted; elsewhere: where entries are
    looked at one by one; take: takes a step. Every node raises StudyError with what is at fault and where."""

    def __init__(
        self,
        study: Study,
        inputs: Inputs,
        keep: Keeper = _once,
        telling: Telling = untold,
        states: bool = False,
        part: Callable[[Dataset], Cases] = Cases.of,
        elsewhere: Elsewhere = here,
        take: Take = take_step,
    ) -> None:
        self.study, self.inputs, self._elsewhere = study, inputs, elsewhere
        self._take = take
        self._keeper, self._telling, self._states, self._part = keep, telling, states, part

    def _keep(self, key: str, make: Callable[[], T]) -> T:
        """What `make` gives, kept. Numbers that pass what a computer holds make no noise: what they would be
        a figure of is absent."""

        def made() -> T:
            with np.errstate(all="ignore"):
                return make()

        return self._keeper(key, made)

    @lazy
    def start(self) -> Node[Dataset]:
        """The cases before the ledger."""
        study = self.study
        book = said(book_in_use(study), {"scales", "variables"})
        decimal, made = study.source.decimal or ".", sorted(made_later(study))
        key = key_of("start", self.inputs.source_key, book, decimal, *made)
        return Node(key, self._keep(key, lambda: _read(study, self.inputs.source(), self._elsewhere)))

    @lazy
    def ledgered(self) -> Node[Ledgered]:
        """The cases after each step of the ledger, as far as it goes."""
        key, first = self.start.key, self.start.value
        tables = self.inputs.lookups()
        data, states, effects, stopped = first, list[Dataset](), list[Effect](), None
        for i, step in enumerate(self.study.ledger):
            key = key_of(key, said(step), self.inputs.lookups_key)
            try:
                take = partial(self._take, data, step, i, tables, elsewhere=self._elsewhere)
                data, effect = self._keep(key, take)
            except StudyError as error:
                stopped = error
                break
            states = [*(states if self._states else ()), data]
            effects.append(effect)
        return Node(key, Ledgered(first, tuple(states), tuple(effects), stopped))

    @lazy
    def cases(self) -> Node[Dataset]:
        """The cases after the whole ledger; raises where a step cannot be taken."""
        ledgered = self.ledgered
        if ledgered.value.fault is not None:
            raise ledgered.value.fault
        return Node(ledgered.key, ledgered.value.last)

    def _laid(self) -> Cases:
        """The cases after the whole ledger, as they are parted."""
        return self._part(self.cases.value)

    def _received(self) -> int:
        """How many cases came."""
        return len(self.ledgered.value.start.rows)

    @lazy
    def findings(self) -> tuple[Finding, ...]:
        """What the sweep finds in the newest state of the cases."""
        ledgered, book, settings = self.ledgered, self.study.codebook, self.study.screening
        key = key_of("sweep", ledgered.key, said(book), said(settings))
        with self._telling(None) as tell:
            return self._keep(
                key, lambda: self._elsewhere(sweep, ledgered.value.last, book, settings, tell=tell)
            )

    @lazy
    def weighed(self) -> Node[Weighed]:
        """Every weighting by itself: what is wrong with one stops those that build on it, and no others."""
        key, cases = self.cases.key, self._laid()
        outcomes: list[tuple[Raked, WeightingReport] | StudyError] = []
        for i, weighting in enumerate(self.study.weightings):
            where = f"weightings[{i}]"
            key = key_of("weight", key, where, said(weighting))
            try:
                cases, raked, told = self._keep(key, partial(weigh, cases, weighting, where))
                outcomes.append((raked, told))
            except StudyError as error:
                outcomes.append(error)
        return Node(key, Weighed(cases, tuple(outcomes)))

    @lazy
    def weighted(self) -> Node[Weighted]:
        """The cases with their weights; raises what is wrong with any weighting."""
        weighed = self.weighed
        wrong = [outcome for outcome in weighed.value.outcomes if isinstance(outcome, StudyError)]
        if wrong:
            raise StudyError(item for error in wrong for item in error.faults)
        return Node(weighed.key, weighed.value.made)

    @lazy
    def designed(self) -> Node[Sample]:
        """The weighted cases with their design."""
        study, weighed, name = self.study, self.weighed, weight_name(self.study)
        for weighting, outcome in zip(study.weightings, weighed.value.outcomes, strict=True):
            if weighting.save_as == name and isinstance(outcome, StudyError):
                raise outcome
        key = key_of("design", weighed.key, said(study.design), name or "")

        def lay() -> Sample:
            cases = weighed.value.cases
            if cases.n == 0:
                raise fault(
                    "No cases are left.",
                    "ledger",
                    "Switch off or change the ledger entries that set cases aside.",
                )
            return sampled(cases, study.design, name, weighed.value.made.raked)

        return Node(key, self._keep(key, lay))

    @lazy
    def shared(self) -> Node[SharedCounts]:
        """The cases that all tables are made of, and what was counted of them."""
        ready, scope = self.designed, self.study.where
        key = key_of("counts", ready.key, scope or "")
        return Node(key, self._keep(key, lambda: SharedCounts(ready.value, scope)))

    def table(self, at: int, request: TableRequest | None = None, what: str | None = None) -> TableResult:
        """One table of the study, as it may be released. request: in its place, counted with the same cases;
        what: whose earlier count it takes the place of."""
        request = self.study.tables[at] if request is None else request
        shared, where = self.shared, f"tables[{at}]"
        counted = request.model_copy(update={"display": Display(), "group": None, "beside": ()})
        key = key_of("table", shared.key, said(counted))

        def count() -> TableResult:
            with self._telling(what) as tell:
                return counted_table(shared.value, counted, where, tell)

        result = self._keep(key, count)
        if self.study.suppression.below is None:
            return result
        pattern = self.pattern
        hide = partial(without_hidden, shared.value, result, request, pattern.value, where)
        return self._keep(key_of("hidden", key, pattern.key), hide)

    def analysis(self, part: AnalysisPart, at: int, what: str | None = None) -> AnalysisResult:
        """A model, a scale of items or correlations of the study; what: as of a table."""
        request: Analysis = getattr(self.study, part)[at]
        shared, where = self.shared, f"{part}[{at}]"
        counted = request.model_copy(update=_UNHEADED)
        key = key_of("analysis", shared.key, part, said(counted))

        def work() -> AnalysisResult:
            with self._telling(what) as tell:
                tell(f"Working out {request.name}", None)
                domain = shared.value.domain(request.where, f"{where}.where")
                return analysed(shared.value.sample, counted, domain.inside, where)

        below = self.study.suppression.below
        found = self._keep(key, work)
        if below is None:
            return found
        withheld = {(a, b) for of, number, a, b in self.withheld.value.keys if (of, number) == (part, at)}
        return protected(found, below, withheld)

    @lazy
    def withheld(self) -> Node[Withheld]:
        """Which analyses are not told when everything is released together."""
        study, shared, pattern = self.study, self.shared, self.pattern
        analyses: Analyses = {part: getattr(study, part) for part in ANALYSES}
        told = (said(of, _JUDGED & {*type(of).model_fields}) for part in ANALYSES for of in analyses[part])
        key = key_of("withheld", pattern.key, *told)

        def judge() -> Withheld:
            with self._telling("what analyses tell") as tell:
                return withheld_of(
                    shared.value,
                    study.tables,
                    analyses,
                    pattern.value,
                    study.suppression,
                    links_of(study.ledger),
                    margins_of(study),
                    tell,
                )

        return Node(key, self._keep(key, judge))

    @property
    def control(self) -> DisclosureControl:
        """What there is to say of what is hidden."""
        withheld = self.withheld.value
        return control_of(self.study.suppression, self.pattern.value, len(withheld.keys), withheld.unjudged)

    @lazy
    def pattern(self) -> Node[HiddenPattern]:
        """What is hidden when all tables are released together."""
        study, shared = self.study, self.shared
        released = (said(request, _RELEASED) for request in study.tables)
        key = key_of("pattern", shared.key, said(study.suppression), *released)

        def choose() -> HiddenPattern:
            links, margins = links_of(study.ledger), margins_of(study)
            with self._telling(None) as tell:
                return pattern_of(shared.value, study.tables, study.suppression, links, margins, tell)

        return Node(key, self._keep(key, choose))
