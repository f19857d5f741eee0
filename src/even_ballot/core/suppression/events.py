"""What the tables of a study publish: groups of cases, how many are in each, and which add up to which.

An event is a group of cases: those of one filter that have a certain state on each of some variables. A state is a code, a set of
codes or of options (a net), ANSWERED, or UNANSWERED. A variable that an event does not name may have any state.
"""

from collections.abc import Hashable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from itertools import product
from typing import Any

import numpy as np

from even_ballot.core.across import placed
from even_ballot.core.blocks import several
from even_ballot.core.dataset import Bools, Ints
from even_ballot.core.faults import StudyError
from even_ballot.core.nets import NetRow, banner_nets, net_rows
from even_ballot.core.passes import Passes
from even_ballot.core.request import TableRequest

State = Hashable
ANSWERED, UNANSWERED, RESPONSES, FREE = "answered", "unanswered", "responses", None
"""FREE stands for a variable that an event does not name."""

Key = tuple[str, frozenset[tuple[str, State]]]


def net_state(codes: Sequence[State]) -> State:
    """A net by what is in it, so that two tables' nets of the same codes are one."""
    return ("net", frozenset(codes))


@dataclass
class Events:
    """value[i]: cases of event i; published: those a table shows; relations: events and coefficients that sum to 0, each with the
    block it comes from; ids: by key. fixed: events that everybody knows, unless they are small; implied: groups
    that no table shows and that are the difference of two that tables do."""

    ids: dict[Key, int] = field(default_factory=dict)
    value: list[int] = field(default_factory=list)
    published: set[int] = field(default_factory=set)
    fixed: set[int] = field(default_factory=set)
    implied: set[int] = field(default_factory=set)
    relations: list[tuple[tuple[int, ...], tuple[int, ...], int]] = field(default_factory=list)
    blocks: int = 0

    def add(self, key: Key, value: int) -> int:
        """An event's place."""
        if key not in self.ids:
            self.ids[key] = len(self.value)
            self.value.append(value)
        return self.ids[key]

    def slack(self, value: int) -> int:
        """A group that no table shows."""
        self.value.append(value)
        return len(self.value) - 1

    def sums(self, whole: int, parts: Sequence[int]) -> None:
        """whole = Σ parts."""
        if [whole] != list(parts):
            self.relations.append(((whole, *parts), (1, *(-1 for _ in parts)), self.blocks))


@dataclass(frozen=True)
class _Variable:
    """A variable of a block: its states, each with who has it (n,), categories first; nets: state and the states it holds."""

    name: str
    codes: tuple[State, ...]
    members: tuple[Bools, ...]
    answered: Bools
    nets: tuple[tuple[State, tuple[State, ...]], ...]
    several: bool = False


def key_of(filter_id: str, states: Sequence[tuple[str, State]]) -> Key:
    """An event by its filter and the states of the variables it names."""
    return filter_id, frozenset((name, state) for name, state in states if state is not FREE)


def _nets(rows: Sequence[NetRow], codes: Sequence[State]) -> tuple[tuple[State, tuple[State, ...]], ...]:
    of = [tuple(codes[i] for i in row.places) for row in rows]
    return tuple((net_state(members), members) for members in of)


def _variable(passes: Passes, name: str, request: TableRequest, banner: bool, where: str) -> _Variable:
    data = passes.data
    variable = data.variable(name, where)
    if variable.kind == "number":
        return _Variable(name, (), (), data.column(name).answered, ())
    if variable.kind == "multi":
        answered, chosen, categories = several(data, name, where)
        rows = net_rows(request.nets, name, categories, request.stub, where)
        codes: tuple[State, ...] = tuple(c.code for c in categories)
        return _Variable(name, codes, tuple(answered & of for of in chosen), answered, _nets(rows, codes), True)
    at, categories = placed(data, name, request.dates, where)
    rows = (
        banner_nets(request.nets, name, categories, request.entries, where)
        if banner
        else net_rows(request.nets, name, categories, request.stub, where)
    )
    # Periods of dates are told apart by what they are periods of.
    codes = tuple((request.dates, c.code) if variable.kind == "date" else c.code for c in categories)
    members = tuple(at == k for k in range(len(codes)))
    return _Variable(name, codes, members, at >= 0, _nets(rows, codes))


