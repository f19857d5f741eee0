"""Steps that set cases aside."""

import secrets
from collections.abc import Sequence
from functools import partial
from hashlib import blake2b
from typing import Literal, Self
from zlib import crc32

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from even_ballot.core.data.dataset import ANSWERED, BLANK, UNPLACED, Column, Dataset
from even_ballot.core.data.formulas import Formula
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.step import Apply, Outcome, Reach, Step, Tables
from even_ballot.core.model import Model
from even_ballot.core.numerics.arrays import Bools, Ints
from even_ballot.core.numerics.grouping import alike
from even_ballot.core.numerics.parts import Merge, kept
from even_ballot.core.numerics.recurring import Compared, Keyed, Preferred, digests, keys, recurring


class Ids(Model):
    """Cases named by the values of an identifying variable."""

    variable: str
    among: tuple[int | str, ...] = Field(alias="in")


class Duplicates(Model):
    """Cases alike in all of these variables, answers and codes that mean none alike; one of each is kept.
    at_least: how many of them a case must have answered to be compared."""

    of: tuple[str, ...]
    keep: Literal["first", "last", "fullest"] = "first"
    at_least: int = Field(default=1, ge=1)


def _columns(data: Dataset, asked: Duplicates) -> list[Column]:
    columns = [data.column(name, "duplicates.of") for name in asked.of]
    if not columns:
        raise fault("No variables to tell duplicates by.", "duplicates.of", "Name at least one.")
    return columns


def _filled(data: Dataset) -> Ints:
    """How many cells of each case are answered, (n,)."""
    found: Ints = sum((c.state == ANSWERED).astype(np.int64) for c in data.columns.values())
    return found


def _groups(data: Dataset, asked: Duplicates) -> tuple[NDArray[np.int64], Bools]:
    """Each case's group of cases alike, and whether it answered enough to be compared, (n,)."""
    columns = _columns(data, asked)
    answered = sum(column.answered.astype(np.int64) for column in columns)
    # An entry that was not placed is a place among words, and no number.
    cells = [np.where(c.state == BLANK, 0, c.values).astype(np.float64) for c in columns]
    group = alike([*cells, *(column.state for column in columns)])
    return group, np.asarray(answered >= asked.at_least)


def in_groups(data: Dataset, asked: Duplicates) -> Bools:
    """Cases that another one is alike to, (n,).

    >>> from even_ballot.core.data.example import ferry
    >>> in_groups(ferry(), Duplicates(of=("isle", "boat", "said"))).tolist()
    [False, False, False, False, False, False, True, True]
    """
    if not data.n:
        return np.zeros(0, np.bool_)
    group, known = _groups(data, asked)
    return np.asarray(known & (np.bincount(group[known], minlength=int(group.max()) + 1)[group] > 1))


def _spelled(data: Dataset, name: str) -> list[str]:
    column = data.column(name)
    if data.variable(name).kind == "text":
        return [column.words[i] for i in column.values] if column.words else [""] * data.n
    return [f"{value:g}" if value != int(value) else str(int(value)) for value in column.values.tolist()]


def cell_bits(column: Column) -> NDArray[np.uint64]:
    """64 bits of each cell that are the same for cells alike in one column, (n,); blanks count as such.

    >>> from even_ballot.core.data.example import ferry
    >>> bits = cell_bits(ferry().columns["isle"])
    >>> bool(bits[0] == bits[1]), len(set(bits.tolist()))
    (True, 2)
    """
    cells = column.values + 0.0  # Zero is written in two ways that are equal.
    if (blank := column.state == BLANK).any():
        cells[blank] = np.inf
    found: NDArray[np.uint64] = cells.view(np.uint64)
    return found


def _worded(column: Column, text: bool) -> Bools:
    """Cells whose values are places among words, (n,)."""
    return np.asarray(np.isin(column.state, (ANSWERED, UNPLACED) if text else (UNPLACED,)))


def _pointing(column: Column, text: bool) -> NDArray[np.uint64]:
    """The same whatever places words have in a part. Different words may have the same bits."""
    found = cell_bits(column)
    if column.words and (worded := _worded(column, text)).any():
        words = np.array([crc32(word.encode(errors="surrogatepass")) for word in column.words], np.uint64)
        found[worded] = words[column.values[worded].astype(np.int64)]
    found ^= column.state.astype(np.uint64) << np.uint64(40)
    return found


def _cells(column: Column, text: bool, key: bytes) -> tuple[NDArray[np.uint64], NDArray[np.uint64]]:
    """128 bits of each cell, the same for cells that are alike whatever places their words have."""
    low = (np.where(column.state == BLANK, 0.0, column.values) + 0.0).view(np.uint64)
    high = column.state.astype(np.uint64)
    worded = _worded(column, text)
    if worded.any():
        used, at = np.unique(column.values[worded].astype(np.int64), return_inverse=True)
        spelled = (
            blake2b(column.words[of].encode(errors="surrogatepass"), digest_size=16, key=key).digest()
            for of in used.tolist()
        )
        words = np.frombuffer(b"".join(spelled), np.uint64).reshape(-1, 2)
        low[worded] = words[at, 0]
        high[worded] |= words[at, 1] & ~np.uint64(7)  # States are below 8.
    return low, high


