"""Ways round the protection of small cells through models, scales of items and correlations, each tried by
somebody who knows what such a figure reproduces."""

from itertools import combinations, product
from typing import Any

import numpy as np
import pytest
from builders import coded, raw
from equations import Equations
from hypothesis import given, settings
from hypothesis import strategies as st

from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import parse_study

BELOW = 4
CODES = {"q": (1, 2, 3), "sex": (0, 1), "isle": (1, 2, 3), "rare": (0, 1)}
SHARES = {"q": (0.6, 0.3, 0.1), "sex": (0.5, 0.5), "isle": (0.55, 0.35, 0.1), "rare": (0.9, 0.1)}
TABLES: list[dict[str, Any]] = [
    {"stub": ["q"], "banner": ["isle"]},
    {"stub": ["rare"], "banner": ["sex"]},
    {"stub": ["q"], "banner": ["rare"]},
]
ANALYSES: dict[str, dict[str, list[dict[str, Any]]]] = {
    "a logistic model": {"models": [{"kind": "logistic", "outcome": "rare", "event": [1], "terms": [["isle"]], "predictions": ["isle"]}]},
    "a linear model of codes": {"models": [{"kind": "linear", "outcome": "q", "terms": [["isle"], ["sex"]]}]},
    "an interaction": {"models": [{"kind": "linear", "outcome": "q", "terms": [["isle", "sex"]]}]},
    "correlations": {"correlations": [{"variables": ["rare", "sex", "isle"]}]},
    "a scale of items": {"reliability": [{"items": ["rare", "sex", "isle"]}]},
    "several": {
        "models": [{"kind": "logistic", "outcome": "sex", "event": [1], "terms": [["rare"]]}],
        "correlations": [{"variables": ["rare", "isle"]}, {"variables": ["q", "isle"]}],
    },
}  # fmt: skip
Case = dict[str, int]


def answers(seed: int, n: int) -> list[Case]:
    rng = np.random.default_rng(seed)
    columns = {name: rng.choice(codes, n, p=SHARES[name]).tolist() for name, codes in CODES.items()}
    return [dict(zip(columns, case, strict=True)) for case in zip(*columns.values(), strict=True)]


def results(cases: list[Case], analyses: dict[str, Any], below: int | None) -> Results:
    scales = {n: {"codes": [{"code": c, "label": f"{n}{c}"} for c in codes]} for n, codes in CODES.items()}
    parts = {
        part: [{"id": f"{part}{k}", **of} for k, of in enumerate(asked)] for part, asked in analyses.items()
    }
    return run(parse_study({
        "source": {"path": "answers.csv"},
        "codebook": {"scales": scales, "variables": [{"name": n, "kind": "coded", "scale": n} for n in CODES]},
        "suppression": {"below": below}, "design": {"weight": None},
        "tables": [{"id": f"t{k}", "show": ["n", "col_pct"], **table} for k, table in enumerate(TABLES)],
        **parts,
    }), raw({n: coded([case[n] for case in cases]) for n in CODES}), {})  # fmt: skip


class Attacker(Equations):
    """What tables and analyses say of how many cases each atom holds."""

    def __init__(self, cases: list[Case], found: Results, analyses: dict[str, Any]) -> None:
        super().__init__()
        self.atoms = [dict(zip(CODES, of, strict=True)) for of in product(*CODES.values())]
        self.true = np.array([sum(case == atom for case in cases) for atom in self.atoms], np.float64)
        for result in found.tables:
            for cell in result.cells:
                path = {b.variable: b.code for b in cell.banner}
                if cell.stat == "n":
                    self.know(self.who({**path, cell.stub.variable: cell.stub.code}), cell.est)
                elif cell.base_n is not None:
                    self.know(self.who(path), cell.base_n)
        for asked, model in zip(analyses.get("models", []), found.models, strict=True):
            if model.coefficients or model.n:
                self.of_model(asked)
        for scale_asked, scale in zip(analyses.get("reliability", []), found.reliability, strict=True):
            if scale.n:
                self.of_items(scale_asked["items"])
        for pairs in found.correlations:
            for pair in pairs.pairs:
                if not pair.suppressed:
                    self.truth(self.score(pair.a) * self.score(pair.b))

    def truth(self, row: np.ndarray) -> None:
        self.know(row, float(row @ self.true))

    def who(self, states: dict[str, int | None]) -> np.ndarray:
        inside = [
            all(code is None or atom[name] == code for name, code in states.items()) for atom in self.atoms
        ]
        return np.array(inside, np.float64)

    def score(self, name: str) -> np.ndarray:
        return np.array([float(atom[name]) for atom in self.atoms])

    def outcome(self, asked: dict[str, Any]) -> np.ndarray:
        if asked["kind"] == "logistic":
            return np.array([float(atom[asked["outcome"]] in asked["event"]) for atom in self.atoms])
        return self.score(asked["outcome"])

    def of_model(self, asked: dict[str, Any]) -> None:
        """The normal equations of a model with an intercept."""
        y = self.outcome(asked)
        for term in ([], *asked["terms"]):
            for cell in product(*(CODES[name] for name in term)):
                inside = self.who(dict(zip(term, cell, strict=True)))
                self.truth(inside)
                self.truth(inside * y)

    def of_items(self, items: list[str]) -> None:
        for name in items:
            self.truth(self.score(name))
            self.truth(self.score(name) ** 2)
        for a, b in combinations(items, 2):
            self.truth(self.score(a) * self.score(b))


