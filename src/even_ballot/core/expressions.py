"""The formula language: parsed by Python's grammar, checked against a short list, evaluated on whole columns.

Nothing is handed to the host language to evaluate. Every value is a column with a mask of what is missing;
`and`, `or` and `not` are three-valued, anything else with a missing operand is missing.
"""

import ast
import operator
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.codebook import Scale
from even_ballot.core.dataset import Bools, Column, Dataset, Floats
from even_ballot.core.faults import StudyError, fault, some

LONGEST, DEEPEST = 4000, 60
_SPACES = str.maketrans("\r\f\v\x1c\x1d\x1e\x85\u2028\u2029", " " * 9)
Sort = Literal["number", "truth", "text", "date", "coded"]


@dataclass(frozen=True)
class Value:
    """A column of values (or one value for all), and where it is missing.

    For text, `values` index `words`. For coded variables `values` are codes and `scale` knows their labels.
    """

    sort: Sort
    values: NDArray[Any]
    missing: NDArray[np.bool_]
    words: tuple[str, ...] = ()
    scale: Scale | None = None

    @property
    def numeric(self) -> bool:
        return self.sort in ("number", "coded", "truth")


_COMPARE: dict[type[ast.cmpop], Callable[[Any, Any], Any]] = {
    ast.Eq: operator.eq, ast.NotEq: operator.ne, ast.Lt: operator.lt,
    ast.LtE: operator.le, ast.Gt: operator.gt, ast.GtE: operator.ge,
}  # fmt: skip
_ARITHMETIC: dict[type[ast.operator], Callable[[Any, Any], Any]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: np.divide,
    ast.FloorDiv: np.floor_divide, ast.Mod: np.mod, ast.Pow: np.power,
}  # fmt: skip


def _off() -> NDArray[np.bool_]:
    return np.zeros((), np.bool_)


def _number(values: NDArray[Any], missing: NDArray[np.bool_]) -> Value:
    """Results that are no finite number (a division by zero, the log of nothing) are missing."""
    values = np.asarray(values, np.float64)
    finite = np.isfinite(values)
    return Value("number", np.where(finite, values, 0.0), missing | ~finite)


def _truth(values: NDArray[Any], missing: NDArray[np.bool_]) -> Value:
    return Value("truth", np.asarray(values, np.bool_) & ~missing, missing)


