"""Formulas parsed by Python's grammar and checked against a short list; nothing is evaluated here."""

import ast
import keyword
import operator
import re
from collections.abc import Callable
from typing import Any

import numpy as np

from even_ballot.core.data.formulas.functions import FUNCTIONS, MANY
from even_ballot.core.faults import Fault, StudyError, fault

LONGEST, DEEPEST = 4000, 60
_QUOTED, _LETTER = 120, 0x4E00
_STRING = r"""'[^'\n]*'|"[^"\n]*\""""
_MEANT = ("and", "or", "not", "in", "is", "if", "else", "lambda", "for", "True", "False", "None")
"""Words of the grammar that mean something in a formula, or are told as what they are."""
_WORDS = "|".join(word for word in keyword.kwlist if word not in _MEANT)
_STRING_OR_NAME = re.compile(rf"`([^`\n]+)`|{_STRING}|(?<![\w.])({_WORDS})(?!\w)")
"""Names in back quotes, strings, in which a back quote is one, and names that are words of the grammar
(`def`). (Letters from 0x4E00 stand for names.)"""
_OPERATORS = {
    "&": "and", "&&": "and", "|": "or", "||": "or", "!": "not", "~": "not", "<>": "!=", "^": "**",
    "AND": "and", "And": "and", "OR": "or", "Or": "or", "NOT": "not", "Not": "not", "IN": "in",
}  # fmt: skip
_OTHERWISE = re.compile(
    rf"{_STRING}|(&&?|\|\|?|<>|!(?!=)|~|\^|(?<![\w.])(?:AND|And|OR|Or|NOT|Not|IN)(?![\w(]))"
)
"""What other languages write, outside strings."""
_SPACES = str.maketrans("\r\f\v\x1c\x1d\x1e\x85\u2028\u2029", " " * 9)
COMPARE: dict[type[ast.cmpop], Callable[[Any, Any], Any]] = {
    ast.Eq: operator.eq, ast.NotEq: operator.ne, ast.Lt: operator.lt,
    ast.LtE: operator.le, ast.Gt: operator.gt, ast.GtE: operator.ge,
}  # fmt: skip
ARITHMETIC: dict[type[ast.operator], Callable[[Any, Any], Any]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: np.divide,
    ast.FloorDiv: np.floor_divide, ast.Mod: np.mod, ast.Pow: np.power,
}  # fmt: skip


def _lone_equals(text: str) -> int | None:
    """Where a single = stands outside strings."""
    bare = _STRING_OR_NAME.sub(lambda match: " " * len(match[0]), text)
    found = re.search(r"(?<![=!<>])=(?!=)", bare)
    return None if found is None else found.start()


def _other_operator(text: str) -> tuple[int, str, str] | None:
    """Where an operator of another language stands outside strings, which it is, and what is written here."""
    found = next((match for match in _OTHERWISE.finditer(text) if match[1]), None)
    return None if found is None else (found.start(), found[1], _OPERATORS[found[1]])


