"""What a study file says of a weighting."""

from typing import Annotated, Literal, Self

from pydantic import Discriminator, Field, Tag, model_validator

from even_ballot.core.faults import some
from even_ballot.core.model import Model


class Target(Model):
    """The target of one category: `at` gives each of its variables' codes."""

    at: dict[str, int]
    value: float = Field(allow_inf_nan=False)


class Margin(Model):
    """Population targets over the categories of one or several crossed variables: of their sizes, or, with
    total_of, of a number's totals or means in them (in all cases, where there are none)."""

    by: tuple[str, ...] = Field(default=(), max_length=8)
    total_of: str | None = None
    unknown: Literal["refuse", "hold"] = "refuse"
    as_: Literal["shares", "percent", "counts", "totals", "means"] = Field(default="shares", alias="as")
    targets: tuple[Target, ...] = Field(max_length=100_000)

    @model_validator(mode="after")
    def _of_one_sort(self) -> Self:
        number = self.total_of is not None
        if number is not (self.as_ in ("totals", "means")):
            raise ValueError(
                "a margin with total_of must be in totals or means: set as"
                if number
                else f"as {self.as_!r} needs a number: name it in total_of"
            )
        if number and self.unknown == "hold":
            raise ValueError("an unknown cannot be held on a margin of a number; leave unknown out")
        if not number and not self.by:
            raise ValueError("a margin is over variables: name them in by, or a number in total_of")
        below = next((t for t in self.targets if t.value < 0), None)
        if not number and below is not None:
            raise ValueError(f"the target {below.value:g} is negative; targets must be 0 or more")
        return self

    @property
    def title(self) -> str:
        if self.total_of is None:
            return " × ".join(self.by)
        what = f"{'mean' if self.as_ == 'means' else 'total'} of {self.total_of}"
        return f"{what} by {' × '.join(self.by)}" if self.by else what


class StratumPopulation(Model):
    """Base weight: a stratum's population over its cases."""

    stratum_population: str
    by: tuple[str, ...] = Field(min_length=1)


class ProductBase(Model):
    """Base weight: the product of some columns over the product of others (chances of selection, stage by
    stage), over a constant; rescaled, where `sum_to` says so, to sum to the cases or to a number."""

    times: tuple[str, ...] = ()
    over: tuple[str, ...] = ()
    divided_by: float = Field(default=1.0, gt=0, allow_inf_nan=False)
    sum_to: Literal["cases"] | float | None = None

    @model_validator(mode="after")
    def _of_something(self) -> Self:
        if not self.times and not self.over:
            raise ValueError("a product needs columns: name some in times or over")
        if isinstance(self.sum_to, float) and self.sum_to <= 0:
            raise ValueError("sum_to is a number above 0, or 'cases'")
        return self


def _kind_of_base(value: object) -> str:
    if value is None:
        return "none"
    if isinstance(value, str):
        return "column"
    by_stratum = isinstance(value, StratumPopulation) or (
        isinstance(value, dict) and "stratum_population" in value
    )
    return "stratum" if by_stratum else "product"


BaseWeight = Annotated[
    Annotated[None, Tag("none")]
    | Annotated[str, Tag("column")]
    | Annotated[StratumPopulation, Tag("stratum")]
    | Annotated[ProductBase, Tag("product")],
    Discriminator(_kind_of_base),
]


class ResponseAdjustment(Model):
    """In each cell those who answered take over the base weight of those who did not. responded: a
    condition; cells: variables whose combinations are the cells; smallest: respondents under which a cell
    is named as small."""

    responded: str
    cells: tuple[str, ...] = ()
    smallest: int = Field(default=20, ge=1)


class Limits(Model):
    """Bounds of final weights as multiples of their mean (in each `within` group)."""

    low: float = Field(default=0.0, ge=0, lt=1)
    high: float | None = Field(default=None, gt=1, allow_inf_nan=False)

    @property
    def bind(self) -> bool:
        """Whether there is any bound at all."""
        return self.low > 0 or self.high is not None


class Weighting(Model):
    """Base weights raked to margins, saved as a variable."""

    base: BaseWeight = None
    margins: tuple[Margin, ...] = Field(default=(), max_length=200)
    within: tuple[str, ...] = Field(default=(), max_length=8)
    limits: Limits | None = None
    nonresponse: ResponseAdjustment | None = None
    tolerance: float = Field(default=1e-10, gt=0, lt=0.1)
    max_cycles: int = Field(default=1000, ge=1, le=1_000_000)
    scale_to: Literal["cases", "population"] | float = "cases"
    save_as: str = "weight"

    @model_validator(mode="after")
    def _targets_name_their_categories(self) -> Self:
        for m, margin in enumerate(self.margins):
            allowed = {*margin.by, *self.within}
            for t, target in enumerate(margin.targets):
                if not set(margin.by) <= set(target.at) <= allowed:
                    raise ValueError(
                        f"margins[{m}].targets[{t}] names {some(sorted(target.at))}; it must give a code for "
                        f"each of {some(margin.by)}"
                        + (f", and may give one for {some(self.within)}" if self.within else "")
                    )
        if isinstance(self.scale_to, float) and self.scale_to <= 0:
            raise ValueError("scale_to is a number above 0, 'cases' or 'population'")
        fixed = any(margin.as_ == "counts" for margin in self.margins) or isinstance(self.scale_to, float)
        if not fixed and any(margin.as_ == "totals" for margin in self.margins):
            raise ValueError(
                "totals of a number need a population size: add a margin in counts, or set "
                "scale_to to the size"
            )
        if self.scale_to == "population" and not any(margin.as_ == "counts" for margin in self.margins):
            raise ValueError("scale_to 'population' needs a margin in counts, which says how many they are")
        return self
