"""One stub variable against one banner entry: the sums that all its figures are made of."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.categories import Category
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.periods import Period
from even_ballot.core.estimation.estimates import Sums
from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.parts import kept
from even_ballot.core.sampling.finishing import Tallied, degrees
from even_ballot.core.tables.banner import BannerColumns, placed
from even_ballot.core.tables.nets import NetRow
from even_ballot.core.tables.results import StubHeading
from even_ballot.core.tables.stubs.domain import Domain


@dataclass(frozen=True)
class CategoryCounts:
    """One stub variable against one banner entry: cells by unit × row × column, the total column first, (U,
    R, 1 + C).

    part: each row's own cases, (R, 1 + C); base: cases that answered the stub, (1, 1 + C). Rows after
    those of the categories are nets. both: of each row, then of all, who answered the banner too, (R + 1,
    1). df: PSUs less strata among the cases of each base. responses: of a several-answer question.
    """

    stub: StubHeading
    banner: BannerColumns
    part: Sums
    base: Sums
    both: Sums
    df: "Degrees"
    responses: "Responses | None" = None

    def size(self) -> int:
        """Its sums, in bytes."""
        return self.part.w.nbytes + (0 if self.part.own is None else self.part.own.nbytes)

    @property
    def categories(self) -> int:
        """Rows without nets."""
        return len(self.stub.categories)

    @property
    def inner(self) -> Sums:
        """The rows in the banner's columns without the total, (R, C)."""
        return self.part.at(slice(None), slice(1, None))

    @property
    def apart(self) -> Sums:
        """The rows in the banner's columns that are no nets, (R, C)."""
        return self.inner.at(slice(None), self.banner.singles())

    @property
    def answered_row(self) -> Sums:
        """Cases of each row that answered the banner, (R, 1)."""
        return self.both.at(slice(0, self.part.w.shape[1]))

    @property
    def answered(self) -> Sums:
        """Bases of total per cent, (1, 1 + C): who answered the stub, and in a banner's columns who
        answered that too."""
        return self.base.at(slice(None), slice(0, 1)).beside(
            self.both.at(slice(-1, None)), len(self.banner.paths)
        )


@dataclass(frozen=True)
class Degrees:
    """PSUs less strata among the cases of bases: of a column (1 + C,); of a row among those who answered
    the banner (R,); of all who answered both; of a column's responses (1 + C,)."""

    column: Ints
    row: Ints
    both: int
    responses: Ints | None = None

    @property
    def total(self) -> Ints:
        """Of the bases of total per cent, (1 + C,)."""
        return np.append(self.column[:1], np.full(len(self.column) - 1, self.both))


@dataclass(frozen=True)
class Responses:
    """Σ w m by unit, m the options a case chose: w, (U, 1, 1 + C); n: unweighted, (1, 1 + C). Where every
    case is its own PSU also the cases by m: whole, (3 U, M, 1, 1 + C), and chosen, (3 U, M, R, 1 + C),
    those who chose an option."""

    w: Floats
    n: Ints
    whole: Floats | None
    chosen: Floats | None


def _laid(t: Tallied, over: BannerColumns) -> Tallied:
    """A tally with the total column and the others in place of the banner's categories."""
    own = None if t.own is None else over.laid(t.own)
    return Tallied(over.laid(t.counts), over.laid(t.w), own, t.present)


def _answered(present: Any) -> Any:
    """PSUs with cases that answered the banner, over its columns, (…); present: (…, C)."""
    return present[..., :-1].sum(-1)


def _netted(x: Any, nets: Sequence[NetRow], axis: int) -> Any:
    """Rows of categories with those of nets below."""
    if not nets:
        return x
    return np.concatenate([x, *(x.take(net.places, axis).sum(axis, keepdims=True) for net in nets)], axis)


def _total_row(own: Any, base: Any, wanted: bool) -> Any:
    """Rows with that of all who answered below."""
    return np.concatenate([own, base], -2) if wanted else own


