"""A second reading of how weights come about: in replicates, by raking, within limits. Slow and plain, beside `reading`."""

import math
from collections.abc import Sequence

import numpy as np
from reading_estimates import Sample, Vector
from scipy import linalg


def jackknife(sample: Sample, d: Vector) -> tuple[Vector, Vector]:
    """Base weights of each replicate, (n, R), and what each counts; strata of one PSU are passed over."""
    columns, c = [], []
    for h, units in sample.units.items():
        n, here = len(units), sample.stratum == h
        f = n / sample.population[here][0] if sample.population is not None else 0.0
        for i in units if n > 1 else ():
            left = here & (sample.psu == i)
            columns.append(np.where(left, 0.0, np.where(here, d * n / (n - 1), d)))
            c.append((1 - f) * (n - 1) / n)
    return (np.stack(columns, 1) if columns else np.zeros((len(d), 0))), np.array(c)


def bootstrap(sample: Sample, d: Vector, count: int, seed: int) -> tuple[Vector, Vector]:
    """Rescaled bootstrap; the draws, stratum by stratum, are those of NumPy's default generator."""
    draws, weights = np.random.default_rng(seed), np.repeat(d[:, None], count, 1)
    for h, units in sample.units.items():
        n, here = len(units), sample.stratum == h
        root = math.sqrt(1 - (n / sample.population[here][0] if sample.population is not None else 0.0))
        if n > 1:
            drawn = draws.multinomial(n - 1, [1 / n] * n, size=count)
            for k, i in enumerate(units):
                weights[here & (sample.psu == i)] *= 1 - root + root * n / (n - 1) * drawn[:, k]
    return weights, np.full(count, 1 / count)


def half_samples(sample: Sample, d: Vector, fay: float) -> tuple[Vector, Vector]:
    """Balanced half samples, the first unit of each stratum of two on the plus side."""
    size = 1
    while size < len(sample.units) + 1:
        size *= 2
    signs, weights = linalg.hadamard(size), np.repeat(d[:, None], size, 1)
    for k, (h, units) in enumerate(sample.units.items()):
        here = sample.stratum == h
        f = len(units) / sample.population[here][0] if sample.population is not None else 0.0
        for side, i in zip((1, -1), units if len(units) == 2 else (), strict=False):
            weights[here & (sample.psu == i)] *= 1 + side * signs[:, k + 1] * (1 - fay) * math.sqrt(1 - f)
    return weights, np.full(size, 1 / (size * (1 - fay) ** 2))


def rake_within_limits(
    d: Vector, x: Vector, targets: Vector, low: float, high: float, whole: float
) -> Vector | None:
    """w = clip(d · exp(x′λ), low · w̄, high · w̄) with x′w = targets · whole: the least of the dual
    function, which is convex, by Newton's method with halved steps. None: it cannot be done."""
    live = d > 0
    d, x, aim = d[live], x[live], targets * whole
    lowest, highest = low * whole / live.sum(), high * whole / live.sum()
    d = d * whole / d.sum()

    def weights(eta: Vector) -> Vector:
        return np.clip(d * np.exp(np.clip(eta, -500, 500)), lowest, highest)

    def dual(of: Vector) -> float:
        """Its derivative by eta is the weights."""
        eta, w = x @ of, weights(x @ of)
        at = np.clip(eta, np.log(lowest / d), np.log(highest / d))
        return float((d * np.exp(at) + w * (eta - at)).sum() - aim @ of)

    of = np.zeros(x.shape[1])
    for _ in range(300):
        w = weights(x @ of)
        gap = x.T @ w - aim
        if np.abs(gap).max() <= 1e-13 * whole:
            out = np.zeros(len(live))
            out[live] = w
            return out
        free = np.where((w > lowest) & (w < highest), w, 1e-6 * w)
        step, times = np.linalg.lstsq(x.T @ (free[:, None] * x), gap, rcond=1e-12)[0], 1.0
        start, far = dual(of), np.abs(gap).max()
        while times > 1e-9:
            there = of - times * step
            # Near the end a step's gain is less than the dual's digits show; the gap shows it.
            if (
                dual(there) < start - 1e-4 * times * float(gap @ step)
                or np.abs(x.T @ weights(x @ there) - aim).max() < far / 2
            ):
                break
            times /= 2
        of = of - times * step
    return None


def rake(
    d: Vector, margins: Sequence[tuple[Vector, dict[int, float], bool]], groups: Vector, whole: float
) -> Vector | None:
    """Weights raked inside each group to shares of its base weight; a held unknown (0) keeps its own.
    None: it cannot be done."""
    w = d / d.sum()
    share = {g: w[groups == g].sum() for g in set(groups.tolist())}
    worst = math.inf
    for _ in range(1_000):
        worst = 0.0
        for values, targets, hold in margins:
            for g, of_group in share.items():
                inside = groups == g
                unknown = (d / d.sum())[inside & (values == 0)].sum() if hold else 0.0
                for code, target in targets.items():
                    cell = inside & (values == code)
                    aim, now = target * (of_group - unknown), w[cell].sum()
                    worst = max(worst, abs(now - aim))
                    if now > 0:
                        w[cell] *= aim / now
                    elif aim > 0:
                        return None
                if hold and (cell := inside & (values == 0)).any() and unknown > 0:
                    worst = max(worst, abs(w[cell].sum() - unknown))
                    w[cell] *= unknown / w[cell].sum()
        if worst <= 1e-13:
            return w * whole
    return None
