"""Columns and the cases they belong to; copied only when changed."""

from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.codebook import Code, Role, Scale, Variable
from even_ballot.core.data.first_look import FirstLook
from even_ballot.core.faults import fault, some
from even_ballot.core.lazy import lazy
from even_ballot.core.numerics.arrays import Bools, Floats, Ints

_NEAR, _LARGE, _NAME = 1 << 16, 200_000, 80
ANSWERED, BLANK, MISSING, UNPLACED = 0, 1, 2, 3
"""Why a cell counts or not: answered; left blank; a code that means no answer; an entry that fits neither
code nor number."""


@dataclass(frozen=True)
class Column:
    """One column of answers.

    values: codes (int32) of a coded column, float64 of a number or date (seconds since 1970), indices into
    `words` (int32) of a text; state: uint8, why each cell counts or not. Where state is UNPLACED the value
    is an index into `words`, the entry as it came.
    """

    values: NDArray[Any]
    state: NDArray[np.uint8]
    words: Sequence[str] = ()

    def __reduce__(self) -> tuple[Any, ...]:
        # What was made of them is made again where it is asked for.
        return Column, (self.values, self.state, self.words)

    def marking(self, codes: Sequence[int]) -> "Column":
        """The column with answers equal to one of these codes marked as no answer, their code kept."""
        hit = np.isin(self.values, codes) & (self.state == ANSWERED)
        return (
            Column(self.values, np.where(hit, MISSING, self.state).astype(np.uint8), self.words)
            if hit.any()
            else self
        )

    def take(self, keep: NDArray[Any] | slice) -> "Column":
        """The cells that a mask, an index array or a slice picks."""
        return Column(self.values[keep], self.state[keep], self.words)

    @lazy
    def answered(self) -> Bools:
        """Which cells hold an answer."""
        return np.asarray(self.state == ANSWERED)

    @lazy
    def distinct(self) -> Ints:
        """The codes among the answers, ascending."""
        values = self.values[self.answered]
        if values.dtype.kind == "i" and len(values):
            low = int(values.min())
            if int(values.max()) - low < _NEAR:
                # Codes lie close together: counting them is several times faster than sorting them.
                return np.flatnonzero(np.bincount(values - low)).astype(np.int64) + low
        return np.unique(values).astype(np.int64)

    @lazy
    def distinct_values(self) -> NDArray[Any]:
        """The distinct values among the answers, ascending; of texts the places of their words."""
        values = self.values[self.answered]
        if values.dtype.kind == "i" and len(values) and values.min() >= 0 and values.max() < 4 * len(values):
            return np.flatnonzero(np.bincount(values))
        values.sort()  # In place: the answers are a copy already.
        first = np.ones(len(values), np.bool_)
        np.not_equal(values[1:], values[:-1], out=first[1:])
        return values[first]

    def entries(self) -> dict[str, int]:
        """Entries that could not be placed, with how many cells hold each, most frequent first."""
        index = self.values[self.state == UNPLACED].astype(np.int64)
        counts = np.bincount(index, minlength=len(self.words))
        return {self.words[i]: int(counts[i]) for i in np.argsort(-counts, kind="stable") if counts[i]}


def text_column(entries: Sequence[str | None]) -> Column:
    """A text column of entries; None, and white space alone, are blank.

    >>> text_column(["late", None, "dear", "late"]).values.tolist()
    [0, 0, 1, 0]
    """
    index: dict[str, int] = {}
    values = np.zeros(len(entries), np.int32)
    state = np.zeros(len(entries), np.uint8)
    for k, entry in enumerate(entries):
        if entry is None or not entry.strip():
            state[k] = BLANK
        else:
            values[k] = index.setdefault(entry, len(index))
    return Column(values, state, tuple(index))


def number_column(values: Floats) -> Column:
    """A number column; NaN is blank.

    >>> number_column(np.array([1.5, np.nan])).state.tolist() == [ANSWERED, BLANK]
    True
    """
    missing = np.isnan(values)
    return Column(np.where(missing, 0.0, values), np.where(missing, BLANK, ANSWERED).astype(np.uint8))


@dataclass(frozen=True)
class RawTable:
    """A file as it came: every column as text, under a short name, with its full heading as label.

    rows: each record's number in the source, from 1 after the headings (wholly blank records have been
    left out).
    """

    names: tuple[str, ...]
    labels: tuple[str, ...]
    columns: tuple[Column, ...]
    rows: Ints
    blank_records: int = 0

    @property
    def records(self) -> int:
        """How many records the source has, blank ones too.

        >>> RawTable((), (), (), np.array([1, 4]), 1).records
        4
        """
        return max(len(self.rows) + self.blank_records, int(self.rows.max(initial=0)))


