"""A table's result, free of presentation."""

import math
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from even_ballot.core.data.categories import Category
from even_ballot.core.estimation.comparisons import ColumnComparison, PartComparison
from even_ballot.core.estimation.independence import Independence, Wald
from even_ballot.core.estimation.trend import Trend

Test = Independence | Wald | ColumnComparison | PartComparison | Trend


@dataclass(frozen=True, slots=True)
class StubKey:
    """A stub row: a category of a variable, a net of several, or (neither) the variable's own row."""

    variable: str
    code: int | None = None
    net: str | None = None

    @classmethod
    def of(cls, variable: str, step: "CodeOrNet") -> "StubKey":
        """The key of a category or net."""
        return cls(variable, *code_and_net(step))


CodeOrNet = int | str
"""A category's code, or the label of a net of several."""

ColumnPath = tuple[CodeOrNet, ...]
"""A banner column: the code or net of each variable of its nest, outermost first."""

NamedPath = tuple[tuple[str, CodeOrNet], ...]
"""The same with the variables' names."""


def code_and_net(step: CodeOrNet) -> tuple[int | None, str | None]:
    """A step taken apart.

    >>> code_and_net(3), code_and_net("Low")
    ((3, None), (None, 'Low'))
    """
    return (None, step) if isinstance(step, str) else (step, None)


@dataclass(frozen=True, slots=True)
class BannerKey:
    """One step of a banner column's path: a category of a variable, or a net of several."""

    variable: str
    code: int | None = None
    net: str | None = None

    @classmethod
    def of(cls, variable: str, step: CodeOrNet) -> "BannerKey":
        """The key of a step."""
        return cls(variable, *code_and_net(step))

    @property
    def step(self) -> CodeOrNet:
        """Its code or the label of its net."""
        return self.net if self.net is not None else self.code if self.code is not None else ""


BannerPath = tuple[BannerKey, ...]
"""The same as it stands in results."""


@dataclass(frozen=True, slots=True)
class Plain:
    """A share or mean as if the cases were a simple random sample: unweighted, and weighted, each with its
    standard error."""

    unweighted: float
    unweighted_se: float | None
    weighted: float
    weighted_se: float | None


@dataclass(frozen=True, slots=True)
class Cell:
    """One figure of a table. Fields that do not apply are None. df: PSUs less strata among the cases of
    its base."""

    stub: StubKey
    banner: tuple[BannerKey, ...]
    stat: str
    est: float
    se: float | None = None
    low: float | None = None
    high: float | None = None
    n: int | None = None
    base_n: int | None = None
    deff: float | None = None
    df: int | None = None
    plain: Plain | None = None


@dataclass(frozen=True, slots=True)
class ContrastResult:
    """A contrast of one stub row's figures; columns: those it is made of; ratio: of the first to the second,
    whose test is of its logarithm."""

    label: str
    stub: StubKey
    stat: str
    est: float
    se: float | None = None
    low: float | None = None
    high: float | None = None
    t: float | None = None
    p: float | None = None
    columns: tuple[BannerPath, ...] = ()
    ratio: bool | None = None

    @property
    def is_ratio(self) -> bool:
        """Whether it is the ratio of two figures, without a unit."""
        return bool(self.ratio)


@dataclass(frozen=True, slots=True)
class HiddenFigure:
    """A figure that is not shown; never why, which would tell of it."""

    stub: StubKey
    banner: tuple[BannerKey, ...]
    stat: str


@dataclass(frozen=True)
class ShownLine:
    """A row or column as it is shown: a code or the label of a net, what it is called, and whether its
    scale does not know it."""

    step: CodeOrNet
    label: str
    stray: bool = False


def _shown(categories: tuple[Category, ...], nets: tuple[str, ...]) -> tuple[ShownLine, ...]:
    """Categories, then nets of them."""
    return (
        *(ShownLine(c.code, c.label, not c.in_codebook) for c in categories),
        *(ShownLine(label, label) for label in nets),
    )


@dataclass(frozen=True)
class StubHeading:
    """A stub variable, its question, its categories (none for a number) and the nets of them. shown: rows
    in the order they are shown in, where that was settled."""

    variable: str
    title: str
    kind: str
    categories: tuple[Category, ...]
    nets: tuple[str, ...] = ()
    shown: tuple[ShownLine, ...] | None = None

    @property
    def rows(self) -> tuple[ShownLine, ...]:
        """Its rows as they are shown."""
        return _shown(self.categories, self.nets) if self.shown is None else self.shown


@dataclass(frozen=True)
class BannerHeading:
    """A banner entry: for each variable of its nest, outermost first, its question, categories, and nets
    of them. shown: of each level in the order they are shown in, where that was settled."""

    variables: tuple[str, ...]
    titles: tuple[str, ...]
    categories: tuple[tuple[Category, ...], ...]
    nets: tuple[tuple[str, ...], ...] = ()
    shown: tuple[tuple[ShownLine, ...], ...] | None = None

    @property
    def levels(self) -> tuple[tuple[ShownLine, ...], ...]:
        """What each variable is divided into, as it is shown."""
        if self.shown is not None:
            return self.shown
        nets = self.nets or tuple(() for _ in self.variables)
        return tuple(_shown(*level) for level in zip(self.categories, nets, strict=True))


@dataclass(frozen=True)
class TableResult:
    """The cells and tests of a table, with the headings they stand under. in_filter: None where that is
    hidden; hidden: figures that were taken out, None where small cells are shown."""

    id: str
    title: str
    stubs: tuple[StubHeading, ...]
    banners: tuple[BannerHeading, ...]
    in_filter: int | None
    cells: tuple[Cell, ...]
    tests: tuple[Test, ...]
    hidden: tuple[HiddenFigure, ...] | None = None
    contrasts: tuple[ContrastResult, ...] | None = None


def _beyond(value: Any) -> bool:
    return isinstance(value, float) and not math.isfinite(value)


def as_json(value: Any) -> Any:
    """Results as plain JSON: None, and figures that no number holds, left out; tuples as lists.

    >>> as_json(BannerKey("isle", 1))
    {'variable': 'isle', 'code': 1}
    """
    if hasattr(value, "__dataclass_fields__"):
        each = ((k, getattr(value, k)) for k in value.__dataclass_fields__)
        return {k: as_json(v) for k, v in each if v is not None and not _beyond(v)}
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json", exclude_defaults=True)
    if isinstance(value, dict):
        return {k: as_json(v) for k, v in value.items()}
    if isinstance(value, tuple | list):
        return [as_json(v) for v in value]
    return value
