"""One stub variable against one banner entry: the sums that all its figures are made of."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from even_ballot.core.dataset import Dataset, Floats, Ints
from even_ballot.core.estimates import Sums
from even_ballot.core.faults import fault
from even_ballot.core.nets import NetRow
from even_ballot.core.results import BannerHeading, Category, StubHeading
from even_ballot.core.sample import Sample
from even_ballot.core.tallies import Tally, in_halves

Path = tuple[int, ...]


@dataclass(frozen=True)
class Across:
    """A banner entry on the cases. index: (n,), column of each case, the last for those without an answer.
    paths: the codes of each column, outermost first."""

    heading: BannerHeading
    index: NDArray[Any]
    paths: tuple[Path, ...]

    @property
    def columns(self) -> int:
        """Columns, that of unanswered cases not counted."""
        return len(self.paths)


def categories_of(data: Dataset, name: str, where: str) -> tuple[Category, ...]:
    """A coded variable's categories as they are shown."""
    data.column(name, where)
    codes, known = data.categories(name)
    return tuple(Category(item.code, item.label, i < known) for i, item in enumerate(codes))


@njit(cache=True, nogil=True)
def _nest(index: Any, positions: Any, width: int, last: bool, unknown: int) -> None:
    """index ← index · width + position, −1 once anything is unknown; at the last step `unknown` in its place."""
    for k in range(index.shape[0]):
        at = np.int64(-1)
        if index[k] >= 0 and positions[k] >= 0:
            at = np.int64(index[k]) * width + positions[k]
        index[k] = unknown if last and at < 0 else at


def _placed(positions: list[NDArray[Any]], widths: list[int], n: int, columns: int) -> NDArray[Any]:
    """Each case's column, the one after the last where a variable of the nest was not answered."""
    dtype = np.int8 if columns < 127 else np.int16 if columns < 32767 else np.int32
    index = np.zeros(n, dtype)

    def part(lo: int, hi: int) -> None:
        for k, (of, width) in enumerate(zip(positions, widths, strict=True)):
            _nest(index[lo:hi], of[lo:hi], width, k == len(positions) - 1, columns)

    in_halves(n, part)
    return index


def across(data: Dataset, entry: tuple[str, ...], where: str) -> Across:
    """Lays a banner entry on the cases; an entry of no variables has only the unanswered column, which is everybody."""
    for name in entry:
        kind = data.variable(name, where).kind
        if kind != "coded":
            raise fault(f"{name} is a {kind}; a banner is made of coded variables.", where, "Code or band it first.")
    categories = tuple(categories_of(data, name, where) for name in entry)
    paths: list[Path] = [()] if entry else []
    for of_variable in categories:
        paths = [(*path, c.code) for path in paths for c in of_variable]
    placed = _placed([data.positions(name) for name in entry], [len(c) for c in categories], data.n, len(paths))
    titles = tuple(data.variable(name).title for name in entry)
    return Across(BannerHeading(entry, titles, categories), placed, tuple(paths))


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
    def answered_row(self) -> Sums:
        """Cases of each row that answered the banner, (R, 1)."""
        return self.inner.over(2)

    @property
    def answered(self) -> Sums:
        """Bases of total per cent, (1, 1 + C): who answered the stub, and in a banner's columns who answered that too."""
        whole, both = self.base.at(slice(None), slice(0, 1)), self.base.at(slice(None), slice(1, None)).over(2)
        return whole.beside(both, self.across.columns)


@dataclass(frozen=True)
class Responses:
    """Σ w m by unit, m the options a case chose: w, (U, 1, 1 + C); n: unweighted, (1, 1 + C). Where every case is its own PSU also
    Σ w² m and Σ w² m², (U, 1, 1 + C), and Σ w² m · chosen, (U, R, 1 + C)."""

    w: Floats
    n: Ints
    wwm: Floats | None
    wwmm: Floats | None
    chosen: Floats | None


def columns_of(x: Any) -> Any:
    """Columns of a tally, the last that of cases without an answer in the banner, as the total column and the others."""
    return np.concatenate([x.sum(-1, keepdims=True), x[..., :-1]], -1)


def _laid(t: Tally) -> Tally:
    return Tally(columns_of(t.counts), columns_of(t.w), None if t.ww is None else columns_of(t.ww), t.df)


