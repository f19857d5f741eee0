"""The sample design as a study file says it: strata, first-stage units, population sizes, and how
variances are made."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from even_ballot.core.model import Model

_Scale = Annotated[float, Field(gt=0, allow_inf_nan=False)]
SinglePsu = Literal["refuse", "certainty", "centre", "average"]


class Linearised(Model):
    """Variance by linearisation (Taylor series)."""

    method: Literal["linearised"] = "linearised"


class Jackknifed(Model):
    """Each first-stage unit left out in turn."""

    method: Literal["jackknife"]


class Bootstrapped(Model):
    """First-stage units drawn again with replacement, rescaled (Rao and Wu, 1988)."""

    method: Literal["bootstrap"]
    count: int = Field(default=500, ge=2, le=100_000)
    seed: int = Field(default=1, ge=0)


class Balanced(Model):
    """Balanced half samples, for two first-stage units a stratum; fay: the share of its weight that the
    unit left out keeps."""

    method: Literal["balanced"]
    fay: float = Field(default=0.0, ge=0, lt=1)


class GivenColumns(Model):
    """Replicate weights that came with the file; scale: what each squared difference counts, one for all or
    one for each column; df: degrees of freedom, as whoever made them says; left out, the columns less one, or
    where the design names strata and clusters its units less strata."""

    method: Literal["columns"]
    columns: tuple[str, ...] = Field(min_length=2)
    scale: _Scale | tuple[Annotated[float, Field(ge=0, allow_inf_nan=False)], ...]
    df: int | None = Field(default=None, ge=1)

    @model_validator(mode="after")
    def _one_for_each(self) -> Self:
        if isinstance(self.scale, tuple) and len(self.scale) != len(self.columns):
            raise ValueError(
                f"{len(self.scale)} scales for {len(self.columns)} columns; give one for all, or one for each"
            )
        return self

    @property
    def scales(self) -> tuple[float, ...]:
        """What each column's squared difference counts."""
        return self.scale if isinstance(self.scale, tuple) else (self.scale,) * len(self.columns)


VarianceMethod = Annotated[
    Linearised | Jackknifed | Bootstrapped | Balanced | GivenColumns, Field(discriminator="method")
]


class Design(Model):
    """How the sample was drawn.

    weight: a variable; left out, the last weighting's (or none); null, unweighted. strata, clusters:
    variables of the first stage. population_size: a variable with the number of first-stage units in the
    stratum. calibrated: standard errors know that the weights were raked. save_replicates: replicate weights
    stand beside the weight in the records that are released.
    """

    weight: str | None = None
    strata: tuple[str, ...] = ()
    clusters: tuple[str, ...] = ()
    population_size: str | None = None
    single_psu: SinglePsu = "refuse"
    calibrated: bool = False
    variance: VarianceMethod = Linearised()
    save_replicates: bool = False

    @model_validator(mode="after")
    def _there_is_something_to_save(self) -> Self:
        if self.save_replicates and isinstance(self.variance, Linearised):
            raise ValueError(
                "linearisation has no replicate weights to save; choose jackknife, bootstrap or balanced, or "
                "leave save_replicates out"
            )
        return self

    @model_validator(mode="after")
    def _given_weights_are_as_they_are(self) -> Self:
        if self.calibrated and isinstance(self.variance, GivenColumns):
            raise ValueError(
                "replicate weights that came with the file cannot be raked again here; leave calibrated "
                "out if they were raked "
                "already, or let replicates be made by jackknife or bootstrap"
            )
        return self
