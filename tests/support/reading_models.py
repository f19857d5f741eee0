"""A second reading of models, scales of items, correlations and calibration to numbers: whole matrices, one case
after the other where that is plainest."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from reading_estimates import Sample
from scipy import stats

Vector = Any


def solve(x: Vector, w: Vector, y: Vector, logistic: bool) -> Vector | None:
    """Coefficients, by Newton's method from nought; None where they run away."""
    if not logistic:
        scaled = np.sqrt(w)[:, None] * x
        if np.linalg.matrix_rank(scaled / np.maximum(np.sqrt((scaled**2).sum(0)), 1e-300)) < x.shape[1]:
            return None
        return np.linalg.lstsq(np.sqrt(w)[:, None] * x, np.sqrt(w) * y, rcond=None)[0]
    beta = np.zeros(x.shape[1])
    for _ in range(60):
        p = 1 / (1 + np.exp(-x @ beta))
        curve = (x * (w * p * (1 - p))[:, None]).T @ x
        root = np.sqrt(np.diag(curve))
        if not (root > 0).all() or not 1 / np.linalg.cond(curve / np.outer(root, root)) >= 1e-12:
            return None
        step = np.linalg.solve(curve, x.T @ (w * (y - p)))
        beta = beta + step
        if np.abs(x @ beta).max() > 30:
            return None
        if np.abs(step).max() < 1e-13:
            return beta
    return beta


class ModelReading:
    """A model on cases: x (n, p), those of `inside` count; swaps: of each prediction, x with everybody in one
    category."""

    def __init__(
        self, sample: Sample, x: Vector, y: Vector, inside: Vector, logistic: bool, swaps: list[Vector]
    ) -> None:
        self.sample, self.inside, self.logistic = sample, inside, logistic
        self.x, self.y = np.where(inside[:, None], x, 0.0), np.where(inside, y, 0.0)
        self.swaps = swaps
        theta = self.of(sample.w)
        assert theta is not None
        self.theta: Vector = theta

    def expected(self, x: Vector, beta: Vector) -> Vector:
        return 1 / (1 + np.exp(-x @ beta)) if self.logistic else x @ beta

    def of(self, w: Vector) -> Vector | None:
        """Coefficients and average predictions at some weights."""
        w = np.where(self.inside, w, 0.0)
        there = w > 0
        beta = solve(self.x[there], w[there], self.y[there], self.logistic)
        if beta is None:
            return None
        means = [w @ np.where(self.inside, self.expected(x, beta), 0.0) / w.sum() for x in self.swaps]
        return np.concatenate([beta, means])

    def covariance(self) -> Vector:
        """Of all, by the definition's z, or by replicates."""
        if self.sample.replicates is not None:
            again = [self.of(w) for w in self.sample.replicates.T]
            apart = np.array(
                [np.full_like(self.theta, np.nan) if a is None else a - self.theta for a in again]
            )
            return apart.T @ (self.sample.c[:, None] * apart)
        p = self.x.shape[1]
        beta, w = self.theta[:p], np.where(self.inside, self.sample.w, 0.0)
        chance = self.expected(self.x, beta)
        curve = w * chance * (1 - chance) if self.logistic else w
        inverse = np.linalg.inv((self.x * curve[:, None]).T @ self.x)
        z_beta = np.where(self.inside[:, None], self.x * (self.y - chance)[:, None], 0.0) @ inverse
        z = [z_beta[:, j] for j in range(p)]
        for x, mean in zip(self.swaps, self.theta[p:], strict=True):
            of = self.expected(x, beta)
            slope = (w * of * (1 - of) if self.logistic else w) @ x / w.sum()
            z.append(np.where(self.inside, of - mean, 0.0) / w.sum() + z_beta @ slope)
        return np.array([[self.sample.covariance(a, b) for b in z] for a in z])


def alpha_of(y: Vector, w: Vector) -> float:
    d = y - w @ y / w.sum()
    s = (d * w[:, None]).T @ d / w.sum()
    k = len(s)
    return float(k / (k - 1) * (1 - np.trace(s) / s.sum()))


def mid_ranks(x: Vector, w: Vector) -> Vector:
    return np.array([w[x < one].sum() + w[x == one].sum() / 2 for one in x]) / w.sum()


def pearson_of(x: Vector, y: Vector, w: Vector) -> float:
    a, b = x - w @ x / w.sum(), y - w @ y / w.sum()
    return float((w @ (a * b)) / math.sqrt((w @ a**2) * (w @ b**2)))


def spearman_of(x: Vector, y: Vector, w: Vector) -> float:
    return pearson_of(mid_ranks(x, w), mid_ranks(y, w), w)


def by_nudging(of: Callable[[Vector], float], w: Vector, at: Vector) -> Vector:
    """What an estimate changes with each case's weight, z by its meaning: the derivative by that weight."""
    z = np.zeros(len(w))
    for k in np.flatnonzero(at):
        h = 1e-4 * w[k]
        values = []
        for step in (2, 1, -1, -2):
            moved = w.copy()
            moved[k] += step * h
            values.append(of(moved))
        z[k] = (-values[0] + 8 * values[1] - 8 * values[2] + values[3]) / (12 * h)
    return z


def variance_of(sample: Sample, of: Callable[[Vector], float], inside: Vector) -> float:
    """Of any estimate that is a function of the weights."""
    if sample.replicates is not None:
        again = np.array([of(w) for w in sample.replicates.T])
        return float(sample.c @ (again - of(sample.w)) ** 2)
    z = by_nudging(of, sample.w, inside)
    return sample.covariance(z, z)


def calibrated_weights(d: Vector, x: Vector, target: Vector) -> Vector:
    """d·exp(x′λ) that meet Σ w x = target."""
    lam = np.zeros(x.shape[1])

    def dual(at: Vector) -> float:
        return float((d * np.exp(x @ at)).sum() - at @ target)

    for _ in range(200):
        w = d * np.exp(x @ lam)
        slope = w @ x - target
        step = np.linalg.pinv((x * w[:, None]).T @ x, rcond=1e-13) @ slope
        size = 1.0
        while dual(lam - size * step) > dual(lam) - 1e-4 * size * float(slope @ step) and size > 1e-8:
            size /= 2
        lam = lam - size * step
        if np.abs(step).max() < 1e-14:
            break
    return d * np.exp(x @ lam)


def two_sided(t: float, df: int) -> float:
    return float(2 * stats.t.sf(abs(t), df))
