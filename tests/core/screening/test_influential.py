"""Cases that carry a number's mean, on demand."""

import numpy as np
from builders import raw
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Codebook
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.screening import Screening, behind, sweep
from even_ballot.core.screening.cells import weighty

SPENT = [5.0, 8.0, 12.0, 7.5, 9.0, 11.0, 6.0, 10.0] * 20


def test_a_mistyped_amount_that_carries_the_mean_is_found_on_demand_only() -> None:
    data = interpret(
        raw({"spend": [*map(str, SPENT), "9999"], "age": [str(20 + k % 50) for k in range(161)]}), Codebook()
    )
    assert not any(found.kind == "influential" for found in sweep(data))
    settings = Screening(influence=0.5)
    (found,) = (found for found in sweep(data, None, settings) if found.kind == "influential")
    assert (found.variable, found.cases, found.value) == ("spend", 1, "beyond 0.5 standard errors")
    assert np.flatnonzero(behind(data, found, None, settings).cases).tolist() == [160]


def test_a_weight_that_came_with_the_file_counts() -> None:
    book = Codebook.model_validate({"variables": [{"name": "w", "kind": "number", "role": "weight"}]})
    weights = ["1"] * 159 + ["400"]
    data = interpret(raw({"spend": [*map(str, SPENT[:-1]), "40"], "w": weights}), book)
    found = [f for f in sweep(data, book, Screening(influence=0.5)) if f.kind == "influential"]
    assert [(f.variable, f.cases) for f in found] == [("spend", 1)]


@given(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=60), st.floats(0.05, 2))
def test_what_is_found_is_what_a_plain_reading_says(values: list[float], threshold: float) -> None:
    y = np.array(values)
    mean = sum(values) / len(values)
    z = [(v - mean) / len(values) for v in values]
    se = (len(z) / (len(z) - 1) * sum(x * x for x in z)) ** 0.5
    expected = [abs(x) > threshold * se for x in z] if se > 0 else [False] * len(z)
    near = [abs(abs(x) - threshold * se) <= 1e-9 * se for x in z]
    found = weighty(y, np.ones(len(y)), threshold).tolist()
    assert all(a == b or c for a, b, c in zip(found, expected, near, strict=True))