ALL = "All"
"""The label of the row of all who answered."""


@dataclass(frozen=True)
class Rows:
    """What rows a stub variable has beside its categories: nets, and one of all who answered."""

    nets: Callable[[Sequence[Category]], tuple[NetRow, ...]] = lambda _: ()
    total: bool = False
    dates: Period = "month"

    def labels(self, nets: Sequence[NetRow]) -> tuple[str, ...]:
        """What they are called."""
        return (*(net.label for net in nets), *((ALL,) if self.total else ()))


def _finished(own: Sums, base: Sums, nets: Sequence[NetRow], total: bool) -> Sums:
    """Rows of categories with those of nets, and of all who answered, below."""

    def laid(x: Any, below: Any, axis: int) -> Any:
        return _total_row(_netted(x, nets, axis), below, total)

    cases = None if own.own is None else laid(own.own, base.own, 1)
    return Sums(laid(own.w, base.w, 1), cases, laid(own.n, base.n, 0))


def coded_block(domain: Domain, name: str, over: BannerColumns, where: str, rows: Rows) -> CategoryCounts:
    """The block of a coded variable or a date: one pass.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.banner import everybody
    >>> sample = sampled(ferry(), Design(), "w")
    >>> coded_block(Domain(sample, None), "crosses", everybody(sample), "", Rows()).part.n.ravel().tolist()
    [1, 2, 3]
    """
    found = domain.sample.each(lambda part: placed(part.data, name, rows.dates, where))
    categories = found[0][1]
    variable = domain.sample.head.variable(name)
    places = kept(domain.sample.merge, (positions for positions, _ in found))
    whole = domain.tally(domain.stub(places), over, len(categories))
    t = _laid(whole, over)
    nets = rows.nets(categories)
    heading = StubHeading(name, variable.title, variable.kind, categories, rows.labels(nets))
    cells, both = Sums(t.w, t.own, t.counts), _both(whole)
    present = np.asarray(t.present, np.float64)
    row, everybody = _netted(_answered(present), nets, 1), _answered(present).sum(1)
    row = np.column_stack([row, everybody]) if rows.total else row
    df = _degrees(over.laid(present.sum(1)), row, everybody, domain)
    base = cells.over(1)
    of_both = _under(_finished(both, both.over(1), nets, rows.total), both.over(1))
    return CategoryCounts(heading, over, _finished(cells, base, nets, rows.total), base, of_both, df)


def _both(t: Tallied) -> Sums:
    """Each row's cases that answered the banner, (R, 1), from a tally of its categories."""
    own = None if t.own is None else t.own[..., :-1].sum(-1, keepdims=True)
    return Sums(t.w[..., :-1].sum(-1, keepdims=True), own, t.counts[..., :-1].sum(-1, keepdims=True))


def _under(rows: Sums, last: Sums) -> Sums:
    """Rows with another one below, (R + 1, C)."""
    own = None if rows.own is None or last.own is None else np.concatenate([rows.own, last.own], 1)
    return Sums(np.concatenate([rows.w, last.w], 1), own, np.concatenate([rows.n, last.n]))


def _degrees(column: Any, row: Any, both: Any, domain: Domain, responses: Any = None) -> Degrees:
    """Of PSUs with cases of each base, by unit on the first axis."""
    units = domain.units
    of_responses = None if responses is None else degrees(responses, units)
    return Degrees(degrees(column, units), degrees(row, units), int(degrees(both, units)), of_responses)


