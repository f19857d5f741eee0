"""Steps of the ledger: what each does, reports and refuses."""

from collections.abc import Mapping
from typing import Any

import pytest
from builders import coded, dataset, raw, scale, study, values
from hypothesis import given
from hypothesis import strategies as st

from even_ballot.core.data.codebook import Codebook, Variable
from even_ballot.core.data.dataset import Dataset, RawTable
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.faults import StudyError
from even_ballot.core.ledger import Effect, run_ledger
from even_ballot.core.written.number_words import number_in_words


def take(
    data: Dataset, *steps: dict[str, Any], tables: Mapping[str, RawTable] | None = None
) -> tuple[Dataset, list[Effect]]:
    parsed = study(ledger=list(steps)).ledger
    effects = []
    for state, effect in run_ledger(data, parsed, tables or {}):
        data = state
        effects.append(effect)
    return data, effects


AGREE = scale(1, 2, 3, 4, 5, ordered=True, missing=[99])


def test_cases_are_set_aside_by_condition_and_the_rest_keep_their_record_numbers() -> None:
    data, (effect,) = take(
        dataset({"t": ["30", "200", "", "90"]}), {"do": "drop_cases", "where": "t < 120", "why": "too fast"}
    )
    assert data.rows.tolist() == [2, 3]
    assert (effect.cases_before, effect.cases_after, effect.why) == (4, 2, "too fast")


def test_cases_are_set_aside_by_identifier() -> None:
    data, _ = take(
        dataset({"id": ["a1", "a2", "a3"]}), {"do": "drop_cases", "ids": {"variable": "id", "in": ["a2"]}}
    )
    assert data.rows.tolist() == [1, 3]


@pytest.mark.parametrize(
    ("keep", "rows"), [("first", [1, 3, 4, 5]), ("last", [2, 3, 4, 5]), ("fullest", [2, 3, 4, 5])]
)
def test_one_of_each_duplicate_is_kept_and_blanks_are_no_duplicates(keep: str, rows: list[int]) -> None:
    columns = {"id": ["k", "k", "m", "", ""], "x": ["", "1", "2", "3", "4"]}
    data, _ = take(dataset(columns), {"do": "drop_cases", "duplicates": {"of": ["id"], "keep": keep}})
    assert data.rows.tolist() == rows


def test_tidy_takes_stray_space_no_break_too_and_letter_case() -> None:
    data, (effect,) = take(
        dataset({"t": ["  a\u00a0b ", "\u200bC", "c", "  "]}),
        {"do": "tidy", "variables": ["t"], "case": "upper"},
    )
    assert values(data, "t") == ["A B", "C", "C", None]
    assert effect.cells_changed == 3


def test_whole_answers_become_codes_and_the_rest_stay_findings() -> None:
    data = dataset({"q": ["A1", "no", "no opinion", "2", "M99", ""], "z": list("abcdef")}, s=AGREE)
    step = {"do": "code", "variables": ["q"], "scale": "s", "answers": {"no": 5}}
    data, (effect,) = take(data, step)
    assert values(data, "q") == [1, 5, None, 2, None, None]
    assert effect.unplaced == {"q": {"no opinion": 1}}
    assert data.column("q").entries() == {"no opinion": 1}


def test_what_is_left_over_can_be_blank_or_take_a_code() -> None:
    base = {"do": "code", "variables": ["q"], "scale": "s"}
    blank, _ = take(dataset({"q": ["A1", "?"]}, s=AGREE), {**base, "otherwise": "blank"})
    other, _ = take(dataset({"q": ["A1", "?"]}, s=AGREE), {**base, "otherwise": 5})
    assert (values(blank, "q"), values(other, "q")) == ([1, None], [1, 5])


def test_coding_again_places_what_was_left() -> None:
    step = {"do": "code", "variables": ["q"], "scale": "s"}
    data, effects = take(dataset({"q": ["A1", "agred"]}, s=AGREE), step, {**step, "answers": {"agred": 4}})
    assert values(data, "q") == [1, 4]
    assert [e.cells_changed for e in effects] == [1, 1]


def test_numbers_are_read_from_words_signs_and_commas() -> None:
    step = {"do": "to_number", "variables": ["n"], "decimal": ",", "words": True}
    data, (effect,) = take(dataset({"n": ["12,50", "£ 3", "thirty-four", "7.5", "many", ""]}), step)
    assert values(data, "n") == [12.5, 3.0, 34.0, 7.5, None, None]
    assert effect.unplaced == {"n": {"many": 1}}


