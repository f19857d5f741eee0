"""What models, scales of items and correlations tell of groups of cases, as far as it amounts to tables.

A model with an intercept reproduces the total of its outcome in every category of a term: it tells what a
table of the outcome by that term does. A correlation tells the sum of products of two variables, the
reliability of a scale that of every two of its items, and their sums and sums of squares.
"""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from functools import reduce
from itertools import combinations, product
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.disclosure.events import (
    ANSWERED,
    Besides,
    CategoryState,
    Events,
    Filter,
    filter_id_of,
    key_of,
    names_in,
    net_state,
)
from even_ballot.core.disclosure.kinds import VALUES
from even_ballot.core.faults import StudyError
from even_ballot.core.models.model_request import (
    Analysis,
    CorrelationsRequest,
    ModelRequest,
    ReliabilityRequest,
)
from even_ballot.core.models.terms import complete, measured
from even_ballot.core.numerics.arrays import Bools
from even_ballot.core.tables.shared import SharedCounts

MOST_CELLS, MOST_PAIRS = 2_000, 300
_SCORE, _SQUARE = "score", "square"

ClaimKey = tuple[str, int, str, str]
"""A part of the study file, a place in it, and of correlations the pair."""
Analyses = Mapping[Literal["models", "reliability", "correlations"], Sequence[Analysis]]


def _any_of(states: Sequence[CategoryState]) -> CategoryState:
    return states[0] if len(states) == 1 else net_state(states)


@dataclass(frozen=True)
class Asking:
    """An analysis, or one pair of it. who: for every part the cases of its filter, (n,); names: variables
    that decide who is in it; lost: cases of it that the analysis leaves out; gaps: variables that some of it
    did not answer."""

    key: ClaimKey
    request: Analysis
    variables: tuple[str, ...]
    who: Sequence[Bools]
    names: frozenset[str]
    lost: int
    gaps: frozenset[str]

    @property
    def filter_id(self) -> str:
        """Its filter, named as tables' filters are."""
        return filter_id_of(self.who)


@dataclass
class Claim:
    """What an analysis tells: counts of events, and sums over them. lost: as in Asking; small: events nobody
    may learn if they are; judged: whether there were few enough of both to judge."""

    key: ClaimKey
    lost: int
    counts: list[int] = field(default_factory=list)
    sums: list[int] = field(default_factory=list)
    small: list[int] = field(default_factory=list)
    judged: bool = True

    @property
    def told(self) -> list[int]:
        """Both."""
        return self.counts + self.sums


def asked_of(shared: SharedCounts, analyses: Analyses) -> list[Asking]:
    """Every analysis that can be made, correlations pair by pair.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> request = CorrelationsRequest(id="c", variables=("age", "isle", "crosses"))
    >>> [asking.key[2:] for asking in asked_of(shared, {"correlations": [request]})]
    [('age', 'isle'), ('age', 'crosses'), ('isle', 'crosses')]
    """
    found: list[Asking] = []
    for part, requests in analyses.items():
        for at, request in enumerate(requests):
            # What cannot be made tells nothing.
            with suppress(StudyError):
                found += [_asking(shared, request, (part, at, *of), names) for of, names in _groups(request)]
    return found


def _groups(request: Analysis) -> Iterator[tuple[tuple[str, str], tuple[str, ...]]]:
    """The variables that one set of cases must have answered."""
    match request:
        case ModelRequest():
            yield ("", ""), (request.outcome, *request.variables)
        case ReliabilityRequest():
            yield ("", ""), request.items
        case CorrelationsRequest():
            for pair in combinations(request.variables, 2):
                yield pair, pair


def _asking(shared: SharedCounts, request: Analysis, key: ClaimKey, names: tuple[str, ...]) -> Asking:
    where = f"{key[0]}[{key[1]}]"
    domain = shared.domain(request.where, where)
    of = [measured(shared.sample, name, where) for name in names]
    who, whole, lost = complete(shared.sample, of, domain.inside)
    n = shared.sample.count(who)
    gaps = frozenset(each.variable for each in lost if each.cases)
    return Asking(key, request, names, domain.who, names_in(shared.scope, request.where), whole - n, gaps)


def besides_of(asked: Sequence[Asking]) -> Besides:
    """What kinds of cases must be told apart by for these analyses.

    >>> besides_of([]).asked
    ()
    """
    names = dict.fromkeys(name for asking in asked for name in asking.variables)
    return Besides(
        tuple((name, VALUES) for name in names), {asking.filter_id: asking.who for asking in asked}
    )


