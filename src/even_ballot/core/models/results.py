"""What models, scales of items and correlations come to, presentation-free."""

from dataclasses import dataclass

import numpy as np
import scipy

from even_ballot.core.models.model_request import Level

FIXED = 1e-18
"""A variance that is no more than this share of the squared estimate is 0."""


@dataclass(frozen=True, slots=True)
class Factor:
    """A variable in a term's column; code: of a category, None of a number."""

    variable: str
    code: int | None = None


@dataclass(frozen=True, slots=True)
class Figure:
    """An estimate, its standard error, two-sided limits and test; None where there is none."""

    est: float
    se: float | None = None
    low: float | None = None
    high: float | None = None
    t: float | None = None
    p: float | None = None


def figure(est: float, variance: float, df: int, level: Level) -> Figure:
    """An estimate with est ± t·se and the test of 0. variance: NaN where it is not known.

    >>> figure(2.0, 1.0, 30, Level()).p.__round__(3)
    0.055
    """
    if df < 1 or not np.isfinite(variance):
        return Figure(est)
    if variance <= FIXED * est * est:
        return Figure(est, 0.0, est, est)
    se = float(np.sqrt(variance))
    half = float(-scipy.special.stdtrit(df, level.tail)) * se
    t = est / se
    low, high = (x if np.isfinite(x) else None for x in (est - half, est + half))
    return Figure(est, se, low, high, t, two_sided(t, df))


def two_sided(t: float, df: float) -> float:
    """The probability of a t as far from 0 or farther.

    >>> round(two_sided(-2.0, 10), 4)
    0.0734
    """
    return float(2 * scipy.special.stdtr(df, -abs(t)))


@dataclass(frozen=True, slots=True)
class Coefficient:
    """A coefficient; term: empty for the intercept. odds_ratio and its limits: of logistic models."""

    term: tuple[Factor, ...]
    est: float
    se: float | None
    t: float | None
    p: float | None
    low: float | None
    high: float | None
    odds_ratio: float | None = None
    or_low: float | None = None
    or_high: float | None = None


@dataclass(frozen=True, slots=True)
class JointTest:
    """A test of all columns of a term."""

    term: tuple[str, ...]
    f: float
    df1: float
    df2: float
    p: float


@dataclass(frozen=True, slots=True)
class Prediction:
    """The average prediction with everybody in one category."""

    variable: str
    code: int
    est: float
    se: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True, slots=True)
class PredictionDifference:
    """The difference of two average predictions, a less b."""

    variable: str
    a: int
    b: int
    diff: float
    se: float | None
    low: float | None
    high: float | None
    t: float | None
    p: float | None


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A column that earlier ones make up."""

    term: tuple[Factor, ...]


@dataclass(frozen=True, slots=True)
class Term:
    """A variable of a model as it entered: its codes with cases, in order, with their labels and how many
    cases; reference: the one held against, None of a number."""

    variable: str
    title: str
    codes: tuple[int, ...] = ()
    labels: tuple[str, ...] = ()
    reference: int | None = None
    cases: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Lost:
    """Cases in the filter that a variable leaves out, because they have no answer to it."""

    variable: str
    cases: int


@dataclass(frozen=True)
class ModelResult:
    """A fitted model, or why there is none (`message`). r2: of logistic models McFadden's. in_filter: cases
    of weight in the filter; lost: what each variable takes of them; events: unweighted, of n; event: the
    answers that count as one; df: degrees of freedom of its tests, those of the design."""

    id: str
    kind: str
    title: str
    n: int
    r2: float | None = None
    message: str | None = None
    coefficients: tuple[Coefficient, ...] = ()
    joint: tuple[JointTest, ...] = ()
    predictions: tuple[Prediction, ...] = ()
    differences: tuple[PredictionDifference, ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    outcome: str = ""
    variables: tuple[Term, ...] = ()
    in_filter: int = 0
    lost: tuple[Lost, ...] = ()
    events: int | None = None
    event: tuple[str, ...] = ()
    df: int | None = None


@dataclass(frozen=True, slots=True)
class ItemResult:
    """An item of a scale. item_rest: its correlation with the sum of the others; alpha_without: of the
    others."""

    variable: str
    mean: float
    sd: float | None
    item_rest: float | None
    alpha_without: float | None


@dataclass(frozen=True)
class ReliabilityResult:
    """The reliability of a scale of items, or why there is none. against: items that run against the
    others."""

    id: str
    title: str
    n: int
    alpha: float | None = None
    se: float | None = None
    low: float | None = None
    high: float | None = None
    standardised: float | None = None
    items: tuple[ItemResult, ...] = ()
    message: str | None = None
    against: tuple[str, ...] = ()
    in_filter: int = 0
    lost: tuple[Lost, ...] = ()


@dataclass(frozen=True, slots=True)
class PairResult:
    """The correlation of a pair. suppressed: it is not told, as it would disclose a small group."""

    a: str
    b: str
    n: int
    est: float | None = None
    se: float | None = None
    low: float | None = None
    high: float | None = None
    t: float | None = None
    p: float | None = None
    suppressed: bool | None = None


@dataclass(frozen=True)
class CorrelationsResult:
    """Correlations, pair by pair."""

    id: str
    title: str
    method: str
    pairs: tuple[PairResult, ...]


AnalysisResult = ModelResult | ReliabilityResult | CorrelationsResult
