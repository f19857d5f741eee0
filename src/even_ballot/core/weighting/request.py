"""What a study file says of a weighting."""

from typing import Annotated, Literal, Self

from pydantic import Discriminator, Field, Tag, model_validator

from even_ballot.core.model import Model


class Target(Model):
    """The target of one category: `at` gives each of its variables' codes."""

    at: dict[str, int]
    value: float = Field(ge=0, allow_inf_nan=False)


class Margin(Model):
    """Population targets over the categories of one or several crossed variables."""

    by: tuple[str, ...] = Field(min_length=1, max_length=8)
    unknown: Literal["refuse", "hold"] = "refuse"
    as_: Literal["shares", "percent", "counts"] = Field(default="shares", alias="as")
    targets: tuple[Target, ...] = Field(max_length=100_000)

    @property
    def title(self) -> str:
        return " × ".join(self.by)


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
                        f"margins[{m}].targets[{t}] names {sorted(target.at)}; it must give a code for "
                        f"each of {list(margin.by)}"
                        + (f" and may for {list(self.within)}" if self.within else "")
                    )
        if isinstance(self.scale_to, float) and self.scale_to <= 0:
            raise ValueError("scale_to is a number above 0, 'cases' or 'population'")
        if self.scale_to == "population" and not any(margin.as_ == "counts" for margin in self.margins):
            raise ValueError("scale_to 'population' needs a margin in counts, which says how many they are")
        return self
