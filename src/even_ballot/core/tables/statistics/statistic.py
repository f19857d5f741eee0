"""What a figure of a table is: how it is called, computed, printed, marked and hidden. One registry of
all."""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Any, Literal

from pydantic import AfterValidator

from even_ballot.core.tables.results import Cell
from even_ballot.core.tables.statistics.rows import CategoryRows, NumberRow

Shape = Literal["share", "number", "whole"]
Base = Literal["none", "column", "row", "total", "responses"]


@dataclass(frozen=True)
class Statistic:
    """One figure, or a family of them (`name` then is a pattern).

    name: in study files and results; label: in tables; several_label: of several-answer questions, where
    it differs; short: where it is chosen. shape: how it is printed. base: the cases it is divided by or
    made of, which is hidden with it; `none`: a count. category_cells: figures of each row of a coded or
    several-answer stub, from the first column wanted; number_cells: figures of a variable's own row, of a
    number or of codes taken as numbers. only_several: of several-answer questions alone. with_error:
    standard error and limits stand beside it. compared: columns are compared by it, and letters stand
    beside it. marked: it can be weak. in_unit: it is in the unit of the number. linear: it is a sum of
    weights over another, an equation on who is where.
    """

    name: str
    label: str
    short: str
    shape: Shape
    base: Base
    category_cells: Callable[[CategoryRows, int], Iterator[Cell]] | None = None
    number_cells: Callable[[NumberRow, str, int], Iterator[Cell]] | None = None
    several_label: str | None = None
    only_several: bool = False
    with_error: bool = False
    compared: bool = False
    marked: bool = False
    in_unit: bool = True
    linear: bool = False

    def label_of(self, name: str, several: bool = False) -> str:
        """What a figure of this name is called in a table."""
        return self.several_label if several and self.several_label is not None else self.label

    def short_of(self, name: str) -> str:
        """What it is called where it is chosen."""
        return self.short

    def is_extreme(self, name: str) -> bool:
        """Whether it is a single case's own value."""
        return False

    @property
    def choices(self) -> tuple[str, ...]:
        """The names that are offered."""
        return (self.name,)


_ALL: list[tuple[Statistic, re.Pattern[str]]] = []


def register(statistic: Statistic, family: bool = False) -> Statistic:
    """Takes a figure up, in the order that figures are offered in. family: its name is a pattern of names.

    >>> register(statistic_of("mean")) is statistic_of("mean")
    True
    """
    find_statistic.cache_clear()
    _ALL.append((statistic, re.compile(statistic.name if family else re.escape(statistic.name))))
    return statistic


def every_statistic() -> tuple[Statistic, ...]:
    """All there are, in the order that they are offered in.

    >>> [statistic.name for statistic in every_statistic()][:3]
    ['n', 'count', 'col_pct']
    """
    return tuple(statistic for statistic, _ in _ALL)


@lru_cache(maxsize=4096)
def find_statistic(name: str) -> Statistic | None:
    """The figure of a name, or None.

    >>> find_statistic("q25").short_of("q25"), find_statistic("q2500")
    ('lower quartile', None)
    """
    return next((statistic for statistic, pattern in _ALL if pattern.fullmatch(name)), None)


def statistic_of(name: str) -> Statistic:
    """The figure of a name that was checked.

    >>> statistic_of("median").label
    'Median'
    """
    found = find_statistic(name)
    if found is None:
        raise KeyError(name)
    return found


def _names() -> list[str]:
    return [choice for statistic, _ in _ALL for choice in statistic.choices]


def _known(name: str) -> str:
    if find_statistic(name) is None:
        raise ValueError(f"there is no figure {name[:40]!r}; there are {', '.join(_names())}")
    return name


class _Schema:
    """All names, once all figures are there."""

    def __get_pydantic_json_schema__(self, _: Any, __: Any) -> dict[str, Any]:
        patterns = [
            {"type": "string", "pattern": f"^({pattern.pattern})$"}
            for of, pattern in _ALL
            if of.choices != (of.name,)
        ]
        return {"anyOf": [{"type": "string", "enum": _names()}, *patterns]}


StatName = Annotated[str, AfterValidator(_known), _Schema()]
"""The name of a figure, in a study file."""
