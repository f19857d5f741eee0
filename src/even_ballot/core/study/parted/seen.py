"""What is seen of a part before and after the ledger, and what the parts' come to together."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from even_ballot.core.data.codebook import Codebook, Kind
from even_ballot.core.data.dataset import Column, RawTable
from even_ballot.core.data.interpretation import guess_kind, parse_date
from even_ballot.core.ledger import Effect
from even_ballot.core.screening import Finding


@dataclass(frozen=True)
class KindSeen:
    """What a column's entries are in some parts: whether there are any, and whether all are numbers, or
    dates."""

    any: bool
    numbers: bool
    dates: bool

    def __add__(self, other: "KindSeen") -> "KindSeen":
        return KindSeen(self.any or other.any, self.numbers and other.numbers, self.dates and other.dates)

    @property
    def kind(self) -> Kind:
        """As which it is read."""
        if self.any and self.numbers:
            return "number"
        return "date" if self.any and self.dates else "text"


def kind_seen(column: Column, decimal: str = ".") -> KindSeen:
    """What a part's entries of a column are.

    >>> from even_ballot.core.data.dataset import text_column
    >>> [kind_seen(text_column(of)).kind for of in (["1"], ["2026-05-02"], [None])]
    ['number', 'date', 'text']
    >>> (kind_seen(text_column(["1"])) + kind_seen(text_column([None, "late"]))).kind
    'text'
    """
    kind = guess_kind(column, decimal)
    if kind == "text" and not any(word.strip() for word in column.words):
        return KindSeen(False, True, True)
    # A number may be written as a date is, which tells where other parts have no numbers.
    dates = kind == "date" or (
        kind == "number" and all(parse_date(word) is not None for word in column.words if word.strip())
    )
    return KindSeen(True, kind == "number", dates)


def unlisted(raw: RawTable, book: Codebook) -> list[str]:
    """Columns that the codebook does not describe.

    >>> from even_ballot.core.data.example import CODEBOOK, ferry_answers
    >>> unlisted(ferry_answers(), CODEBOOK)
    ['boat', 'to_work', 'to_shop']
    """
    described = {variable.name for variable in book.variables if variable.kind != "multi"}
    return [name for name in raw.names if name not in described]


def kinds_seen(raw: RawTable, names: Sequence[str], decimal: str) -> dict[str, KindSeen]:
    """What a part's entries of some columns are.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> kinds_seen(ferry_answers(), ["boat"], ".")["boat"].kind
    'number'
    """
    columns = dict(zip(raw.names, raw.columns, strict=True))
    return {name: kind_seen(columns[name], decimal) for name in names}


def by_name(a: Mapping[str, KindSeen], b: Mapping[str, KindSeen]) -> dict[str, KindSeen]:
    """What columns are in two parts together.

    >>> seen = {"boat": KindSeen(True, True, False)}
    >>> by_name(seen, seen) == seen
    True
    """
    return {name: of + b[name] for name, of in a.items()}


def effects_together(a: Sequence[Effect], b: Sequence[Effect]) -> tuple[Effect, ...]:
    """What steps did to two parts together.

    >>> effect = Effect(1, "tidy", "Clean up", None, False, 5, 5, 2, {"q": {"x": 1}})
    >>> effects_together([effect], [effect])[0].unplaced
    {'q': {'x': 2}}
    """
    return tuple(
        replace(
            x,
            cases_before=x.cases_before + y.cases_before,
            cases_after=x.cases_after + y.cases_after,
            cells_changed=x.cells_changed + y.cells_changed,
            unplaced=_counts(x.unplaced, y.unplaced),
        )
        for x, y in zip(a, b, strict=True)
    )


def _counts(
    a: Mapping[str, Mapping[str, int]], b: Mapping[str, Mapping[str, int]]
) -> dict[str, dict[str, int]]:
    both = {name: Counter(a.get(name, {})) + Counter(b.get(name, {})) for name in {**a, **b}}
    return {name: dict(of.most_common()) for name, of in both.items()}


def findings_together(a: Sequence[Finding], b: Sequence[Finding]) -> tuple[Finding, ...]:
    """What was found in two parts together.

    >>> one = Finding("age", "blank", "", 2)
    >>> findings_together([one], [one])
    (Finding(variable='age', kind='blank', value='', cases=4, accepted=None, step=None, usual=None),)
    """
    found = {(of.kind, of.variable, of.value): of for of in a}
    for of in b:
        key = of.kind, of.variable, of.value
        found[key] = replace(of, cases=of.cases + found[key].cases) if key in found else of
    return tuple(found.values())


def rows_after(raw: RawTable, before: int) -> RawTable:
    """A part's records numbered on from those before it.

    >>> from even_ballot.core.data.example import ferry_answers
    >>> rows_after(ferry_answers(), 100).rows[:2].tolist()
    [101, 102]
    """
    return replace(raw, rows=raw.rows + np.int64(before))