@pytest.mark.parametrize(
    ("text", "number"),
    [("nine", 9), ("Forty one", 41), ("one hundred and six", 106), ("two thousand three hundred", 2300), ("twelve thousand", 12000),
     ("ten five", None), ("twenty thirty", None), ("hundred", None), ("", None), ("about ten", None)],
)  # fmt: skip
def test_numbers_in_words(text: str, number: float | None) -> None:
    assert number_in_words(text) == number


def test_recode_in_place_and_into_a_new_variable() -> None:
    data = dataset({"q": ["1", "9", "5"]}, q=AGREE)
    here, (effect,) = take(data, {"do": "recode", "variables": ["q"], "codes": {"9": 99, "5": None}})
    assert (values(here, "q"), here.column("q").state.tolist(), effect.cells_changed) == (
        [1, None, None],
        [0, 2, 1],
        2,
    )
    there, _ = take(data, {"do": "recode", "variables": ["q"], "codes": {"1": 2}, "suffix": "_r"})
    assert (values(there, "q"), values(there, "q_r")) == ([1, 9, 5], [2, 9, 5])


def test_turning_round_keeps_every_answers_label() -> None:
    data, _ = take(
        dataset({"q": ["1", "2", "5", "99", "7"]}, q=AGREE),
        {"do": "reverse", "variables": ["q"], "suffix": "_r"},
    )
    assert data.column("q_r").values.tolist() == [5, 4, 1, 99, 7]
    before, after = data.scale_of("q"), data.scale_of("q_r")
    assert before and after
    assert [before.label_of(c) for c in (1, 2, 5, 99)] == [after.label_of(c) for c in (5, 4, 1, 99)]


@pytest.mark.parametrize("second", ["q", "q_r"])
def test_turning_round_twice_is_refused_unless_meant(second: str) -> None:
    first = {"do": "reverse", "variables": ["q"], "suffix": "_r"}
    again = {"do": "reverse", "variables": [second], "suffix": "_rr"}
    data = dataset({"q": ["1", "2"]}, q=AGREE)
    with pytest.raises(StudyError, match="reversed already") as error:
        take(data, first, again)
    assert error.value.faults[0].where == "ledger[1].variables"
    twice, _ = take(data, first, {**again, "variables": ["q_r"], "again": True})
    assert values(twice, "q_r_rr") == values(data, "q")


def test_an_unordered_scale_has_no_other_way_round() -> None:
    with pytest.raises(StudyError, match="not ordered"):
        take(dataset({"q": ["1"]}, q=scale(1, 2)), {"do": "reverse", "variables": ["q"]})


def test_collapse_makes_fewer_categories() -> None:
    groups = [{"code": 0, "label": "No", "from": [1, 2]}, {"code": 1, "label": "Yes", "from": [4, 5]}]
    step = {"do": "collapse", "variable": "q", "into": "two", "groups": groups}
    data = dataset({"q": ["1", "3", "5", ""]}, q=AGREE)
    assert values(take(data, step)[0], "two") == [0, None, 1, None]
    assert values(take(data, {**step, "otherwise": 8})[0], "two") == [0, 8, 1, None]


def test_bands_hold_their_beginning_and_not_their_end() -> None:
    bands = [
        {"code": 1, "label": "Young", "below": 35},
        {"code": 2, "label": "Older", "from": 35, "below": 60},
    ]
    data, (effect,) = take(
        dataset({"age": ["34", "35", "60", ""]}),
        {"do": "band", "variable": "age", "into": "b", "bands": bands},
    )
    assert values(data, "b") == [1, 2, None, None]
    assert effect.unplaced == {"age": {"in no band": 1}}


def test_overlapping_bands_are_refused() -> None:
    bands = [{"code": 1, "label": "A", "below": 40}, {"code": 2, "label": "B", "from": 35}]
    with pytest.raises(StudyError, match="overlap"):
        study(ledger=[{"do": "band", "variable": "age", "into": "b", "bands": bands}])


def test_a_score_wants_enough_answers() -> None:
    data = dataset(
        {"a": ["1", "5", ""], "b": ["3", "", ""], "c": ["99", "2", "4"]}, a=AGREE, b=AGREE, c=AGREE
    )
    step = {"do": "score", "items": ["a", "b", "c"], "into": "s", "how": "mean", "at_least": 2}
    assert values(take(data, step)[0], "s") == [2.0, 3.5, None]