def multi_block(domain: Domain, name: str, over: BannerColumns, where: str, rows: Rows) -> CategoryCounts:
    """The block of a several-answer question: a pass for each option and one for how many were chosen. A
    net is who chose any.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> from even_ballot.core.tables.banner import everybody
    >>> sample = sampled(ferry(), Design(), "w")
    >>> multi_block(Domain(sample, None), "why", everybody(sample), "", Rows()).part.n.ravel().tolist()
    [4, 3]
    """
    variable = domain.sample.head.variable(name, where)
    found = domain.sample.each(lambda part: several(part.data, name, where))
    categories = found[0].options
    k = len(categories)
    m = np.arange(k + 1)[None, :, None]
    merge = domain.sample.merge
    numbers = domain.stub(kept(merge, (of.how_many for of in found)))
    first = domain.tally(numbers, over, k + 1)
    whole, everybody = _laid(first, over), _both(first).over(1)
    nets = rows.nets(categories)
    every = Sums(whole.w, whole.own, whole.counts)
    options, by_number, present, answered_both = [], [], [], []
    for places in [*(np.array([i]) for i in range(k)), *(net.places for net in nets)]:
        stub = (
            np.where(several_of.any_of(places), number, -1).astype(np.int16)
            for several_of, number in zip(found, numbers, strict=True)
        )
        of = domain.tally(kept(merge, stub), over, k + 1)
        t = _laid(of, over)
        answered_both.append(_both(of).over(1))
        options.append(Sums(t.w, t.own, t.counts).over(1))
        by_number.append(t.own)
        present.append(_answered(np.asarray(t.present, np.float64)).sum(1))
    base = every.over(1)
    part, both = reduce(_under, options), reduce(_under, answered_both)
    there = np.asarray(whole.present, np.float64)
    all_of = _answered(there).sum(1)
    row = np.stack([*present, *([all_of] if rows.total else [])], 1)
    df = _degrees(over.laid(there.sum(1)), row, all_of, domain, over.laid(there[:, 1:].sum(1)))
    own = [of for of in by_number[:k] if of is not None]
    responses = Responses(
        (whole.w * m).sum(1, keepdims=True),
        (whole.counts * m[0]).sum(0, keepdims=True),
        None if whole.own is None else whole.own[:, :, None],
        np.stack(own, 2) if own else None,
    )
    heading = StubHeading(name, variable.title, "multi", categories, rows.labels(nets))
    of_both = _under(_finished(both, everybody, (), rows.total), everybody)
    return CategoryCounts(heading, over, _finished(part, base, (), rows.total), base, of_both, df, responses)


@dataclass(frozen=True)
class SeveralAnswers:
    """A several-answer question on the cases of a part: who answered it, who chose each option, (n,) each."""

    answered: Bools
    chosen: tuple[Bools, ...]
    options: tuple[Category, ...]

    @property
    def how_many(self) -> NDArray[np.int16]:
        """How many options each case chose, (n,), −1 unanswered."""
        return np.where(self.answered, np.sum(self.chosen, axis=0), -1).astype(np.int16)

    def any_of(self, places: Ints) -> Bools:
        """Who chose any of some options, (n,)."""
        return np.asarray(np.logical_or.reduce([self.chosen[i] for i in places]))


def several(data: Dataset, name: str, where: str) -> SeveralAnswers:
    """A several-answer question on the cases of a part.

    >>> from even_ballot.core.data.example import ferry
    >>> answers = several(ferry(), "why", "")
    >>> answers.how_many.tolist(), [option.label for option in answers.options]
    ([2, 1, 1, 1, 1, 0, 1, -1], ['to_work', 'to_shop'])
    """
    variable = data.variable(name, where)
    parts = [data.column(part, where) for part in variable.parts]
    numbers = [data.variable(part).kind in ("number", "coded") for part in variable.parts]
    # A part that nobody chose may be blank throughout, which no kind can be guessed from.
    if not all(known or not column.answered.any() for known, column in zip(numbers, parts, strict=True)):
        raise fault(f"The parts of {name} are not all 0/1 columns.", where, "Read them as numbers first.")
    labels = [data.variable(part).title for part in variable.parts]
    options = variable.options or ()
    categories = tuple(
        Category(options[i].code, options[i].label) if options else Category(i + 1, label)
        for i, label in enumerate(labels)
    )
    answered = np.logical_or.reduce([part.answered for part in parts])
    return SeveralAnswers(answered, tuple(part.answered & (part.values == 1) for part in parts), categories)
