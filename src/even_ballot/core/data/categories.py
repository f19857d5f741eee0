"""Categories as they are shown."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Category:
    """A category as it is shown; in_codebook is False for a code the scale does not know."""

    code: int
    label: str
    in_codebook: bool = True