FRAME = raw({"key": ["h1", "h2"], "stratum": ["north", "south"], "size": ["40", "7"]})


def test_columns_are_looked_up_by_key() -> None:
    step = {"do": "look_up", "from": "frame", "on": {"d": "key"}, "take": ["stratum", "size"]}
    data, _ = take(dataset({"d": ["h2", "h1", "h2"]}), step, tables={"frame": FRAME})
    assert (values(data, "stratum"), values(data, "size")) == (["south", "north", "south"], [7.0, 40.0, 7.0])


def test_cases_without_a_match_are_refused_by_name_or_flagged() -> None:
    step = {"do": "look_up", "from": "frame", "on": {"d": "key"}, "take": ["size"]}
    data = dataset({"d": ["h2", "h9"]})
    with pytest.raises(StudyError, match="d = h9"):
        take(data, step, tables={"frame": FRAME})
    flagged, (effect,) = take(data, {**step, "missing": "flag"}, tables={"frame": FRAME})
    assert (values(flagged, "size"), effect.unplaced) == ([7.0, None], {"d": {"h9": 1}})


def test_keys_must_be_unique() -> None:
    twice = raw({"key": ["a", "b", "a"], "x": ["1", "2", "3"]})
    with pytest.raises(StudyError, match="records 1 and 3"):
        take(
            dataset({"key": ["a"]}),
            {"do": "look_up", "from": "f", "on": "key", "take": ["x"]},
            tables={"f": twice},
        )


def test_a_coded_key_matches_by_code_or_by_label() -> None:
    data = dataset({"isle": ["1", "2"]}, isle=scale(1, 2))
    for keys in (["1", "2"], ["A1", "A2"]):
        table = raw({"isle_key": keys, "x": ["10", "20"]})
        got, _ = take(
            data,
            {"do": "look_up", "from": "f", "on": {"isle": "isle_key"}, "take": ["x"]},
            tables={"f": table},
        )
        assert values(got, "x") == [10.0, 20.0]


def test_a_key_of_several_parts_is_joined_by_all_of_them() -> None:
    frame = raw({"h": ["1", "1", "2"], "psu": ["a", "b", "a"], "size": ["10", "20", "30"]})
    data = dataset({"h": ["2", "1", "1", ""], "psu": ["a", "b", "a", "a"]})
    step = {"do": "look_up", "from": "f", "on": ["h", "psu"], "take": ["size"], "missing": "flag"}
    got, (effect,) = take(data, step, tables={"f": frame})
    assert values(got, "size") == [30, 20, 10, None]
    assert effect.unplaced == {"h × psu": {"(blank)": 1}}
    twice = raw({"h": ["1", "1"], "psu": ["a", "a"], "size": ["1", "2"]})
    with pytest.raises(StudyError, match="Key '1 × a' occurs in records 1 and 2"):
        take(data, step, tables={"f": twice})


def test_rename_and_discard() -> None:
    data, _ = take(
        dataset({"a": ["1"], "b": ["2"]}),
        {"do": "rename", "names": {"a": "c"}},
        {"do": "discard", "variables": ["b"]},
    )
    assert list(data.variables) == ["c"]


def test_what_there_is_already_is_not_overwritten() -> None:
    with pytest.raises(StudyError, match="a variable 'b' already"):
        take(dataset({"a": ["1"], "b": ["2"]}), {"do": "derive", "into": "b", "value": "a + 1"})


def test_a_derived_variable_of_codes_takes_a_scale() -> None:
    data, _ = take(
        dataset({"a": ["1", "2", ""]}, s=AGREE), {"do": "derive", "into": "c", "value": "a + 1", "scale": "s"}
    )
    assert (values(data, "c"), data.variable("c").kind) == ([2, 3, None], "coded")
    with pytest.raises(StudyError, match="whole numbers"):
        take(dataset({"a": ["1"]}, s=AGREE), {"do": "derive", "into": "c", "value": "a / 2", "scale": "s"})


def test_blanks_take_a_missing_code_where_asked() -> None:
    data = dataset({"q": ["1", "", ""], "a": ["1", "2", "3"]}, q=AGREE)
    filled, (effect,) = take(data, {"do": "fill_blank", "variables": ["q"], "code": 99, "where": "a < 3"})
    assert (
        filled.column("q").state.tolist(),
        filled.column("q").values.tolist()[1],
        effect.cells_changed,
    ) == ([0, 2, 1], 99, 1)


