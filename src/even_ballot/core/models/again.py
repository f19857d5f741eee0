"""A model fitted again in every replicate: its coefficients and average predictions."""

from collections.abc import Sequence

import numpy as np
import scipy

from even_ballot.core.models.terms import Laid
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.regression.fitting import FAR, Fit, Likelihood, singular
from even_ballot.core.sampling.case_values import ReplicateWeights, replicate_sums, replicate_totals
from even_ballot.core.sampling.sample import Sample

_STEP, _MOST, _CURVES = 1e-10, 12, 2
Place = tuple[str, int]
"""Everybody put into a category of a variable."""


def _solved(fit: Fit, curve: Floats, slope: Floats) -> Floats:
    """curve⁻¹ slope by replicate, (R, p); NaN where that is singular."""
    found = np.full_like(slope, np.nan)
    for r in range(len(slope)):
        if not singular(curve[r], fit.basis):
            found[r] = np.linalg.solve(curve[r], slope[r])
    return found


def linear_again(sample: Sample, laid: Laid, fit: Fit, places: Sequence[Place]) -> Floats:
    """Coefficients and average predictions of a linear model in every replicate, (R, p + C): algebra on sums.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.regression.fitting import basis_of, fit_linear
    >>> from even_ballot.core.models.model_request import ModelRequest
    >>> from even_ballot.core.models.terms import lay
    >>> from even_ballot.core.sampling.design import Design, Jackknifed
    >>> design = Design(clusters=("boat",), variance=Jackknifed(method="jackknife"))
    >>> sample = sampled(ferry(), design, "w")
    >>> laid = lay(sample, ModelRequest(id="m", kind="linear", outcome="age"), None, "")
    >>> fit = fit_linear(sample, laid, basis_of(sample, laid))
    >>> linear_again(sample, laid, fit, []).round(2).ravel().tolist()
    [38.08, 41.42, 32.18, 39.92]
    """
    p = len(fit.beta)
    upper = np.triu_indices(p)
    kept = fit.basis.kept

    def values(number: int, at: Ints) -> Floats:
        u = laid.block(number, at)[:, kept] @ fit.turn
        there = [u[:, upper[0]] * u[:, upper[1]], u * laid.y(number, at)[:, None], np.ones((len(at), 1))]
        there += [laid.block(number, at, dict([place]))[:, kept] for place in places]
        return np.concatenate(there, 1)

    k = len(upper[0])
    sums = replicate_sums(sample, laid.inside, values, k + p + 1 + len(places) * p)
    curve = np.zeros((len(sums), p, p))
    curve[:, upper[0], upper[1]] = curve[:, upper[1], upper[0]] = sums[:, :k]
    beta = _solved(fit, curve, sums[:, k : k + p]) @ fit.turn.T
    means = sums[:, k + p + 1 :].reshape(len(sums), len(places), p) / sums[:, k + p, None, None]
    return np.concatenate([beta, np.einsum("rcp,rp->rc", means, beta)], 1)


def logistic_again(sample: Sample, laid: Laid, fit: Fit, places: Sequence[Place]) -> Floats:
    """The same of a logistic model: Newton's method for all replicates at once, from the full sample's
    coefficients; second derivatives are taken anew as long as that pays.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.regression.fitting import basis_of, fit_logistic
    >>> from even_ballot.core.models.model_request import ModelRequest
    >>> from even_ballot.core.models.terms import lay
    >>> from even_ballot.core.sampling.design import Design, Jackknifed
    >>> design = Design(clusters=("boat",), variance=Jackknifed(method="jackknife"))
    >>> sample = sampled(ferry(), design, "w")
    >>> laid = lay(sample, ModelRequest(id="m", kind="logistic", outcome="isle", event=(2,)), None, "")
    >>> fit = fit_logistic(sample, laid, basis_of(sample, laid))
    >>> logistic_again(sample, laid, fit, []).round(3).ravel().tolist()
    [0.916, 0.916, -0.47, -0.47]
    """
    gamma = _Newton(sample, laid, fit).solved()
    return np.concatenate([gamma @ fit.turn.T, _predicted(sample, laid, fit, places, gamma)], 1)


