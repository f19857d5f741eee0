"""What a study releases: groups of cases, and how many are in each.

An event is a group of cases: those of one filter that have a certain state on each of some variables. A
state is a code, a set of codes or of options (a net), or ANSWERED. A variable that an event does not name
may have any state.
"""

from collections.abc import Hashable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.formulas import Formula
from even_ballot.core.disclosure.kinds import Asked, Kinds
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.numerics.arrays import Bools, Ints
from even_ballot.core.tables.nets import NetRow, banner_nets, net_rows
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.statistics import every_statistic, statistic_of
from even_ballot.core.tables.stubs.counts import several
from even_ballot.core.tables.table_request import TableRequest

CategoryState = Hashable
ANSWERED, RESPONSES, FREE = "answered", "responses", None
"""FREE stands for a variable that an event does not name."""
EVERYBODY = "everybody"

EventKey = tuple[str, frozenset[tuple[str, CategoryState]]]


def net_state(codes: Sequence[CategoryState]) -> CategoryState:
    """A net by what is in it, so that two tables' nets of the same codes are one.

    >>> net_state([1, 2]) == net_state([2, 1])
    True
    """
    return ("net", frozenset(codes))


@dataclass(frozen=True)
class Filter:
    """Which kinds of cases are in a filter, (K,), and the variables it is made of."""

    who: Bools
    names: frozenset[str]


@dataclass
class Events:
    """ids: events by key; value: cases of each. published: those a table or report shows; fixed: those
    that everybody knows, unless they are small. apart: differences of two published events that nothing
    shows: (whole, part). members: of a variable's states, each with which kinds have it, or how often, (K,).
    filters: by their names in keys. weighted: events of which weighted figures are shown."""

    kinds: Kinds
    ids: dict[EventKey, int] = field(default_factory=dict)
    value: list[float] = field(default_factory=list)
    published: set[int] = field(default_factory=set)
    fixed: set[int] = field(default_factory=set)
    apart: dict[tuple[int, int], None] = field(default_factory=dict)
    members: dict[tuple[str, CategoryState], NDArray[Any]] = field(default_factory=dict)
    filters: dict[str, Filter] = field(default_factory=dict)
    weighted: set[int] = field(default_factory=set)

    def add(self, key: EventKey, value: float) -> int:
        """An event's place."""
        if key not in self.ids:
            self.ids[key] = len(self.value)
            self.value.append(value)
        return self.ids[key]


@dataclass(frozen=True)
class _Variable:
    """A variable of a block: its states, each with which kinds have it, (K,), categories first; nets: state
    and the states it holds."""

    name: str
    codes: tuple[CategoryState, ...]
    members: Sequence[Bools]
    answered: Bools
    nets: tuple[tuple[CategoryState, tuple[CategoryState, ...]], ...]
    several: bool = False

    def of(self, net: Sequence[CategoryState]) -> Bools:
        """Which kinds have any of some states."""
        return np.asarray(np.logical_or.reduce([self.members[self.codes.index(code)] for code in net]))


def key_of(filter_id: str, states: Sequence[tuple[str, CategoryState]]) -> EventKey:
    """An event by its filter and the states of the variables it names.

    >>> key_of("everybody", [("isle", 1), ("crosses", FREE)])
    ('everybody', frozenset({('isle', 1)}))
    """
    return filter_id, frozenset((name, state) for name, state in states if state is not FREE)


def _nets(
    rows: Sequence[NetRow], codes: Sequence[CategoryState]
) -> tuple[tuple[CategoryState, tuple[CategoryState, ...]], ...]:
    of = [tuple(codes[i] for i in row.places) for row in rows]
    return tuple((net_state(members), members) for members in of)


def _variable(
    kinds: Kinds, head: Dataset, name: str, request: TableRequest, banner: bool, where: str
) -> _Variable:
    kind = head.variable(name, where).kind
    seen = kinds.seen((name, request.dates))
    if kind == "number":
        return _Variable(name, (), (), seen.answered, ())
    if banner:
        rows = banner_nets(request.nets, name, seen.categories, request.entries, where)
    else:
        rows = net_rows(request.nets, name, seen.categories, request.stub, where)
    # Periods of dates are told apart by what they are periods of.
    codes: tuple[CategoryState, ...] = tuple(
        (request.dates, c.code) if kind == "date" else c.code for c in seen.categories
    )
    members = seen.chosen or tuple(seen.at == k for k in range(len(codes)))
    return _Variable(name, codes, members, seen.answered, _nets(rows, codes), kind == "multi")


