"""A table's result, free of presentation."""

from dataclasses import dataclass
from typing import Any

from even_ballot.core.tests import Columns, Independence, Trend, Wald

Test = Independence | Wald | Columns | Trend


@dataclass(frozen=True, slots=True)
class StubKey:
    """A stub row: a category of a variable, a net of several, or (neither) the variable's own row."""

    variable: str
    code: int | None = None
    net: str | None = None


@dataclass(frozen=True, slots=True)
class BannerKey:
    """One step of a banner column's path."""

    variable: str
    code: int


@dataclass(frozen=True, slots=True)
class Plain:
    """A share or mean as if the cases were a simple random sample: unweighted, and weighted, each with its standard error."""

    unweighted: float
    unweighted_se: float | None
    weighted: float
    weighted_se: float | None


@dataclass(frozen=True, slots=True)
class Cell:
    """One figure of a table. Fields that do not apply are None. df: PSUs less strata among the cases of its base."""

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


@dataclass(frozen=True)
class Category:
    """A category as it is shown; in_codebook is False for a code the scale does not know."""

    code: int
    label: str
    in_codebook: bool = True


@dataclass(frozen=True)
class StubHeading:
    """A stub variable, its question, its categories (none for a number) and the nets of them."""

    variable: str
    title: str
    kind: str
    categories: tuple[Category, ...]
    nets: tuple[str, ...] = ()


@dataclass(frozen=True)
class BannerHeading:
    """A banner entry: for each variable of its nest, outermost first, its question and categories."""

    variables: tuple[str, ...]
    titles: tuple[str, ...]
    categories: tuple[tuple[Category, ...], ...]


@dataclass(frozen=True)
class TableResult:
    """The cells and tests of a table, with the headings they stand under."""

    id: str
    title: str
    stubs: tuple[StubHeading, ...]
    banners: tuple[BannerHeading, ...]
    in_filter: int
    cells: tuple[Cell, ...]
    tests: tuple[Test, ...]


def plain(value: Any) -> Any:
    """Results as plain JSON: None left out, tuples as lists."""
    if hasattr(value, "__dataclass_fields__"):
        return {k: plain(v) for k in value.__dataclass_fields__ if (v := getattr(value, k)) is not None}
    if isinstance(value, dict):
        return {k: plain(v) for k, v in value.items()}
    if isinstance(value, tuple | list):
        return [plain(v) for v in value]
    return value
