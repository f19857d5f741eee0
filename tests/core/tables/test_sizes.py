"""The room a table needs is known before it is counted: blocks of columns, and refusals that say its size."""

from typing import Any

import pytest
from builders import coded, raw
from surveys import TABLE, results, survey

from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study
from even_ballot.core.tables import sizes as room

DESIGNS: list[dict[str, Any]] = [
    {"strata": ["h"], "clusters": ["i"]}, {"strata": ["h"]}, {"strata": ["h"], "clusters": ["i"], "variance": {"method": "jackknife"}},
]  # fmt: skip


@pytest.mark.parametrize("design", DESIGNS)
@pytest.mark.parametrize("nets", [[], [{"label": "A1 or 3", "banner": "a", "codes": [1, 3]}]])
def test_a_table_in_blocks_of_columns_is_the_table(
    design: dict[str, Any], nets: list[dict[str, Any]], monkeypatch: pytest.MonkeyPatch
) -> None:
    table: dict[str, Any] = {
        **TABLE,
        "banner": ["b", ["a", "b"], "a"],
        "tests": [],
        "nets": nets,
        "total_row": True,
        "show": [*TABLE["show"], "sd"],
    }
    whole = results(survey(8), design, **table).tables[0].cells
    monkeypatch.setattr(room, "BLOCK", 200)
    parts = results(survey(8), design, **table).tables[0].cells
    assert len(whole) == len(parts) > 300
    for one, other in zip(*(sorted(cells, key=repr) for cells in (whole, parts)), strict=True):
        assert (one.stub, one.banner, one.stat, one.n, one.base_n, one.df) == (
            other.stub, other.banner, other.stat, other.n, other.base_n, other.df,
        )  # fmt: skip
        for field in ("est", "se", "low", "high", "deff"):
            a, b = getattr(one, field), getattr(other, field)
            assert a == b or a == pytest.approx(b, rel=1e-9, abs=1e-12), field


def wide(rows: int, columns: int, units: int, cases: int = 4000, **table: Any) -> Results:
    data = {
        "q": coded([k % rows + 1 for k in range(cases)]), "b": coded([k * 7 % columns + 1 for k in range(cases)]),
        "i": coded([k * 13 % units + 1 for k in range(cases)]),
    }  # fmt: skip
    return run(parse_study({
        "source": {"path": "answers.csv"}, "design": {"clusters": ["i"]},
        "codebook": {"variables": [{"name": name, "kind": "coded"} for name in ("q", "b")]},
        "tables": [{"id": "t", "stub": ["q"], "banner": ["b"], "show": ["n"], **table}],
    }), raw(data), {})  # fmt: skip


def test_a_table_of_more_figures_than_can_be_shown_is_refused_with_its_size() -> None:
    with pytest.raises(
        StudyError, match=r"4,000 rows × 301 columns × 1 figures = 1,204,000; at most 1,000,000"
    ):
        wide(4000, 300, 10)


def test_a_table_too_large_for_one_column_is_refused_with_its_size() -> None:
    with pytest.raises(StudyError, match=r"One column of q needs 25,000,000 sums"):
        wide(5000, 2, 5000, 10_000, show=["col_pct"])


def test_tests_that_need_all_columns_at_once_are_refused_with_their_size() -> None:
    with pytest.raises(StudyError, match=r"q by b is 8,160,000 sums, and tests need all at once"):
        wide(1000, 100, 80, tests=["columns"])
    with pytest.raises(StudyError, match=r"A test of q by b is over 10,000 cells; at most 5,000"):
        wide(100, 100, 10, tests=["independence"])


def test_a_wide_table_is_counted_in_blocks() -> None:
    found = wide(1500, 150, 100, show=["n"])
    assert sum(cell.est for cell in found.tables[0].cells if cell.banner) == 4000
