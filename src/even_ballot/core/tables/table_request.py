"""What a study file says of a table."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from even_ballot.core.data.periods import Period
from even_ballot.core.estimation.comparisons import Adjust
from even_ballot.core.estimation.intervals import Interval
from even_ballot.core.model import Model
from even_ballot.core.tables.display import Display
from even_ballot.core.tables.statistics import StatName, statistic_of

# Relative standard error: over the estimate; effective base: the unweighted base over the design effect.
Beside = Literal["se", "interval", "rse", "deff", "effective"]
TestName = Literal["independence", "wald", "columns", "against_total", "against_rest", "trend"]
BannerEntry = str | Annotated[tuple[str, ...], Field(min_length=1, max_length=6)]


class Net(Model):
    """A group of categories as one row: by codes, or the `top` or `bottom` categories of its scale. stub:
    the variable; left out, every stub variable that has such categories. banner: the variable of the
    banner of which it is one column instead."""

    label: str = Field(min_length=1)
    stub: str | None = None
    banner: str | None = None
    codes: tuple[int, ...] = ()
    top: int | None = Field(default=None, ge=1)
    bottom: int | None = Field(default=None, ge=1)

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if sum((bool(self.codes), self.top is not None, self.bottom is not None)) != 1:
            raise ValueError(
                "a net is made of codes, or of the top or the bottom categories: give one of the three"
            )
        if self.stub is not None and self.banner is not None:
            raise ValueError("a net is a row or a column: give stub or banner, not both")
        return self


class ContrastTerm(Model):
    """A column of a contrast and how often it counts; at: the codes of all variables of one banner entry,
    or nothing for the total column."""

    at: dict[str, int]
    times: float = Field(allow_inf_nan=False)


class Contrast(Model):
    """A linear combination of a table's columns; ratio: the column that counts 1 over the one that counts
    −1."""

    label: str = Field(min_length=1)
    of: tuple[ContrastTerm, ...] = Field(min_length=1, max_length=50)
    ratio: bool = False

    @model_validator(mode="after")
    def _a_ratio_is_of_two(self) -> Self:
        if self.ratio and sorted(term.times for term in self.of) != [-1, 1]:
            raise ValueError("a ratio needs a numerator column (times 1) and a denominator column (times -1)")
        return self


class ItemFigure(Model):
    """The figure of each item where groups stand across: of the answer of a code, of a net, or (neither) of
    the item as a whole."""

    stat: StatName
    code: int | None = None
    net: str | None = None

    @model_validator(mode="after")
    def _one_answer(self) -> Self:
        if self.code is not None and self.net is not None:
            raise ValueError("a figure is of an answer or of a net: give code or net, not both")
        return self


class TableRequest(Model):
    """A table: stub variables down, banner variables across (a list inside is nested). group: the
    heading it stands under in the plan. recipe: whose settings it takes where it has none of its own.
    dates: the period whose categories a date has. total_row: a row of all who answered below each stub's
    categories. levels: of the letters, the strict one first. plain: beside every share and mean what a
    simple random sample would give, unweighted and weighted. layout: battery, its stub variables down
    and their common answers across; items_by_groups, its stub variables down and the columns of its
    banner across, `figure` of each (left out: the mean, the first net or the last answer). per: the
    number that ratios are per. contrasts: of its columns. beside: what is shown with each figure.
    display: how it is shown; no figure depends on either."""

    id: str = Field(min_length=1)
    title: str | None = None
    group: str | None = None
    recipe: str | None = Field(default=None, max_length=100)
    stub: tuple[str, ...] = Field(default=(), max_length=2000)
    banner: tuple[BannerEntry, ...] = Field(default=(), max_length=200)
    where: str | None = None
    show: tuple[StatName, ...] = ("n", "col_pct")
    interval: Interval = Interval()
    nets: tuple[Net, ...] = Field(default=(), max_length=500)
    dates: Period = "month"
    total_row: bool = False
    tests: tuple[TestName, ...] = ()
    adjust: Adjust = "none"
    levels: tuple[float, ...] = Field(default=(0.05,), min_length=1, max_length=2)
    plain: bool = False
    layout: Literal["crosstab", "battery", "items_by_groups"] = "crosstab"
    figure: ItemFigure | None = None
    per: str | None = None
    contrasts: tuple[Contrast, ...] = Field(default=(), max_length=200)
    beside: tuple[Beside, ...] = ("se", "interval")
    display: Display = Display()

    @model_validator(mode="after")
    def _levels_in_order(self) -> Self:
        if not all(0 < level < 1 for level in self.levels) or list(self.levels) != sorted(set(self.levels)):
            raise ValueError(
                "levels are one or two numbers between 0 and 1, the strict one first, such as 0.01, 0.05"
            )
        return self

    @model_validator(mode="after")
    def _ratios_are_per_a_number(self) -> Self:
        if "ratio" in self.show and self.per is None:
            raise ValueError("a ratio needs a denominator: name a number in per")
        return self

    @model_validator(mode="after")
    def _figure_is_shown(self) -> Self:
        if self.figure is not None and self.figure.stat not in self.show:
            raise ValueError(f"the figure of each item, {self.figure.stat}, has to be among those in show")
        return self

    def figures_for(self, kind: str) -> tuple[StatName, ...]:
        """What is shown of a stub variable of a kind: where a table has figures of answers alone, a number
        has its mean."""
        if kind != "number" or any(statistic_of(stat).number_cells is not None for stat in self.show):
            return self.show
        return (*self.show, "mean")

    @property
    def items_down(self) -> bool:
        """Whether a stub variable is a row."""
        return self.layout != "crosstab"

    @property
    def entries(self) -> tuple[tuple[str, ...], ...]:
        """Banner entries, each as its nest of variables."""
        return tuple((entry,) if isinstance(entry, str) else entry for entry in self.banner)
