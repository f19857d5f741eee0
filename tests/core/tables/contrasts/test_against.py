"""Columns against the total and the rest, and several answers by a banner: against a second reading, against
the comparisons of columns, in parts; what is told of them where small cells are hidden, and on paper."""

from typing import Any

import numpy as np
import pytest
from designs import DESIGNS, column, sample_of
from hypothesis import given, settings
from hypothesis import strategies as st
from parting import differing, random_parts
from reading import several_independence
from reading_estimates import Figure, variance_of
from reading_models import two_sided
from scipy import stats
from surveys import A, margin, results, study, survey

from even_ballot.core.estimation.comparisons import ColumnComparison, PartComparison, adjusted_p_values
from even_ballot.core.estimation.independence import Independence, of_several_answers
from even_ballot.core.study.pipeline import run
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.tables.grid import lay_out

KINDS = ["against_total", "against_rest"]


def row_of(found: Any, stub: dict[str, Any]) -> tuple[Any, Any]:
    """What is summed above, and who answered, of one row."""
    if stub["variable"] == "many":
        m = np.stack([column(found, "m1"), column(found, "m2")], 1)
        return np.nan_to_num(m[:, stub["code"] - 1]), ~np.isnan(m).all(1)
    y = column(found, stub["variable"])
    known = ~np.isnan(y)
    return np.where(known, (y == stub["code"]) if "code" in stub else y, 0.0), known


def sides(found: Any, test: PartComparison) -> tuple[Any, Any]:
    """Who is in the column, and who in what it is held against."""
    codes = [column(found, name) for name in test.banner]
    answered = ~np.isnan(np.stack(codes)).any(0)
    outer = np.all([of == c for of, c in zip(codes[:-1], test.a[:-1], strict=True)], axis=0) & answered
    inner = codes[-1] == test.a[-1]
    everybody = np.ones(len(inner), bool)
    return outer & inner, everybody if test.kind == "against_total" else outer & answered & ~inner


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(DESIGNS), st.booleans(), st.sampled_from(["holm", "fdr"]))
def test_each_is_what_a_second_reading_finds(
    seed: int, design: dict[str, Any], calibrated: bool, adjust: str
) -> None:
    raked = calibrated and "variance" not in design
    weighting = {"margins": [margin("a", A)]} if raked else None
    asked = {**design, **({"calibrated": True} if raked else {})}
    found = results(
        survey(seed, psus=5, unknown=0.0 if raked else 0.1), asked, weighting, stub=["q", "y", "many"],
        banner=["a", ["a", "b"]], show=["col_pct", "mean"], tests=KINDS, adjust=adjust,
    )  # fmt: skip
    sample, (table,) = sample_of(found, design, raked), found.tables
    tests = [test for test in table.tests if isinstance(test, PartComparison)]
    assert {(t.kind, t.banner) for t in tests} == {(k, b) for k in KINDS for b in (("a",), ("a", "b"))}
    for test in tests:
        above, known = row_of(found, test.stub)
        own, other = (
            Figure(sample, above * (who & known), (who & known).astype(float), who & known)
            for who in sides(found, test)
        )
        assert test.diff == pytest.approx(own.est - other.est, rel=1e-8, abs=1e-11), test
        variance = variance_of([(1, own), (-1, other)])
        assert test.se == pytest.approx(np.sqrt(variance), rel=1e-6, abs=1e-10), test
        assert test.p == pytest.approx(two_sided(test.t, sample.df), rel=1e-6, abs=1e-12)
    rows = {(t.kind, t.banner, tuple(t.stub.items())) for t in tests}
    for kind, banner, stub in rows:
        mine = [t for t in tests if (t.kind, t.banner, tuple(t.stub.items())) == (kind, banner, stub)]
        fair = adjusted_p_values(np.array([t.p for t in mine]), adjust)  # type: ignore[arg-type]
        assert [t.p_adjusted for t in mine] == pytest.approx(fair.tolist(), rel=1e-12)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(DESIGNS))
def test_of_two_columns_the_rest_is_the_other(seed: int, design: dict[str, Any]) -> None:
    (table,) = results(
        survey(seed, psus=5), design, stub=["q", "y", "many"], banner=["b", ["a", "b"]],
        show=["col_pct", "mean"], tests=["columns", "against_rest"],
    ).tables  # fmt: skip
    pairs = {(str(t.stub), t.banner, t.a): t for t in table.tests if isinstance(t, ColumnComparison)}
    parts = {(str(t.stub), t.banner, t.a): t for t in table.tests if isinstance(t, PartComparison)}
    assert pairs
    for key, pair in pairs.items():
        mine = parts[key]
        assert mine.diff == pytest.approx(pair.diff, abs=1e-11)
        assert mine.se == pytest.approx(pair.se, rel=1e-7)


