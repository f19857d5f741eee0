"""States kept by what they are made of: found again, never mixed up."""

import json
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import pytest
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from even_ballot.core.data.dataset import text_column
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.ledger import step
from even_ballot.core.study.study_file import parse_study
from even_ballot.services.demo import load_demo
from even_ballot.services.states.study_states import Pipelines
from even_ballot.store.studies import StudyState, dump_study, read_study


@pytest.fixture
def held(engine: Engine) -> Iterator[tuple[Session, Pipelines, StudyState]]:
    pipelines = Pipelines()
    with Session(engine) as session, session.begin():
        study_id = load_demo(session, pipelines)
        assert study_id is not None
        yield session, pipelines, read_study(session, study_id)


def with_parts(state: StudyState, **parts: Any) -> StudyState:
    return replace(state, study=parse_study(json.loads(dump_study(state.study)) | parts))


def switched(state: StudyState, at: int) -> StudyState:
    ledger = json.loads(dump_study(state.study))["ledger"]
    ledger[at]["off"] = not ledger[at].get("off", False)
    return with_parts(state, ledger=ledger)


def test_a_state_is_computed_once(
    held: tuple[Session, Pipelines, StudyState], monkeypatch: pytest.MonkeyPatch
) -> None:
    session, pipelines, state = held
    first = pipelines.ledgered(session, state)[1]
    again = pipelines.ledgered(session, state)[1]
    assert all(a is b for a, b in zip(first.states, again.states, strict=True))


def test_switching_off_and_on_finds_the_earlier_states_again(
    held: tuple[Session, Pipelines, StudyState],
) -> None:
    session, pipelines, state = held
    before = pipelines.ledgered(session, state)[1].states
    off = pipelines.ledgered(session, switched(state, 8))[1].states
    assert all(a is b for a, b in zip(before[:8], off[:8], strict=True))
    assert off[8] is off[7]
    back = pipelines.ledgered(session, switched(switched(state, 8), 8))[1].states
    assert all(a is b for a, b in zip(before, back, strict=True))


def test_a_rule_or_an_accepted_finding_changes_no_case(
    held: tuple[Session, Pipelines, StudyState],
) -> None:
    session, pipelines, state = held
    book = json.loads(dump_study(state.study))["codebook"]
    other = with_parts(state, codebook={**book, "rules": [{"name": "r", "must": "age > 17"}]})
    assert pipelines.ledgered(session, other)[1].last is pipelines.ledgered(session, state)[1].last
    assert pipelines.findings(session, other) == pipelines.findings(session, state)


def test_a_design_changes_tables_but_not_weights(held: tuple[Session, Pipelines, StudyState]) -> None:
    session, pipelines, state = held
    plain = with_parts(state, design={"weight": "weight"})
    assert pipelines.weighted(session, plain)[1].raked[0] is pipelines.weighted(session, state)[1].raked[0]
    a, b = pipelines.table(session, state, 0), pipelines.table(session, plain, 0)
    assert [c.est for c in a.cells] == pytest.approx([c.est for c in b.cells])
    assert [c.se for c in a.cells] != [c.se for c in b.cells]


def test_faults_are_kept_like_results() -> None:
    pipelines, calls = Pipelines(), []

    def fails() -> int:
        calls.append(1)
        raise fault("It is wrong.", "here")

    for _ in range(3):
        with pytest.raises(StudyError, match="It is wrong"):
            pipelines.once("key", fails)
    assert len(calls) == 1


def test_a_file_that_is_used_is_not_pushed_out_by_many_states() -> None:
    pipelines, made = Pipelines(), list[int]()

    def read() -> str:
        made.append(1)
        return "table"

    for k in range(20_000):
        pipelines.once("file:a", read)
        pipelines.once(f"state{k}", lambda: object())
    assert made == [1]


def test_the_ledger_names_the_step_that_stops(held: tuple[Session, Pipelines, StudyState]) -> None:
    session, pipelines, state = held
    ledger = json.loads(dump_study(state.study))["ledger"]
    ledger.insert(5, {"do": "derive", "into": "x", "value": "nobody + 1"})
    ledgered = pipelines.ledgered(session, with_parts(state, ledger=ledger))[1]
    assert len(ledgered.states) == 5
    assert ledgered.fault is not None
    assert ledgered.fault.faults[0].where == "ledger[5].value"
    assert [e.step for e in ledgered.effects] == [1, 2, 3, 4, 5]


def test_changed_cells_counts_what_differs_whatever_the_words_order() -> None:
    before, after = text_column(["a", "b", "", "c"]), text_column(["b", "b", "", "C"])
    assert step.changed_cells(before, after, text=True) == 2
    assert step.changed_cells(before, text_column(["a", "b", None, "c"]), text=True) == 0