class _Block:
    """One stub variable against one banner entry, everything in it counted."""

    def __init__(self, events: Events, filter_id: str, who: Bools, stub: _Variable, entry: Sequence[_Variable]) -> None:
        self.events, self.filter_id, self.stub, self.entry = events, filter_id, stub, entry
        events.blocks += 1
        self.states = [(*v.codes, UNANSWERED) for v in entry]
        index = np.zeros(len(who), np.int64)
        for variable in entry:
            at = np.full(len(who), len(variable.codes))
            for k, members in enumerate(variable.members):
                at[members] = k
            index = index * (len(variable.codes) + 1) + at
        self.shape = tuple(len(states) for states in self.states)
        self.size = int(np.prod(self.shape)) if self.shape else 1
        rows: dict[State, Ints] = {FREE: self._count(index, who)}
        rows[ANSWERED] = self._count(index, who & stub.answered)
        for code, members in zip(stub.codes, stub.members, strict=True):
            rows[code] = self._count(index, who & members)
        for net, of in stub.nets:
            any_of = np.logical_or.reduce([stub.members[stub.codes.index(code)] for code in of])
            rows[net] = self._count(index, who & any_of)
        self.rows = rows

    def _count(self, index: Ints, who: Bools) -> Any:
        return np.bincount(index[who], minlength=self.size).reshape(self.shape)

    def _levels(self, at: int) -> list[tuple[State, list[int]]]:
        """States of a banner variable with the places that have them: its codes and unanswered, its nets, and any."""
        places: list[tuple[State, list[int]]] = [(state, [k]) for k, state in enumerate(self.states[at])]
        codes = self.entry[at].codes
        nets = [(net, [codes.index(code) for code in of]) for net, of in self.entry[at].nets]
        return [*places, *nets, (ANSWERED, list(range(len(codes)))), (FREE, list(range(len(codes) + 1)))]

    def event(self, row: State, column: Sequence[State], levels: Sequence[dict[State, list[int]]]) -> int:
        """The event of a row and a column."""
        states = [(self.stub.name, row), *((v.name, s) for v, s in zip(self.entry, column, strict=True))]
        counts = self.rows[row]
        for axis, state in enumerate(column):
            counts = counts.take(levels[axis][state], axis).sum(axis, keepdims=True)
        return self.events.add(key_of(self.filter_id, states), int(counts.sum()))

    def relate(self, shown: Sequence[str]) -> None:
        """Every event of the block, which of them are published, and how they add up."""
        events, stub = self.events, self.stub
        levels = [dict(self._levels(k)) for k in range(len(self.entry))]
        for column in product(*levels):
            of = {row: self.event(row, column, levels) for row in self.rows}
            silent = events.slack(events.value[of[FREE]] - events.value[of[ANSWERED]])
            events.sums(of[FREE], [of[ANSWERED], silent])
            if not stub.several and stub.codes:
                events.sums(of[ANSWERED], [of[code] for code in stub.codes])
                for net, members in stub.nets:
                    events.sums(of[net], [of[code] for code in members])
            elif stub.several:
                self._options(of, column, shown)
            if self._shown(column):
                events.published |= {of[row] for row in self.rows if row is not FREE}
        for axis, level in enumerate(levels):
            others = [list(of) if k != axis else [FREE] for k, of in enumerate(levels)]
            for row, rest in product(self.rows, product(*others)):
                at = {s: self.event(row, (*rest[:axis], s, *rest[axis + 1 :]), levels) for s in level}
                codes = [at[code] for code in self.entry[axis].codes]
                events.sums(at[ANSWERED], codes)
                events.sums(at[FREE], [at[ANSWERED], at[UNANSWERED]])
                for net, members in self.entry[axis].nets:
                    events.sums(at[net], [at[code] for code in members])
        if "row_pct" in shown or "total_pct" in shown:
            answered = [ANSWERED for _ in self.entry]
            events.published |= {self.event(row, answered, levels) for row in self.rows if row is not FREE}

    def _shown(self, column: Sequence[State]) -> bool:
        """Whether a table has this column: all of the nest, or none of it."""
        named = [state not in (FREE, UNANSWERED, ANSWERED) for state in column]
        return all(named) or all(state is FREE for state in column)

    def _options(self, of: dict[State, int], column: Sequence[State], shown: Sequence[str]) -> None:
        """Options of a several-answer question are each within those who answered; a net holds each of its own and no more than
        their sum; where per cent of responses are shown, all together are known."""
        events, value = self.events, self.events.value
        for code in self.stub.codes:
            events.sums(of[ANSWERED], [of[code], events.slack(value[of[ANSWERED]] - value[of[code]])])
        for net, members in self.stub.nets:
            for code in members:
                events.sums(of[net], [of[code], events.slack(value[of[net]] - value[of[code]])])
            more = events.slack(sum(value[of[code]] for code in members) - value[of[net]])
            together = events.slack(sum(value[of[code]] for code in members))
            events.sums(together, [of[code] for code in members])
            events.sums(together, [of[net], more])
        if "response_pct" in shown:
            states = [(self.stub.name, RESPONSES), *((v.name, s) for v, s in zip(self.entry, column, strict=True))]
            whole = events.add(key_of(self.filter_id, states), sum(value[of[code]] for code in self.stub.codes))
            events.sums(whole, [of[code] for code in self.stub.codes])
            if self._shown(column):
                events.published.add(whole)


