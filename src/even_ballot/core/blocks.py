"""One stub variable against one banner entry: the sums that all its figures are made of."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from even_ballot.core.across import Across, placed
from even_ballot.core.dataset import Bools, Dataset, Floats, Ints
from even_ballot.core.estimates import Sums
from even_ballot.core.faults import fault
from even_ballot.core.nets import NetRow
from even_ballot.core.periods import Period
from even_ballot.core.results import Category, StubHeading
from even_ballot.core.sample import Sample
from even_ballot.core.tallies import Tally


@dataclass(frozen=True)
class Block:
    """One stub variable against one banner entry: cells by unit × row × column, the total column first, (U, R, 1 + C).

    w: Σ w of each row's own cases; base_w: (U, 1, 1 + C), of cases that answered the stub. Each with Σ w² where every case is its
    own PSU, and unweighted counts n. Rows after those of the categories are nets. df: (1 + C,), PSUs less strata among the cases of
    the base. responses: of a several-answer question.
    """

    stub: StubHeading
    across: Across
    w: Floats
    ww: Floats | None
    n: Ints
    base_w: Floats
    base_ww: Floats | None
    base_n: Ints
    df: Ints | None = None
    responses: "Responses | None" = None

    def size(self) -> int:
        """Its sums, in bytes."""
        return self.w.nbytes * (1 if self.ww is None else 2)

    @property
    def categories(self) -> int:
        """Rows without nets."""
        return len(self.stub.categories)

    @property
    def part(self) -> Sums:
        """Every row in every column, (R, 1 + C)."""
        return Sums(self.w, self.ww, self.n)

    @property
    def base(self) -> Sums:
        """Cases of a column that answered the stub, (1, 1 + C)."""
        return Sums(self.base_w, self.base_ww, self.base_n)

    @property
    def inner(self) -> Sums:
        """The rows in the banner's columns without the total, (R, C)."""
        return self.part.at(slice(None), slice(1, None))

    @property
    def apart(self) -> Sums:
        """The rows in the banner's columns that are no nets, (R, C)."""
        return self.inner.at(slice(None), self.across.singles())

    @property
    def answered_row(self) -> Sums:
        """Cases of each row that answered the banner, (R, 1)."""
        return self.apart.over(2)

    @property
    def answered(self) -> Sums:
        """Bases of total per cent, (1, 1 + C): who answered the stub, and in a banner's columns who answered that too."""
        whole, both = self.base.at(slice(None), slice(0, 1)), self.base.at(slice(None), self.across.singles(1)).over(2)
        return whole.beside(both, len(self.across.paths))


@dataclass(frozen=True)
class Responses:
    """Σ w m by unit, m the options a case chose: w, (U, 1, 1 + C); n: unweighted, (1, 1 + C). Where every case is its own PSU also
    Σ w² m and Σ w² m², (U, 1, 1 + C), and Σ w² m · chosen, (U, R, 1 + C)."""

    w: Floats
    n: Ints
    wwm: Floats | None
    wwmm: Floats | None
    chosen: Floats | None


def _laid(t: Tally, over: Across) -> Tally:
    return Tally(over.laid(t.counts), over.laid(t.w), None if t.ww is None else over.laid(t.ww), t.df)


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


def coded_block(sample: Sample, name: str, over: Across, where: str, rows: Rows) -> Block:
    """The block of a coded variable or a date: one pass."""
    data = sample.data
    positions, categories = placed(data, name, rows.dates, where)
    variable = data.variable(name)
    stub = positions if sample.inside is None else np.where(sample.inside, positions, -1).astype(positions.dtype)
    t = _laid(sample.tally(stub, over, len(categories)), over)
    nets = rows.nets(categories)
    heading = StubHeading(name, variable.title, variable.kind, categories, rows.labels(nets))
    base_w, base_n = t.w.sum(1, keepdims=True), t.counts.sum(0, keepdims=True)
    base_ww = None if t.ww is None else t.ww.sum(1, keepdims=True)
    w, n = (_total_row(_netted(x, nets, axis), base, rows.total) for x, axis, base in ((t.w, 1, base_w), (t.counts, 0, base_n)))
    ww = None if t.ww is None else _total_row(_netted(t.ww, nets, 1), base_ww, rows.total)
    return Block(heading, over, w, ww, n, base_w, base_ww, base_n, t.df)


def multi_block(sample: Sample, name: str, over: Across, where: str, rows: Rows) -> Block:
    """The block of a several-answer question: a pass for each option and one for how many were chosen. A net is who chose any."""
    data = sample.data
    variable = data.variable(name, where)
    answered, chosen, categories = several(data, name, where)
    if sample.inside is not None:
        answered = answered & sample.inside
    how_many = np.sum(chosen, axis=0).astype(np.int16)
    k = len(chosen)
    m = np.arange(k + 1)[None, :, None]
    whole = _laid(sample.tally(np.where(answered, how_many, -1).astype(np.int16), over, k + 1), over)
    nets = rows.nets(categories)
    w, ww, n, cross = [], [], [], []
    for option in [*chosen, *(np.logical_or.reduce([chosen[i] for i in net.places]) for net in nets)]:
        index = np.where(answered & option, how_many, -1).astype(np.int16)
        t = _laid(sample.tally(index, over, k + 1), over)
        w.append(t.w.sum(1))
        n.append(t.counts.sum(0))
        if t.ww is not None:
            ww.append(t.ww.sum(1))
            cross.append((t.ww * m).sum(1))
    base_w, base_n = whole.w.sum(1, keepdims=True), whole.counts.sum(0, keepdims=True)
    base_ww = None if whole.ww is None else whole.ww.sum(1, keepdims=True)
    wwm = None if whole.ww is None else (whole.ww * m).sum(1, keepdims=True)
    responses = Responses(
        (whole.w * m).sum(1, keepdims=True),
        (whole.counts * m[0]).sum(0, keepdims=True),
        wwm,
        None if whole.ww is None else (whole.ww * m**2).sum(1, keepdims=True),
        _total_row(np.stack(cross, 1), wwm, rows.total) if cross else None,
    )
    heading = StubHeading(name, variable.title, "multi", categories, rows.labels(nets))
    return Block(
        heading, over, _total_row(np.stack(w, 1), base_w, rows.total),
        _total_row(np.stack(ww, 1), base_ww, rows.total) if ww else None, _total_row(np.stack(n), base_n, rows.total),
        base_w, base_ww, base_n, whole.df, responses,
    )  # fmt: skip


def several(data: Dataset, name: str, where: str) -> tuple[Bools, list[Bools], tuple[Category, ...]]:
    """A several-answer question: who answered it, who chose each option, (n,) each, and its options."""
    variable = data.variable(name, where)
    parts = [data.column(part, where) for part in variable.parts]
    numbers = [data.variable(part).kind in ("number", "coded") for part in variable.parts]
    # A part that nobody chose may be blank throughout, which no kind can be guessed from.
    if not all(known or not column.answered.any() for known, column in zip(numbers, parts, strict=True)):
        raise fault(f"The parts of {name} are not all 0/1 columns.", where, "Read them as numbers first.")
    labels = [data.variable(part).title for part in variable.parts]
    options = variable.options or ()
    categories = tuple(
        Category(options[i].code, options[i].label) if options else Category(i + 1, label) for i, label in enumerate(labels)
    )  # fmt: skip
    answered = np.logical_or.reduce([part.answered for part in parts])
    return answered, [part.answered & (part.values == 1) for part in parts], categories
