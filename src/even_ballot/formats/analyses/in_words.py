"""An analysis read in words: sentences that its figures bear, for a reader who knows no odds and no
coefficients."""

from collections.abc import Iterator, Mapping

from even_ballot.core.faults import counted, some
from even_ballot.core.models.results import (
    AnalysisResult,
    CorrelationsResult,
    Lost,
    ModelResult,
    Prediction,
    ReliabilityResult,
)

_LEVEL, _FEW_DF = 0.05, 20
"""How two variables go together, from which correlation on."""
_SKEWED = (
    "Intervals of Pearson's r are a little too narrow where a variable is skewed: in simulations they "
    "covered the true value 92 to 94 times in 100 instead of 95; Spearman's intervals reach their level."
)
Titles = Mapping[str, str]


def _lost(n: int, in_filter: int, lost: tuple[Lost, ...]) -> Iterator[str]:
    if n < in_filter:
        most = sorted(lost, key=lambda of: -of.cases)
        said = some([f"{of.variable} ({of.cases:,})" for of in most])
        yield f"{n:,} of {counted(in_filter, 'case')} have all answers; item non-response: {said}."


def _percent(of: Prediction, share: bool) -> str:
    """41.2 % (35.0 to 47.7), or a mean."""
    times, unit, digits = (100, " %", 1) if share else (1, "", 2)
    said = f"{times * of.est:,.{digits}f}{unit}"
    if of.low is not None and of.high is not None and of.se:
        said += f" ({times * of.low:,.{digits}f} to {times * of.high:,.{digits}f})"
    return said


def _predicted(model: ModelResult) -> Iterator[str]:
    """Of every variable with predictions the smallest and the largest, and whether they differ."""
    share = model.kind == "logistic"
    for term in model.variables:
        mine = [of for of in model.predictions if of.variable == term.variable]
        if len(mine) < 2:
            continue
        labels = dict(zip(term.codes, term.labels, strict=True))
        low, high = min(mine, key=lambda of: of.est), max(mine, key=lambda of: of.est)
        pairs = [of for of in model.differences if of.variable == term.variable]
        pair = next(of for of in pairs if {of.a, of.b} == {low.code, high.code})
        size = f"{100 * abs(pair.diff):.1f} points" if share else f"{abs(pair.diff):,.2f}"
        answer = " or ".join(f"“{label}”" for label in model.event)
        of, what = ("Average prediction", f" {answer}") if share else ("Expected mean", "")
        text = (
            f"{of} with everyone in “{labels[high.code]}” and all else unchanged: "
            f"{_percent(high, share)}{what}; with everyone in “{labels[low.code]}”: {_percent(low, share)}"
        )
        if pair.p is None:
            yield f"{text}: {size} apart."
            continue
        bears = (
            "is larger than sampling alone would explain"
            if pair.p * len(pairs) < _LEVEL
            else "could be due to sampling alone"
        )
        among = f" (the largest of {len(pairs):,})" if len(pairs) > 1 else ""
        yield f"{text}. The difference of {size}{among} {bears}."


def _of_model(model: ModelResult) -> Iterator[str]:
    yield from _lost(model.n, model.in_filter, model.lost)
    if model.message is not None:
        yield model.message
        return
    if model.left_out:
        gone = [" × ".join(of.variable for of in column.term) for column in model.left_out]
        yield f"Left out, because earlier columns make it up: {some(list(dict.fromkeys(gone)))}."
    yield from _predicted(model)
    clear = [" × ".join(of.term) for of in model.joint if of.p < _LEVEL]
    if model.joint:
        said = some(clear) if clear else "none of the terms"
        yield f"Terms significant at the {100 * _LEVEL:.0f} % level: {said}."
    if model.df is not None and model.df < _FEW_DF:
        yield (
            f"With {counted(model.df, 'degree')} of freedom, the standard errors of a model may be too small "
            "and its intervals too narrow."
        )
    if model.r2 is not None:
        if model.kind == "linear":
            yield f"The terms account for {100 * model.r2:.1f} % of the variance of the outcome."
        else:
            yield f"McFadden's pseudo R² is {model.r2:.3f} (not a share of variance explained)."


def _of_scale(scale: ReliabilityResult) -> Iterator[str]:
    yield from _lost(scale.n, scale.in_filter, scale.lost)
    if scale.message is not None:
        yield scale.message
    if scale.alpha is not None:
        limits = (
            f" ({scale.low:.2f} to {scale.high:.2f})"
            if scale.low is not None and scale.high is not None
            else ""
        )
        whole = f"based on {counted(scale.n, 'case')} that answered all items"
        yield f"Cronbach's α is {scale.alpha:.2f}{limits}, {whole}."
        higher = [of for of in scale.items if of.alpha_without is not None and of.alpha_without > scale.alpha]
        better = [of.variable for of in higher]
        if better:
            yield f"It would be higher without {some(better)}."
    if scale.against:
        one = len(scale.against) == 1
        mend = "reverse it, or check its wording" if one else "reverse them, or check what they ask"
        verb = "correlates" if one else "correlate"
        yield f"{some(list(scale.against))} {verb} negatively with the others: {mend}."


def _of_pairs(found: CorrelationsResult) -> Iterator[str]:
    there = [of for of in found.pairs if of.est is not None]
    if there:
        top = max(there, key=lambda of: abs(of.est or 0.0))
        assert top.est is not None
        limits = f" ({top.low:.2f} to {top.high:.2f})" if top.low is not None and top.high is not None else ""
        which = "The correlation is" if len(there) == 1 else "The strongest correlation is"
        yield f"{which} between {top.a} and {top.b}: r = {top.est:.2f}{limits}, n = {top.n:,}."
        if found.method == "pearson":
            yield _SKEWED
    hidden = [f"{of.a} with {of.b}" for of in found.pairs if of.suppressed]
    if hidden:
        yield f"× suppressed, as they would disclose small groups: {some(hidden)}."
    gone = [f"{of.a} with {of.b}" for of in found.pairs if of.est is None and not of.suppressed]
    if gone:
        yield f"Could not be computed for {some(gone)}: one of the two variables does not vary."


def analysis_in_words(result: AnalysisResult) -> tuple[str, ...]:
    """Sentences about an analysis.

    >>> from even_ballot.core.models.results import PairResult
    >>> pairs = (PairResult("age", "trips", 40, 0.42, 0.1, 0.2, 0.6, 4.2, 0.001),)
    >>> analysis_in_words(CorrelationsResult("c", "C", "spearman", pairs))
    ('The correlation is between age and trips: r = 0.42 (0.20 to 0.60), n = 40.',)
    """
    if isinstance(result, ModelResult):
        return tuple(_of_model(result))
    return tuple(_of_scale(result) if isinstance(result, ReliabilityResult) else _of_pairs(result))
