"""Checks: each finds what it is for, and nothing else."""

from typing import Any

import pytest
from builders import raw, scale, study

from even_ballot.core.data.codebook import Accepted, Codebook, Rule, Variable
from even_ballot.core.data.dataset import Dataset, text_column
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.faults import StudyError
from even_ballot.core.ledger import run_ledger
from even_ballot.core.screening import Finding, Screening, batteries, behind, sweep
from even_ballot.core.study.graph import start
from even_ballot.demo.form import AGREE, HEADINGS, MISSPELT, OFTEN, STATEMENTS, TRANSLATED
from even_ballot.demo.generate import deliveries
from even_ballot.demo.study import names
from even_ballot.formats.sources.delimited import without_blank_records

AGREEMENT = scale(1, 2, 3, 4, 5, ordered=True, missing=[99])


def entries(
    columns: dict[str, list[str]],
    roles: dict[str, str] | None = None,
    coded: tuple[str, ...] = (),
    **more: Any,
) -> tuple[Dataset, Codebook]:
    variables = [Variable(name=name, kind="coded", scale="agree") for name in coded]
    kinds = {"started": "date", "ended": "date", "seconds": "number"}
    variables += [Variable(name=n, kind=kinds.get(r, "text"), role=r) for n, r in (roles or {}).items()]
    book = Codebook(scales={"agree": AGREEMENT}, variables=tuple(variables), **more)
    return interpret(raw(columns), book), book


def rows(data: Dataset, kind: str, book: Codebook, settings: Screening | None = None) -> list[int]:
    found: list[int] = []
    for finding in sweep(data, book, settings):
        if finding.kind == kind:
            found += data.rows[behind(data, finding, book, settings).cases].tolist()
    return sorted(found)


def test_staff_tests_are_told_by_their_status() -> None:
    data, book = entries({"s": ["Complete", "Staff test", "Testimony", "preview"]}, {"s": "status"})
    assert rows(data, "staff_test", book) == [2, 4]


def test_duplicates_of_an_identifier_leave_blanks_alone() -> None:
    data, book = entries({"k": ["a", "b", "a", "", ""]}, {"k": "id"})
    assert rows(data, "duplicate_identifier", book) == [1, 3]


def test_duplicate_entries_are_alike_in_every_answer_but_the_entry_number() -> None:
    answers = {f"q{i}": ["1", "2", "1", "3", "", ""] for i in range(6)}
    data, book = entries({"n": list("123456"), **answers}, coded=tuple(answers))
    assert rows(data, "duplicate_entry", book) == [1, 3]


def test_an_entry_that_ended_before_it_was_started_is_found() -> None:
    columns = {
        "a": ["2026-03-01 10:00", "2026-03-01 10:00", ""],
        "b": ["2026-03-01 09:00", "2026-03-01 10:10", "2026-03-01 09:00"],
    }
    data, book = entries(columns, {"a": "started", "b": "ended"})
    assert rows(data, "ended_before_started", book) == [1]


def test_too_fast_is_under_the_cut_off_or_a_third_of_the_median() -> None:
    data, book = entries({"t": ["40", "300", "600", "90", ""]}, {"t": "seconds"})
    assert rows(data, "too_fast", book) == [1]
    assert rows(data, "too_fast", book, Screening(fast=100)) == [1, 4]


def test_times_are_taken_from_start_and_end() -> None:
    columns = {
        "a": ["2026-03-01 10:00:00"] * 3,
        "b": ["2026-03-01 10:00:30", "2026-03-01 10:10:00", "2026-03-01 10:12:00"],
    }
    data, book = entries(columns, {"a": "started", "b": "ended"})
    assert rows(data, "too_fast", book, Screening(fast=120)) == [1]
    (finding,) = [f for f in sweep(data, book, Screening(fast=120)) if f.kind == "too_fast"]
    assert finding.step is not None
    assert (finding.step.where, finding.step.why) == (
        "seconds_between(a, b) < 120",
        "faster than anyone can read it",
    )


def test_straight_lines_need_every_answer_of_a_battery() -> None:
    columns = {f"q{i}": ["3", "3", "1", "99"] for i in range(4)} | {"q3": ["3", "", "2", "99"]}
    data, book = entries(columns, coded=tuple(columns))
    assert batteries(data, 4) == [("q0", "q1", "q2", "q3")]
    assert rows(data, "straight_line", book) == [1]


def test_too_little_answered_of_the_chosen_questions() -> None:
    columns = {f"q{i}": ["1", "", ""] for i in range(4)} | {"q0": ["1", "2", ""], "q1": ["1", "2", ""]}
    data, book = entries(columns, coded=("q0", "q1", "q2", "q3"))
    assert rows(data, "too_little", book) == [3]
    assert rows(data, "too_little", book, Screening(answered=0.6)) == [2, 3]
    assert rows(data, "too_little", book, Screening(questions=("q2", "q3"))) == [2, 3]


def test_blanks_are_found_where_the_scale_has_a_code_for_them() -> None:
    data, book = entries({"q": ["1", "", "99"], "t": ["", "a", "b"]}, coded=("q",))
    assert rows(data, "blank", book) == [2]


def test_unusual_numbers_are_far_from_the_middle_half() -> None:
    data, book = entries({"x": [str(k % 20) for k in range(60)] + ["900"]})
    assert rows(data, "unusual", book) == [61]


def test_rules_find_the_cases_they_are_false_for_and_point_at_their_own_faults() -> None:
    rules = (Rule(name="tenants pay", must="tenure != 2 or rent > 0"),)
    data, book = entries({"tenure": ["1", "2", "2", "2"], "rent": ["0", "0", "5", ""]}, rules=rules)
    assert rows(data, "rule", book) == [2]
    _, wrong = entries({"a": ["1"]}, rules=(Rule(name="x", must="nobody > 1"),))
    with pytest.raises(StudyError) as error:
        sweep(data, wrong)
    assert error.value.faults[0].where == "codebook.rules[0].must"


