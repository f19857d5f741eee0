"""Differences of two columns, or of a column and what it is part of; p-values adjusted for their number."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from even_ballot.core.numerics.arrays import Floats

Adjust = Literal["none", "bonferroni", "holm", "fdr"]


@dataclass(frozen=True)
class ColumnComparison:
    """The difference of two banner columns, a less b, in one stub row (a share, or a mean where it has no
    code), with its interval. stat: where it is neither."""

    stub: dict[str, Any]
    banner: tuple[str, ...]
    a: tuple[int | str, ...]
    b: tuple[int | str, ...]
    diff: float
    se: float
    t: float
    p: float
    p_adjusted: float
    low: float | None = None
    high: float | None = None
    kind: Literal["columns"] = "columns"
    stat: Literal["ratio"] | None = None

    @property
    def of(self) -> str:
        """The figure that is compared."""
        return self.stat or ("mean" if len(self.stub) == 1 else "col_pct")


Against = Literal["against_total", "against_rest"]
AGAINST: tuple[Against, ...] = ("against_total", "against_rest")


@dataclass(frozen=True)
class PartComparison:
    """A banner column, a, less the total or less the rest: the other categories of the innermost variable,
    in one stub row (a share, or a mean where it has no code), with its interval."""

    kind: Against
    stub: dict[str, Any]
    banner: tuple[str, ...]
    a: tuple[int | str, ...]
    diff: float
    se: float
    t: float
    p: float
    p_adjusted: float
    low: float | None = None
    high: float | None = None

    @property
    def of(self) -> str:
        """The figure that is compared."""
        return "mean" if len(self.stub) == 1 else "col_pct"


def adjusted_p_values(p: Floats, how: Adjust) -> Floats:
    """p-values adjusted for their number: Bonferroni, Holm, or Benjamini and Hochberg (1995).

    >>> adjusted_p_values(np.array([0.01, 0.04, 0.03]), "holm").tolist()
    [0.03, 0.06, 0.06]
    """
    m = len(p)
    if how == "none" or m == 0:
        return p
    if how == "bonferroni":
        return np.minimum(p * m, 1)
    order = np.argsort(p, kind="stable")
    steps = p[order] * (m - np.arange(m)) if how == "holm" else p[order] * m / np.arange(1, m + 1)
    monotone = np.maximum.accumulate(steps) if how == "holm" else np.minimum.accumulate(steps[::-1])[::-1]
    result = np.empty(m)
    result[order] = np.minimum(monotone, 1)
    return result
