"""Analyses where small groups are hidden: nothing is told of a model or a scale that rests on one."""

from collections.abc import Iterator
from dataclasses import replace

from even_ballot.core.models.results import (
    AnalysisResult,
    CorrelationsResult,
    Lost,
    ModelResult,
    PairResult,
    ReliabilityResult,
)


def _said(lost: tuple[Lost, ...], below: int) -> tuple[Lost, ...]:
    """What variables take of the cases, as far as they are not few."""
    return tuple(of for of in lost if of.cases >= below)


def _few(model: ModelResult, below: int) -> Iterator[str]:
    """The groups of fewer cases that a model rests on."""
    if 0 < model.n < below:
        yield "all"
    if model.events is not None:
        if 0 < model.events < below:
            yield f"{model.outcome}, the event"
        if 0 < model.n - model.events < below:
            yield f"{model.outcome}, other answers"
    for term in model.variables:
        for label, n in zip(term.labels, term.cases, strict=True):
            if n < below:
                yield f"{term.variable}, {label}"


def protected(result: AnalysisResult, below: int) -> AnalysisResult:
    """An analysis as it may be released where groups of fewer than `below` cases are hidden.

    >>> scale = ReliabilityResult("r", "R", 4, 0.7)
    >>> protected(scale, 5).alpha is None, protected(scale, 4).alpha
    (True, 0.7)
    """
    if isinstance(result, ModelResult):
        found = list(_few(result, below))
        if not found:
            return replace(result, lost=_said(result.lost, below))
        more = f" and {len(found) - 1} more" if len(found) > 1 else ""
        few = f"fewer than {below} cases in {found[0]}{more}"
        message = f"Hidden: {few}. Combine categories, or leave the term out."
        about = {"message": message, "outcome": result.outcome, "event": result.event}
        return ModelResult(result.id, result.kind, result.title, 0, **about)  # type: ignore[arg-type]
    if isinstance(result, CorrelationsResult):
        pairs = (of if of.n >= below else PairResult(of.a, of.b, 0) for of in result.pairs)
        return replace(result, pairs=tuple(pairs))
    if 0 < result.n < below:
        message = f"Hidden: fewer than {below} cases answered all items."
        return ReliabilityResult(result.id, result.title, 0, message=message)
    return replace(result, lost=_said(result.lost, below))
