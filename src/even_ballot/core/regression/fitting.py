"""Linear and logistic models fitted to weighted cases, block by block (Fuller, 1975; Binder, 1983).

What the columns have in common is taken out by a QR factorisation of √W X that is carried from block to
block, so that X is never whole in memory and no precision is lost to its squares; Newton's method then works
on orthonormal columns.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.regression.columns import Columns
from even_ballot.core.sampling.case_values import blocks, summed
from even_ballot.core.sampling.sample import Sample

SHORT, SINGULAR, _ROUNDING = 1e-9, 1e-12, 1e-13
FAR, _STEP, _MOST = 30.0, 1e-10, 60


@dataclass(frozen=True)
class Basis:
    """What √W [X y] comes to: kept: the columns of X that earlier ones do not make up; r: (p, p), upper
    triangular, X of the kept ones = Q r, Q orthonormal over the weighted cases; of_y: Q′y; rest: the length
    of what is left of y."""

    kept: Ints
    r: Floats
    of_y: Floats
    rest: float


def _triangle(x: Floats) -> Floats:
    """R of the QR factorisation of x."""
    return np.asarray(np.linalg.qr(x, mode="r"), np.float64)


def _factored(sample: Sample, laid: Columns) -> Floats:
    """R of the QR factorisation of √W [X y], (p + 1, p + 1)."""

    def of(number: int) -> Floats:
        part, done = sample.parts[number], np.zeros((0, laid.width + 1))
        for at in blocks(laid.inside[number]):
            x = np.column_stack([laid.block(number, at), laid.y(number, at)])
            done = _triangle(np.vstack([done, np.sqrt(part.weight[at])[:, None] * x]))
        return done

    seen = [of(number) for number in range(len(sample.parts))]
    whole = sample.merge(lambda a, b: _triangle(np.vstack([a, b])), seen)
    full = np.zeros((laid.width + 1, laid.width + 1))
    full[: len(whole)] = whole
    return full


def _independent(r: Floats) -> Ints:
    """The columns, in order, whose part that no earlier kept one makes up is not too short."""
    size = np.sqrt((r**2).sum(0))
    kept: list[int] = []
    basis = np.zeros((len(r), 0))
    for j in range(r.shape[1]):
        if size[j] == 0:
            continue
        rest = r[:, j] / size[j]
        for _ in range(2):
            rest = rest - basis @ (basis.T @ rest)
        length = float(np.sqrt((rest**2).sum()))
        if length >= SHORT:
            kept.append(j)
            basis = np.column_stack([basis, rest / length])
    return np.array(kept, np.int64)


def basis_of(sample: Sample, laid: Columns) -> Basis:
    """The columns of a model without those that earlier ones make up.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.models.model_request import ModelRequest
    >>> from even_ballot.core.models.terms import lay
    >>> from even_ballot.core.sampling.design import Design
    >>> sample = sampled(ferry(), Design(), "w")
    >>> request = ModelRequest(id="m", kind="linear", outcome="age", terms=(("isle",),))
    >>> basis_of(sample, lay(sample, request, None, "")).kept.tolist()
    [0, 1]
    """
    whole = _factored(sample, laid)
    kept = _independent(whole[:, :-1])
    r = _triangle(whole[:, [*kept.tolist(), laid.width]])
    p = len(kept)
    return Basis(kept, r[:p, :p], r[:p, p], float(abs(r[p, p])) if len(r) > p else 0.0)


@dataclass(frozen=True)
class Fit:
    """Coefficients of the kept columns, (p,). turn: (p, p), X turn is orthonormal; times: (p, p), their
    linearised values are times u (y − expected), u of X turn; gamma: (p,), the coefficients of u; fits: how
    much of the outcome is explained."""

    basis: Basis
    beta: Floats
    turn: Floats
    times: Floats
    gamma: Floats
    fits: float | None


@dataclass(frozen=True)
class Separated:
    """A logistic model without estimates. columns: those that split the outcome; one: the outcome is the
    same for all."""

    columns: tuple[int, ...] = ()
    one: bool = False


def _turn(basis: Basis) -> Floats:
    return np.asarray(np.linalg.solve(basis.r, np.eye(len(basis.r))))


def fit_linear(sample: Sample, laid: Columns, basis: Basis) -> Fit:
    """β = (X′WX)⁻¹ X′W y, and R².

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.models.model_request import ModelRequest
    >>> from even_ballot.core.models.terms import lay
    >>> from even_ballot.core.sampling.design import Design
    >>> sample = sampled(ferry(), Design(), "w")
    >>> laid = lay(sample, ModelRequest(id="m", kind="linear", outcome="age"), None, "")
    >>> fit_linear(sample, laid, basis_of(sample, laid)).beta.round(3).tolist()
    [38.062]
    """
    turn = _turn(basis)
    # The first kept column is the intercept, so that what is left of y beside it is its spread.
    squares, rest = basis.of_y**2, float(np.square(basis.rest))
    spread, whole = float(squares[1:].sum()) + rest, float(squares.sum()) + rest
    known = spread > 1e-28 * whole and np.isfinite(spread)
    fits = 1 - rest / spread if known else None
    return Fit(basis, turn @ basis.of_y, turn, turn, basis.of_y, fits)


def rcond_of(matrix: Floats) -> float:
    """The reciprocal condition of a symmetric matrix scaled to unit diagonal; 0 where it has none.

    >>> rcond_of(np.diag([1.0, 1e6]))
    1.0
    """
    diagonal = np.diag(matrix)
    if not (diagonal > 0).all() or not np.isfinite(matrix).all():
        return 0.0
    root = np.sqrt(diagonal)
    values = np.linalg.eigvalsh(matrix / np.outer(root, root))
    return max(float(values[0] / values[-1]), 0.0)


Weights = Callable[[int, Ints], Floats]
"""The weights of some cases of a part, (n,)."""


class Likelihood:
    """The weighted log likelihood of a logistic model, its first and second derivative, on orthonormal
    columns. weights: in place of the sample's own."""

    def __init__(self, sample: Sample, laid: Columns, basis: Basis, weights: Weights | None = None) -> None:
        self.sample, self.laid, self.basis = sample, laid, basis
        self.weights = weights or (lambda number, at: sample.parts[number].weight[at])
        self.turn = _turn(basis)
        p = len(basis.kept)
        self.shape = (1 + p + p * p,)

    def at(self, gamma: Floats) -> tuple[float, Floats, Floats, float]:
        """ℓ, its gradient (p,), its negative Hessian (p, p), and the largest |x′β|."""
        p, farthest = len(self.turn), [0.0]

        def values(number: int, at: Ints) -> Floats:
            u = self.laid.block(number, at)[:, self.basis.kept] @ self.turn
            w, y = self.weights(number, at), self.laid.y(number, at)
            eta = u @ gamma
            farthest[0] = max(farthest[0], float(np.abs(eta[w > 0]).max(initial=0)))
            # One exponential for the probability and for log(1 + exp η).
            small = np.exp(-np.abs(eta))
            chance = np.where(eta >= 0, 1.0, small) / (1 + small)
            likelihood = w @ (y * eta - np.maximum(eta, 0) - np.log1p(small))
            curve = (u * (w * chance * (1 - chance))[:, None]).T @ u
            return np.concatenate([[likelihood], u.T @ (w * (y - chance)), curve.ravel()])

        found = summed(self.sample, self.laid.inside, values, self.shape)
        far = self.sample.merge(max, farthest * len(self.sample.parts))
        return float(found[0]), found[1 : 1 + p], found[1 + p :].reshape(p, p), far

    def singular(self, curve: Floats) -> bool:
        """Whether second derivatives leave some coefficient open."""
        return singular(curve, self.basis)

    def largest(self) -> tuple[Floats, float, Floats, bool]:
        """Where it is largest, by Newton's method with step halving: γ, ℓ and the negative Hessian there,
        and whether it is there at all, not ever farther out."""
        gamma = np.zeros(len(self.basis.kept))
        value, slope, curve, _ = self.at(gamma)
        for _ in range(_MOST):
            if self.singular(curve):
                return gamma, value, curve, False
            step = np.asarray(np.linalg.solve(curve, slope))
            found = self.at(gamma + step)
            for _ in range(30):
                if found[0] >= value - 1e-12 * abs(value):
                    break
                step = step / 2
                found = self.at(gamma + step)
            gamma = gamma + step
            value, slope, curve, farthest = found
            if farthest > FAR:
                return gamma, value, curve, False
            if np.abs(self.turn @ step).max() <= _STEP:
                break
        return gamma, value, curve, not self.singular(curve)


