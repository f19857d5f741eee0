"""The functions that formulas can call: a name, how many arguments, what it gives. Adding one is adding
one here."""

import ast
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.formulas.values import Value, nothing_missing, number, truth
from even_ballot.core.faults import StudyError
from even_ballot.core.numerics.arrays import Bools, Floats

MANY = 500


class Arguments(ABC):
    """What a function is called with; each is worked out when it is asked for, as what is asked for."""

    @abstractmethod
    def __len__(self) -> int: ...

    @abstractmethod
    def value(self, k: int) -> Value:
        """Of any kind."""

    @abstractmethod
    def number(self, k: int) -> Value:
        """A number; a fault where it is none."""

    @abstractmethod
    def condition(self, k: int) -> Value:
        """True or false; a fault where it is neither."""

    @abstractmethod
    def date(self, k: int) -> Value:
        """Seconds since 1970; a fault where it is no date."""

    @abstractmethod
    def over_all(self, name: str) -> Value:
        """What a function comes to over all cases."""

    @abstractmethod
    def node(self, k: int) -> ast.expr:
        """As it is written."""

    @abstractmethod
    def fault(self, k: int, what: str) -> StudyError:
        """What is wrong with one of them."""

    def numbers(self) -> tuple[Floats, NDArray[np.bool_]]:
        """All of them, below one another, and where each is missing."""
        parts = [self.number(k) for k in range(len(self))]
        values = np.stack(np.broadcast_arrays(*[p.values for p in parts]))
        missing = np.stack([np.broadcast_to(p.missing, values.shape[1:]) for p in parts])
        return values, missing

    def values_and_weights(self, n: int) -> tuple[Floats, Floats]:
        """The values of the cases that are answered, and the weight of each: of the second argument, where
        the third is true. n: cases."""
        value = self.number(0)
        weight = self.number(1) if len(self) > 1 else number(np.asarray(1.0), nothing_missing())
        there = ~value.missing & ~weight.missing
        if len(self) > 2:
            condition = self.condition(2)
            there = there & condition.values & ~condition.missing
        values, weights, there = (np.broadcast_to(of, n) for of in (value.values, weight.values, there))
        return values[there], weights[there]


Compute = Callable[[Arguments], Value]


@dataclass(frozen=True)
class Function:
    """A function of the formula language. says: what it gives, in a few words; whole: whether it has to see
    all cases, and not each by itself."""

    name: str
    least: int
    most: int
    says: str
    compute: Compute
    whole: bool = False


FUNCTIONS: dict[str, Function] = {}


def _function(
    name: str, says: str, least: int = 1, most: int = 1, whole: bool = False
) -> Callable[[Compute], Compute]:
    def add(compute: Compute) -> Compute:
        FUNCTIONS[name] = Function(name, least, most, says, compute, whole)
        return compute

    return add


@_function("missing", "whether it has no answer")
def _missing(args: Arguments) -> Value:
    return Value("truth", args.value(0).missing, nothing_missing())


@_function("answered", "how many of these are answered", most=MANY)
def _answered(args: Arguments) -> Value:
    counted: Any = sum((~args.value(k).missing).astype(np.float64) for k in range(len(args)))
    return number(counted, nothing_missing())


def _over_answered(args: Arguments, instead: float, reduced: Callable[[Floats, Bools], Any]) -> Value:
    """Over the arguments that are answered, `instead` for the others; missing where none is."""
    values, missing = args.numbers()
    return number(reduced(np.where(missing, instead, values), ~missing), np.asarray(missing.all(0)))


@_function("mean", "mean of those answered", most=MANY)
def _mean(args: Arguments) -> Value:
    return _over_answered(args, 0, lambda values, there: values.sum(0) / there.sum(0))


@_function("total", "sum of those answered", most=MANY)
def _total(args: Arguments) -> Value:
    return _over_answered(args, 0, lambda values, _: values.sum(0))


@_function("low", "smallest of those answered", most=MANY)
def _low(args: Arguments) -> Value:
    return _over_answered(args, np.inf, lambda values, _: values.min(0))


@_function("high", "largest of those answered", most=MANY)
def _high(args: Arguments) -> Value:
    return _over_answered(args, -np.inf, lambda values, _: values.max(0))


@_function("round", "rounded to a number of decimals", most=2)
def _round(args: Arguments) -> Value:
    value = args.number(0)
    by = args.number(1) if len(args) > 1 else number(np.asarray(0.0), nothing_missing())
    factor = 10.0**by.values
    # The nudge undoes binary representation just under a half (2.675 is stored as 2.67499…).
    scaled = np.abs(value.values) * factor
    rounded = np.floor(scaled * (1 + 4e-16) + 0.5) / factor
    return number(np.copysign(rounded, value.values), value.missing | by.missing)


def _applied(function: Callable[[Any], Any], args: Arguments) -> Value:
    value = args.number(0)
    return number(function(value.values), value.missing)


@_function("log", "natural logarithm")
def _log(args: Arguments) -> Value:
    return _applied(np.log, args)


@_function("exp", "e to the power")
def _exp(args: Arguments) -> Value:
    return _applied(np.exp, args)


@_function("sqrt", "square root")
def _sqrt(args: Arguments) -> Value:
    return _applied(np.sqrt, args)


@_function("abs", "absolute value")
def _abs(args: Arguments) -> Value:
    return _applied(np.abs, args)


@_function("pick", "one value if a condition is true, another if not", least=3, most=3)
def _pick(args: Arguments) -> Value:
    condition = args.condition(0)
    a, b = args.value(1), args.value(2)
    missing = condition.missing | np.where(condition.values, a.missing, b.missing)
    if a.kind == b.kind == "text":
        words = tuple(dict.fromkeys((*a.words, *b.words)))
        index = {word: i for i, word in enumerate(words)}
        of_a, of_b = (np.array([index[w] for w in v.words] or [0]) for v in (a, b))
        return Value("text", np.where(condition.values, of_a[a.values], of_b[b.values]), missing, words)
    if not (a.numeric and b.numeric):
        raise args.fault(1, f"pick() needs two numbers or two texts, not a {a.kind} and a {b.kind}")
    return number(np.where(condition.values, a.values, b.values), missing)


@_function("seconds_between", "seconds from one time to another", least=2, most=2)
def _seconds_between(args: Arguments) -> Value:
    a, b = args.date(0), args.date(1)
    return number(b.values - a.values, a.missing | b.missing)


@_function("year", "year of a date")
def _year(args: Arguments) -> Value:
    value = args.date(0)
    years = np.asarray(value.values).astype("datetime64[s]").astype("datetime64[Y]").astype(np.int64) + 1970
    return number(years, value.missing)


@_function("contains", "whether a text contains “…”", least=2, most=2)
def _contains(args: Arguments) -> Value:
    part = getattr(args.node(1), "value", None)
    if not isinstance(part, str):
        raise args.fault(1, "contains() needs a text to look for, in quotes")
    value = args.value(0)
    if value.kind != "text":
        raise args.fault(0, f"contains() looks in a text, not in a {value.kind}")
    has = np.array([part.casefold() in word.casefold() for word in value.words] or [False])
    return truth(has[value.values], value.missing)


def _of_all(name: str, says: str) -> None:
    def compute(args: Arguments) -> Value:
        return args.over_all(name)

    _function(name, f"{says} over all cases: of, weight, condition", most=3, whole=True)(compute)


_of_all("column_mean", "mean")
_of_all("column_sd", "standard deviation")
