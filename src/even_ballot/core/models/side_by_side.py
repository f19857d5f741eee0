"""Several models in one table: terms down, models across."""

from collections.abc import Sequence
from dataclasses import dataclass

from even_ballot.core.models.results import Coefficient, Factor, JointTest, ModelResult, Term


@dataclass(frozen=True)
class TermLine:
    """A coefficient's line: of each model its coefficient, None where the term is not in it. reference: the
    line of a category that others are held against, in these models."""

    term: tuple[Factor, ...]
    label: str
    group: str
    coefficients: tuple[Coefficient | None, ...]
    reference: tuple[bool, ...]


@dataclass(frozen=True)
class ModelColumn:
    """A model of the table. added: joint tests of the terms it has beyond the one before it, where that is
    nested in it: the same outcome and cases, and all of its terms."""

    id: str
    title: str
    kind: str
    outcome: str
    n: int
    r2: float | None
    message: str | None
    added: tuple[JointTest, ...] = ()


@dataclass(frozen=True)
class ModelsBeside:
    """Models side by side."""

    columns: tuple[ModelColumn, ...]
    lines: tuple[TermLine, ...]


def _group(term: tuple[Factor, ...]) -> tuple[str, ...]:
    return tuple(factor.variable for factor in term)


def _terms(model: ModelResult) -> list[tuple[str, ...]]:
    """The terms of a model in order, the intercept first."""
    return list(dict.fromkeys(_group(of.term) for of in model.coefficients))


def _label(term: tuple[Factor, ...], known: dict[str, Term]) -> str:
    def said(factor: Factor) -> str:
        of = known.get(factor.variable)
        if factor.code is None or of is None:
            return factor.variable
        return dict(zip(of.codes, of.labels, strict=True)).get(factor.code, str(factor.code))

    return " × ".join(map(said, term)) or "Intercept"


def _added(before: ModelResult | None, model: ModelResult) -> tuple[JointTest, ...]:
    if before is None or (before.outcome, before.event, before.kind) != (
        model.outcome,
        model.event,
        model.kind,
    ):
        return ()
    there, now = set(_terms(before)), set(_terms(model))
    nested = there < now and before.n == model.n
    return tuple(of for of in model.joint if of.term not in there) if nested else ()


def side_by_side(models: Sequence[ModelResult]) -> ModelsBeside:
    """Terms in the order that models bring them in; a term's references among its lines.

    >>> one = Coefficient((), 1.0, 0.1, 10.0, 0.0, 0.8, 1.2)
    >>> age = Coefficient((Factor("age"),), 0.5, 0.1, 5.0, 0.0, 0.3, 0.7)
    >>> models = [ModelResult("a", "linear", "A", 9, coefficients=(one,)),
    ...           ModelResult("b", "linear", "B", 9, coefficients=(one, age))]
    >>> [(line.label, [of and of.est for of in line.coefficients]) for line in side_by_side(models).lines]
    [('Intercept', [1.0, 1.0]), ('age', [None, 0.5])]
    """
    known = {of.variable: of for model in reversed(models) for of in model.variables}
    groups = list(dict.fromkeys(term for model in models for term in _terms(model)))
    by_term = [{of.term: of for of in model.coefficients} for model in models]
    references = [
        {(Factor(of.variable, of.reference),) for of in model.variables if of.reference is not None}
        for model in models
    ]
    lines = []
    for group in groups:
        there = dict.fromkeys(
            term
            for model, refers in zip(by_term, references, strict=True)
            for term in (*sorted(refers, key=str), *model)
            if _group(term) == group
        )
        of = known.get(group[0]) if len(group) == 1 else None
        order = {code: place for place, code in enumerate(of.codes)} if of else {}
        ordered = sorted(there, key=lambda term: order.get(term[0].code, -1) if of and term else -1)  # type: ignore[arg-type]
        lines += [
            TermLine(
                term,
                _label(term, known),
                " × ".join(group),
                tuple(model.get(term) for model in by_term),
                tuple(term in refers and any(_group(t) == group for t in model)
                      for refers, model in zip(references, by_term, strict=True)),
            )
            for term in ordered
        ]  # fmt: skip
    before = (None, *models)[: len(models)]
    columns = tuple(
        ModelColumn(of.id, of.title, of.kind, of.outcome, of.n, of.r2, of.message, _added(earlier, of))
        for earlier, of in zip(before, models, strict=True)
    )
    return ModelsBeside(columns, tuple(lines))
