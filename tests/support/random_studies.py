"""Random small studies, with much in them that is constant, lone, empty or fixed by the design."""

import random
from typing import Any

from builders import coded

SHOW = ["n", "count", "col_pct", "row_pct", "total_pct", "response_pct", "mean", "sd", "skewness", "kurtosis"]
CODES = {"q": (1, 2, 3), "b": (1, 2), "a": (1, 2, 3), "h": (1, 2, 3)}
SCALES = {
    name: {"codes": [{"code": c, "label": f"{name}{c}"} for c in codes]} for name, codes in CODES.items()
}
REPEATED = ("jackknife", "bootstrap", "balanced")


def answers(rng: random.Random) -> dict[str, list[Any]]:
    """Cases with much that is constant, lone, empty or fixed by the design."""
    n = rng.choice([4, 8, 12, 20, 40, 60])
    strata = rng.choice([1, 2, 3])
    h = sorted(rng.randint(1, strata) for _ in range(n))
    b = h if rng.random() < 0.15 else [rng.randint(1, 2) for _ in range(n)]
    b = [min(x, 2) for x in b]
    a = [rng.randint(1, 3) for _ in range(n)]
    unknown = rng.choice([0, 0, 0.15])
    number = {
        "constant": lambda k: 1.9,
        "by column": lambda k: [1.9, 2.1][b[k] - 1],
        "by margin": lambda k: 10.0 * a[k] - 7 * b[k],
        "large": lambda k: 1e8 + rng.choice([-0.5, 0.5, 0.5]),
        "random": lambda k: round(rng.gauss(3, 20), 2),
        "few": lambda k: rng.randint(1, 4),
    }[rng.choice(["constant", "by column", "by margin", "large", "random", "random", "few"])]
    weight = {
        "one": lambda: 1.0, "alike": lambda: 0.3, "two": lambda: rng.choice([0.3, 0.1]),
        "random": lambda: round(rng.gammavariate(4, 0.3) + 0.05, 4), "none": lambda: rng.choice([0.0, 0.7, 1.3]),
    }[rng.choice(["one", "alike", "two", "random", "random", "none"])]  # fmt: skip
    blank = lambda value: "" if rng.random() < 0.08 else value  # noqa: E731
    return {
        "id": list(range(1, n + 1)), "h": h, "i": [rng.randint(1, 3) for _ in range(n)],
        "j": [rng.randint(1, 2) for _ in range(n)], "N": [40 * x for x in h],
        "a": coded([None if rng.random() < unknown else x for x in a]), "b": b,
        "q": [blank(rng.choice([x, rng.randint(1, 3)])) for x in a], "y": [blank(repr(number(k))) for k in range(n)],
        "m1": [blank(rng.randint(0, 1)) for _ in range(n)], "m2": [blank(rng.randint(0, 1)) for _ in range(n)],
        "d": [repr(weight()) for _ in range(n)], "f": [rng.choice([1, 1, 2]) for _ in range(n)],
        **{f"r{k}": [repr(round(rng.uniform(0.2, 2), 3)) for _ in range(n)] for k in range(4)},
    }  # fmt: skip


def shares(rng: random.Random, name: str, values: list[Any]) -> dict[str, Any]:
    there = sorted({int(v) for v in values if v != ""})
    parts = [rng.uniform(0.5, 2) for _ in there]
    targets = [
        {"at": {name: code}, "value": part / sum(parts)} for code, part in zip(there, parts, strict=True)
    ]
    return {"by": [name], "targets": targets, **({"unknown": "hold"} if "" in values else {})}


def study(rng: random.Random, columns: dict[str, list[Any]]) -> dict[str, Any]:
    weighting = None
    if rng.random() < 0.6:
        margins = [shares(rng, "a", columns["a"])]
        within = rng.random() < 0.3
        if not within and rng.random() < 0.7:
            margins.append(shares(rng, "b", columns["b"]))
        limits = {"low": 0.5, "high": 1.9} if rng.random() < 0.25 and not within else None
        weighting = {
            "base": "d",
            "margins": margins,
            "within": ["b"] if within else [],
            "limits": limits,
            "tolerance": 1e-13,
        }
    methods: list[dict[str, Any]] = [
        *({"method": "linearised"},) * 3,
        {"method": "jackknife"},
        {"method": "columns"},
        {"method": "bootstrap", "count": 12, "seed": 7},
        {"method": "balanced", "fay": rng.choice([0, 0.3])},
    ]
    method = rng.choice(methods)
    calibrated = weighting is not None and method["method"] != "columns" and rng.random() < 0.6
    if method["method"] == "columns":
        method = {"method": "columns", "columns": ["r0", "r1", "r2", "r3"], "scale": 0.25}
    design = {
        "strata": rng.choice([[], ["h"]]), "variance": method, "calibrated": calibrated,
        "clusters": ["j"] if method["method"] == "balanced" else rng.choice([[], ["i"], ["i"]]),
        "single_psu": "add_nothing" if method["method"] in REPEATED else rng.choice(["add_nothing", "mean_of_units", "mean_of_strata"]),
        **({"population_size": "N"} if rng.random() < 0.3 else {}), **({} if weighting else {"weight": "d"}),
    }  # fmt: skip
    interval = {
        "method": rng.choice(["logit", "wald", "wilson", "beta"]), "level": rng.choice([0.9, 0.95]),
        "sides": rng.choice(["both", "both", "lower", "upper"]),
    }  # fmt: skip
    table = {
        "id": "t", "stub": ["q", "y", "many"], "banner": [rng.choice(["b", "b", "h"])], "show": SHOW, "interval": interval,
        "tests": ["independence", "columns", "wald", "trend"], "adjust": rng.choice(["none", "bonferroni", "holm", "fdr"]),
        **({"where": "f == 1"} if rng.random() < 0.3 else {}),
    }  # fmt: skip
    variables: list[dict[str, Any]] = [{"name": name, "kind": "coded", "scale": name} for name in SCALES]
    variables += [{"name": "many", "kind": "multi", "parts": ["m1", "m2"]}]
    # A column that holds nothing is of no kind unless it is said.
    variables += [{"name": name, "kind": "number"} for name in ("y", "m1", "m2")]
    return {
        "source": {"path": "answers.csv"}, "codebook": {"scales": SCALES, "variables": variables},
        "weightings": [weighting] if weighting else [], "design": design, "tables": [table],
    }  # fmt: skip
