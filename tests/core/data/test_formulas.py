"""Formulas: whole columns, three-valued, never the host language's own evaluation."""

import ast
import math
from typing import Any

import pytest
from builders import coded, dataset, scale
from hypothesis import given, settings
from hypothesis import strategies as st

from even_ballot.core.data.formulas import Formula, column_of, condition
from even_ballot.core.faults import StudyError

DATA = dataset(
    {
        "age": ["17", "40", "", "65"],
        "sex": ["1", "2", "2", "9"],
        "name": ["ann", "Bo", "", "cy"],
        "began": ["2026-03-01 10:00:00", "2026-03-01 10:00:00", "2026-03-02", ""],
        "ended": ["2026-03-01 10:01:30", "", "2026-03-02 00:00:10", ""],
    },
    sex=scale(1, 2, missing=[9]),
)


def result(source: str) -> list[Any]:
    value = Formula(source).evaluate(DATA)
    words = value.words
    shown = [words[v] for v in value.values] if value.kind == "text" else value.values.tolist()
    return [None if m else v for v, m in zip(shown, value.missing.tolist(), strict=True)]


@pytest.mark.parametrize(
    ("source", "want"),
    [
        ("age >= 18", [False, True, None, True]),
        ("18 <= age < 65", [False, True, None, False]),
        ("not age > 20", [True, False, None, False]),
        ("age > 100 and missing(age)", [False, False, None, False]),
        ("age < 100 or missing(age)", [True, True, True, True]),
        ("sex in (1, 9)", [True, False, False, None]),
        ("sex not in (1,)", [False, True, True, None]),
        ("sex == 'A2'", [False, True, True, None]),
        ("name == 'Bo'", [False, True, None, False]),
        ("contains(name, 'B')", [False, True, None, False]),
        ("age / (age - 40)", [17 / -23, None, None, 65 / 25]),
        ("log(age - 40)", [None, None, None, math.log(25)]),
        ("mean(age, sex)", [9.0, 21.0, 2.0, 65.0]),
        ("total(age, sex)", [18.0, 42.0, 2.0, 65.0]),
        ("low(age, sex)", [1.0, 2.0, 2.0, 65.0]),
        ("high(age, sex)", [17.0, 40.0, 2.0, 65.0]),
        ("answered(age, sex, name)", [3.0, 3.0, 1.0, 2.0]),
        ("round(0.5) + round(-1.5) + round(2.675, 2)", [1 - 2 + 2.68] * 4),
        ("pick(age < 18, 1, 2)", [1.0, 2.0, None, 2.0]),
        ("pick(age < 18, 'young', name)", ["young", "Bo", None, "cy"]),
        ("seconds_between(began, ended)", [90.0, None, 10.0, None]),
        ("year(began)", [2026.0, 2026.0, 2026.0, None]),
        ("began >= '2026-03-02'", [False, False, True, None]),
        ("row % 2 == 0", [False, True, False, True]),
        ("-age ** 2 // 3", [-97.0, -534.0, None, -1409.0]),
        ("abs(sqrt(exp(0)) - 3)", [2.0] * 4),
    ],
)
def test_a_formula_gives(source: str, want: list[Any]) -> None:
    assert result(source) == pytest.approx(want)


@pytest.mark.parametrize(
    ("source", "what", "at"),
    [
        ("age >", "is not a valid formula", 6),
        ("age = 3", "A single = does not compare", 5),
        ("agee > 3", "no variable 'agee'", 1),
        ("3 + nobody(age)", "no function 'nobody'", 5),
        ("age.real", "not allowed in a formula", 1),
        ("__import__('os')", "no function '__import__'", 1),
        ("[x for x in (1,)]", "not allowed in a formula", 1),
        ("lambda: 1", "not allowed in a formula", 1),
        ("age if age else 1", "not allowed in a formula", 1),
        ("sex == 'Nobody'", "is not a label of this scale", 8),
        ("name + 1", "A number is needed", 1),
        ("age + 1 and age", "A condition is needed", 1),
        ("(age := 3)", "not allowed in a formula", None),
        ("age in 3", "`in` needs a list", 8),
        ("round(age, 1, 2)", "takes", 1),
        ("mean", "is a function", 1),
    ],
)
def test_a_fault_points_at_its_character(source: str, what: str, at: int | None) -> None:
    with pytest.raises(StudyError, match=what) as error:
        Formula(source, "where").true(DATA)
    (fault,) = error.value.faults
    assert fault.where == "where"
    if at is not None:
        assert fault.at == at - 1
        assert f"(character {at} of" in str(fault)


