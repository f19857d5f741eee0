"""The reliability of scales of items: Cronbach's alpha (1951) with its design-based error, its interval on
the scale of log(1 − α) (Feldt, Woodruff and Salih, 1987), items against the rest."""

from collections.abc import Sequence

import numpy as np
import scipy

from even_ballot.core.faults import fault
from even_ballot.core.models.model_request import ReliabilityRequest
from even_ballot.core.models.results import FIXED, ItemResult, ReliabilityResult
from even_ballot.core.models.terms import Measured, complete, constant, measured
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.sampling.case_values import (
    covariance,
    replicate_covariance,
    replicate_sums,
    summed,
)
from even_ballot.core.sampling.replicates import EMPTY
from even_ballot.core.sampling.sample import Sample

_NONE, _WHOLE = 1e-12, 1e-12


def _alpha(s: Floats) -> Floats:
    """α of covariance matrices (…, k, k); NaN where the sum of the items does not vary."""
    k = s.shape[-1]
    trace, whole = np.trace(s, axis1=-2, axis2=-1), s.sum((-2, -1))
    with np.errstate(all="ignore"):
        return np.where(whole > _NONE * trace, k / (k - 1) * (1 - trace / whole), np.nan)


class _Items:
    """Items of some cases."""

    def __init__(self, sample: Sample, items: Sequence[Measured], inside: Sequence[Bools]) -> None:
        self.sample, self.items, self.inside, self.k = sample, items, inside, len(items)
        sums = summed(sample, inside, self._first, (1 + self.k,))
        self.whole, self.means = float(sums[0]), sums[1:] / sums[0]
        self.s = summed(sample, inside, self._second, (self.k, self.k)) / self.whole

    def y(self, number: int, at: Ints) -> Floats:
        """(n, k)."""
        return np.stack([item.values[number][at] for item in self.items], 1).astype(np.float64)

    def _first(self, number: int, at: Ints) -> Floats:
        w = self.sample.parts[number].weight[at]
        return np.concatenate([w.sum(keepdims=True), w @ self.y(number, at)])

    def _second(self, number: int, at: Ints) -> Floats:
        d = self.y(number, at) - self.means
        return np.asarray((d * self.sample.parts[number].weight[at, None]).T @ d)

    def variance(self, alpha: float) -> float:
        """V of α; NaN where it is not known."""
        if self.sample.units.replicates is not None:
            found = replicate_covariance(
                self.sample.units.replicates, self._again()[:, None], np.array([alpha])
            )
            return float(found[0, 0])
        trace, q = float(np.trace(self.s)), float(self.s.sum())

        def z(number: int, at: Ints) -> Floats:
            d = self.y(number, at) - self.means
            of_trace, of_sum = (d**2).sum(1) - trace, d.sum(1) ** 2 - q
            factor = -self.k / (self.k - 1) / self.whole
            return np.asarray(factor * ((of_trace - trace / q * of_sum) / q))[:, None]

        return float(covariance(self.sample, self.inside, z, 1)[0, 0])

    def _again(self) -> Floats:
        """α in every replicate, (R,)."""
        upper = np.triu_indices(self.k)

        def values(number: int, at: Ints) -> Floats:
            d = self.y(number, at) - self.means
            return np.concatenate([np.ones((len(at), 1)), d, d[:, upper[0]] * d[:, upper[1]]], 1)

        sums = replicate_sums(self.sample, self.inside, values, 1 + self.k + len(upper[0]))
        with np.errstate(all="ignore"):
            sums = np.where(sums[:, :1] > EMPTY * self.whole, sums, np.nan)
            means, products = sums[:, 1 : 1 + self.k] / sums[:, :1], sums[:, 1 + self.k :] / sums[:, :1]
        s = np.empty((len(sums), self.k, self.k))
        s[:, upper[0], upper[1]] = s[:, upper[1], upper[0]] = products
        return _alpha(s - means[:, :, None] * means[:, None, :])

    def constant(self) -> Bools:
        """Which items have one value only, (k,)."""
        return np.array([constant(self.sample, of.values, self.inside) for of in self.items])