def test_what_was_accepted_stays_so_unless_it_changes() -> None:
    accepted = (Accepted(variable="q", kind="not_in_codebook", value="7", cases=1, why="an old form"),)
    data, book = entries({"q": ["7", "8"]}, coded=("q",), accepted=accepted)
    assert [(f.value, f.accepted) for f in sweep(data, book)] == [("7", "an old form"), ("8", None)]
    more, _ = entries({"q": ["7", "7"]}, coded=("q",))
    assert [f.accepted for f in sweep(more, book)] == [None]


def test_a_check_that_is_not_there_is_refused() -> None:
    data, _ = entries({"q": ["1"]})
    with pytest.raises(StudyError, match="no check 'guess'"):
        behind(data, Finding("q", "guess", "", 1))


@pytest.fixture(scope="module")
def arrived() -> tuple[Dataset, Codebook, dict[str, set[int]]]:
    """The demo's first delivery, coded by its labels alone, and the entries planted in it."""
    first, _, _ = deliveries()
    n = names()
    columns = [text_column([row[i] for row in first.rows]) for i in range(len(first.headings))]
    table = without_blank_records(tuple(n.values()), tuple(first.headings), columns)
    labels = {
        "agreement": (AGREE, {98: "Don't know"}),
        "frequency": (OFTEN, {}),
        "content": (tuple("12345"), {99: "No answer"}),
    }
    scales = {
        key: {"codes": [{"code": k, "label": label} for k, label in enumerate(own, 1)], "ordered": True,
              "missing": [{"code": c, "label": label} for c, label in missing.items()]}
        for key, (own, missing) in labels.items()
    }  # fmt: skip
    coded = (
        [(n[s], "agreement") for s in STATEMENTS]
        + [(n[s], "frequency") for s in HEADINGS.services]
        + [(n[HEADINGS.office], "content")]
    )
    variables: list[dict[str, Any]] = [{"name": name, "kind": "coded", "scale": key} for name, key in coded]
    variables += [
        {"name": n[HEADINGS.letter], "kind": "text", "role": "id"}, {"name": n[HEADINGS.status], "kind": "text", "role": "status"},
        {"name": n[HEADINGS.started], "kind": "date", "role": "started"}, {"name": n[HEADINGS.finished], "kind": "date", "role": "ended"},
        {"name": n[HEADINGS.age], "kind": "number"},
    ]  # fmt: skip
    spaces = [{"do": "tidy", "variables": [n[s] for s in (*STATEMENTS, *HEADINGS.services)]}]
    other = {
        **{w: AGREE.index(label) + 1 for label, w in TRANSLATED.items()},
        **{a.lower(): k for k, a in enumerate(AGREE, 1)},
        "don't know": 98,
    }
    codes = [{"do": "code", "variables": [n[s] for s in STATEMENTS], "answers": other}]
    made = study(
        codebook={"scales": scales, "variables": variables}, ledger=[*codes, *spaces], screening={"fast": 120}
    )
    data = start(made, table)
    # Stray spaces keep an entry from being placed, so they are tidied in the text before it is coded.
    trimmed = Dataset(
        data.rows, {k: _trimmed(c) for k, c in data.columns.items()}, data.variables, data.scales
    )
    for state, _ in run_ledger(trimmed, made.ledger[:1], {}):
        trimmed = state
    return trimmed, made.codebook, {kind: set(where) for kind, where in first.planted.entries.items()}


def _trimmed(column: Any) -> Any:
    return (
        type(column)(column.values, column.state, tuple(" ".join(w.split()) for w in column.words))
        if column.words
        else column
    )


EXACT = {
    "staff_test": "staff test",
    "too_fast": "too fast",
    "not_in_codebook": "9 for 99",
    "straight_line": "straight line",
    "duplicate_identifier": "duplicate",
}


@pytest.mark.parametrize("kind", EXACT)
def test_every_planted_fault_of_the_demo_is_found(
    arrived: tuple[Dataset, Codebook, dict[str, set[int]]], kind: str
) -> None:
    data, book, planted = arrived
    settings = Screening(fast=120, battery=8)
    entry = data.column("Entry").values.astype(int)
    found: set[int] = set()
    for finding in sweep(data, book, settings):
        if finding.kind == kind:
            found |= set(entry[behind(data, finding, book, settings).cases].tolist())
    want = planted[EXACT[kind]]
    hit = found & want
    print(f"{kind}: precision {len(hit) / len(found):.3f}, recall {len(hit) / len(want):.3f}")
    assert want <= found
    if kind == "duplicate_identifier":
        # Both of a pair are found: the one that came first too.
        assert len(found) == 2 * len(want)
    elif kind in ("staff_test", "too_fast", "not_in_codebook"):
        assert found == want


def test_misspelt_answers_and_ages_in_words_are_found(
    arrived: tuple[Dataset, Codebook, dict[str, set[int]]],
) -> None:
    data, book, planted = arrived
    entry = data.column("Entry").values.astype(int)
    misspelt: set[int] = set()
    worded: set[int] = set()
    for finding in sweep(data, book):
        if finding.kind == "not_placed" and finding.variable == names()[HEADINGS.age]:
            worded |= set(entry[behind(data, finding, book).cases].tolist())
        elif finding.kind == "not_placed" and finding.value in MISSPELT:
            misspelt |= set(entry[behind(data, finding, book).cases].tolist())
    assert worded == planted["age in words"]
    assert misspelt == planted["misspelt"]