@dataclass(frozen=True)
class Dataset:
    """The cases at one point of the ledger.

    rows: record number of each case in the source; reversed_: variables that an ordered scale was turned
    round on. look: where this is a part of a whole, what is the same in all parts of it.
    """

    rows: Ints
    columns: Mapping[str, Column]
    variables: Mapping[str, Variable]
    scales: Mapping[str, Scale]
    reversed_: frozenset[str] = frozenset()
    pending: Mapping[str, Variable] = field(default_factory=dict)
    look: FirstLook | None = None
    _positions: dict[str, NDArray[Any]] = field(default_factory=dict, init=False, repr=False, compare=False)

    @property
    def n(self) -> int:
        """Number of cases."""
        return len(self.rows)

    def column(self, name: str, where: str = "") -> Column:
        """The column of a variable, `row` included; a fault names what there is instead."""
        if name == "row" and "row" not in self.columns:
            return Column(self.rows.astype(np.float64), np.zeros(self.n, np.uint8))
        if name not in self.columns:
            raise self.unknown(name, where)
        return self.columns[name]

    def unknown(self, name: str, where: str = "") -> Exception:
        """The fault of a name that is no variable here."""
        return fault(f"There is no variable {name!r}.", where, self.instead(name))

    def instead(self, name: str) -> str:
        """What might have been meant by a name that is no variable."""
        folded = {known.casefold()[:_NAME]: known for known in self.variables}
        from rapidfuzz import fuzz, process  # Loaded where a name is not found.

        near = process.extractOne(name.casefold()[:_NAME], list(folded), scorer=fuzz.ratio, score_cutoff=70)
        if near is not None:
            case = " Names are case-sensitive." if near[0] == name.casefold() else ""
            return f"Did you mean {folded[near[0]]}?{case}"
        return f"Variables: {some(list(self.variables), 12)}."

    def variable(self, name: str, where: str = "") -> Variable:
        """What is known of a variable."""
        if name == "row" and "row" not in self.variables:
            return Variable(name="row", kind="number", label="Record in the source")
        if name not in self.variables:
            raise self.unknown(name, where)
        return self.variables[name]

    def with_role(self, role: Role) -> str | None:
        """The first variable of a role."""
        return next((v.name for v in self.variables.values() if v.role == role), None)

    def scale_of(self, name: str) -> Scale | None:
        """The answer scale of a coded variable, if it has one."""
        scale = self.variable(name).scale
        return None if scale is None else self.scales[scale]

    def codes_of(self, name: str) -> Ints:
        """The codes among the answers to a coded variable, ascending, in all parts of the whole."""
        column = self.column(name)
        known = None if self.look is None else self.look.codes.get(name)
        return column.distinct if known is None else known

    def categories(self, name: str) -> tuple[tuple[Code, ...], int]:
        """All categories of a coded variable, and how many of them its scale knows.

        The scale's codes in its order, then codes found among the answers that are none of them, ascending.
        """
        scale, found = self.scale_of(name), self.codes_of(name)
        if scale is None:
            codes = tuple(Code(code=int(c), label=str(c)) for c in found)
            return codes, len(codes)
        known = {item.code for item in scale.codes}
        stray = tuple(
            Code(code=int(c), label=f"{c} (not in the codebook)") for c in found if int(c) not in known
        )
        return scale.codes + stray, len(scale.codes)

    def positions(self, name: str, where: str = "") -> NDArray[Any]:
        """Each case's place among `categories(name)`, −1 where it has no answer; the smallest integers
        that hold them."""
        if (known := self._positions.get(name)) is not None:
            return known
        column = self.column(name, where)
        codes = np.array([item.code for item in self.categories(name)[0]], np.int64)
        dtype = np.int8 if len(codes) < 127 else np.int16 if len(codes) < 32000 else np.int32
        result = np.full(self.n, -1, dtype)
        if len(codes):
            low, high = int(codes.min()), int(codes.max())
            if high - low < _NEAR and column.values.dtype.kind == "i":
                # Codes lie close together: a table of places is several times faster than a search.
                table = np.zeros(high - low + 1, dtype)
                table[codes - low] = np.arange(len(codes))
                at = table[np.clip(column.values, low, high) - low]
            else:
                order = np.argsort(codes)
                found = np.minimum(np.searchsorted(codes[order], column.values), len(codes) - 1)
                at = order[found].astype(dtype)
            np.copyto(result, at, where=column.answered)
        self._positions[name] = result
        return result

    def where(self, keep: NDArray[Any]) -> "Dataset":
        """The cases that a mask or an index array picks."""
        # Places are faster to take than a mask, and large columns are taken two at a time.
        at = np.flatnonzero(keep) if keep.dtype == np.bool_ else keep
        names = list(self.columns)
        if self.n < _LARGE:
            taken = [self.columns[name].take(at) for name in names]
        else:
            with ThreadPoolExecutor(2) as pool:
                taken = list(pool.map(lambda name: self.columns[name].take(at), names))
        return replace(self, rows=self.rows[at], columns=dict(zip(names, taken, strict=True)))

    def described(self, variable: Variable) -> Variable:
        """A variable made by the ledger with what the codebook holds ready for its name laid on: label,
        note, unit, role, and the scale where it has none."""
        said = self.pending.get(variable.name)
        if said is None:
            return variable
        over = {
            k: getattr(said, k)
            for k in ("label", "note", "unit", "role", "level", "least", "most")
            if getattr(said, k) is not None
        }
        if said.missing and said.kind == variable.kind:
            over["missing"] = said.missing
        if said.kind == variable.kind == "coded" and variable.scale is None:
            over["scale"] = said.scale
        return variable.model_copy(update=over)

    def with_column(self, variable: Variable, column: Column, scale: Scale | None = None) -> "Dataset":
        """A column added or replaced."""
        variable = self.described(variable)
        if variable.missing and variable.kind in ("coded", "number"):
            column = column.marking([item.code for item in variable.missing])
        scales = (
            self.scales if scale is None or variable.scale is None else {**self.scales, variable.scale: scale}
        )
        columns = {**self.columns, variable.name: column}
        variables = {**self.variables, variable.name: variable}
        # A several-answer question of the codebook stands as soon as the last of its parts is made.
        for said in self.pending.values():
            if (
                said.kind == "multi"
                and said.name not in variables
                and all(part in columns for part in said.parts)
            ):
                variables[said.name] = said
        return replace(self, columns=columns, variables=variables, scales=scales)
