"""The sample design as a study file says it: strata, first-stage units, population sizes, and how
variances are made."""

from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from even_ballot.core.faults import Fault
from even_ballot.core.model import Model

_Scale = Annotated[float, Field(gt=0, allow_inf_nan=False)]
SinglePsu = Literal["stop", "add_nothing", "mean_of_units", "mean_of_strata"]
_FORMER = {
    "refuse": "stop",
    "certainty": "add_nothing",
    "centre": "mean_of_units",
    "average": "mean_of_strata",
}
"""Names that study files had for these before."""


def _named_now(policy: Any) -> Any:
    return _FORMER.get(policy, policy) if isinstance(policy, str) else policy


def former_names(document: Any) -> tuple[Fault, ...]:
    """What to mind about a decoded study file whose design uses a name that is read, but no longer written.

    >>> former_names({"design": {"single_psu": "centre"}})[0].where
    'design.single_psu'
    """
    design = document.get("design") if isinstance(document, Mapping) else None
    policy = design.get("single_psu") if isinstance(design, Mapping) else None
    if not isinstance(policy, str) or policy not in _FORMER:
        return ()
    now = _FORMER[policy]
    return (
        Fault(
            f'"{policy}" is now written "{now}"; it was read as that.',
            "design.single_psu",
            f'Write "single_psu": "{now}".',
        ),
    )


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
    single_psu: Annotated[SinglePsu, BeforeValidator(_named_now)] = "stop"
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
