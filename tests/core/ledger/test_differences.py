"""Old × new of a step: every case counted once, in the words people read."""

from typing import Any

import pytest
from builders import dataset, scale, study
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Scale
from even_ballot.core.data.dataset import Dataset
from even_ballot.core.ledger import run_ledger
from even_ballot.core.ledger.differences import OldNew, differences


def taken(data: Dataset, **step: Any) -> tuple[OldNew, ...]:
    """Old × new of a step, done."""
    done = study(ledger=[step]).ledger[0]
    after, _ = next(run_ledger(data, [done], {}))
    return differences(data, after, done)


def pairs(crossed: OldNew) -> dict[tuple[str, str], int]:
    return {(turn.old, turn.new): turn.cases for turn in crossed.turns}


def test_a_recode_in_place_shows_what_became_what_and_how_many_changed() -> None:
    data = dataset({"q": ["1", "2", "9", "", "9"]}, q=scale(1, 2, missing=[99]))
    (crossed,) = taken(data, do="recode", variables=["q"], codes={"9": 99})
    assert pairs(crossed) == {
        ("1 A1", "1 A1"): 1,
        ("2 A2", "2 A2"): 1,
        ("9", "99 M99"): 2,
        ("blank", "blank"): 1,
    }
    assert crossed.changed == 2


def test_a_new_variable_stands_beside_what_it_was_made_of() -> None:
    data = dataset({"q": ["1", "2", "3", ""]}, q=scale(1, 2, 3))
    groups = [{"code": 1, "label": "Low", "from": [1, 2]}]
    (crossed,) = taken(data, do="collapse", variable="q", into="q2", groups=groups)
    assert (crossed.old, crossed.new) == ("q", "q2")
    assert pairs(crossed) == {
        ("1 A1", "1 Low"): 1,
        ("2 A2", "1 Low"): 1,
        ("3 A3", "blank"): 1,
        ("blank", "blank"): 1,
    }


def test_a_number_of_many_values_is_shown_as_ranges() -> None:
    data = dataset({"age": [str(a) for a in range(18, 98)]})
    bands = [
        {"code": 1, "label": "Younger", "from": 18, "below": 60},
        {"code": 2, "label": "Older", "from": 60},
    ]
    (crossed,) = taken(data, do="band", variable="age", into="band", bands=bands)
    assert pairs(crossed) == {("18 to 59", "1 Younger"): 42, ("60 to 97", "2 Older"): 38}


def test_entries_that_are_not_placed_are_told_from_answers() -> None:
    data = dataset({"q": ["yes", "no", "maybe"]})
    yes_no = Scale.model_validate({"codes": [{"code": 1, "label": "yes"}, {"code": 2, "label": "no"}]})
    data = Dataset(data.rows, data.columns, data.variables, {"yes_no": yes_no})
    (crossed,) = taken(data, do="code", variables=["q"], scale="yes_no")
    assert pairs(crossed) == {("maybe", "“maybe”, unrecognised"): 1, ("no", "2 no"): 1, ("yes", "1 yes"): 1}


def test_a_score_is_crossed_with_its_items_and_setting_aside_with_nothing() -> None:
    data = dataset({"a": ["1", "2"], "b": ["2", "2"]}, a=scale(1, 2), b=scale(1, 2))
    assert [(d.old, d.new) for d in taken(data, do="score", items=["a", "b"], into="s")] == [
        ("a", "s"),
        ("b", "s"),
    ]
    assert taken(data, do="drop_cases", where="a == 1") == ()


@given(
    st.lists(st.sampled_from(["", "1", "2", "3", "7", "x", " y "]), min_size=1, max_size=60),
    st.sampled_from([1, 2, 3, None]),
)
def test_every_case_is_counted_once_and_changes_are_those_of_a_plain_reading(
    entries: list[str], to: int | None
) -> None:
    data = dataset({"q": entries}, q=scale(1, 2, 3))
    found = taken(data, do="recode", variables=["q"], codes={"2": to})
    assert len(found) == 1
    crossed = found[0]
    assert sum(turn.cases for turn in crossed.turns) == len(entries)
    assert crossed.changed == (entries.count("2") if to != 2 else 0)
    spelled = {
        "": "blank",
        "1": "1 A1",
        "2": "2 A2",
        "3": "3 A3",
        "7": "7",
        "x": "“x”, unrecognised",
        " y ": "“ y ”, unrecognised",
    }
    plain: dict[tuple[str, str], int] = {}
    for entry in entries:
        new = spelled[entry] if entry != "2" else "blank" if to is None else f"{to} A{to}"
        plain[spelled[entry], new] = plain.get((spelled[entry], new), 0) + 1
    assert pairs(crossed) == plain


@pytest.mark.parametrize("n", [300])
def test_many_pairs_are_cut_with_what_changed_first(n: int) -> None:
    data = dataset({"q": [f" word {k}" if k % 3 else f"word {k}" for k in range(n)]})
    (crossed,) = taken(data, do="tidy", variables=["q"])
    assert len(crossed.turns) == 60
    assert crossed.more == n - 60
    assert all(turn.old != turn.new for turn in crossed.turns)
    assert crossed.changed == 200