class Parsed:
    """A formula's tree, all of it on the list. names: the variables it reads. Raises StudyError at the
    place that is not."""

    def __init__(self, source: str, where: str = "") -> None:
        self.source, self.where = source, where
        self._before = len(source) - len(source.lstrip())
        self._text, self._quoted = self._plain()
        self.tree = self._parse()
        called = {id(node.func) for node in ast.walk(self.tree) if isinstance(node, ast.Call)}
        named = (n for n in ast.walk(self.tree) if isinstance(n, ast.Name) and id(n) not in called)
        self.names = tuple(dict.fromkeys(self.name_of(node) for node in named))

    def name_of(self, node: ast.Name) -> str:
        """The variable that a name stands for."""
        return self._quoted.get(node.id, node.id)

    def _plain(self) -> tuple[str, dict[str, str]]:
        """The formula as the grammar reads it, every character at its place: what ends a line for the
        grammar alone is a space, and a name in back quotes a word as long, with what it stands for."""
        quoted: dict[str, str] = {}

        def word(match: re.Match[str]) -> str:
            named = match[1] or match[2]
            if named is None:
                return match[0]
            name = chr(_LETTER + len(quoted)) * len(match[0])
            quoted[name] = named
            return name

        text = _STRING_OR_NAME.sub(word, self.source[:LONGEST])
        return text.translate(_SPACES).strip(), quoted

    def fault(self, what: str, node: ast.expr, mend: str = "") -> StudyError:
        """What is wrong with a part of it."""
        return self._fault(what, self._place(node), mend)

    def _fault(self, what: str, at: int, mend: str = "") -> StudyError:
        return StudyError(Fault(what, self.where, mend, at, self.source[:_QUOTED]))

    def _place(self, node: ast.expr) -> int:
        """The character a part begins at; the grammar counts lines, and bytes in them."""
        text = self._text
        line = text.encode().split(b"\n")[node.lineno - 1]
        earlier = sum(len(part) + 1 for part in text.split("\n")[: node.lineno - 1])
        return self._before + earlier + len(line[: node.col_offset].decode(errors="ignore"))

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
        text = self._text
        try:
            tree = ast.parse(text, mode="eval").body
            self._check(tree, 0)
        except SyntaxError as error:
            lines = text.split("\n")[: max(error.lineno or 1, 1) - 1]
            # An offset of 0 means the formula ended too soon.
            column = error.offset - 1 if error.offset else len(text)
            at = self._before + sum(len(line) + 1 for line in lines) + column
            self._check_operators(text)
            if (equals := _lone_equals(text)) is not None:
                what = "A single = does not compare"
                raise self._fault(what, self._before + equals, "Use == to compare.") from None
            raise self._fault("This is not a valid formula", min(at, len(self.source))) from None
        except (RecursionError, MemoryError, ValueError):
            raise fault(
                "The formula is nested too deeply, or contains characters no formula has.", self.where
            ) from None
        return tree

    def _check_operators(self, text: str) -> None:
        """Says what is written in place of an operator of another language."""
        if (other := _other_operator(text)) is not None:
            at, written, here = other
            raise self._fault(
                f"{written} is not an operator of formulas", self._before + at, f"Write {here}."
            ) from None

    def _check(self, node: ast.expr, depth: int) -> None:
        """Refuses whatever is not on the list."""
        if depth > DEEPEST * 4:
            raise RecursionError
        for part in self._parts(node):
            self._check(part, depth + 1)

    def _parts(self, node: ast.expr) -> list[ast.expr]:
        """What a part is made of, where it is on the list."""
        match node:
            case ast.BoolOp(values=parts):
                return parts
            case ast.UnaryOp(op=ast.Not() | ast.USub() | ast.UAdd(), operand=operand):
                return [operand]
            case ast.BinOp(left=left, op=op, right=right) if type(op) in ARITHMETIC:
                return [left, right]
            case ast.Compare():
                return self._compared(node)
            case ast.Call(func=ast.Name(id=name), keywords=[]):
                return self._called(name, node)
            case ast.Name():
                return []
            case ast.Constant(value=bool() | int() | float() | str()):
                return []
        self._check_operators(self._text)
        if isinstance(node, ast.IfExp):
            raise self.fault("`if` is not allowed in a formula", node, "Use pick(condition, a, b).")
        raise self.fault("This is not allowed in a formula", node)

    def _compared(self, node: ast.Compare) -> list[ast.expr]:
        parts = [node.left]
        for compare, right in zip(node.ops, node.comparators, strict=True):
            if isinstance(compare, ast.In | ast.NotIn):
                if not isinstance(right, ast.Tuple | ast.List | ast.Set) or not right.elts:
                    raise self.fault("`in` needs a list of values, as in `isle in (1, 2)`", right)
                parts += right.elts
            elif type(compare) in COMPARE:
                parts.append(right)
            else:
                raise self.fault(
                    "This comparison is not allowed in a formula", right, "Use == != < <= > >= in."
                )
        return parts

    def _called(self, name: str, node: ast.Call) -> list[ast.expr]:
        if name not in FUNCTIONS:
            raise self.fault(f"There is no function {name!r}", node, f"Functions: {', '.join(FUNCTIONS)}.")
        least, most = FUNCTIONS[name].least, FUNCTIONS[name].most
        if not least <= len(node.args) <= most:
            wanted = (
                f"{least}" if least == most else f"{least} to {most}" if most < MANY else f"at least {least}"
            )
            some_of = "argument" if wanted == "1" else "arguments"
            raise self.fault(f"{name}() takes {wanted} {some_of}, not {len(node.args)}", node)
        return node.args
