"""The terms of a model laid on its cases: which of them have all answers, and the columns that the terms
come to."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from operator import and_
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.faults import fault, some
from even_ballot.core.models.model_request import ModelRequest
from even_ballot.core.models.results import Factor, Lost, Term
from even_ballot.core.numerics.arrays import Bools, Floats, Ints
from even_ballot.core.numerics.parts import plus
from even_ballot.core.sampling.sample import Sample, SamplePart

MOST_COLUMNS = 1000


@dataclass(frozen=True)
class Measured:
    """A variable's values where they are numbers: for every part (n,), anything where there is no answer, and
    which are answers."""

    name: str
    values: tuple[NDArray[Any], ...]
    known: tuple[Bools, ...]


def measured(sample: Sample, name: str, where: str) -> Measured:
    """A number, or a coded variable by its codes; values that are no code of its scale are missing.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> measured(sampled(ferry(), Design(), "w"), "isle", "").values[0][:2].tolist()
    [1, 1]
    """
    head = sample.head
    kind = head.variable(name, where).kind
    head.column(name, where)
    if kind not in ("number", "coded"):
        raise fault(
            f"{name} is a {kind}, neither a number nor coded.",
            where,
            "Read it as a number, or code it first.",
        )
    codes = None
    if kind == "coded":
        found, count = head.categories(name)
        codes = [item.code for item in found[:count]]

    def of(part: SamplePart) -> tuple[NDArray[Any], Bools]:
        # Nothing is copied: a column may be most of what memory there is.
        column = part.data.column(name)
        if codes is None or np.isin(column.distinct, codes).all():
            return column.values, column.answered
        return column.values, column.answered & np.isin(column.values, codes)

    seen = sample.each(of)
    return Measured(name, tuple(v for v, _ in seen), tuple(k for _, k in seen))


@dataclass(frozen=True)
class Entering:
    """A variable of the terms. codes: with cases in the model, in the order of its scale, of a coded one;
    labels, cases: of them; reference: place of the one held against; by_code: it enters as a number."""

    measured: Measured
    title: str
    codes: tuple[int, ...] = ()
    labels: tuple[str, ...] = ()
    reference: int = 0
    by_code: bool = False
    cases: tuple[int, ...] = ()

    @property
    def name(self) -> str:
        return self.measured.name

    @property
    def parts(self) -> tuple[int | None, ...]:
        """What its columns are of: codes, or None for the number itself."""
        if not self.codes or self.by_code:
            return (None,)
        return tuple(code for i, code in enumerate(self.codes) if i != self.reference)

    @property
    def told(self) -> Term:
        """The same as results tell it."""
        plain = not self.codes or self.by_code
        return Term(
            self.name,
            self.title,
            self.codes,
            self.labels,
            None if plain else self.codes[self.reference],
            self.cases,
        )


@dataclass(frozen=True)
class Laid:
    """A model's terms on its cases. outcome: for every part (n,); inside: its cases; columns: beside the
    intercept, each of factors; term_of: which term each is of."""

    request: ModelRequest
    outcome: tuple[NDArray[Any], ...]
    inside: tuple[Bools, ...]
    entering: Mapping[str, Entering]
    columns: tuple[tuple[Factor, ...], ...]
    term_of: tuple[int, ...]
    in_filter: int
    lost: tuple[Lost, ...]

    @property
    def width(self) -> int:
        """Columns, the intercept included."""
        return len(self.columns) + 1

    def factor(self, factor: Factor, number: int, at: Ints, instead: Mapping[str, int]) -> Any:
        """The values of a factor for some cases of a part, (n,), or one for all where it is told instead."""
        if factor.variable in instead:
            code = instead[factor.variable]
            return float(code) if factor.code is None else float(code == factor.code)
        values = self.entering[factor.variable].measured.values[number][at]
        return values if factor.code is None else values == factor.code

    def block(self, number: int, at: Ints, instead: Mapping[str, int] | None = None) -> Floats:
        """The columns of some cases of a part, (n, 1 + columns); instead: codes that everybody is put
        into."""
        # A column's cells lie together, as each is written at once.
        x = np.ones((len(at), self.width), order="F")
        made: dict[Factor, Any] = {}
        for j, factors in enumerate(self.columns, start=1):
            for factor in factors:
                if factor not in made:
                    made[factor] = self.factor(factor, number, at, instead or {})
                if factors[0] is factor:
                    x[:, j] = made[factor]
                else:
                    x[:, j] *= made[factor]
        return x

    def y(self, number: int, at: Ints) -> Floats:
        """The outcome of some cases."""
        return np.asarray(self.outcome[number][at], np.float64)


def _outcome(sample: Sample, request: ModelRequest, where: str) -> Measured:
    """The outcome: a number or codes; of logistic models 0 and 1."""
    if not request.outcome:
        raise fault("The model has no outcome.", f"{where}.outcome", "Name the variable it is of.")
    found = measured(sample, request.outcome, f"{where}.outcome")
    if request.kind == "linear":
        return found
    head = sample.head
    if head.variable(request.outcome).kind == "coded":
        codes = [item.code for item in head.categories(request.outcome)[0]]
        strange = [code for code in request.event if code not in codes]
        if strange or not request.event:
            what = (
                f"{request.outcome} has no code {strange[0]}."
                if strange
                else f"No event is set: choose the answers of {request.outcome} that count as 1."
            )
            raise fault(what, f"{where}.event", f"Codes: {some([str(code) for code in codes])}.")
        values = tuple(np.isin(of, request.event) for of in found.values)
        return Measured(found.name, values, found.known)
    pairs = zip(found.values, found.known, strict=True)
    if not sample.merge(and_, [bool(np.isin(of[known], (0.0, 1.0)).all()) for of, known in pairs]):
        raise fault(
            f"{request.outcome} has values other than 0 and 1.",
            f"{where}.outcome",
            "Give it an answer scale and say which codes count, or make a 0/1 variable.",
        )
    if request.event and request.event != (1,):
        values = tuple(np.isin(of, request.event) for of in found.values)
        return Measured(found.name, values, found.known)
    return found


def _entering(
    sample: Sample, request: ModelRequest, of: Measured, who: Sequence[Bools], where: str
) -> Entering:
    head = sample.head
    variable = head.variable(of.name)
    if variable.kind == "number":
        return Entering(of, variable.title)
    categories, known = head.categories(of.name)

    def counts(at: NDArray[Any], which: Bools) -> Ints:
        return np.array([((at == item.code) & which).sum() for item in categories[:known]], np.int64)

    seen = [counts(at, which) for at, which in zip(of.values, who, strict=True)]
    found = list(zip(categories[:known], sample.merge(plus, seen).tolist(), strict=True))
    there = [item for item, n in found if n]
    cases = tuple(n for _, n in found if n)
    codes = tuple(item.code for item in there)
    labels = tuple(item.label for item in there)
    if of.name in request.as_number:
        return Entering(of, variable.title, codes, labels, by_code=True, cases=cases)
    said = request.reference.get(of.name)
    if said is not None and said not in codes:
        raise fault(
            f"The reference {said} of {of.name} has no case in the model.",
            f"{where}.reference.{of.name}",
            f"Codes with cases: {some([str(code) for code in codes])}.",
        )
    at = 0 if said is None else codes.index(said)
    return Entering(of, variable.title, codes, labels, at, cases=cases)


def complete(
    sample: Sample, variables: Sequence[Measured], inside: Sequence[Bools] | None
) -> tuple[tuple[Bools, ...], int, tuple[Lost, ...]]:
    """The cases of a filter that answered all of some variables; how many of weight the filter has; and how
    many of those each variable takes. inside: for every part, (n,); None for all.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> sample = sampled(ferry(), Design(), "w")
    >>> (who,), n, lost = complete(sample, [measured(sample, "crosses", "")], None)
    >>> int(who.sum()), n, [(of.variable, of.cases) for of in lost]
    (6, 8, [('crosses', 2)])
    """
    every = inside or (None,) * len(sample.parts)
    there = sample.each(lambda part, of: part.weight > 0 if of is None else of & (part.weight > 0), every)
    lost = []
    for v in variables:
        without = [of & ~known for of, known in zip(there, v.known, strict=True)]
        lost.append(Lost(v.name, sample.count(without)))
    who = []
    for number, of in enumerate(there):
        for v in variables:
            of = of & v.known[number]
        who.append(of)
    return tuple(who), sample.count(there), tuple(of for of in lost if of.cases)


def constant(sample: Sample, values: Sequence[NDArray[Any]], inside: Sequence[Bools]) -> bool:
    """Whether some cases have one value only, or none; values, inside: for every part, (n,).

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> sample, who = sampled(ferry(), Design(), "w"), [np.arange(8) < 3]
    >>> constant(sample, sample.head.column("isle").values[None], who)
    True
    """

    def ends(of: Floats) -> tuple[float, float]:
        return float(of.min(initial=np.inf)), float(of.max(initial=-np.inf))

    seen = [ends(of[which].astype(np.float64)) for of, which in zip(values, inside, strict=True)]
    least, most = sample.merge(lambda a, b: (min(a[0], b[0]), max(a[1], b[1])), seen)
    return least >= most


def _check_width(parts: list[list[int]], request: ModelRequest, where: str) -> None:
    """Refuses terms of more columns than can be worked on. parts: of each variable of each term."""
    widths = [math.prod(of) for of in parts]
    if sum(widths) <= MOST_COLUMNS:
        return
    t = widths.index(max(widths))
    term = " × ".join(request.terms[t])
    raise fault(
        f"The terms have {sum(widths):,} columns, more than the {MOST_COLUMNS:,} that a model may have; "
        f"{term} alone has {widths[t]:,}.",
        f"{where}.terms[{t}]",
        "Combine categories, let a variable in as a number, or leave the term out.",
    )


def lay(sample: Sample, request: ModelRequest, inside: Sequence[Bools] | None, where: str) -> Laid:
    """A model's terms laid on the cases; inside: its filter. Raises StudyError for what does not fit.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.sampling.design import Design
    >>> request = ModelRequest(id="m", kind="linear", outcome="age", terms=(("isle",),))
    >>> laid = lay(sampled(ferry(), Design(), "w"), request, None, "models[0]")
    >>> laid.columns, laid.block(0, np.array([0, 7])).tolist()
    (((Factor(variable='isle', code=2),),), [[1.0, 0.0], [1.0, 1.0]])
    """
    head = sample.head
    outcome = _outcome(sample, request, where)
    variables = {
        name: measured(sample, name, f"{where}.terms[{i}]")
        for i, term in enumerate(request.terms)
        for name in term
    }
    for i, name in enumerate(request.as_number):
        if head.variable(name).kind != "coded":
            raise fault(f"{name} is a number already.", f"{where}.as_number[{i}]", "Leave it out here.")
    for key, names in (("reference", tuple(request.reference)), ("predictions", request.predictions)):
        for name in names:
            if head.variable(name).kind != "coded":
                what = f"{name} is not a coded variable."
                raise fault(what, f"{where}.{key}", "Name a coded variable of the terms, or leave it out.")
    who, in_filter, lost = complete(sample, [outcome, *variables.values()], inside)
    entering = {}
    for name, of in variables.items():
        entering[name] = _entering(sample, request, of, who, where)
    _check_width([[len(entering[name].parts) for name in term] for term in request.terms], request, where)
    columns, term_of = [], []
    for t, term in enumerate(request.terms):
        for codes in product(*(entering[name].parts for name in term)):
            columns.append(tuple(Factor(name, code) for name, code in zip(term, codes, strict=True)))
            term_of.append(t)
    return Laid(request, outcome.values, who, entering, tuple(columns), tuple(term_of), in_filter, lost)