def test_where_all_are_in_one_column_there_is_no_test() -> None:
    data = survey(5, psus=5)
    (table,) = results(data, {}, None, where="a == 1", banner=["a"], tests=KINDS).tables
    assert not [t for t in table.tests if isinstance(t, PartComparison)]


def several(found: Any, sample: Any, banner: str, where: Any = True) -> dict[str, float] | None:
    """A several-answer question against a banner, as a second reading has it."""
    m, c = np.stack([column(found, "m1"), column(found, "m2")], 1), np.nan_to_num(column(found, banner))
    return several_independence(sample, m, c, sorted(set(c[c > 0].tolist())), where & np.ones(len(c), bool))


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(DESIGNS), st.booleans())
def test_several_answers_by_a_banner_are_what_a_second_reading_finds(
    seed: int, design: dict[str, Any], calibrated: bool
) -> None:
    raked = calibrated and "variance" not in design
    weighting = {"margins": [margin("a", A)]} if raked else None
    asked = {**design, **({"calibrated": True} if raked else {})}
    found = results(
        survey(seed, psus=5), asked, weighting, stub=["many"], banner=["a", "b"], tests=["independence"]
    )
    sample, (table,) = sample_of(found, design, raked), found.tables
    for banner in ("a", "b"):
        test = next(t for t in table.tests if isinstance(t, Independence) and t.banner == (banner,))
        want = several(found, sample, banner)
        assert want is not None
        assert {name: getattr(test, name) for name in want} == pytest.approx(want, rel=1e-6, abs=1e-10)
        assert test.p == pytest.approx(stats.f.sf(test.f, test.df1, test.df2), rel=1e-9)


def test_one_option_under_simple_random_sampling_is_pearsons() -> None:
    shares, columns, n = np.array([[0.5, 0.3, 0.6]]), np.array([0.5, 0.3, 0.2]), 200
    p = float((shares @ columns)[0])
    cells = np.stack([shares[0] * columns, (1 - shares[0]) * columns])
    expected = np.outer([p, 1 - p], columns)
    found = of_several_answers(shares, columns, np.eye(3) * 1e-3, n, 30)
    assert found is not None
    assert found[0] == pytest.approx(n * ((cells - expected) ** 2 / expected).sum(), rel=1e-12)


def test_an_option_that_everybody_chose_has_no_part_in_it() -> None:
    asked: dict[str, Any] = {"stub": ["many"], "banner": ["b"], "tests": ["independence"]}
    found = results(survey(4, psus=5), {}, None, where="m1 == 1", **asked)
    (test,) = (t for t in found.tables[0].tests if isinstance(t, Independence))
    want = several(found, sample_of(found, {}, False), "b", column(found, "m1") == 1)
    assert want is not None
    assert {name: getattr(test, name) for name in want} == pytest.approx(want, rel=1e-6)
    (table,) = results(survey(4, psus=5), {}, None, where="m1 == 1 and m2 == 1", **asked).tables
    assert not table.tests


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(DESIGNS))
def test_in_parts_they_are_the_same(seed: int, design: dict[str, Any]) -> None:
    data = survey(seed, psus=5)
    table = {
        "id": "t", "stub": ["q", "y", "many"], "banner": ["b", ["a", "b"]], "show": ["col_pct", "mean"],
        "tests": [*KINDS, "independence"],
    }  # fmt: skip
    asked = study(design, None, table)
    whole, parts = (run(asked, data, {}, *more).document() for more in ((), (random_parts(seed),)))
    assert list(differing(parts, whole, rel=1e-8)) == []


def test_arrows_beside_figures_say_which_way_and_at_which_level() -> None:
    request = TableRequest.model_validate({
        "id": "t", "stub": ["q", "y"], "banner": ["a"], "show": ["col_pct", "mean"], "tests": KINDS, "levels": [0.01, 0.2],
    })  # fmt: skip
    found = results(survey(3, psus=6, size=20), {}, None, **request.model_dump(mode="json", exclude={"id"}))
    (table,) = found.tables
    grid = lay_out(table, request)
    lines = [line for section in grid.sections for line in section.lines if line.letters]
    shown = {sign for line in lines for sign in line.letters or () if sign}
    tests = [t for t in table.tests if isinstance(t, PartComparison)]
    wanted = {
        text if t.p_adjusted < 0.01 else f"({text})"
        for t in tests if t.p_adjusted < 0.2
        for text in [("↑" if t.diff > 0 else "↓") + {"against_total": "t", "against_rest": "r"}[t.kind]]
    }  # fmt: skip
    assert wanted
    assert {sign for of in shown for sign in of.split(" ")} == wanted
    assert any(
        note.startswith("↑t ↓t: significantly larger or smaller than the total at the 1 %")
        for note in grid.notes
    )
    assert any("than the rest (the other categories of its variable)" in note for note in grid.notes)
    assert grid.letters is None
