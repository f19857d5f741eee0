"""What a study file says of a weighting."""

from typing import Literal, Self

from pydantic import Field, field_validator, model_validator

from even_ballot.core.model import Model


class Target(Model):
    """The target of one category: `at` gives each of its variables' codes."""

    at: dict[str, int]
    value: float = Field(ge=0, allow_inf_nan=False)


class Margin(Model):
    """Population targets over the categories of one or several crossed variables."""

    by: tuple[str, ...] = Field(min_length=1)
    unknown: Literal["refuse", "hold"] = "refuse"
    as_: Literal["shares", "percent", "counts"] = Field(default="shares", alias="as")
    targets: tuple[Target, ...]

    @property
    def title(self) -> str:
        return " × ".join(self.by)


class StratumPopulation(Model):
    """Base weight: a stratum's population over its cases."""

    stratum_population: str
    by: tuple[str, ...] = Field(min_length=1)


class Weighting(Model):
    """Base weights raked to margins, saved as a variable."""

    base: str | StratumPopulation | None = None
    margins: tuple[Margin, ...] = ()
    within: tuple[str, ...] = ()
    limits: None = None
    nonresponse: None = None
    tolerance: float = Field(default=1e-10, gt=0, lt=0.1)
    max_cycles: int = Field(default=1000, ge=1, le=1_000_000)
    scale_to: Literal["cases", "population"] | float = "cases"
    save_as: str = "weight"

    @field_validator("limits", "nonresponse", mode="before")
    @classmethod
    def _not_yet(cls, value: object) -> None:
        if value is not None:
            raise ValueError("this is not part of this version; leave it out or set it to null")

    @model_validator(mode="after")
    def _targets_name_their_categories(self) -> Self:
        for m, margin in enumerate(self.margins):
            allowed = {*margin.by, *self.within}
            for t, target in enumerate(margin.targets):
                if not set(margin.by) <= set(target.at) <= allowed:
                    raise ValueError(
                        f"margins[{m}].targets[{t}] names {sorted(target.at)}; it must give a code for each of {list(margin.by)}"
                        + (f" and may for {list(self.within)}" if self.within else "")
                    )
        if isinstance(self.scale_to, float) and self.scale_to <= 0:
            raise ValueError("scale_to is a number above 0, 'cases' or 'population'")
        if self.scale_to == "population" and not any(margin.as_ == "counts" for margin in self.margins):
            raise ValueError("scale_to 'population' needs a margin in counts, which says how many they are")
        return self