class Formula:
    """A formula that has been parsed and checked; `names` are the variables it reads."""

    def __init__(self, source: str, where: str = "") -> None:
        self.source, self.where = source, where
        self._tree = self._parse()
        self.names = tuple(dict.fromkeys(n.id for n in ast.walk(self._tree) if isinstance(n, ast.Name) and n.id not in _FUNCTIONS))

    def _fault(self, what: str, at: int, mend: str = "") -> StudyError:
        pointed = f"{what} (character {at + 1} of {self.source[:120]!r})"
        return fault(pointed, self.where, mend)

    def _parse(self) -> ast.expr:
        if len(self.source) > LONGEST:
            raise fault(
                f"The formula has {len(self.source):,} characters; at most {LONGEST:,} are read.",
                self.where,
                "Split it over several derived variables.",
            )
        depth = deepest = 0
        for character in self.source:
            depth += (character in "([{") - (character in ")]}")
            deepest = max(deepest, depth)
        if deepest > DEEPEST:
            raise fault(f"Parentheses are nested {deepest} deep; at most {DEEPEST}.", self.where)
        # What ends a line for the grammar alone is a space; places stay what they were.
        text = self.source.translate(_SPACES).strip()
        self._shift = len(self.source) - len(self.source.lstrip())
        try:
            tree = ast.parse(text, mode="eval").body
            self._check(tree, 0)
        except SyntaxError as error:
            lines = text.split("\n")[: max(error.lineno or 1, 1) - 1]
            # An offset of 0 means the formula ended too soon.
            column = error.offset - 1 if error.offset else len(text)
            at = self._shift + sum(len(line) + 1 for line in lines) + column
            raise self._fault("This does not read as a formula", min(at, len(self.source))) from None
        except (RecursionError, MemoryError, ValueError):
            raise fault("The formula is nested too deeply, or holds characters no formula has.", self.where) from None
        return tree

    def _at(self, node: ast.expr) -> int:
        line = self.source[self._shift :].encode().split(b"\n")[node.lineno - 1]
        before = sum(len(part) + 1 for part in self.source[self._shift :].split("\n")[: node.lineno - 1])
        return self._shift + before + len(line[: node.col_offset].decode(errors="ignore"))

    def _check(self, node: ast.expr, depth: int) -> None:
        """Refuses whatever is not on the list."""
        if depth > DEEPEST * 4:
            raise RecursionError
        match node:
            case ast.BoolOp(values=parts):
                pass
            case ast.UnaryOp(op=ast.Not() | ast.USub() | ast.UAdd(), operand=operand):
                parts = [operand]
            case ast.BinOp(left=left, op=op, right=right) if type(op) in _ARITHMETIC:
                parts = [left, right]
            case ast.Compare(left=left, ops=ops, comparators=comparators):
                parts = [left]
                for compare, right in zip(ops, comparators, strict=True):
                    if isinstance(compare, ast.In | ast.NotIn):
                        if not isinstance(right, ast.Tuple | ast.List | ast.Set) or not right.elts:
                            raise self._fault("`in` wants a list of values, as in `isle in (1, 2)`", self._at(right))
                        parts += right.elts
                    elif type(compare) in _COMPARE:
                        parts.append(right)
                    else:
                        raise self._fault("This comparison is not part of formulas", self._at(right), "Use == != < <= > >= in.")
            case ast.Call(func=ast.Name(id=name), args=args, keywords=[]) if name in _FUNCTIONS:
                parts = args
                least, most = _FUNCTIONS[name][1:]
                if not least <= len(args) <= most:
                    wanted = f"{least}" if least == most else f"at least {least}"
                    raise self._fault(f"{name}() takes {wanted}, not {len(args)}", self._at(node))
            case ast.Call(func=ast.Name(id=name)):
                raise self._fault(f"There is no function {name!r}", self._at(node), f"There are: {', '.join(_FUNCTIONS)}.")
            case ast.Name(id=name):
                if name in _FUNCTIONS:
                    raise self._fault(f"{name} is a function; write {name}(…)", self._at(node))
                parts = []
            case ast.Constant(value=bool() | int() | float() | str()):
                parts = []
            case _:
                raise self._fault("This is not part of formulas", self._at(node))
        for part in parts:
            self._check(part, depth + 1)

    def evaluate(self, data: Dataset) -> Value:
        """The formula's value for every case; arrays of length n."""
        with np.errstate(all="ignore"):
            value = self._evaluate(self._tree, data)
        shape = (data.n,)
        return Value(
            value.sort, np.broadcast_to(value.values, shape), np.broadcast_to(value.missing, shape), value.words, value.scale
        )

    def true(self, data: Dataset) -> Bools:
        """Where a condition is true (neither false nor missing)."""
        value = self._condition(self.evaluate(data), self._tree)
        return value.values & ~value.missing

    def false(self, data: Dataset) -> Bools:
        """Where a condition is false (neither true nor missing)."""
        value = self._condition(self.evaluate(data), self._tree)
        return ~value.values & ~value.missing

    def _condition(self, value: Value, node: ast.expr) -> Value:
        if value.sort == "truth":
            return value
        raise self._fault("A condition is wanted here, such as `age >= 18`", self._at(node))

    def _evaluate(self, node: ast.expr, data: Dataset) -> Value:
        match node:
            case ast.Constant(value=bool() as truth):
                return Value("truth", np.asarray(truth), _off())
            case ast.Constant(value=int() | float() as number):
                return _number(np.asarray(float(number) if abs(number) < 1e300 else np.inf), _off())
            case ast.Constant(value=str() as text):
                return Value("text", np.asarray(0), _off(), (text,))
            case ast.Name(id=name):
                return self._variable(name, node, data)
            case ast.BoolOp(op=op, values=parts):
                return self._join([self._condition(self._evaluate(p, data), p) for p in parts], isinstance(op, ast.And))
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                value = self._condition(self._evaluate(operand, data), operand)
                return _truth(~value.values, value.missing)
            case ast.UnaryOp(op=op, operand=operand):
                value = self._numeric(operand, data)
                return _number(-value.values if isinstance(op, ast.USub) else value.values, value.missing)
            case ast.BinOp(left=left, op=op, right=right):
                a, b = self._numeric(left, data), self._numeric(right, data)
                return _number(_ARITHMETIC[type(op)](a.values, b.values), a.missing | b.missing)
            case ast.Compare(left=left, ops=ops, comparators=comparators):
                return self._chain(left, ops, comparators, data)
            case ast.Call(func=ast.Name(id=name), args=args):
                return _FUNCTIONS[name][0](self, args, data)
        raise self._fault("This is not part of formulas", self._at(node))

    def _variable(self, name: str, node: ast.expr, data: Dataset) -> Value:
        if name not in data.columns and name != "row":
            raise self._fault(f"There is no variable {name!r}", self._at(node), data.instead(name))
        column, variable = data.column(name), data.variable(name)
        missing = ~column.answered
        match variable.kind:
            case "text":
                return Value("text", column.values, missing, column.words)
            case "date":
                return Value("date", column.values, missing)
            case "coded":
                return Value("coded", column.values.astype(np.float64), missing, scale=data.scale_of(name))
            case _:
                return Value("number", column.values, missing)

    def _numeric(self, node: ast.expr, data: Dataset) -> Value:
        value = self._evaluate(node, data)
        if not value.numeric:
            raise self._fault(f"A number is wanted here, not a {value.sort}", self._at(node))
        return Value("number", value.values.astype(np.float64), value.missing)

    @staticmethod
    def _join(values: list[Value], conjunction: bool) -> Value:
        """Three-valued and/or: a false part settles an `and`, a true one an `or`, whatever is missing."""
        result = values[0]
        for value in values[1:]:
            a, b = result, value
            if conjunction:
                settled = (~a.values & ~a.missing) | (~b.values & ~b.missing)
                result = _truth(a.values & b.values, (a.missing | b.missing) & ~settled)
            else:
                settled = (a.values & ~a.missing) | (b.values & ~b.missing)
                result = Value("truth", settled, (a.missing | b.missing) & ~settled)
        return result

    def _chain(self, left: ast.expr, ops: list[ast.cmpop], comparators: list[ast.expr], data: Dataset) -> Value:
        links = []
        a = self._evaluate(left, data)
        for op, node in zip(ops, comparators, strict=True):
            if isinstance(op, ast.In | ast.NotIn):
                assert isinstance(node, ast.Tuple | ast.List | ast.Set)
                among = [self._compare(a, ast.Eq, self._evaluate(item, data), item) for item in node.elts]
                link = self._join(among, conjunction=False)
                links.append(link if isinstance(op, ast.In) else _truth(~link.values, link.missing))
            else:
                b = self._evaluate(node, data)
                links.append(self._compare(a, type(op), b, node))
                a = b
        return self._join(links, conjunction=True)

    def _compare(self, a: Value, op: type[ast.cmpop], b: Value, node: ast.expr) -> Value:
        missing = a.missing | b.missing
        if a.numeric and b.numeric:
            return _truth(_COMPARE[op](a.values.astype(np.float64), b.values.astype(np.float64)), missing)
        if "date" in (a.sort, b.sort):
            a, b = self._as_date(a, node), self._as_date(b, node)
            return _truth(_COMPARE[op](a.values, b.values), missing)
        if op not in (ast.Eq, ast.NotEq):
            if a.sort == b.sort == "text":
                return _truth(_COMPARE[op](self._spelled(a), self._spelled(b)), missing)
            raise self._fault("Labels can be compared by == and != only", self._at(node), "Compare the code instead.")
        if "coded" in (a.sort, b.sort):
            coded, text = (a, b) if a.sort == "coded" else (b, a)
            same = self._by_label(coded, text, node)
        elif a.sort == b.sort == "text":
            same = self._same_text(a, b)
        else:
            raise self._fault(f"A {a.sort} cannot be compared with a {b.sort}", self._at(node))
        return _truth(same if op is ast.Eq else ~same, missing)

    def _by_label(self, coded: Value, text: Value, node: ast.expr) -> NDArray[np.bool_]:
        """A string compared with a coded variable is compared with its labels."""
        items = () if coded.scale is None else coded.scale.codes
        if text.values.ndim == 0 and (word := text.words[int(text.values)]) not in {item.label for item in items}:
            labels = some([repr(item.label) for item in items])
            raise self._fault(f"{word!r} is no label of this scale", self._at(node), f"Labels there are: {labels}.")
        code_of = {item.label: item.code for item in items}
        codes = np.array([code_of.get(word, np.nan) for word in text.words] or [np.nan], np.float64)
        return np.asarray(coded.values == codes[text.values])

    @staticmethod
    def _spelled(value: Value) -> NDArray[np.str_]:
        return np.asarray(np.array(value.words or ("",))[value.values])

    @staticmethod
    def _same_text(a: Value, b: Value) -> NDArray[np.bool_]:
        index = {word: i for i, word in enumerate(a.words)}
        of_b = np.array([index.get(word, -1) for word in b.words] or [-1])
        return np.asarray(a.values == of_b[b.values])

    def _as_date(self, value: Value, node: ast.expr) -> Value:
        if value.sort == "date":
            return value
        if value.sort == "text" and value.values.ndim == 0:
            try:
                moment = datetime.fromisoformat(value.words[0])
            except ValueError:
                pass
            else:
                moment = moment if moment.tzinfo else moment.replace(tzinfo=UTC)
                return Value("date", np.asarray(moment.timestamp()), _off())
        raise self._fault("A date is compared with a date, as in `started >= '2026-03-01'`", self._at(node))

    # The functions. Each takes its arguments unevaluated.

    def _missing(self, args: list[ast.expr], data: Dataset) -> Value:
        value = self._evaluate(args[0], data)
        return Value("truth", value.missing, _off())

    def _answered(self, args: list[ast.expr], data: Dataset) -> Value:
        return _number(sum((~self._evaluate(a, data).missing).astype(np.float64) for a in args), _off())  # type: ignore[arg-type]

    def _over(self, args: list[ast.expr], data: Dataset) -> tuple[Floats, NDArray[np.bool_]]:
        parts = [self._numeric(a, data) for a in args]
        values = np.stack(np.broadcast_arrays(*[p.values for p in parts]))
        missing = np.stack([np.broadcast_to(p.missing, values.shape[1:]) for p in parts])
        return values, missing

    def _mean(self, args: list[ast.expr], data: Dataset) -> Value:
        values, missing = self._over(args, data)
        return _number(np.where(missing, 0, values).sum(0) / (~missing).sum(0), np.asarray(missing.all(0)))

    def _total(self, args: list[ast.expr], data: Dataset) -> Value:
        values, missing = self._over(args, data)
        return _number(np.where(missing, 0, values).sum(0), np.asarray(missing.all(0)))

    def _low(self, args: list[ast.expr], data: Dataset) -> Value:
        values, missing = self._over(args, data)
        return _number(np.where(missing, np.inf, values).min(0), np.asarray(missing.all(0)))

    def _high(self, args: list[ast.expr], data: Dataset) -> Value:
        values, missing = self._over(args, data)
        return _number(np.where(missing, -np.inf, values).max(0), np.asarray(missing.all(0)))

    def _round(self, args: list[ast.expr], data: Dataset) -> Value:
        value = self._numeric(args[0], data)
        by = self._numeric(args[1], data) if len(args) > 1 else _number(np.asarray(0.0), _off())
        factor = 10.0**by.values
        # The nudge undoes binary representation just under a half (2.675 is stored as 2.67499…).
        scaled = np.abs(value.values) * factor
        rounded = np.floor(scaled * (1 + 4e-16) + 0.5) / factor
        return _number(np.copysign(rounded, value.values), value.missing | by.missing)

    def _by(self, function: Callable[[Any], Any], args: list[ast.expr], data: Dataset) -> Value:
        value = self._numeric(args[0], data)
        return _number(function(value.values), value.missing)

    def _pick(self, args: list[ast.expr], data: Dataset) -> Value:
        condition = self._condition(self._evaluate(args[0], data), args[0])
        a, b = self._evaluate(args[1], data), self._evaluate(args[2], data)
        missing = condition.missing | np.where(condition.values, a.missing, b.missing)
        if a.sort == b.sort == "text":
            words = tuple(dict.fromkeys(a.words + b.words))
            index = {word: i for i, word in enumerate(words)}
            of_a, of_b = (np.array([index[w] for w in v.words] or [0]) for v in (a, b))
            return Value("text", np.where(condition.values, of_a[a.values], of_b[b.values]), missing, words)
        if not (a.numeric and b.numeric):
            raise self._fault(f"pick() wants two numbers or two texts, not a {a.sort} and a {b.sort}", self._at(args[1]))
        return _number(np.where(condition.values, a.values, b.values), missing)

    def _seconds_between(self, args: list[ast.expr], data: Dataset) -> Value:
        a, b = (self._as_date(self._evaluate(arg, data), arg) for arg in args)
        return _number(b.values - a.values, a.missing | b.missing)

    def _year(self, args: list[ast.expr], data: Dataset) -> Value:
        value = self._as_date(self._evaluate(args[0], data), args[0])
        years = np.asarray(value.values).astype("datetime64[s]").astype("datetime64[Y]").astype(np.int64) + 1970
        return _number(years, value.missing)

    def _contains(self, args: list[ast.expr], data: Dataset) -> Value:
        match args[1]:
            case ast.Constant(value=str() as part):
                value = self._evaluate(args[0], data)
            case _:
                raise self._fault("contains() wants a text to look for, in quotes", self._at(args[1]))
        if value.sort != "text":
            raise self._fault(f"contains() looks in a text, not in a {value.sort}", self._at(args[0]))
        has = np.array([part.casefold() in word.casefold() for word in value.words] or [False])
        return _truth(has[value.values], value.missing)


