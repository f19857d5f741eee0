"""A model request → a result, presentation-free: coefficients with their errors, joint tests, average
predictions and their differences (Binder, 1983; Korn and Graubard, 1999; Graubard and Korn, 1999)."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np
import scipy

from even_ballot.core.faults import some
from even_ballot.core.models.again import Place, linear_again, logistic_again
from even_ballot.core.models.model_request import ModelRequest
from even_ballot.core.models.results import (
    FIXED,
    Coefficient,
    JointTest,
    LeftOut,
    ModelResult,
    Prediction,
    PredictionDifference,
    figure,
)
from even_ballot.core.models.terms import Laid, lay
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.regression.fitting import (
    SINGULAR,
    Fit,
    Separated,
    basis_of,
    fit_linear,
    fit_logistic,
    rcond_of,
)
from even_ballot.core.sampling.case_values import covariance, replicate_covariance, summed
from even_ballot.core.sampling.sample import Sample

_NOBODY = "No case in the filter has all answers. Leave a term out, or widen the filter."
_TOO_LARGE = "Some numbers are too large to be squared. Divide them by a constant first."


class _Fitted:
    """A fitted model with its average predictions, (C,), and the covariance of all, (p + C, p + C)."""

    def __init__(self, sample: Sample, laid: Laid, fit: Fit) -> None:
        self.sample, self.laid, self.fit = sample, laid, fit
        self.logistic = laid.request.kind == "logistic"
        self.places: list[Place] = [
            (name, code) for name in laid.request.predictions for code in laid.entering[name].codes
        ]
        self.whole, self.means, self.slopes = self._averages()
        self.variance = self._variance()

    def _expected(self, eta: Floats) -> Floats:
        return np.asarray(scipy.special.expit(eta)) if self.logistic else eta

    def _averages(self) -> tuple[float, Floats, Floats]:
        """Σ w, the average predictions (C,), and their derivatives by the coefficients, (C, p)."""
        p, kept, beta = len(self.fit.beta), self.fit.basis.kept, self.fit.beta

        def values(number: int, at: Ints) -> Floats:
            w = self.sample.parts[number].weight[at]
            there = [w.sum(keepdims=True)]
            for place in self.places:
                x = self.laid.block(number, at, dict([place]))[:, kept]
                found = self._expected(x @ beta)
                each = w * found * (1 - found) if self.logistic else w
                there += [(w @ found)[None], each @ x]
            return np.concatenate(there)

        sums = summed(self.sample, self.laid.inside, values, (1 + len(self.places) * (p + 1),))
        of = (sums[1:] / sums[0]).reshape(len(self.places), p + 1)
        return float(sums[0]), of[:, 0], of[:, 1:]

    def _scores(self, number: int, at: Ints) -> Floats:
        """u (y − expected), and predictions less their average over Σ w, (n, p + C)."""
        kept = self.fit.basis.kept
        x = self.laid.block(number, at)[:, kept]
        apart = self.laid.y(number, at) - self._expected(x @ self.fit.beta)
        there = [(x @ self.fit.turn) * apart[:, None]]
        for place, mean in zip(self.places, self.means.tolist(), strict=True):
            found = self._expected(self.laid.block(number, at, dict([place]))[:, kept] @ self.fit.beta)
            there.append(((found - mean) / self.whole)[:, None])
        return np.concatenate(there, 1)

    def _variance(self) -> Floats:
        p, count = len(self.fit.beta), len(self.fit.beta) + len(self.places)
        replicates = self.sample.units.replicates
        if replicates is not None:
            again = (logistic_again if self.logistic else linear_again)(
                self.sample, self.laid, self.fit, self.places
            )
            return replicate_covariance(replicates, again, np.concatenate([self.fit.beta, self.means]))
        scores = covariance(self.sample, self.laid.inside, self._scores, count)
        turned = np.eye(count)
        turned[:p, :p] = self.fit.times
        turned[p:, :p] = self.slopes @ self.fit.times
        return np.asarray(turned @ scores @ turned.T)


def _exp(x: float) -> float | None:
    """exp(x), or None where no number holds it."""
    with np.errstate(over="ignore"):
        value = float(np.exp(x))
    return value if np.isfinite(value) else None


def _coefficients(laid: Laid, fitted: _Fitted, df: int) -> tuple[Coefficient, ...]:
    found = []
    for k, j in enumerate(fitted.fit.basis.kept.tolist()):
        of = figure(float(fitted.fit.beta[k]), float(fitted.variance[k, k]), df, laid.request.interval)
        term = laid.columns[j - 1] if j else ()
        made = Coefficient(term, of.est, of.se, of.t, of.p, of.low, of.high)
        if laid.request.kind == "logistic":
            ratios = [None if x is None else _exp(x) for x in (of.est, of.low, of.high)]
            made = replace(made, odds_ratio=ratios[0], or_low=ratios[1], or_high=ratios[2])
        found.append(made)
    return tuple(found)


def _joint(laid: Laid, fitted: _Fitted, df: int) -> tuple[JointTest, ...]:
    kept = fitted.fit.basis.kept.tolist()
    found = []
    for t, term in enumerate(laid.request.terms):
        at = [k for k, j in enumerate(kept) if j and laid.term_of[j - 1] == t]
        q = len(at)
        if not q or df < q:
            continue
        variance, beta = fitted.variance[np.ix_(at, at)], fitted.fit.beta[at]
        if (np.diag(variance) <= FIXED * beta**2).any() or not rcond_of(variance) >= SINGULAR:
            continue
        wald = float(beta @ np.linalg.solve(variance, beta))
        f = (df - q + 1) / (q * df) * wald
        p = float(scipy.special.fdtrc(q, df - q + 1, f))
        found.append(JointTest(term, f, q, df - q + 1, p))
    return tuple(found)


def _predictions(laid: Laid, fitted: _Fitted, df: int) -> tuple[Prediction, ...]:
    p, found = len(fitted.fit.beta), []
    for c, (name, code) in enumerate(fitted.places):
        mean, variance = float(fitted.means[c]), float(fitted.variance[p + c, p + c])
        of = figure(mean, variance, df, laid.request.interval)
        low, high = of.low, of.high
        if laid.request.kind == "logistic" and of.se and 0 < mean < 1:
            half = float(-scipy.special.stdtrit(df, laid.request.interval.tail)) * of.se / (mean * (1 - mean))
            middle = np.log(mean / (1 - mean))
            low, high = (float(scipy.special.expit(middle + way * half)) for way in (-1, 1))
        found.append(Prediction(name, code, mean, of.se, low, high))
    return tuple(found)


def _differences(laid: Laid, fitted: _Fitted, df: int) -> tuple[PredictionDifference, ...]:
    p, found = len(fitted.fit.beta), []
    for name in laid.request.predictions:
        mine = [c for c, place in enumerate(fitted.places) if place[0] == name]
        for a, b in combinations(mine, 2):
            v = fitted.variance
            variance = float(v[p + a, p + a] + v[p + b, p + b] - 2 * v[p + a, p + b])
            of = figure(float(fitted.means[a] - fitted.means[b]), variance, df, laid.request.interval)
            codes = fitted.places[a][1], fitted.places[b][1]
            found.append(PredictionDifference(name, *codes, of.est, of.se, of.low, of.high, of.t, of.p))
    return tuple(found)


def _split(laid: Laid, found: Separated, n: int) -> str:
    """Why a logistic model has no estimates, and what would help."""
    if found.one:
        return (
            f"The outcome is the same for all {n:,} cases, so there is nothing to model. Choose other "
            "answers as the event, or another filter."
        )
    terms = dict.fromkeys(" × ".join(laid.request.terms[laid.term_of[j - 1]]) for j in found.columns)
    if not terms:
        return "The terms are almost collinear, so the model has no stable estimates. Leave a term out."
    predict = "predicts" if len(terms) == 1 else "predict"
    return (
        f"Separation: {some(list(terms))} {predict} the event perfectly in some categories, or beyond "
        "some value, so the model has no finite estimates. Combine categories, or leave the term out."
    )


def _events(sample: Sample, laid: Laid) -> int:
    """How many cases have the event."""
    return sample.count([of[which] for of, which in zip(laid.outcome, laid.inside, strict=True)])


def _labels(sample: Sample, request: ModelRequest) -> tuple[str, ...]:
    """The answers that count as the event, in words."""
    if sample.head.variable(request.outcome).kind != "coded":
        return tuple(map(str, request.event or (1,)))
    return tuple(of.label for of in sample.head.categories(request.outcome)[0] if of.code in request.event)


def fitted_model(
    sample: Sample, request: ModelRequest, inside: Sequence[Bools] | None = None, where: str = "models[0]"
) -> ModelResult:
    """A model with all that is told of it. inside: for every part the cases of its filter, (n,). Raises
    StudyError where the request does not fit; a model that has no estimates says why.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = ModelRequest(id="m", kind="linear", outcome="age", terms=(("isle",),))
    >>> found = fitted_model(sampled(ferry(), Design(), "w"), request)
    >>> [round(of.est, 3) for of in found.coefficients]
    [33.0, 10.125]
    """
    laid = lay(sample, request, inside, where)
    n = sample.count(laid.inside)
    logistic = request.kind == "logistic"
    bare = ModelResult(
        request.id,
        request.kind,
        request.name,
        n,
        outcome=request.outcome,
        variables=tuple(of.told for of in laid.entering.values()),
        in_filter=laid.in_filter,
        lost=laid.lost,
        events=_events(sample, laid) if logistic else None,
        event=_labels(sample, request) if logistic else (),
    )
    if n == 0:
        return replace(bare, message=_NOBODY)
    basis = basis_of(sample, laid)
    kept = set(basis.kept.tolist())
    gone = tuple(LeftOut(of) for j, of in enumerate(laid.columns, start=1) if j not in kept)
    fit = fit_linear(sample, laid, basis) if request.kind == "linear" else fit_logistic(sample, laid, basis)
    if isinstance(fit, Separated):
        return replace(bare, message=_split(laid, fit, n), left_out=gone)
    if not np.isfinite(fit.beta).all():
        return replace(bare, message=_TOO_LARGE, left_out=gone)
    fitted, df = _Fitted(sample, laid, fit), sample.units.degrees_of_freedom
    return replace(
        bare,
        df=df,
        r2=fit.fits,
        coefficients=_coefficients(laid, fitted, df),
        joint=_joint(laid, fitted, df) if df > 0 else (),
        predictions=_predictions(laid, fitted, df),
        differences=_differences(laid, fitted, df),
        left_out=gone,
    )