@pytest.mark.parametrize(
    "source",
    ["(" * 200 + "1" + ")" * 200, "1+" * 60_000 + "1", "-" * 3000 + "1", "not " * 900 + "age > 1", "x\x00y"],
)
def test_length_and_depth_are_bounded(source: str) -> None:
    with pytest.raises(StudyError):
        Formula(source).evaluate(DATA)


LEAVES = st.sampled_from(["a", "b", "c", "1", "2", "0"])
NUMBERS = st.recursive(
    LEAVES,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["+", "-", "*", "/"]), inner).map(
            lambda t: f"({t[0]} {t[1]} {t[2]})"
        ),
        st.tuples(st.sampled_from(["mean", "total", "low", "high"]), inner, inner).map(
            lambda t: f"{t[0]}({t[1]}, {t[2]})"
        ),
    ),
    max_leaves=6,
)
TRUTHS = st.recursive(
    st.tuples(NUMBERS, st.sampled_from(["<", "<=", "==", "!=", ">", ">="]), NUMBERS).map(" ".join)
    | LEAVES.map(lambda v: f"missing({v})"),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        inner.map(lambda v: f"(not {v})"),
    ),
    max_leaves=5,
)


class Known:
    """A number that may be missing; every operation with a missing one is missing."""

    def __init__(self, value: float | None) -> None:
        self.value = value if value is None or math.isfinite(value) else None

    def _with(self, other: "Known", action: Any) -> "Known":
        if self.value is None or other.value is None:
            return Known(None)
        try:
            return Known(action(self.value, other.value))
        except ZeroDivisionError:
            return Known(None)

    def __add__(self, o: "Known") -> "Known":
        return self._with(o, lambda a, b: a + b)

    def __sub__(self, o: "Known") -> "Known":
        return self._with(o, lambda a, b: a - b)

    def __mul__(self, o: "Known") -> "Known":
        return self._with(o, lambda a, b: a * b)

    def __truediv__(self, o: "Known") -> "Known":
        return self._with(o, lambda a, b: a / b)


def plainly(source: str, row: dict[str, int | None]) -> bool | float | None:
    """A row-by-row reading by a little recursive evaluator of its own over Python's syntax tree."""

    def over(parts: list[Any], how: Any) -> float | None:
        there = [p for p in parts if p is not None]
        return how(there) if there else None

    def walk(node: ast.expr) -> Any:
        match node:
            case ast.Constant(value=int() | float() as value):
                return float(value)
            case ast.Name(id=name):
                return None if row[name] is None else float(row[name])  # type: ignore[arg-type]
            case ast.BinOp(left=left, op=op, right=right):
                a, b = Known(walk(left)), Known(walk(right))
                return {ast.Add: a + b, ast.Sub: a - b, ast.Mult: a * b, ast.Div: a / b}[type(op)].value
            case ast.Call(func=ast.Name(id="missing"), args=[one]):
                return walk(one) is None
            case ast.Call(func=ast.Name(id=name), args=args):
                how = {"mean": lambda v: sum(v) / len(v), "total": sum, "low": min, "high": max}[name]
                return over([walk(a) for a in args], how)
            case ast.Compare(left=left, ops=[op], comparators=[right]):
                a, b = walk(left), walk(right)
                if a is None or b is None:
                    return None
                return {
                    ast.Lt: a < b,
                    ast.LtE: a <= b,
                    ast.Eq: a == b,
                    ast.NotEq: a != b,
                    ast.Gt: a > b,
                    ast.GtE: a >= b,
                }[type(op)]
            case ast.UnaryOp(operand=operand):
                value = walk(operand)
                return None if value is None else not value
            case ast.BoolOp(op=op, values=parts):
                found = [walk(p) for p in parts]
                settles = not isinstance(op, ast.And)
                if settles in found:
                    return settles
                return None if None in found else not settles
        raise AssertionError(ast.dump(node))

    return walk(ast.parse(source, mode="eval").body)