class _Block:
    """One stub variable against one banner entry, everything in it counted."""

    def __init__(
        self, events: Events, filter_id: str, who: Bools, stub: _Variable | None, entry: Sequence[_Variable]
    ) -> None:
        self.events, self.filter_id, self.stub, self.entry = events, filter_id, stub, entry
        index = np.zeros(len(who), np.int64)
        for variable in entry:
            at = np.full(len(who), len(variable.codes))
            for k, members in enumerate(variable.members):
                at[members] = k
            index = index * (len(variable.codes) + 1) + at
        self.shape = tuple(len(v.codes) + 1 for v in entry)
        self.size = int(np.prod(self.shape)) if self.shape else 1
        rows: dict[CategoryState, Ints] = {FREE: self._count(index, who)}
        if stub is not None:
            rows[ANSWERED] = self._count(index, who & stub.answered)
            for code, members in zip(stub.codes, stub.members, strict=True):
                rows[code] = self._count(index, who & members)
            for net, of in stub.nets:
                rows[net] = self._count(index, who & stub.of(of))
        self.rows = rows
        self._note_members()

    def _note_members(self) -> None:
        known = self.events.members
        for variable in (*([self.stub] if self.stub else ()), *self.entry):
            known.setdefault((variable.name, ANSWERED), variable.answered)
            for code, members in zip(variable.codes, variable.members, strict=True):
                known.setdefault((variable.name, code), members)
            for net, of in variable.nets:
                if (variable.name, net) not in known:
                    known[variable.name, net] = variable.of(of)

    def _count(self, index: Ints, who: Bools) -> Any:
        return self.events.kinds.count(index, who, self.size).reshape(self.shape)

    def _levels(self, at: int) -> dict[CategoryState, list[int]]:
        """States of a banner variable with the places that have them: its codes, its nets, ANSWERED, and
        any."""
        codes = self.entry[at].codes
        places: dict[CategoryState, list[int]] = {code: [k] for k, code in enumerate(codes)}
        places |= {net: [codes.index(code) for code in of] for net, of in self.entry[at].nets}
        return {**places, ANSWERED: list(range(len(codes))), FREE: list(range(len(codes) + 1))}

    def event(
        self,
        row: CategoryState,
        column: Sequence[CategoryState],
        levels: Sequence[dict[CategoryState, list[int]]],
    ) -> int:
        """The event of a row and a column."""
        states = [] if self.stub is None else [(self.stub.name, row)]
        states += [(v.name, s) for v, s in zip(self.entry, column, strict=True)]
        counts = self.rows[row]
        for axis, state in enumerate(column):
            counts = counts.take(levels[axis][state], axis).sum(axis, keepdims=True)
        return self.events.add(key_of(self.filter_id, states), int(counts.sum()))

    def release(self, shown: Sequence[str]) -> None:
        """Every event that the block's figures are of."""
        levels = [self._levels(k) for k in range(len(self.entry))]
        columns = list(product(*([s for s in level if s not in (ANSWERED, FREE)] for level in levels)))
        whole: tuple[CategoryState, ...] = tuple(FREE for _ in self.entry)
        both: tuple[CategoryState, ...] = tuple(ANSWERED for _ in self.entry)
        if self.stub is None:
            self._show([self.event(FREE, column, levels) for column in columns], shown)
            return
        rows = [row for row in self.rows if row is not FREE]
        for column in dict.fromkeys([whole, *columns, *([both] if {"row", "total"} & _bases(shown) else [])]):
            of = {row: self.event(row, column, levels) for row in rows}
            self._show(list(of.values()), shown)
            if self.stub.several:
                self._options(of, column, shown)
            # A share of nearly all tells of the few that are left.
            for row in rows:
                if row is not ANSWERED:
                    self.events.apart[of[ANSWERED], of[row]] = None

    def _show(self, events: list[int], shown: Sequence[str]) -> None:
        self.events.published |= set(events)
        if set(shown) - {"n"}:
            self.events.weighted |= set(events)

    def _options(
        self, of: dict[CategoryState, int], column: Sequence[CategoryState], shown: Sequence[str]
    ) -> None:
        """Where per cent of responses are shown, how many there are is known."""
        if "responses" in _bases(shown) and self.stub is not None:
            states = [
                (self.stub.name, RESPONSES),
                *((v.name, s) for v, s in zip(self.entry, column, strict=True)),
            ]
            count = sum(self.events.value[of[code]] for code in self.stub.codes)
            self._show([self.events.add(key_of(self.filter_id, states), count)], shown)
            many = (
                np.sum(self.stub.members, axis=0) if self.stub.members else np.zeros(len(self.stub.answered))
            )
            self.events.members.setdefault((self.stub.name, RESPONSES), many)


def _bases(shown: Sequence[str]) -> set[str]:
    """What the figures shown are divided by."""
    return {statistic_of(stat).base for stat in shown}


def filter_of(shared: SharedCounts, request: TableRequest, where: str) -> tuple[str, Sequence[Bools]]:
    """A table's filter by the cases it takes, so that two ways to say the same are one; and who they are, for
    every part, (n,).

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> older = TableRequest(id="t", stub=("crosses",), where="age >= 45")
    >>> [int(who.sum()) for who in filter_of(shared, older, "")[1]]
    [4]
    """
    who = shared.domain(request.where, where).who
    return filter_id_of(who), who


def filter_id_of(who: Sequence[Bools]) -> str:
    """A filter by the cases it takes.

    >>> filter_id_of([np.array([True])]) == filter_id_of([np.array([True])])
    True
    """
    return str(hash(tuple(hash(of.tobytes()) for of in who)))