def fit_logistic(sample: Sample, laid: Columns, basis: Basis) -> Fit | Separated:
    """β by Newton's method with step halving, and McFadden's pseudo R²; or why there is none.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.models.model_request import ModelRequest
    >>> from even_ballot.core.models.terms import lay
    >>> from even_ballot.core.sampling.design import Design
    >>> sample = sampled(ferry(), Design(), "w")
    >>> laid = lay(sample, ModelRequest(id="m", kind="logistic", outcome="isle", event=(2,)), None, "")
    >>> fit_logistic(sample, laid, basis_of(sample, laid)).beta.round(3).tolist()
    [0.223]
    """

    def outcomes(number: int, at: Ints) -> Floats:
        w = sample.parts[number].weight[at]
        return np.array([w.sum(), w @ laid.y(number, at)])

    whole, ones = summed(sample, laid.inside, outcomes, (2,)).tolist()
    if ones <= 0 or ones >= whole:
        return Separated(one=True)
    likelihood = Likelihood(sample, laid, basis)
    gamma, value, curve, there = likelihood.largest()
    if not there:
        return _separated(basis, likelihood.turn @ gamma)
    share = ones / whole
    alone = ones * np.log(share) + (whole - ones) * np.log1p(-share)
    times = np.asarray(np.linalg.solve(curve, likelihood.turn.T).T, np.float64)
    beta = np.asarray(likelihood.turn @ gamma)
    return Fit(basis, beta, likelihood.turn, times, gamma, float(1 - value / alone))


