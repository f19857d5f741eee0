"""What must be the same in all parts of a whole, seen in a first look at each."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from even_ballot.core.numerics.arrays import Ints


def _union(a: Mapping[str, Ints], b: Mapping[str, Ints]) -> dict[str, Ints]:
    return {name: np.union1d(of, b[name]) for name, of in a.items()}


@dataclass(frozen=True)
class FirstLook:
    """What occurs, so that places among it mean the same in every part. codes: of each coded variable,
    ascending; days: of each date, since 1970, ascending.

    >>> one, other = FirstLook({"isle": np.array([1, 4])}, {}), FirstLook({"isle": np.array([2, 4])}, {})
    >>> one.merged(other).codes["isle"].tolist()
    [1, 2, 4]
    """

    codes: Mapping[str, Ints]
    days: Mapping[str, Ints]

    def merged(self, other: "FirstLook") -> "FirstLook":
        """What occurs in either; both are of the same variables."""
        return FirstLook(_union(self.codes, other.codes), _union(self.days, other.days))