@dataclass(frozen=True)
class Besides:
    """What kinds of cases are told apart by beside what tables release: variables, and filters, each with who
    is in it, for every part, (n,)."""

    asked: tuple[Asked, ...] = ()
    filters: Mapping[str, Sequence[Bools]] = field(default_factory=dict)


NOTHING_BESIDES = Besides()


def names_in(*conditions: str | None) -> frozenset[str]:
    """The variables that some conditions name.

    >>> sorted(names_in("isle == 1 and age > 17", None))
    ['age', 'isle']
    """
    return frozenset(name for text in conditions if text and text.strip() for name in Formula(text).names)


def _asked(shared: SharedCounts, request: TableRequest, where: str) -> list[Asked]:
    """The variables that a table is of. Raises StudyError where it cannot be counted."""
    names = (*request.stub, *(name for entry in request.entries for name in entry))
    for name in names:
        kind = shared.head.variable(name, where).kind
        if kind == "multi":
            shared.sample.each(lambda part, of=name: several(part.data, of, where))
        elif kind == "text":
            raise fault(f"{name} is a text.", where)
        else:
            shared.head.column(name, where)
    return [(name, request.dates) for name in names]


def events_of(
    shared: SharedCounts,
    requests: Sequence[TableRequest],
    margins: Sequence[tuple[str, ...]] = (),
    besides: Besides = NOTHING_BESIDES,
) -> Events:
    """Everything that tables and the report on weightings release. margins: the variables of each margin
    reported; besides: what else kinds of cases are told apart by.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> shared = SharedCounts(sampled(ferry(), Design(), "w"))
    >>> events = events_of(shared, [TableRequest(id="t", stub=("crosses",), show=("n",))])
    >>> sorted(events.value)
    [1, 2, 3, 6, 8]
    """
    filters: dict[str, Sequence[Bools]] = {EVERYBODY: shared.sample.each(lambda part: part.weight > 0)}
    filters |= besides.filters
    margin = TableRequest(id="margin")
    asked: list[Asked] = [(name, margin.dates) for by in margins for name in by]
    asked += besides.asked
    released: list[tuple[TableRequest, str, str]] = []
    for k, request in enumerate(requests):
        # A table that cannot be counted releases nothing.
        with suppress(StudyError):
            wanted = _asked(shared, request, f"tables[{k}]")
            filter_id, filters_who = filter_of(shared, request, f"tables[{k}].where")
            filters[filter_id] = filters_who
            asked += wanted
            released.append((request, f"tables[{k}]", filter_id))
    kinds = Kinds(shared.sample, asked, filters)
    events, seen = Events(kinds), set[Any]()
    for request, where, filter_id in released:
        with suppress(StudyError):
            _publish(shared, request, where, filter_id, events, seen)
    for by in margins:
        everybody = kinds.inside(EVERYBODY)
        events.filters[EVERYBODY] = Filter(everybody, frozenset())
        entry = [_variable(kinds, shared.head, name, margin, True, "weightings") for name in by]
        _Block(events, EVERYBODY, everybody, None, entry).release(("count",))
    for inner, outer in _nested(events.filters):
        of_inner = {states: at for (filter_id, states), at in events.ids.items() if filter_id == inner}
        of_outer = {states: at for (filter_id, states), at in events.ids.items() if filter_id == outer}
        # In the order they came in, so that the same study hides the same figures every time.
        for states in (states for states in of_inner if states in of_outer):
            if {of_outer[states], of_inner[states]} <= events.published:
                events.apart[of_outer[states], of_inner[states]] = None
    return events


def _publish(
    shared: SharedCounts, request: TableRequest, where: str, filter_id: str, events: Events, seen: set[Any]
) -> None:
    """One table's events."""
    kinds = events.kinds
    who = kinds.inside(filter_id)
    names = names_in(shared.scope, request.where)
    before = events.filters.get(filter_id)
    events.filters[filter_id] = Filter(who, names if before is None else before.names | names)
    whole = events.add((filter_id, frozenset()), int(kinds.cases[who].sum()))
    events.fixed.add(whole)
    events.published.add(whole)
    for name, entry in product(request.stub, request.entries or ((),)):
        stub = _variable(kinds, shared.head, name, request, False, where)
        across = [_variable(kinds, shared.head, of, request, True, where) for of in entry]
        figures = request.figures_for(shared.head.variable(name).kind)
        shown = tuple(s.name for s in every_statistic() if s.linear and s.name in figures)
        sort = (
            filter_id,
            name,
            stub.nets,
            tuple((v.name, v.codes, v.nets) for v in across),
            shown,
            stub.codes,
        )
        if sort not in seen:
            seen.add(sort)
            _Block(events, filter_id, who, stub, across).release(shown)


def _nested(filters: dict[str, Filter]) -> Iterator[tuple[str, str]]:
    """Pairs of filters of which the first lies within the second."""
    for a, inner in filters.items():
        for b, outer in filters.items():
            if a != b and not np.any(inner.who & ~outer.who):
                yield a, b