class _Newton:
    """Newton's method for all replicates at once; gamma: (R, p)."""

    def __init__(self, sample: Sample, laid: Laid, fit: Fit) -> None:
        assert sample.units.replicates is not None
        self.sample, self.laid, self.fit = sample, laid, fit
        self.replicates = sample.units.replicates
        count, p = self.replicates.count, len(fit.beta)
        self.upper = np.triu_indices(p)
        self.gamma = np.tile(fit.gamma, (count, 1))
        self.curve = np.zeros((count, p, p))
        self.farthest = np.zeros(count)

    def _chances(self, number: int, at: Ints, of: slice) -> tuple[Floats, Floats]:
        """The columns u of a block, and the probabilities in some replicates, (n, R)."""
        u = self.laid.block(number, at)[:, self.fit.basis.kept] @ self.fit.turn
        eta = u @ self.gamma[of].T
        self.farthest[of] = np.maximum(self.farthest[of], np.abs(eta).max(0))
        return u, np.asarray(scipy.special.expit(eta))

    def _slope(self, number: int, at: Ints, w: Floats, of: slice) -> Floats:
        u, chance = self._chances(number, at, of)
        return np.asarray((w * (self.laid.y(number, at)[:, None] - chance)).T @ u)

    def _both(self, number: int, at: Ints, w: Floats, of: slice) -> Floats:
        """First and second derivatives."""
        u, chance = self._chances(number, at, of)
        slope = (w * (self.laid.y(number, at)[:, None] - chance)).T @ u
        squares = u[:, self.upper[0]] * u[:, self.upper[1]]
        return np.concatenate([slope, (w * chance * (1 - chance)).T @ squares], 1)

    def solved(self) -> Floats:
        """The coefficients of u in every replicate, (R, p); NaN in one that has none."""
        p, inside = len(self.fit.beta), self.laid.inside
        moved = np.full(self.replicates.count, np.inf)
        for turn in range(_MOST):
            self.farthest[:] = 0
            if turn < _CURVES:
                found = replicate_totals(self.sample, inside, self._both, (p + len(self.upper[0]),))
                for side in (self.upper, self.upper[::-1]):
                    self.curve[:, side[0], side[1]] = found[:, p:]
            else:
                found = replicate_totals(self.sample, inside, self._slope, (p,))
            step = _solved(self.fit, self.curve, found[:, :p])
            self.gamma = self.gamma + step
            moved = np.abs(step @ self.fit.turn.T).max(1)
            if not (moved > _STEP).any():
                break
        farthest = self.sample.merge(np.maximum, [self.farthest] * len(self.sample.parts))
        gone = ~(moved <= _STEP) | (farthest > FAR)
        failed = self.replicates.failed
        for r in np.flatnonzero(gone).tolist():
            self.gamma[r] = np.nan if failed is not None and failed[r] else self._alone(r)
        return self.gamma

    def _alone(self, replicate: int) -> Floats | float:
        """The coefficients of a replicate that is far from the full sample, or NaN where it has none."""
        weights = ReplicateWeights(self.sample, slice(replicate, replicate + 1))
        likelihood = Likelihood(
            self.sample, self.laid, self.fit.basis, lambda number, at: weights.of(number, at)[:, 0]
        )
        gamma, _, _, there = likelihood.largest()
        return gamma if there else np.nan


def _predicted(sample: Sample, laid: Laid, fit: Fit, places: Sequence[Place], gamma: Floats) -> Floats:
    """Average predictions in every replicate, (R, C)."""
    if not places:
        return np.zeros((len(gamma), 0))

    def values(number: int, at: Ints, w: Floats, of: slice) -> Floats:
        there = [w.sum(0)]
        for place in places:
            x = laid.block(number, at, dict([place]))[:, fit.basis.kept] @ fit.turn
            there.append((w * scipy.special.expit(x @ gamma[of].T)).sum(0))
        return np.stack(there, 1)

    sums = replicate_totals(sample, laid.inside, values, (len(places) + 1,))
    return np.asarray(sums[:, 1:] / sums[:, :1])