class _Told:
    """One analysis's claim, as events are added for it."""

    def __init__(self, events: Events, asking: Asking) -> None:
        self.events, self.kinds, self.asking = events, events.kinds, asking
        self.filter_id = asking.filter_id
        self.who = self.kinds.inside(self.filter_id)
        before = events.filters.get(self.filter_id)
        names = asking.names if before is None else before.names | asking.names
        events.filters[self.filter_id] = Filter(self.who, names)
        self.claim = Claim(asking.key, asking.lost)
        self.there = {name: self._answered(name) for name in asking.variables if name in asking.gaps}
        self.claim.counts.append(self.event())

    def _answered(self, name: str) -> tuple[str, CategoryState]:
        """The state of having answered."""
        answered = self.kinds.seen((name, VALUES)).answered
        known = self.events.members.get((name, ANSWERED))
        same = known is None or bool((known == answered).all())
        return self.know(name, ANSWERED if same else (VALUES, ANSWERED), answered)

    def event(self, *states: tuple[str, CategoryState]) -> int:
        """The cases that have some states and answered all other variables, or the sum of what they score."""
        named = {name for name, _ in states}
        every = (*states, *(state for name, state in self.there.items() if name not in named))
        members = [self.events.members[state] for state in every]
        each: Any = reduce(np.multiply, members, self.kinds.cases * self.who)
        return self.events.add(key_of(self.filter_id, every), float(each.sum()))

    def know(self, name: str, state: CategoryState, members: NDArray[Any]) -> tuple[str, CategoryState]:
        self.events.members.setdefault((name, state), members)
        return name, state

    def values(self, name: str) -> list[tuple[str, CategoryState]] | None:
        """The states of a variable that has few values; None of one that has many."""
        levels = self.kinds.levels[name]
        if levels is None:
            return None
        at = self.kinds.seen((name, VALUES)).at
        coded = self.kinds.is_coded(name)
        return [
            self.know(name, int(value) if coded else (VALUES, float(value)), at == k)
            for k, value in enumerate(levels)
        ]

    def score(self, name: str, square: bool = False) -> tuple[str, CategoryState]:
        """What cases score on a variable of few values, from its smallest on."""
        levels, at = self.kinds.levels[name], self.kinds.seen((name, VALUES)).at
        assert levels is not None
        scores = np.append(levels - levels.min(initial=np.inf), 0.0)[at]
        return self.know(name, _SQUARE if square else _SCORE, scores**2 if square else scores)

    def tell_products(self, a: str, b: str) -> None:
        """The sum of products of two variables, and the cells of their table, which are small groups."""
        of_a, of_b = self.values(a), self.values(b)
        if of_a is None or of_b is None:
            return
        self.claim.sums.append(self.event(self.score(a), self.score(b)))
        self.claim.small += [self.event(x, y) for x, y in product(of_a, of_b)]

    def tell_model(self, request: ModelRequest) -> None:
        """The outcome by each term."""
        outcome = self._outcome(request)
        scored = [] if request.kind == "logistic" or not outcome else [self.score(request.outcome)]
        for term in ((), *request.terms):
            numbers = [name for name in term if self._is_number(request, name)]
            cells = [of for of in map(self.values, term) if of is not None]
            if np.prod([len(of) for of in cells], dtype=float) * max(len(outcome), 1) > MOST_CELLS:
                self.claim.judged = False
                return
            if len(cells) < len(term):
                continue
            self.claim.small += [self.event(*cell, of) for cell in product(*cells) for of in outcome]
            by = [self.values(name) or [] for name in term if name not in numbers]
            kept = self.claim.sums if numbers else self.claim.counts
            for cell in product(*by, *([self.score(name)] for name in numbers)):
                kept.append(self.event(*cell))
                if request.kind == "logistic":
                    kept.append(self.event(*cell, outcome[0]))
                else:
                    self.claim.sums += [self.event(*cell, of) for of in scored]

    def _is_number(self, request: ModelRequest, name: str) -> bool:
        return name in request.as_number or not self.kinds.is_coded(name)

    def _outcome(self, request: ModelRequest) -> list[tuple[str, CategoryState]]:
        """The outcome's states: of a logistic model the event, and the rest."""
        found = self.values(request.outcome)
        if found is None or request.kind == "linear":
            return found or []
        at, levels = self.kinds.seen((request.outcome, VALUES)).at, self.kinds.levels[request.outcome]
        assert levels is not None
        event = np.isin(np.append(levels, np.nan)[at], request.event or (1,))
        codes = [state for _, state in found]
        chosen = [c for c, value in zip(codes, levels, strict=True) if value in (request.event or (1,))]
        rest = [c for c in codes if c not in chosen]
        return [
            self.know(request.outcome, _any_of(chosen), event),
            self.know(request.outcome, _any_of(rest), (at >= 0) & ~event),
        ]

    def tell_items(self, items: Sequence[str]) -> None:
        """Sums, sums of squares and of products of items."""
        if len(items) * (len(items) - 1) // 2 > MOST_PAIRS:
            self.claim.judged = False
            return
        for name in items:
            if (states := self.values(name)) is not None:
                self.claim.sums += [self.event(self.score(name)), self.event(self.score(name, True))]
                self.claim.small += [self.event(state) for state in states]
        for a, b in combinations(items, 2):
            self.tell_products(a, b)


def claims_of(events: Events, asked: Sequence[Asking]) -> list[Claim]:
    """What each analysis tells, its events added to the others'. events: of kinds told apart by
    `besides_of(asked)`.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.disclosure.events import events_of
    >>> from even_ballot.core.sampling.design import Design
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> request = CorrelationsRequest(id="c", variables=("isle", "crosses"))
    >>> asked = asked_of(shared, {"correlations": [request]})
    >>> events = events_of(shared, [], besides=besides_of(asked))
    >>> [(len(claim.counts), len(claim.sums), claim.lost) for claim in claims_of(events, asked)]
    [(1, 1, 2)]
    """
    found = []
    for asking in asked:
        told = _Told(events, asking)
        match asking.request:
            case ModelRequest():
                told.tell_model(asking.request)
            case ReliabilityRequest():
                told.tell_items(asking.variables)
            case CorrelationsRequest():
                told.tell_products(*asking.variables)
        found.append(told.claim)
    return found
