"""Checks that hold a case against all others, over parts: what all have together is found first."""

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.estimation.quantiles import PartValues, Ranks, ranks_of, unweighted_quantile
from even_ballot.core.ledger.cases import Duplicates, compared, repeated
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.numerics.parts import Looks, Merge, plus
from even_ballot.core.numerics.recurring import distinct
from even_ballot.core.screening import Finding, Screening
from even_ballot.core.screening.cells import (
    LEAST,
    QUARTILES,
    carrying,
    far_from,
    own_weights,
    plain_numbers,
    usual_between,
)
from even_ballot.core.screening.duplicates import (
    compared_answers,
    repeats,
    same_entry,
    same_respondent,
)
from even_ballot.core.screening.entries import seconds_of
from even_ballot.core.screening.finding import Found
from even_ballot.core.study.parted.seen import findings_together

Parts = Sequence[Dataset]


def _ranks(parts: Parts, values: Callable[[Dataset], Floats], merge: Merge) -> tuple[Ranks | None, int]:
    """Values of all parts in their order, and how many they are."""

    def of(number: int) -> tuple[Floats, Floats]:
        found = values(parts[number])
        return found, np.ones(len(found))

    each: list[PartValues] = [partial(of, number) for number in range(len(parts))]
    return ranks_of(each, merge), merge(plus, Looks(each, lambda seen: len(seen()[0])))


def _seconds(part: Dataset) -> Floats:
    timed = seconds_of(part)
    return np.zeros(0) if timed is None else timed.seconds[~np.isnan(timed.seconds)]


def with_cut(parts: Parts, settings: Screening, merge: Merge) -> Screening:
    """Settings that say what is too fast, where that is a third of the median.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> with_cut([ferry()], Screening(), in_order).fast is None
    True
    """
    if settings.fast is not None:
        return settings
    ranks, n = _ranks(parts, _seconds, merge)
    return (
        settings
        if ranks is None
        else settings.model_copy(update={"fast": unweighted_quantile(ranks, n, 0.5) / 3})
    )


def _together(kind: str, parts: Parts, look: Callable[[Dataset], Found], merge: Merge) -> Sequence[Finding]:
    def seen(part: Dataset) -> Sequence[Finding]:
        found = look(part)
        return [Finding(found.variable, kind, found.value, found.count, None, None, found.usual)]

    return merge(findings_together, Looks(parts, seen))


def unusual(parts: Parts, settings: Screening, merge: Merge) -> list[Finding]:
    """Numbers far from the rest.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> unusual([ferry()], Screening(), in_order)
    []
    """
    findings: list[Finding] = []
    for name in plain_numbers(parts[0]):

        def values(part: Dataset, of: str = name) -> Floats:
            column = part.column(of)
            return np.asarray(column.values[column.answered], np.float64)

        ranks, n = _ranks(parts, values, merge)
        if ranks is None or n < LEAST:
            continue
        low, high = (unweighted_quantile(ranks, n, q) for q in QUARTILES)
        if (usual := usual_between(low, high, settings.far)) is not None:
            findings += _together("unusual", parts, partial(far_from, name=name, usual=usual), merge)
    return findings


def twice(parts: Parts, merge: Merge) -> list[Finding]:
    """Cases of all parts that are there twice.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> [found.cases for found in twice([ferry()], in_order)]
    [0]
    """
    head = parts[0]
    names = [name for name in compared_answers(head) if _repeats(parts, name, merge)]
    found = {"duplicate_identifier": same_respondent(head), "duplicate_entry": same_entry(names)}
    findings: list[Finding] = []
    for kind, of in found.items():
        if of is not None:
            alike = repeated(parts, of.alike, merge)
            n = merge(plus, Looks(alike, lambda part: int(np.count_nonzero(part[0]))))
            findings.append(Finding(of.variable, kind, "", n, None, of.step))
    return findings


def _repeats(parts: Parts, name: str, merge: Merge) -> bool:
    """Whether a variable's answers repeat in all parts together."""

    def seen(part: Dataset) -> tuple[int, int]:
        column = part.column(name)
        return len(column.distinct_values), int(column.answered.sum())

    # No more are distinct in all parts than in each; only where that tells nothing they are compared.
    most, answered = merge(plus, Looks(parts, seen))
    if repeats(most, answered):
        return True
    known = compared(parts, Duplicates(of=(name,)), merge)
    return repeats(distinct(known, merge), answered)


def influential(parts: Parts, settings: Screening, merge: Merge) -> list[Finding]:
    """Cases that carry a number's mean, where they are looked for.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.numerics.parts import in_order
    >>> [of.cases for of in influential([ferry()], Screening(influence=0.5), in_order) if of.cases]
    [1, 1, 1]
    """
    findings: list[Finding] = []
    for name in plain_numbers(parts[0]) if settings.influence is not None else ():
        findings += _carriers(name, parts, settings, merge)
    return findings


def _carriers(name: str, parts: Parts, settings: Screening, merge: Merge) -> Sequence[Finding]:
    assert settings.influence is not None

    def first(part: Dataset) -> Floats:
        known, w = own_weights(part, name)
        y, w = part.column(name).values[known], w[known]
        return np.array([len(y), w.sum(), w @ y])

    n, whole, sums = merge(np.add, Looks(parts, first)).tolist()
    mean = sums / whole if whole else 0.0

    def z(part: Dataset) -> tuple[Bools, Floats]:
        known, w = own_weights(part, name)
        return known, w[known] * (part.column(name).values[known] - mean) / (whole or 1.0)

    def squares(part: Dataset) -> float:
        _, of = z(part)
        return float(of @ of)

    spread = merge(plus, Looks(parts, squares))
    se = float(np.sqrt(n / (n - 1) * spread)) if n >= 2 and whole else 0.0
    threshold = settings.influence * se

    def look(part: Dataset) -> Found:
        known, of = z(part)
        beyond = np.zeros(part.n, np.bool_)
        beyond[known] = (np.abs(of) > threshold) & (se > 0)
        return carrying(name, settings, beyond)

    return _together("influential", parts, look, merge)