def filter_of(passes: Passes, request: TableRequest, where: str) -> tuple[str, Bools]:
    """A table's filter by the cases it takes, so that two ways to say the same are one; and who they are."""
    who = passes.sample(request.where, where).who
    return str(hash(who.tobytes())), who


def events_of(passes: Passes, requests: Sequence[TableRequest]) -> Events:
    """Everything that tables publish, and how it adds up: within each table, between tables, and between filters of which one
    holds the other."""
    events, filters, seen = Events(), dict[str, Bools](), set[Any]()
    for k, request in enumerate(requests):
        # A table that cannot be counted publishes nothing.
        with suppress(StudyError):
            _publish(passes, request, f"tables[{k}]", events, filters, seen)
    for inner, outer in _nested(filters):
        of_inner = {states: at for (filter_id, states), at in events.ids.items() if filter_id == inner}
        of_outer = {states: at for (filter_id, states), at in events.ids.items() if filter_id == outer}
        events.blocks += 1
        # In the order they came in, so that the same study hides the same figures every time.
        for states in (states for states in of_inner if states in of_outer):
            a, b = of_outer[states], of_inner[states]
            rest = events.slack(events.value[a] - events.value[b])
            events.sums(a, [b, rest])
            if a in events.published and b in events.published:
                events.implied.add(rest)
    return events


def _publish(passes: Passes, request: TableRequest, where: str, events: Events, filters: dict[str, Bools], seen: set[Any]) -> None:
    """One table's events."""
    filter_id, who = filter_of(passes, request, f"{where}.where")
    filters[filter_id] = who
    whole = events.add((filter_id, frozenset()), int(who.sum()))
    events.fixed.add(whole)
    events.published.add(whole)
    for name, entry in product(request.stub, request.entries or ((),)):
        stub = _variable(passes, name, request, False, where)
        across = [_variable(passes, of, request, True, where) for of in entry]
        shown = tuple(s for s in ("row_pct", "total_pct", "response_pct") if s in request.show)
        sort = (filter_id, name, stub.nets, tuple((v.name, v.codes, v.nets) for v in across), shown, stub.codes)
        if sort not in seen:
            seen.add(sort)
            _Block(events, filter_id, who, stub, across).relate(shown)


def _nested(filters: dict[str, Bools]) -> Iterator[tuple[str, str]]:
    """Pairs of filters of which the first lies within the second."""
    for a, inner in filters.items():
        for b, outer in filters.items():
            if a != b and not np.any(inner & ~outer):
                yield a, b
