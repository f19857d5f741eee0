"""Numbers as people write them, read back to what they were."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.written.numbers import NumberStyle, judge_style, read_number

STYLES = st.sampled_from(
    [(".", None), (".", ","), (".", " "), (".", "'"), (",", None), (",", "."), (",", " ")]
)
VALUES = st.decimals(-(10**9), 10**9, places=2, allow_nan=False)


def written(value: float, decimal: str, thousands: str | None) -> str:
    """A number as somebody of a country would write it."""
    whole, part = f"{abs(value):.2f}".split(".")
    groups = f"{int(whole):,}".replace(",", thousands or "")
    return f"{'-' if value < 0 else ''}{groups}{decimal}{part}"


@given(STYLES, st.lists(VALUES, min_size=1, max_size=30), st.sampled_from(["", "$", "€ "]))
def test_a_column_reads_as_it_was_written(
    style: tuple[str, str | None], values: list[float], sign: str
) -> None:
    words = {sign + written(float(v), *style): 1 for v in values}
    found = judge_style(words)
    assert found.cells == len(words) and not found.unsure
    want = {float(f"{float(v):.2f}") for v in values}
    assert {read_number(word, found.style) for word in words} == want


@given(st.text(max_size=70))
def test_no_text_breaks_the_reading(word: str) -> None:
    for style in (
        NumberStyle(),
        NumberStyle(",", "."),
        NumberStyle("either"),
        NumberStyle(clock=True),
        NumberStyle(multiples=True),
    ):
        value = read_number(word, style)
        assert value is None or math.isfinite(value)


@pytest.mark.parametrize(
    ("word", "style", "value"),
    [
        ("1,200", NumberStyle(thousands=","), 1200),
        ("1,20", NumberStyle(thousands=","), None),
        ("12,34,567", NumberStyle(thousands=","), None),
        ("(1,200)", NumberStyle(thousands=","), -1200),
        ("(3)", NumberStyle(), None),
        ("−4", NumberStyle(), -4),
        ("12 %", NumberStyle(), 12),
        ("3.5k", NumberStyle(multiples=True), 3500),
        ("45 min", NumberStyle(unit="min"), 45),
        ("1:02:03", NumberStyle(clock=True), 3723),
        ("2 h 5 min", NumberStyle(clock=True), 7500),
        ("12.5", NumberStyle("either"), 12.5),
        ("12,5", NumberStyle("either"), 12.5),
        ("1e400", NumberStyle(), None),
        ("late", NumberStyle(), None),
    ],
)  # fmt: skip
def test_words_read_as_they_are_meant(word: str, style: NumberStyle, value: float | None) -> None:
    assert read_number(word, style) == value


def test_what_may_be_thousands_or_decimals_is_settled_by_the_other_columns_or_said() -> None:
    here, there = judge_style({"1,200": 3}), judge_style({"1,200": 3}, ",")
    assert (here.style.thousands, here.unsure) == (",", True)
    assert (there.style.decimal, there.style.thousands) == (",", None)
    assert not judge_style({"1,200": 3, "1,5": 1}).unsure
