"""Analyses that are not told, as small groups could be worked out from them."""

from collections.abc import Collection
from dataclasses import replace

from even_ballot.core.models.results import (
    AnalysisResult,
    CorrelationsResult,
    ModelResult,
    PairResult,
    ReliabilityResult,
)

SUPPRESSED = (
    "Suppressed: with everything else in this release, its figures would disclose the size of a small group. "
)
_OF_MODEL = "Combine categories, leave a term out, or leave tables of its variables out of the release."
_OF_SCALE = "Combine categories of its items, or leave tables of them out of the release."


def protected(result: AnalysisResult, below: int, withheld: Collection[tuple[str, str]]) -> AnalysisResult:
    """An analysis as it may be released where groups of fewer than `below` cases are hidden. withheld: the
    pairs of correlations that are not told; any, of another analysis: it is not told.

    >>> scale = ReliabilityResult("r", "R", 40, 0.7)
    >>> protected(scale, 5, [("", "")]).alpha is None, protected(scale, 5, []).alpha
    (True, 0.7)
    """
    if isinstance(result, CorrelationsResult):
        pairs = (
            PairResult(of.a, of.b, 0, suppressed=True) if (of.a, of.b) in withheld else of
            for of in result.pairs
        )
        return replace(result, pairs=tuple(pairs))
    if not withheld:
        few = any(0 < of.cases < below for of in result.lost)
        return replace(result, lost=()) if few else result
    if isinstance(result, ModelResult):
        return ModelResult(
            result.id,
            result.kind,
            result.title,
            0,
            message=SUPPRESSED + _OF_MODEL,
            outcome=result.outcome,
            event=result.event,
        )
    return ReliabilityResult(result.id, result.title, 0, message=SUPPRESSED + _OF_SCALE)
