"""Formulas evaluated on whole columns. Nothing is handed to the host language to evaluate."""

import ast
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.data.formulas.functions import FUNCTIONS, Arguments
from even_ballot.core.data.formulas.over_all import OVER_ALL
from even_ballot.core.data.formulas.parsing import ARITHMETIC, COMPARE, Parsed
from even_ballot.core.data.formulas.values import (
    Value,
    joined,
    nothing_missing,
    number,
    same_text,
    spelled,
    truth,
)
from even_ballot.core.faults import StudyError, some
from even_ballot.core.numerics.arrays import Bools, Floats
from even_ballot.core.numerics.parts import Merge, in_order

_SHORT, _WORDS = 3, 5_000
Known = Mapping[str, float]
"""What calls of functions of all cases come to, by how they are written; NaN where to nothing."""


class Formula:
    """A formula that has been parsed and checked; `names` are the variables it reads.

    Every value is a column with a mask of what is missing; `and`, `or` and `not` are three-valued,
    anything else with a missing operand is missing. whole: whether it may ask for what all cases have
    together, such as `column_mean(age)`; a condition may not, for cases come in parts.
    """

    def __init__(self, source: str, where: str = "", whole: bool = False) -> None:
        self._parsed = Parsed(source, where)
        self.source, self.names = source, self._parsed.names
        called = [node for node in ast.walk(self._parsed.tree) if isinstance(node, ast.Call)]
        wide = [node for node in called if isinstance(node.func, ast.Name) and FUNCTIONS[node.func.id].whole]
        self.whole, self._over_all = bool(wide), tuple(reversed(wide))
        if wide and not whole:
            name = ast.unparse(wide[0].func)
            mend = f"Save {name}(…) as a variable first, and use that variable here."
            raise self._parsed.fault(
                f"{name} is computed over all cases, so it cannot be used in a condition", wide[0], mend
            )

    def over(self, parts: Sequence[Dataset], merge: Merge) -> Known:
        """What its calls of functions of all cases come to, over parts."""
        known = dict[str, float]()
        # Those within others come first.
        for call in self._over_all:

            def seen(part: Dataset, of: ast.Call = call) -> tuple[Floats, Floats]:
                within = _Evaluation(self._parsed, part, known)
                return _Arguments(within, of).values_and_weights(part.n)

            with np.errstate(all="ignore"):
                known[ast.dump(call)] = OVER_ALL[ast.unparse(call.func)].over(parts, seen, merge)
        return known

    def evaluate(self, data: Dataset, known: Known | None = None) -> Value:
        """The formula's value for every case; arrays of length n. known: what functions of all cases come
        to, where these are not all."""
        known = self.over([data], in_order) if known is None else known
        with np.errstate(all="ignore"):
            value = _Evaluation(self._parsed, data, known).value(self._parsed.tree)
        shape = (data.n,)
        values, missing = np.broadcast_to(value.values, shape), np.broadcast_to(value.missing, shape)
        return Value(value.kind, values, missing, value.words, value.scale)

    def true(self, data: Dataset) -> Bools:
        """Where a condition is true (neither false nor missing)."""
        value = self._condition(data)
        return value.values & ~value.missing

    def false(self, data: Dataset) -> Bools:
        """Where a condition is false (neither true nor missing)."""
        value = self._condition(data)
        return ~value.values & ~value.missing

    def _condition(self, data: Dataset) -> Value:
        return _Evaluation(self._parsed, data, {}).as_condition(self.evaluate(data), self._parsed.tree)


def condition(source: str | None, data: Dataset, where: str = "") -> Bools | None:
    """Where a condition is true; None where there is none.

    >>> from even_ballot.core.data.example import ferry
    >>> condition("age >= 45", ferry()).tolist()
    [False, True, False, True, True, False, True, False]
    """
    return None if source is None else Formula(source, where).true(data)