def of_columns(curve: Floats, basis: Basis) -> Floats:
    """J of the columns themselves from that of the orthonormal ones.

    >>> of_columns(np.eye(1), Basis(np.array([0]), np.array([[2.0]]), np.zeros(1), 0.0)).tolist()
    [[4.0]]
    """
    return np.asarray(basis.r.T @ curve @ basis.r)


def singular(curve: Floats, basis: Basis) -> bool:
    """Whether second derivatives on orthonormal columns, (p, p), leave some coefficient open: their
    reciprocal condition, scaled to unit diagonal, is too small, or a column has nothing but rounding left.

    >>> singular(np.eye(1), Basis(np.array([0]), np.array([[2.0]]), np.zeros(1), 0.0))
    False
    """
    if not np.isfinite(curve).all():
        return True
    own = of_columns(curve, basis)
    # A column without cases is not quite zero once it is turned, and scaling would make much of it.
    rounding = _ROUNDING * (basis.r**2).sum(0) * np.diag(curve).max()
    return bool((np.diag(own) <= rounding).any()) or rcond_of(own) < SINGULAR


def _separated(basis: Basis, beta: Floats) -> Separated:
    """Which columns split the outcome: those whose share of the largest x′β is large."""
    size = np.abs(beta) * np.sqrt((basis.r**2).sum(0))
    found = [int(basis.kept[j]) for j in range(1, len(beta)) if size[j] >= 0.2 * size[1:].max(initial=0)]
    return Separated(tuple(found))
