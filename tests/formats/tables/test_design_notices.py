"""What is said of a design whose standard errors may mislead."""

from typing import Any

import pytest
from builders import coded, raw

from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study
from even_ballot.formats.analyses.in_words import analysis_in_words
from even_ballot.formats.tables.designs import design_notices


def results(units: int, population: int, clusters: bool = True) -> Results:
    """Two strata of so many units each, of so many in the population; three cases a unit."""
    n = 2 * units * 3
    columns: dict[str, list[Any]] = {
        "h": coded([1 + k // (3 * units) for k in range(n)]), "i": coded([k // 3 for k in range(n)]),
        "N": [population] * n, "x": [k % 5 for k in range(n)], "y": [(k * k) % 7 for k in range(n)],
    }  # fmt: skip
    design = {"strata": ["h"], "population_size": "N", **({"clusters": ["i"]} if clusters else {})}
    return run(parse_study({
        "source": {"path": "a.csv"}, "design": design,
        "codebook": {"variables": [{"name": name, "kind": "number"} for name in ("x", "y", "N")]},
        "models": [{"id": "m", "kind": "linear", "outcome": "y", "terms": [["x"]]}],
    }), raw(columns), {})  # fmt: skip


@pytest.mark.parametrize(("population", "said"), [(400, False), (50, True)])
def test_a_large_share_of_units_without_the_second_stage_is_warned_of(population: int, said: bool) -> None:
    notices = [notice.what for notice in design_notices(results(10, population).units, 0)]
    assert any("variance within units" in what for what in notices) == said
    alone = [notice.what for notice in design_notices(results(10, population, False).units, 0)]
    assert not any("variance within units" in what for what in alone)


@pytest.mark.parametrize(("units", "said"), [(10, True), (11, False)])
def test_models_on_few_degrees_of_freedom_say_that_errors_may_be_too_small(units: int, said: bool) -> None:
    (model,) = results(units, 10_000).models
    assert model.df == 2 * units - 2
    assert any("may be too small" in sentence for sentence in analysis_in_words(model)) == said
