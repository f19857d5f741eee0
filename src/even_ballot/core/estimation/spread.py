"""Weighted central moments."""

from dataclasses import dataclass

import numpy as np

from even_ballot.core.numerics.arrays import Floats, Ints


@dataclass(frozen=True)
class Distribution:
    """A number's weighted values among m domains: value (k,), domain (k,), weight (k,) of the cases that
    count."""

    value: Floats
    domain: Ints
    weight: Floats
    domains: int

    def sum(self, quantity: Floats) -> Floats:
        """Σ w q by domain."""
        return np.bincount(self.domain, weights=self.weight * quantity, minlength=self.domains).astype(
            np.float64
        )


@dataclass(frozen=True)
class Spread:
    """Weighted central moments by domain: sd is that of S² = Σ w (y − ȳ)²/Σ w · n/(n − 1)."""

    sd: Floats
    skewness: Floats
    kurtosis: Floats


def spread(values: Distribution, n: Ints) -> Spread:
    """sd, skewness m₃/m₂^1.5 and excess kurtosis m₄/m₂² − 3; n: unweighted bases."""
    with np.errstate(all="ignore"):
        whole = values.sum(np.ones_like(values.value))
        deviation = values.value - (values.sum(values.value) / whole)[values.domain]
        # A second pass: the first mean of large values is off in their last digits.
        deviation = deviation - (values.sum(deviation) / whole)[values.domain]
        m2, m3, m4 = (values.sum(deviation**power) / whole for power in (2, 3, 4))
        # Deviations that are only rounding are none.
        scale = np.sqrt(values.sum(values.value**2) / whole)
        m2 = np.where(m2 <= (1e-14 * scale) ** 2, 0.0, m2)
        sd = np.where(n > 1, np.sqrt(m2 * n / np.maximum(n - 1, 1)), np.nan)
        return Spread(sd, np.where(m2 > 0, m3 / m2**1.5, np.nan), np.where(m2 > 0, m4 / m2**2 - 3, np.nan))