def groups(analyses: dict[str, Any]) -> list[dict[str, int | None]]:
    """The cells of the tables, and of the tables that analyses come to."""
    crossed = [(*t["stub"], *t["banner"]) for t in TABLES]
    for asked in analyses.get("models", []):
        crossed += [(asked["outcome"], *term) for term in asked["terms"]]
    for key, part in (("items", "reliability"), ("variables", "correlations")):
        crossed += [pair for asked in analyses.get(part, []) for pair in combinations(asked[key], 2)]
    return [
        dict(zip(names, cell, strict=True))
        for names in dict.fromkeys(crossed)
        for cell in product(*(CODES[name] for name in names))
    ]


@pytest.mark.parametrize("way", ANALYSES)
@settings(max_examples=5, deadline=None)
@given(seed=st.integers(0, 10**6), n=st.integers(30, 200))
def test_no_analysis_narrows_a_small_group(way: str, seed: int, n: int) -> None:
    cases, analyses = answers(seed, n), ANALYSES[way]
    attacker = Attacker(cases, results(cases, analyses, BELOW), analyses)
    for states in groups(analyses):
        cell = attacker.who(states)
        if 1 <= cell @ attacker.true < BELOW:
            low, high = attacker.between(cell)
            assert low <= 1e-6 and high >= BELOW - 1e-6, (states, low, high)


def told(found: Results) -> int:
    """How many analyses, or pairs, are told."""
    cases = [of.n for of in found.models] + [of.n for of in found.reliability]
    pairs = [pair for of in found.correlations for pair in of.pairs]
    return sum(n > 0 for n in cases) + sum(not pair.suppressed for pair in pairs)


@pytest.mark.parametrize("way", ANALYSES)
def test_told_as_they_are_each_would_give_small_groups_away(way: str) -> None:
    """That the attacker has teeth, and that not everything is withheld."""
    analyses, undone = ANALYSES[way], 0
    for seed in range(8):
        cases = answers(seed, 60)
        tables = results(cases, {}, BELOW).tables
        found = results(cases, analyses, None)
        attacker = Attacker(cases, Results(**{**vars(found), "tables": tables}), analyses)
        for states in groups(analyses):
            cell = attacker.who(states)
            if 1 <= cell @ attacker.true < BELOW:
                low, high = attacker.between(cell)
                undone += low > 1e-6 or high < BELOW - 1e-6
    assert undone > 0


@pytest.mark.parametrize("way", ANALYSES)
def test_where_no_group_is_small_all_analyses_are_told(way: str) -> None:
    cases = [dict(zip(CODES, of, strict=True)) for of in product(*CODES.values()) for _ in range(5)]
    rng = np.random.default_rng(3)
    cases += [cases[k] for k in rng.integers(0, len(cases), 40)]
    found = results(cases, ANALYSES[way], BELOW)
    assert found.control is not None and found.control.withheld == 0
    assert told(found) == told(results(cases, ANALYSES[way], None))


def test_few_who_did_not_answer_hold_an_analysis_back() -> None:
    cases = [dict(zip(CODES, of, strict=True)) for of in product(*CODES.values()) for _ in range(6)]
    asked = {"models": [{"kind": "linear", "outcome": "q", "terms": [["isle"]]}]}

    def with_blanks(count: int) -> Results:
        some = [{**case, "isle": None} if k < count else case for k, case in enumerate(cases)]
        return results(some, asked, BELOW)  # type: ignore[arg-type]

    (few,), (enough,) = with_blanks(2).models, with_blanks(10).models
    assert few.n == 0 and few.message is not None and few.message.startswith("Suppressed")
    assert not few.lost and not few.in_filter and not few.variables
    assert enough.n == len(cases) - 10