def _limits(alpha: float, variance: float, df: int, tail: float) -> tuple[float | None, ...]:
    """Standard error and limits."""
    if df < 1 or not np.isfinite(variance):
        return None, None, None
    if abs(1 - alpha) <= _WHOLE or variance <= FIXED * alpha * alpha:
        return 0.0, alpha, alpha
    se = float(np.sqrt(variance))
    half = float(-scipy.special.stdtrit(df, tail)) * se / (1 - alpha)
    return se, 1 - (1 - alpha) * float(np.exp(half)), 1 - (1 - alpha) * float(np.exp(-half))


def _item(items: _Items, at: int, n: int, constant: Bools) -> ItemResult:
    s = items.s
    others = [j for j in range(items.k) if j != at]
    rest = float(s[np.ix_(others, others)].sum())
    sd = None if n < 2 else float(np.sqrt(max(s[at, at], 0.0) * n / (n - 1)))
    item_rest = None
    if not constant[at] and rest > _NONE * np.trace(s):
        item_rest = float(s[at, others].sum() / np.sqrt(s[at, at] * rest))
    without = None
    if items.k > 2:
        found = float(_alpha(s[np.ix_(others, others)]))
        without = found if np.isfinite(found) else None
    return ItemResult(items.items[at].name, float(items.means[at]), sd, item_rest, without)


def reliability(
    sample: Sample,
    request: ReliabilityRequest,
    inside: Sequence[Bools] | None = None,
    where: str = "reliability[0]",
) -> ReliabilityResult:
    """The reliability of a scale of items. inside: for every part the cases of its filter, (n,). Raises
    StudyError where the request does not fit.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = ReliabilityRequest(id="r", items=("crosses", "isle"))
    >>> found = reliability(sampled(ferry(), Design(), "w"), request)
    >>> found.n, round(found.alpha, 3)
    (6, 0.35)
    """
    if len(request.items) < 2:
        raise fault("A scale is made of two items at least.", f"{where}.items", "Name its items.")
    variables = [measured(sample, name, f"{where}.items[{i}]") for i, name in enumerate(request.items)]
    who, in_filter, lost = complete(sample, variables, inside)
    n = sample.count(who)
    bare = ReliabilityResult(request.id, request.name, n, in_filter=in_filter, lost=lost)
    if n == 0:
        return _without(
            bare, "No case in the filter answered all items. Leave an item out, or widen the filter."
        )
    if n < 2:
        return _without(bare, "Only one case in the filter answered all items, so there is no reliability.")
    items = _Items(sample, variables, who)
    alike = items.constant()
    each = tuple(_item(items, i, n, alike) for i in range(items.k))
    alpha = float(_alpha(items.s))
    against = tuple(of.variable for of in each if of.item_rest is not None and of.item_rest < 0)
    if not np.isfinite(alpha):
        message = (
            "The sum of the items does not vary, so there is no reliability. Look at the items one by one."
        )
        return _without(bare, message, each, against)
    df = sample.units.degrees_of_freedom
    se, low, high = _limits(alpha, items.variance(alpha), df, request.interval.tail)
    standardised = None
    if not alike.any():
        root = np.sqrt(np.diag(items.s))
        k, correlations = items.k, items.s / np.outer(root, root)
        mean = float((correlations.sum() - np.trace(correlations)) / (k * (k - 1)))
        standardised = k * mean / (1 + (k - 1) * mean)
    return ReliabilityResult(
        request.id, request.name, n, alpha, se, low, high, standardised, each, None, against, in_filter, lost
    )


def _without(
    bare: ReliabilityResult, message: str, items: tuple[ItemResult, ...] = (), against: tuple[str, ...] = ()
) -> ReliabilityResult:
    return ReliabilityResult(
        bare.id,
        bare.title,
        bare.n,
        items=items,
        message=message,
        against=against,
        in_filter=bare.in_filter,
        lost=bare.lost,
    )
