"""One thing found."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Finding:
    """A kind of fault in a variable (one value of it, where that matters), and how many cases have it."""

    variable: str
    kind: str
    value: str
    cases: int