def _netted(x: Any, nets: Sequence[NetRow], axis: int) -> Any:
    """Rows of categories with those of nets below."""
    if not nets:
        return x
    return np.concatenate([x, *(x.take(net.places, axis).sum(axis, keepdims=True) for net in nets)], axis)


NetsOf = Callable[[Sequence[Category]], tuple[NetRow, ...]]


def coded_block(sample: Sample, name: str, over: Across, where: str, nets_of: NetsOf = lambda _: ()) -> Block:
    """The block of a coded variable: one pass."""
    data = sample.data
    categories = categories_of(data, name, where)
    positions = data.positions(name)
    stub = positions if sample.inside is None else np.where(sample.inside, positions, -1).astype(positions.dtype)
    t = _laid(sample.tally(stub, over.index, len(categories), over.columns + 1))
    nets = nets_of(categories)
    heading = StubHeading(name, data.variable(name).title, "coded", categories, tuple(net.label for net in nets))
    base_ww = None if t.ww is None else t.ww.sum(1, keepdims=True)
    return Block(
        heading, over, _netted(t.w, nets, 1), None if t.ww is None else _netted(t.ww, nets, 1), _netted(t.counts, nets, 0),
        t.w.sum(1, keepdims=True), base_ww, t.counts.sum(0, keepdims=True), t.df,
    )  # fmt: skip


def multi_block(sample: Sample, name: str, over: Across, where: str, nets_of: NetsOf = lambda _: ()) -> Block:
    """The block of a several-answer question: a pass for each option and one for how many were chosen. A net is who chose any."""
    data = sample.data
    variable = data.variable(name, where)
    parts = [data.column(part, where) for part in variable.parts]
    numbers = [data.variable(part).kind in ("number", "coded") for part in variable.parts]
    # A part that nobody chose may be blank throughout, which no kind can be guessed from.
    if not all(known or not column.answered.any() for known, column in zip(numbers, parts, strict=True)):
        raise fault(f"The parts of {name} are not all 0/1 columns.", where, "Read them as numbers first.")
    answered = np.logical_or.reduce([part.answered for part in parts])
    if sample.inside is not None:
        answered = answered & sample.inside
    chosen = [part.answered & (part.values == 1) for part in parts]
    how_many = np.sum(chosen, axis=0).astype(np.int16)
    k = len(parts)
    m = np.arange(k + 1)[None, :, None]
    whole = _laid(sample.tally(np.where(answered, how_many, -1).astype(np.int16), over.index, k + 1, over.columns + 1))
    labels = [data.variable(part).title for part in variable.parts]
    options = variable.options or ()
    categories = tuple(
        Category(options[i].code, options[i].label) if options else Category(i + 1, labels[i]) for i in range(k)
    )  # fmt: skip
    nets = nets_of(categories)
    w, ww, n, cross = [], [], [], []
    for option in [*chosen, *(np.logical_or.reduce([chosen[i] for i in net.places]) for net in nets)]:
        index = np.where(answered & option, how_many, -1).astype(np.int16)
        t = _laid(sample.tally(index, over.index, k + 1, over.columns + 1))
        w.append(t.w.sum(1))
        n.append(t.counts.sum(0))
        if t.ww is not None:
            ww.append(t.ww.sum(1))
            cross.append((t.ww * m).sum(1))
    responses = Responses(
        (whole.w * m).sum(1, keepdims=True),
        (whole.counts * m[0]).sum(0, keepdims=True),
        None if whole.ww is None else (whole.ww * m).sum(1, keepdims=True),
        None if whole.ww is None else (whole.ww * m**2).sum(1, keepdims=True),
        np.stack(cross, 1) if cross else None,
    )
    base_ww = None if whole.ww is None else whole.ww.sum(1, keepdims=True)
    heading = StubHeading(name, variable.title, "multi", categories, tuple(net.label for net in nets))
    return Block(
        heading, over, np.stack(w, 1), np.stack(ww, 1) if ww else None,
        np.stack(n), whole.w.sum(1, keepdims=True), base_ww, whole.counts.sum(0, keepdims=True), whole.df, responses,
    )  # fmt: skip