def test_blanks_are_counted() -> None:
    data, _ = take(
        dataset({"a": ["1", "", ""], "b": ["", "x", ""]}),
        {"do": "count_blank", "variables": ["a", "b"], "into": "n"},
    )
    assert values(data, "n") == [1.0, 1.0, 2.0]


@pytest.mark.parametrize(
    ("variable", "value", "want"),
    [
        ("q", 4, 4),
        ("q", "A2", 2),
        ("q", None, None),
        ("q", 99, None),
        ("n", 7.5, 7.5),
        ("t", "new", "new"),
        ("t", None, None),
        ("q", "odd", None),
    ],
)
def test_one_cell_of_one_case_is_set(variable: str, value: Any, want: Any) -> None:
    data = dataset({"q": ["1", "1"], "n": ["1", "2"], "t": ["x", "y"]}, q=AGREE)
    edited, (effect,) = take(data, {"do": "edit", "id": 2, "variable": variable, "value": value})
    assert values(edited, variable) == [values(data, variable)[0], want]
    assert effect.cells_changed == 1
    assert edited.column(variable).entries() == ({"odd": 1} if value == "odd" else {})


def test_a_case_is_edited_by_its_identifier_and_a_wrong_one_is_refused() -> None:
    book = Codebook(variables=(Variable(name="key", kind="text", role="id"),))
    data = interpret(raw({"key": ["k1", "k2"], "n": ["1", "2"]}), book)
    edited, _ = take(data, {"do": "edit", "id": "k2", "variable": "n", "value": 9})
    assert values(edited, "n") == [1.0, 9.0]
    with pytest.raises(StudyError, match="No case in use has the identifier k3"):
        take(data, {"do": "edit", "id": "k3", "variable": "n", "value": 9})


def test_a_delimited_cell_becomes_several_answers() -> None:
    options = [{"code": 1, "label": "Work"}, {"code": 2, "label": "Shopping"}]
    step = {"do": "split", "variable": "r", "separator": ";", "into": "why", "options": options}
    data, (effect,) = take(dataset({"r": ["Work; Shopping", "Shopping;", "", "Other; Work", "2"]}), step)
    assert values(data, "why_1") == [1.0, 0.0, None, 1.0, 0.0]
    assert values(data, "why_2") == [1.0, 1.0, None, 0.0, 1.0]
    assert effect.unplaced == {"r": {"Other": 1}}
    assert data.variable("why").parts == ("why_1", "why_2")


STEPS: list[dict[str, Any]] = [
    {"do": "drop_cases", "where": "q == 3"},
    {"do": "recode", "variables": ["q"], "codes": {"1": 5}},
    {"do": "reverse", "variables": ["q"], "suffix": "_r"},
    {
        "do": "collapse",
        "variable": "q",
        "into": "two",
        "groups": [{"code": 1, "label": "Yes", "from": [4, 5]}],
    },
    {"do": "derive", "into": "d", "value": "q * 2"},
    {"do": "score", "items": ["q", "p"], "into": "s"},
    {"do": "tidy", "variables": ["t"], "case": "lower"},
    {"do": "fill_blank", "variables": ["q"], "code": 99},
    {"do": "count_blank", "variables": ["q", "t"], "into": "blanks"},
]
CODES = st.lists(st.sampled_from([None, 1, 2, 3, 4, 5, 99]), min_size=3, max_size=12)


@given(CODES, st.permutations(STEPS), st.sets(st.integers(0, len(STEPS) - 1)))
def test_no_step_but_drop_cases_changes_the_cases_and_off_is_never_done(
    codes: list[Any], steps: list[Any], off: set[int]
) -> None:
    n = len(codes)
    data = dataset({"q": coded(codes), "p": ["2"] * n, "t": ["A "] * n}, q=AGREE, p=AGREE)
    marked = [{**step, "off": i in off} for i, step in enumerate(steps)]
    without = [step for i, step in enumerate(steps) if i not in off]
    got, effects = take(data, *marked)
    want, _ = take(data, *without)
    assert list(got.variables) == list(want.variables)
    assert all(values(got, name) == values(want, name) for name in got.variables)
    assert all(e.cases_before == e.cases_after for e in effects if e.do != "drop_cases" or e.off)
