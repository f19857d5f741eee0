"""What a study file says of a table."""

from typing import Annotated, Literal

from pydantic import Field

from even_ballot.core.intervals import Interval
from even_ballot.core.model import Model
from even_ballot.core.tests import Adjust

Stat = Literal[
    "n", "count", "col_pct", "row_pct", "total_pct", "response_pct", "mean", "sd", "median", "skewness", "kurtosis"
]  # fmt: skip
BannerEntry = str | Annotated[tuple[str, ...], Field(min_length=1)]


class TableRequest(Model):
    """A table: stub variables down, banner variables across (a list inside is nested)."""

    id: str = Field(min_length=1)
    title: str | None = None
    stub: tuple[str, ...] = ()
    banner: tuple[BannerEntry, ...] = ()
    where: str | None = None
    show: tuple[Stat, ...] = ("n", "col_pct")
    interval: Interval = Interval()
    tests: tuple[Literal["independence", "columns"], ...] = ()
    adjust: Adjust = "none"
    layout: Literal["crosstab"] = "crosstab"

    @property
    def entries(self) -> tuple[tuple[str, ...], ...]:
        """Banner entries, each as its nest of variables."""
        return tuple((entry,) if isinstance(entry, str) else entry for entry in self.banner)