class _Evaluation:
    """A formula on one dataset."""

    def __init__(self, parsed: Parsed, data: Dataset, known: Known) -> None:
        self.parsed, self.data, self.known = parsed, data, known

    def value(self, node: ast.expr) -> Value:
        match node:
            case ast.Constant(value=constant):
                return _constant(constant)
            case ast.Name():
                return self._variable(self.parsed.name_of(node), node)
            case ast.BoolOp(op=op, values=parts):
                return joined([self.condition(part) for part in parts], isinstance(op, ast.And))
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                value = self.condition(operand)
                return truth(~value.values, value.missing)
            case ast.UnaryOp(op=op, operand=operand):
                value = self.number(operand)
                return number(-value.values if isinstance(op, ast.USub) else value.values, value.missing)
            case ast.BinOp(left=left, op=op, right=right):
                a, b = self.number(left), self.number(right)
                return number(ARITHMETIC[type(op)](a.values, b.values), a.missing | b.missing)
            case ast.Compare(left=left, ops=ops, comparators=comparators):
                return self._chain(left, ops, comparators)
            case ast.Call(func=ast.Name(id=name)):
                return FUNCTIONS[name].compute(_Arguments(self, node))
        raise self.parsed.fault("This is not allowed in a formula", node)

    def condition(self, node: ast.expr) -> Value:
        return self.as_condition(self.value(node), node)

    def as_condition(self, value: Value, node: ast.expr) -> Value:
        if value.kind == "truth":
            return value
        raise self.parsed.fault("A condition is needed here, such as `age >= 18`", node)

    def number(self, node: ast.expr) -> Value:
        value = self.value(node)
        if not value.numeric:
            raise self.parsed.fault(f"A number is needed here, not a {value.kind}", node)
        return Value("number", value.values.astype(np.float64), value.missing)

    def as_date(self, value: Value, node: ast.expr) -> Value:
        if value.kind == "date":
            return value
        if value.kind == "text" and value.values.ndim == 0:
            try:
                moment = datetime.fromisoformat(value.words[0])
            except ValueError:
                pass
            else:
                moment = moment if moment.tzinfo else moment.replace(tzinfo=UTC)
                return Value("date", np.asarray(moment.timestamp()), nothing_missing())
        raise self.parsed.fault(
            "A date can only be compared with a date, as in `started >= '2026-03-01'`", node
        )

    def _variable(self, name: str, node: ast.expr) -> Value:
        data = self.data
        if name not in data.columns and name != "row":
            mend = f"{name} is a function; write {name}(…)." if name in FUNCTIONS else data.instead(name)
            raise self.parsed.fault(f"There is no variable {name!r}", node, mend)
        column, variable = data.column(name), data.variable(name)
        missing = ~column.answered
        match variable.kind:
            case "text":
                return Value("text", column.values, missing, column.words)
            case "date":
                return Value("date", column.values, missing)
            case "coded":
                return Value("coded", column.values.astype(np.float64), missing, scale=data.scale_of(name))
        return Value("number", column.values, missing)

    def _chain(self, left: ast.expr, ops: list[ast.cmpop], comparators: list[ast.expr]) -> Value:
        links = []
        a = self.value(left)
        for op, node in zip(ops, comparators, strict=True):
            if isinstance(op, ast.In | ast.NotIn):
                assert isinstance(node, ast.Tuple | ast.List | ast.Set)
                among = [self._compare(a, ast.Eq, self.value(item), item) for item in node.elts]
                link = joined(among, conjunction=False)
                links.append(link if isinstance(op, ast.In) else truth(~link.values, link.missing))
            else:
                b = self.value(node)
                links.append(self._compare(a, type(op), b, node))
                a = b
        return joined(links, conjunction=True)

    def _compare(self, a: Value, op: type[ast.cmpop], b: Value, node: ast.expr) -> Value:
        missing = a.missing | b.missing
        if a.numeric and b.numeric:
            return truth(COMPARE[op](a.values.astype(np.float64), b.values.astype(np.float64)), missing)
        if "date" in (a.kind, b.kind):
            a, b = self.as_date(a, node), self.as_date(b, node)
            return truth(COMPARE[op](a.values, b.values), missing)
        if op not in (ast.Eq, ast.NotEq):
            if a.kind == b.kind == "text":
                return truth(COMPARE[op](spelled(a), spelled(b)), missing)
            if "coded" not in (a.kind, b.kind):
                raise self.parsed.fault("Text and numbers cannot be compared with <, <=, > or >=", node)
            raise self.parsed.fault(
                "Labels can only be compared with == or !=", node, "Use the code for <, <=, > and >=."
            )
        if "coded" in (a.kind, b.kind):
            coded, text = (a, b) if a.kind == "coded" else (b, a)
            same = self._by_label(coded, text, node)
        elif a.kind == b.kind == "text":
            self._check_answer(a, b, node)
            same = same_text(a, b)
        else:
            raise self.parsed.fault(f"A {a.kind} cannot be compared with a {b.kind}", node)
        return truth(same if op is ast.Eq else ~same, missing)

    def _check_answer(self, a: Value, b: Value, node: ast.expr) -> None:
        """A word that nobody answered, but somebody nearly, is misspelt."""
        text, constant = (a, b) if b.values.ndim == 0 else (b, a)
        if constant.values.ndim or not text.values.ndim or len(text.words) > _WORDS:
            return
        (word,) = constant.words
        if word in text.words:
            return
        # A letter in eight; w2 is not w3 misspelt.
        most = 1 + len(word) // 8
        from rapidfuzz import process  # Loaded where a word is not found.
        from rapidfuzz.distance import OSA

        near = process.extractOne(word, text.words, scorer=OSA.distance, score_cutoff=most)
        if near is not None and len(word) > _SHORT and _digits(word) == _digits(near[0]):
            raise self.parsed.fault(f"Nobody answered {word!r}", node, f"Did you mean {near[0]!r}?")

    def _by_label(self, coded: Value, text: Value, node: ast.expr) -> NDArray[np.bool_]:
        """A string compared with a coded variable is compared with its labels."""
        items = () if coded.scale is None else coded.scale.codes
        if text.values.ndim == 0 and (word := text.words[int(text.values)]) not in {
            item.label for item in items
        }:
            labels = some([repr(item.label) for item in items])
            raise self.parsed.fault(f"{word!r} is not a label of this scale", node, f"Labels: {labels}.")
        code_of = {item.label: item.code for item in items}
        codes = np.array([code_of.get(word, np.nan) for word in text.words] or [np.nan], np.float64)
        return np.asarray(coded.values == codes[text.values])