def _keyed(part: Dataset, asked: Duplicates) -> Keyed:
    """The cases of a part that answered enough, by keys."""
    columns = _columns(part, asked)
    answered = sum(column.answered.astype(np.int64) for column in columns)
    texts = [part.variable(name).kind == "text" for name in asked.of]
    bits = (_pointing(column, text) for column, text in zip(columns, texts, strict=True))
    return Keyed.of(keys(bits, part.n), np.asarray(answered >= asked.at_least))


def _decided(part: Dataset, at: Ints, asked: Duplicates, seed: int) -> Preferred:
    """What some cases of a part are, and which of those alike is kept."""
    key = seed.to_bytes(8, "big")
    of = [(part.column(name).take(at), part.variable(name).kind == "text") for name in asked.of]
    halves = [half for column, text in of for half in _cells(column, text, key)]
    rank, row = np.zeros(len(at), np.int64), part.rows[at]
    if asked.keep == "last":
        row = -row
    elif asked.keep == "fullest":
        rank = -np.asarray(sum((c.state[at] == ANSWERED).astype(np.int64) for c in part.columns.values()))
    return Preferred(digests(halves, len(at), seed), rank, row)


def compared(parts: Sequence[Dataset], asked: Duplicates, merge: Merge) -> Compared:
    """The cases of parts by what they are compared in; what decides is made with a secret that changes.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> [len(of.place) for of in compared([ferry()], Duplicates(of=("said",)), in_order).keyed]
    [7]
    """
    seed = merge(min, [secrets.randbits(63) for _ in parts])
    keyed = kept(merge, (_keyed(part, asked) for part in parts))
    return Compared(keyed, parts, partial(_decided, asked=asked, seed=seed))


def repeated(parts: Sequence[Dataset], asked: Duplicates, merge: Merge) -> Sequence[tuple[Bools, Bools]]:
    """For every part which of its cases another one of all parts is alike to, and which of these are not
    kept, (n,) each.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> asked = Duplicates(of=("isle", "boat", "said"))
    >>> [spare.tolist() for _, spare in repeated([ferry()], asked, in_order)]
    [[False, False, False, False, False, False, False, True]]
    """
    return recurring(compared(parts, asked, merge), [part.n for part in parts], merge)


class DropCases(Step):
    """Sets cases aside: those a condition is true of, those named, or all but one of those alike. spare:
    records (by their number in the source) that were looked at and stay in use all the same."""

    OFFERED = ("spare",)
    do: Literal["drop_cases"]
    where: str | None = None
    ids: Ids | None = None
    duplicates: Duplicates | None = None
    spare: tuple[int, ...] = ()

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if sum(part is not None for part in (self.where, self.ids, self.duplicates)) != 1:
            raise ValueError("drop_cases needs exactly one of where, ids or duplicates")
        return self

    @property
    def reach(self) -> Reach:
        return "row" if self.duplicates is None else "keyed"

    def sentence(self) -> str:
        but = f", but not record {some(self.spare)}" if self.spare else ""
        if self.ids is not None:
            return f"Set aside the cases whose {self.ids.variable} is {some(self.ids.among)}{but}"
        if self.duplicates is not None:
            same, keep = some(self.duplicates.of), self.duplicates.keep
            return f"Set aside duplicate cases (same {same}), keeping the {keep} of each{but}"
        return f"Set aside the cases where {self.where}{but}"

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        if self.where is not None:
            drop = Formula(self.where, "where").true(data)
        elif self.ids is not None:
            wanted = {str(value) for value in self.ids.among}
            answered = data.column(self.ids.variable, "ids.variable").answered
            drop = (
                np.array([word in wanted for word in _spelled(data, self.ids.variable)], np.bool_) & answered
            )
        else:
            assert self.duplicates is not None
            drop = self._repeated(data, self.duplicates)
        return self._without(drop, data, tables)

    def over(self, parts: Sequence[Dataset], merge: Merge) -> Sequence[Apply]:
        if self.duplicates is None:
            return super().over(parts, merge)
        return [partial(self._without, spare) for _, spare in repeated(parts, self.duplicates, merge)]

    def _without(self, drop: Bools, data: Dataset, tables: Tables) -> Outcome:
        if self.spare:
            drop = drop & ~np.isin(data.rows, self.spare)
        return Outcome(data.where(~drop) if drop.any() else data)

    @staticmethod
    def _repeated(data: Dataset, asked: Duplicates) -> Bools:
        group, known = _groups(data, asked)
        order = np.arange(data.n)
        if asked.keep == "last":
            order = order[::-1]
        elif asked.keep == "fullest":
            order = np.argsort(-_filled(data), kind="stable")
        _, first = np.unique(group[order], return_index=True)
        keep = np.zeros(data.n, np.bool_)
        keep[order[first]] = True
        return np.asarray(~keep & known)
