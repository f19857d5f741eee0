"""Steps that read what people wrote."""

from typing import Any

import numpy as np
import pytest
from builders import raw, scale, values

from even_ballot.core.data.codebook import Code, Codebook, Variable
from even_ballot.core.data.dataset import MISSING, Dataset
from even_ballot.core.data.formulas import condition
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.faults import StudyError
from even_ballot.core.ledger import take_step
from even_ballot.core.ledger.derived import Derive
from even_ballot.core.ledger.reading.dates import ToDate
from even_ballot.core.ledger.reading.replacing import Replace
from even_ballot.core.ledger.reading.to_number import ToNumber


def cases(columns: dict[str, list[Any]], *variables: Variable, **scales: Any) -> Dataset:
    return interpret(raw(columns), Codebook(scales=scales, variables=variables))


def test_numbers_are_read_in_their_style_and_what_is_none_stays_a_finding() -> None:
    data = cases({"x": ["1.200,50", "7", "many", ""]}, Variable(name="x", kind="text"))
    after, effect = take_step(
        data, ToNumber(do="to_number", variables=("x",), decimal=",", thousands="."), 0, {}
    )
    assert values(after, "x")[:2] == [1200.5, 7.0] and values(after, "x")[3] is None
    assert effect.unplaced == {"x": {"many": 1}} and effect.cells_changed == 2


def test_an_open_end_is_read_as_its_number_and_words_that_mean_none_as_their_code() -> None:
    known = Variable(name="age", kind="text", missing=(Code(code=-1, label="Refused", also=("refused",)),))
    data = cases({"age": ["34", "89 or older", "refused", "Refused"]}, known)
    step = ToNumber(do="to_number", variables=("age",), entries={"89 or older": 89})
    after, effect = take_step(data, step, 0, {})
    column = after.column("age")
    assert column.values.tolist() == [34, 89, -1, -1] and column.state.tolist() == [0, 0, MISSING, MISSING]
    assert not effect.unplaced


def test_dates_are_read_from_texts_and_from_serial_numbers() -> None:
    data = cases(
        {"d": ["3/5/26", "2026-05-04", "soon"], "n": ["46145", "46146", ""]}, Variable(name="d", kind="text")
    )
    after, effect = take_step(data, ToDate(do="to_date", variables=("d",), order="day_month_year"), 0, {})
    assert after.variable("d").kind == "date" and effect.unplaced == {"d": {"soon": 1}}
    after, _ = take_step(after, ToDate(do="to_date", variables=("n",), order="serial"), 1, {})
    assert after.column("n").values[:2].tolist() == after.column("d").values[:2].tolist()
    coded = cases({"c": ["1"]}, Variable(name="c", kind="coded"))
    with pytest.raises(StudyError, match="only texts and numbers can be read as dates"):
        take_step(coded, ToDate(do="to_date", variables=("c",), order="serial"), 0, {})


def test_a_wording_is_replaced_whole_or_in_part_or_emptied() -> None:
    data = cases({"t": ["late boat", "late", "dear"]}, Variable(name="t", kind="text"))
    whole, _ = take_step(data, Replace(do="replace", variables=("t",), wordings={"late": "tardy"}), 0, {})
    assert values(whole, "t") == ["late boat", "tardy", "dear"]
    part, effect = take_step(
        data, Replace(do="replace", variables=("t",), wordings={"late": "tardy"}, part=True), 0, {}
    )
    assert values(part, "t") == ["tardy boat", "tardy", "dear"] and effect.cells_changed == 2
    none, _ = take_step(data, Replace(do="replace", variables=("t",), wordings={"dear": ""}), 0, {})
    assert values(none, "t") == ["late boat", "late", None]


def test_entries_that_were_not_recognised_are_read_again_once_they_are_replaced() -> None:
    two = scale(1, 2)
    data = cases(
        {"c": ["1", "A2", "Atwo", "huh"], "n": ["4", "5", "six", "seven"]},
        Variable(name="c", kind="coded", scale="c"),
        Variable(name="n", kind="number"),
        c=two,
    )
    step = Replace(
        do="replace", variables=("c", "n"), wordings={"Atwo": "A2", "six": "6", "seven": "7 or so"}
    )
    after, _ = take_step(data, step, 0, {})
    assert after.column("c").values[:3].tolist() == [1, 2, 2] and after.column("c").entries() == {"huh": 1}
    assert after.column("n").values[:3].tolist() == [4, 5, 6] and after.column("n").entries() == {
        "7 or so": 1
    }


def test_nothing_cannot_be_looked_for() -> None:
    with pytest.raises(ValueError, match="the text to be replaced cannot be empty"):
        Replace(do="replace", variables=("t",), wordings={"": "x"})


def test_a_number_is_standardised_over_all_cases_weighted_or_not() -> None:
    data = cases({"x": ["1", "2", "6", ""], "w": ["1", "1", "2", "1"]})
    step = Derive(do="derive", into="z", value="(x - column_mean(x)) / column_sd(x)")
    after, _ = take_step(data, step, 0, {})
    x = np.array([1.0, 2.0, 6.0])
    assert after.column("z").values[:3] == pytest.approx((x - x.mean()) / x.std(ddof=1))
    assert values(after, "z")[3] is None and step.reach == "whole"
    after, _ = take_step(data, Derive(do="derive", into="m", value="column_mean(x, w, x > 1)"), 0, {})
    assert values(after, "m") == [14 / 3] * 4
    with pytest.raises(StudyError, match="column_mean is computed over all cases"):
        condition("x > column_mean(x)", data)