def _digits(word: str) -> str:
    return "".join(letter for letter in word if letter.isdigit())


class _Arguments(Arguments):
    """Arguments of a call within an evaluation."""

    def __init__(self, within: _Evaluation, call: ast.Call) -> None:
        self._within, self._call, self._args = within, call, call.args

    def __len__(self) -> int:
        return len(self._args)

    def value(self, k: int) -> Value:
        return self._within.value(self._args[k])

    def number(self, k: int) -> Value:
        return self._within.number(self._args[k])

    def condition(self, k: int) -> Value:
        return self._within.condition(self._args[k])

    def date(self, k: int) -> Value:
        return self._within.as_date(self.value(k), self._args[k])

    def over_all(self, name: str) -> Value:
        found = self._within.known[ast.dump(self._call)]
        return number(np.asarray(0.0 if np.isnan(found) else found), np.asarray(bool(np.isnan(found))))

    def node(self, k: int) -> ast.expr:
        return self._args[k]

    def fault(self, k: int, what: str) -> StudyError:
        return self._within.parsed.fault(what, self._args[k])


def _constant(value: Any) -> Value:
    if isinstance(value, bool):
        return Value("truth", np.asarray(value), nothing_missing())
    if isinstance(value, str):
        return Value("text", np.asarray(0), nothing_missing(), (value,))
    return number(np.asarray(float(value) if abs(value) < 1e300 else np.inf), nothing_missing())
