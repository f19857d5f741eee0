"""One thing found."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from even_ballot.core.dataset import Bools, Dataset
from even_ballot.core.screening.settings import Screening


@dataclass(frozen=True)
class Finding:
    """A kind of fault in a variable (one value of it, where that matters), and how many cases have it. accepted: why it
    may stand, where somebody has said so."""

    variable: str
    kind: str
    value: str
    cases: int
    accepted: str | None = None


@dataclass(frozen=True)
class Found:
    """What a check found, and in which cases (n,)."""

    variable: str
    value: str
    cases: Bools


Check = Callable[[Dataset, Screening], Iterator[Found]]