CODES = st.lists(st.sampled_from([None, 0, 1, 2, 3]), min_size=5, max_size=5)


@settings(max_examples=150, deadline=None)
@given(TRUTHS, CODES, CODES, CODES)
def test_whole_columns_agree_with_a_row_by_row_reading(
    source: str, a: list[Any], b: list[Any], c: list[Any]
) -> None:
    data = dataset(
        {"a": coded(a), "b": coded(b), "c": coded(c), "n": list("12345")},
        a=scale(0, 1, 2, 3),
        b=scale(0, 1, 2, 3),
        c=scale(0, 1, 2, 3),
    )
    value = Formula(source).evaluate(data)
    got = [None if m else bool(v) for v, m in zip(value.values.tolist(), value.missing.tolist(), strict=True)]
    assert got == [plainly(source, {"a": x, "b": y, "c": z}) for x, y, z in zip(a, b, c, strict=True)]


def test_a_truth_becomes_ones_and_noughts_and_what_is_missing_blank() -> None:
    column = column_of(Formula("age > 20").evaluate(DATA))
    assert column.values.tolist() == [0, 1, 0, 1]
    assert column.state.tolist() == [0, 0, 1, 0]


@pytest.mark.parametrize("name", ["mean", "year", "total", "low", "answered", "pick", "round"])
def test_a_column_may_be_called_as_a_function_is(name: str) -> None:
    data = dataset({name: ["1", "2", "3"], "x": ["4", "5", "6"]})
    assert condition(f"{name} >= 2 and {name} < x", data).tolist() == [False, True, True]  # type: ignore[union-attr]
    assert Formula(f"{name} + x").names == (name, "x")


def test_a_function_without_brackets_that_is_no_column_says_what_it_is() -> None:
    with pytest.raises(StudyError) as error:
        condition("mean > 2", dataset({"x": ["1"]}))
    assert "no variable 'mean'" in str(error.value)
    assert "write mean(…)" in str(error.value)


@pytest.mark.parametrize("name", ["Total spend", "in", "10 %", "Ö l", "a", "naïve `"[:-2]])
def test_any_name_can_be_written_in_back_quotes(name: str) -> None:
    data = dataset({name: ["1", "5"], "x": ["2", "2"]})
    found = condition(f"`{name}` > x and '`' != \"'\"", data)
    assert found is not None
    assert found.tolist() == [False, True]
    assert Formula(f"`{name}` + 1").names == (name,)


@given(st.text("aé 漢`'\"=<>!&.1", max_size=12), st.text("aé漢 ", max_size=6))
def test_a_fault_after_a_name_in_back_quotes_is_at_its_character(name: str, before: str) -> None:
    name = name.replace("`", "") + "z"
    source = f"{before.strip() and ''}`{name}` + zz"
    data = dataset({name: ["1"]})
    with pytest.raises(StudyError) as error:
        Formula(source).evaluate(data)
    assert error.value.faults[0].at == source.index("zz", source.rindex("`"))


@pytest.mark.parametrize("source", ["age = 18", "age == 1 or age=18", "'=' == x and age = 1", "`a = b` = 2"])
def test_one_equals_sign_is_told_from_two(source: str) -> None:
    with pytest.raises(StudyError) as error:
        Formula(source)
    (fault,) = error.value.faults
    assert fault.mend == "Use == to compare."
    assert fault.at is not None
    assert source[fault.at] == "="


def test_a_misspelt_answer_to_a_text_question_is_caught() -> None:
    data = dataset({"said": ["late", "dear", "late"]})
    with pytest.raises(StudyError, match="Did you mean 'late'"):
        condition("said == 'latte'", data)
    with pytest.raises(StudyError, match="Did you mean 'dear'"):
        condition("said in ('late', 'deer')", data)
    # What is like nothing there is may come with a newer file.
    waves = dataset({"wave": ["wave 1", "wave 2", "north"]})
    for other in ("broken down", "wave 3", "south"):
        assert condition(f"wave == '{other}'", waves).tolist() == [False] * 3  # type: ignore[union-attr]