_MANY = 500
_FUNCTIONS: dict[str, tuple[Callable[[Formula, list[ast.expr], Dataset], Value], int, int]] = {
    "missing": (Formula._missing, 1, 1),
    "answered": (Formula._answered, 1, _MANY),
    "mean": (Formula._mean, 1, _MANY),
    "total": (Formula._total, 1, _MANY),
    "low": (Formula._low, 1, _MANY),
    "high": (Formula._high, 1, _MANY),
    "round": (Formula._round, 1, 2),
    "log": (lambda f, a, d: f._by(np.log, a, d), 1, 1),
    "exp": (lambda f, a, d: f._by(np.exp, a, d), 1, 1),
    "sqrt": (lambda f, a, d: f._by(np.sqrt, a, d), 1, 1),
    "abs": (lambda f, a, d: f._by(np.abs, a, d), 1, 1),
    "pick": (Formula._pick, 3, 3),
    "seconds_between": (Formula._seconds_between, 2, 2),
    "year": (Formula._year, 1, 1),
    "contains": (Formula._contains, 2, 2),
}


def condition(source: str | None, data: Dataset, where: str = "") -> Bools | None:
    """Where a condition is true; None where there is none."""
    return None if source is None else Formula(source, where).true(data)


def column_of(value: Value) -> Column:
    """A formula's value as a column: truths as 1 and 0, what is missing blank."""
    dtype = np.int32 if value.sort == "text" else np.float64
    values = np.where(value.missing, 0, value.values).astype(dtype)
    return Column(values, value.missing.astype(np.uint8), value.words)
