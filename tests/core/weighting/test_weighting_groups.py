"""Raking inside groups, unknowns held, counts and per cent, weightings that build on each other."""

from typing import Any

import numpy as np
import pytest
from builders import coded, dataset, raw, scale, study
from hypothesis import given, settings
from hypothesis import strategies as st

from even_ballot.core.faults import StudyError
from even_ballot.core.study.pipeline import run
from even_ballot.core.weighting.raking import rake
from even_ballot.core.weighting.report import report


def sample(seed: int, unknown: float = 0.0) -> Any:
    rng = np.random.default_rng(seed)
    n = 80
    a = [
        None if hole < unknown else int(x)
        for x, hole in zip(rng.integers(1, 4, n), rng.random(n), strict=True)
    ]
    columns = {
        "a": coded(a),
        "g": coded((np.arange(n) % 2 + 1).tolist()),
        "d": [f"{x:.3f}" for x in rng.gamma(4, 0.3, n) + 0.1],
    }
    return dataset(columns, a=scale(1, 2, 3), g=scale(1, 2))


def weighting(**parts: Any) -> Any:
    return study(weightings=[{"base": "d", "tolerance": 1e-12, **parts}]).weightings[0]


def targets(values: dict[int, float], **more: int) -> list[dict[str, Any]]:
    return [{"at": {"a": code, **more}, "value": value} for code, value in values.items()]


@settings(max_examples=20)
@given(st.integers(0, 10**6))
def test_raking_within_groups_is_raking_each_alone(seed: int) -> None:
    data = sample(seed)
    shares = ({1: 0.5, 2: 0.3, 3: 0.2}, {1: 0.2, 2: 0.2, 3: 0.6})
    both = weighting(
        margins=[{"by": ["a"], "targets": targets(shares[0], g=1) + targets(shares[1], g=2)}], within=["g"]
    )
    together = rake(data, both).weights
    base = data.column("d").values
    for code, wanted in ((1, shares[0]), (2, shares[1])):
        group = data.column("g").values == code
        alone = rake(
            data.where(group), weighting(margins=[{"by": ["a"], "targets": targets(wanted)}])
        ).weights
        share = base[group].sum() / base.sum()
        np.testing.assert_allclose(together[group], alone / alone.sum() * share * data.n, rtol=1e-8)


def test_the_report_within_groups_is_in_shares_of_each_group() -> None:
    data = sample(5)
    request = weighting(margins=[{"by": ["a"], "targets": targets({1: 0.5, 2: 0.3, 3: 0.2})}], within=["g"])
    (margin,) = report(data, rake(data, request), request).margins
    for group in (1, 2):
        rows = [row for row in margin.rows if row.at["g"] == group]
        assert [row.target for row in rows] == pytest.approx([0.5, 0.3, 0.2])
        assert sum(row.before for row in rows) == pytest.approx(1)
        assert [row.after for row in rows] == pytest.approx([0.5, 0.3, 0.2])


@settings(max_examples=20)
@given(st.integers(0, 10**6))
def test_an_unknown_that_is_held_keeps_its_share_of_base_weight(seed: int) -> None:
    data = sample(seed, unknown=0.2)
    lost = ~data.column("a").answered
    request = weighting(
        margins=[{"by": ["a"], "unknown": "hold", "targets": targets({1: 0.5, 2: 0.3, 3: 0.2})}]
    )
    weights, base = rake(data, request).weights, data.column("d").values
    held = base[lost].sum() / base.sum()
    assert weights[lost].sum() / data.n == pytest.approx(held)
    for code, share in {1: 0.5, 2: 0.3, 3: 0.2}.items():
        inside = (data.column("a").values == code) & ~lost
        assert weights[inside].sum() / data.n == pytest.approx(share * (1 - held))
    (margin,) = report(data, rake(data, request), request).margins
    assert [row.label for row in margin.rows if row.at["a"] is None] == (["unknown"] if lost.any() else [])


def test_counts_and_per_cent_say_the_same_as_shares() -> None:
    data = sample(3)
    shares = rake(
        data, weighting(margins=[{"by": ["a"], "targets": targets({1: 0.5, 2: 0.3, 3: 0.2})}])
    ).weights
    percent = rake(
        data, weighting(margins=[{"by": ["a"], "as": "percent", "targets": targets({1: 50, 2: 30, 3: 20})}])
    ).weights
    counts = weighting(
        margins=[{"by": ["a"], "as": "counts", "targets": targets({1: 500, 2: 300, 3: 200})}],
        scale_to="population",
    )
    np.testing.assert_allclose(percent, shares, rtol=1e-12)
    np.testing.assert_allclose(rake(data, counts).weights, shares / data.n * 1000, rtol=1e-12)


def test_shares_that_are_a_little_off_are_scaled_to_the_whole() -> None:
    data = sample(3)
    off = weighting(margins=[{"by": ["a"], "targets": targets({1: 0.5003, 2: 0.3, 3: 0.2})}])
    assert rake(data, off).weights.sum() == pytest.approx(data.n)


def test_a_crossed_margin_is_post_stratification() -> None:
    data = sample(4)
    cells: list[dict[str, Any]] = [
        {"at": {"a": a, "g": g}, "value": v}
        for (a, g), v in zip(
            [(a, g) for a in (1, 2, 3) for g in (1, 2)], (10, 20, 15, 25, 20, 10), strict=True
        )
    ]
    raked = rake(data, weighting(margins=[{"by": ["a", "g"], "as": "percent", "targets": cells}]))
    assert raked.cycles == 1
    for cell in cells:
        inside = (data.column("a").values == cell["at"]["a"]) & (data.column("g").values == cell["at"]["g"])
        assert raked.weights[inside].sum() / data.n == pytest.approx(cell["value"] / 100)


def test_a_stratum_population_makes_the_base_weight() -> None:
    data = dataset({"s": ["1", "1", "2"], "N": ["10", "10", "7"]})
    request = study(
        weightings=[{"base": {"stratum_population": "N", "by": ["s"]}, "scale_to": 17}]
    ).weightings[0]
    assert rake(data, request).weights.tolist() == [5, 5, 7]


def _two(second: dict[str, Any]) -> Any:
    codes = ["1", "2", "1", "2", "2"]
    variables = [{"name": "a", "kind": "coded", "scale": "a"}]
    scales = {"a": {"codes": [{"code": 1, "label": "x"}, {"code": 2, "label": "y"}]}}
    first = {
        "margins": [
            {"by": ["a"], "targets": [{"at": {"a": 1}, "value": 0.5}, {"at": {"a": 2}, "value": 0.5}]}
        ],
        "save_as": "w1",
    }
    made = study(
        codebook={"scales": scales, "variables": variables},
        weightings=[first, second],
        tables=[{"id": "t", "stub": ["a"]}],
    )
    return run(made, raw({"a": codes}), {})


def test_a_later_weighting_starts_from_an_earlier_ones_weight_and_is_the_tables() -> None:
    results = _two({"base": "w1", "scale_to": 1000, "save_as": "w2"})
    assert results.weight == "w2"
    assert results.data.column("w2").values.sum() == pytest.approx(1000)
    shares = [c.est for c in results.tables[0].cells if c.stat == "col_pct"]
    assert shares == pytest.approx([0.5, 0.5])


def test_a_weight_never_takes_a_variables_name() -> None:
    with pytest.raises(StudyError, match="a variable 'a' already") as error:
        _two({"base": "w1", "save_as": "a"})
    assert error.value.faults[0].where == "weightings[1].save_as"
