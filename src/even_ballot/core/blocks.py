"""One stub variable against one banner entry: the sums that all its figures are made of."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.dataset import Bools, Dataset, Floats, Ints
from even_ballot.core.design import Units
from even_ballot.core.estimates import Sums
from even_ballot.core.faults import fault
from even_ballot.core.results import BannerHeading, Category, StubHeading
from even_ballot.core.tallies import tally

Path = tuple[int, ...]


@dataclass(frozen=True)
class Sample:
    """The cases a table is made of: their design, weight and (for one filter) which of them count."""

    data: Dataset
    units: Units
    weight: Floats
    inside: Bools | None

    @property
    def who(self) -> Bools:
        """Cases in the filter, those of weight 0 left out."""
        return self.weight > 0 if self.inside is None else self.inside & (self.weight > 0)


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


def across(data: Dataset, entry: tuple[str, ...], where: str) -> Across:
    """Lays a banner entry on the cases; an entry of no variables has only the unanswered column, which is everybody."""
    for name in entry:
        kind = data.variable(name, where).kind
        if kind != "coded":
            raise fault(f"{name} is a {kind}; a banner is made of coded variables.", where, "Code or band it first.")
    categories = tuple(categories_of(data, name, where) for name in entry)
    paths: list[Path] = [()]
    index = np.zeros(data.n, np.int64)
    known = np.ones(data.n if entry else 1, np.bool_)
    for name, of_variable in zip(entry, categories, strict=True):
        paths = [(*path, c.code) for path in paths for c in of_variable]
        positions = data.positions(name)
        index = index * len(of_variable) + positions
        known = known & (positions >= 0)
    if not entry:
        paths = []
    dtype = np.int8 if len(paths) < 127 else np.int32
    placed = np.where(known, index, len(paths)).astype(dtype)
    titles = tuple(data.variable(name).title for name in entry)
    return Across(BannerHeading(entry, titles, categories), placed, tuple(paths))


@dataclass(frozen=True)
class Block:
    """Cells by unit × row × column (the last column: no answer in the banner).

    part: each row's own cases. base: (U, 1 or R, C), cases that answered the stub. responses: of a several-answer
    question, Σ w times the options a case chose; cross: Σ w² (chosen · number chosen), where every case is a PSU.
    Everything with its squares (Σ w²) where every case is its own PSU, and unweighted counts.
    """

    stub: StubHeading
    across: Across
    w: Floats
    ww: Floats | None
    n: Ints
    base_w: Floats
    base_ww: Floats | None
    base_n: Ints
    responses: "Responses | None" = None

    @property
    def rows(self) -> int:
        return int(self.w.shape[1])

    def part(self, row: int | None, column: int | None) -> Sums:
        """Sums of one row (None: all rows as columns) in one column (None: the total column)."""
        at: Any = slice(None) if row is None else slice(row, row + 1)
        return Sums(_column(self.w[:, at], column), _maybe(self.ww, at, column), _column(self.n[None, at], column)[0])

    def base(self, column: int | None) -> Sums:
        """Cases of a column (None: everybody) that answered the stub, as one sum."""
        all_rows = slice(None)
        return Sums(
            _column(self.base_w, column), _maybe(self.base_ww, all_rows, column), _column(self.base_n[None], column)[0]
        )  # fmt: skip

    def answered_row(self, row: int) -> Sums:
        """Cases of one row that answered the banner."""
        c = self.across.columns
        ww = None if self.ww is None else self.ww[:, row : row + 1, :c].sum(2)
        return Sums(self.w[:, row : row + 1, :c].sum(2), ww, self.n[row : row + 1, :c].sum(1))

    def answered_all(self) -> Sums:
        """Cases that answered stub and banner."""
        c = self.across.columns
        ww = None if self.base_ww is None else self.base_ww[:, :, :c].sum(2)
        return Sums(self.base_w[:, :, :c].sum(2), ww, self.base_n[:, :c].sum(1))


@dataclass(frozen=True)
class Responses:
    """Σ w m by unit, m the options a case chose: w, (U, 1, C); n: unweighted, (1, C). mm: Σ w² m², (U, 1, C), and
    cross: Σ w² m · chosen, (U, R, C), where every case is its own PSU."""

    w: Floats
    n: Ints
    mm: Floats | None
    cross: Floats | None

    def at(self, column: int | None) -> tuple[Floats, Ints, Floats | None, Floats | None]:
        """All four in one column (None: the total)."""
        every = slice(None)
        return (
            _column(self.w, column),
            _column(self.n[None], column)[0],
            _maybe(self.mm, every, column),
            _maybe(self.cross, every, column),
        )


def _column(x: Any, column: int | None) -> Any:
    return x.sum(2) if column is None else x[:, :, column]


def _maybe(x: Floats | None, rows: Any, column: int | None) -> Floats | None:
    if x is None:
        return None
    return np.asarray(_column(x[:, rows], column))


def coded_block(sample: Sample, name: str, over: Across, where: str) -> Block:
    """The block of a coded variable: one pass."""
    data, units = sample.data, sample.units
    categories = categories_of(data, name, where)
    positions = data.positions(name)
    stub = positions if sample.inside is None else np.where(sample.inside, positions, -1).astype(positions.dtype)
    shape = (units.rows, len(categories), over.columns + 1)
    t = tally(stub, over.index, units.unit, sample.weight, shape, units.own)
    heading = StubHeading(name, data.variable(name).title, "coded", categories)
    base_ww = None if t.ww is None else t.ww.sum(1, keepdims=True)
    return Block(heading, over, t.w, t.ww, t.counts, t.w.sum(1, keepdims=True), base_ww, t.counts.sum(0, keepdims=True))


def multi_block(sample: Sample, name: str, over: Across, where: str) -> Block:
    """The block of a several-answer question: a pass for each option and one for how many were chosen."""
    data, units = sample.data, sample.units
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
    shape = (units.rows, k + 1, over.columns + 1)
    m = np.arange(k + 1)[None, :, None]
    whole = tally(np.where(answered, how_many, -1).astype(np.int16), over.index, units.unit, sample.weight, shape, units.own)
    w, ww, n, cross = [], [], [], []
    for option in chosen:
        index = np.where(answered & option, how_many, -1).astype(np.int16)
        t = tally(index, over.index, units.unit, sample.weight, shape, units.own)
        w.append(t.w.sum(1))
        n.append(t.counts.sum(0))
        if t.ww is not None:
            ww.append(t.ww.sum(1))
            cross.append((t.ww * m).sum(1))
    labels = [data.variable(part).title for part in variable.parts]
    options = variable.options or ()
    categories = tuple(
        Category(options[i].code, options[i].label) if options else Category(i + 1, labels[i]) for i in range(k)
    )  # fmt: skip
    responses = Responses(
        (whole.w * m).sum(1, keepdims=True),
        (whole.counts * m[0]).sum(0, keepdims=True),
        None if whole.ww is None else (whole.ww * m**2).sum(1, keepdims=True),
        np.stack(cross, 1) if cross else None,
    )
    base_ww = None if whole.ww is None else whole.ww.sum(1, keepdims=True)
    return Block(
        StubHeading(name, variable.title, "multi", categories), over, np.stack(w, 1), np.stack(ww, 1) if ww else None,
        np.stack(n), whole.w.sum(1, keepdims=True), base_ww, whole.counts.sum(0, keepdims=True), responses,
    )  # fmt: skip
