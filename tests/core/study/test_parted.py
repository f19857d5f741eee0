"""A study whose answers come in parts: what looks at all cases is what it is where they are in one."""

import random
from dataclasses import replace
from itertools import pairwise
from typing import Any

import pytest
from builders import raw
from parting import differing

from even_ballot.core.data import groups
from even_ballot.core.disclosure import kinds
from even_ballot.core.faults import StudyError
from even_ballot.core.numerics import recurring
from even_ballot.core.numerics.parts import InParts
from even_ballot.core.sampling import units
from even_ballot.core.study.parted.pipeline import PartedPipeline
from even_ballot.core.study.pipeline import Pipeline, given
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.core.weighting.solving import base_runs

MARGIN = {"by": ["q"], "targets": [{"at": {"q": 1}, "value": 0.5}, {"at": {"q": 2}, "value": 0.5}]}
WORDS = ("calm", "rough", "Rough", "", "9", "-0", "0", "fog at dawn")


def answers(rng: random.Random, n: int) -> dict[str, list[Any]]:
    """Short ones, so that many cases are alike."""
    few = {name: [rng.choice((1, 2, 9, "", "1.5")) for _ in range(n)] for name in "abcde"}
    return {
        "id": [rng.choice((f"m{k}", f"m{k // 2}")) for k in range(n)],
        "said": [rng.choice(WORDS) for _ in range(n)],
        "w": [rng.choice(("0.5", "1", "2", "")) for _ in range(n)],
        **few,
    }


def ledger(rng: random.Random) -> list[dict[str, Any]]:
    """Steps on single cases with such that look at all among them."""
    steps: list[dict[str, Any]] = [
        {"do": "derive", "into": "one", "value": "a + 1"},
        {"do": "drop_cases", "where": "b == 9"},
        {"do": "derive", "into": "z", "value": "(a - column_mean(a, w)) / column_sd(a, w, c != 9)"},
        {"do": "derive", "into": "far", "value": "column_mean((d - column_mean(d)) ** 2, 1, e > 1)"},
        {"do": "drop_cases", "duplicates": {"of": ["id"], "keep": rng.choice(("first", "last", "fullest"))}},
        {
            "do": "drop_cases",
            "spare": [3, 17],
            "duplicates": {"of": ["said", "a", "b"], "keep": "fullest", "at_least": rng.randint(1, 3)},
        },
        {"do": "edit", "id": 2, "by": "row", "variable": "a", "value": 7},
    ]
    rng.shuffle(steps)
    steps.append({"do": "derive", "into": "record", "value": "row ** 2"})
    return [
        step | {"off": True} if rng.random() < 0.15 and step.get("into") != "record" else step
        for step in steps
    ]


def study(rng: random.Random) -> Study:
    variables = [{"name": "id", "kind": "text", "role": "id"}, {"name": "said", "kind": "text"}]
    return parse_study(
        {
            "source": {"path": "answers.csv"},
            "codebook": {"variables": variables},
            "ledger": ledger(rng),
            "tables": [{"id": "t", "stub": ["a", "c", "record"], "show": ["n", "mean"]}],
        }
    )


def in_parts(of: Study, columns: dict[str, list[Any]], ends: list[int]) -> PartedPipeline:
    cut = [{name: cells[a:b] for name, cells in columns.items()} for a, b in pairwise(ends)]
    return PartedPipeline(of, InParts([raw(part) for part in cut]), range(len(cut)), {})


def outcome(pipeline: Pipeline) -> Any:
    """What came of it: figures, findings, what each step did; or what is at fault."""
    try:
        found = pipeline.results()
    except StudyError as error:
        return error.faults
    # Bounds of what is usual stand in the finding's value too, without the last digits.
    findings = [replace(of, usual=None) for of in pipeline.findings]
    return found.document(), findings, list(pipeline.ledgered.value.effects)


@pytest.mark.parametrize("at_once", [3, 1 << 21])
@pytest.mark.parametrize("seed", range(60))
def test_steps_and_checks_that_look_at_all_cases_do_so_over_parts(
    seed: int, at_once: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(recurring, "AT_ONCE", at_once)
    rng = random.Random(seed)
    of, columns = study(rng), answers(rng, rng.randint(20, 80))
    n = len(columns["a"])
    ends = sorted({0, n, *(rng.randrange(1, n) for _ in range(rng.randint(0, 5)))})
    one, many = outcome(given(of, raw(columns), {})), outcome(in_parts(of, columns, ends))
    if not isinstance(one[0], dict):
        assert many == one
        return
    assert list(differing(many[0], one[0], rel=1e-9)) == []
    assert many[1:] == one[1:]


@pytest.mark.parametrize(
    ("bound", "changes", "said"),
    [
        (
            base_runs,
            {"weightings": [{"base": "w", "limits": {"low": 0.2, "high": 5}, "margins": [MARGIN]}]},
            r"Limits need all distinct base weights .*: \d+, and at most 3",
        ),
        (
            units,
            {"design": {"variance": {"method": "jackknife"}}},
            r"need a row for each case .*: 40, and at most 3",
        ),
        (
            kinds,
            {"suppression": {"below": 3}},
            r"Small cells are looked for among all kinds of cases .*: \d+, and at most 3",
        ),
        (groups, {"design": {"clusters": ["w"]}}, r"design.clusters: Values of w: 40, and at most 3"),
    ],
)
def test_what_grows_with_the_cases_is_bounded_where_parts_come_together(
    bound: Any, changes: dict[str, Any], said: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bound, "MOST", 3)
    columns = {"q": [str(k % 2 + 1) for k in range(40)], "w": [f"{1 + k / 40:.3f}" for k in range(40)]}
    two = {"codes": [{"code": 1, "label": "No"}, {"code": 2, "label": "Yes"}]}
    document = {
        "source": {"path": "a"},
        "codebook": {
            "scales": {"two": two},
            "variables": [{"name": "q", "kind": "coded", "scale": "two"}],
        },
        "tables": [{"id": "t", "stub": ["q"], "show": ["n"]}],
    }
    of = parse_study(document | changes)
    given(of, raw(columns), {}).results()
    with pytest.raises(StudyError, match=said):
        in_parts(of, columns, [0, 10, 25, 40]).results()
