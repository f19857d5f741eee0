"""Random surveys for property tests: answers, strata, PSUs, base weights, and studies on them."""

from typing import Any

import numpy as np
from builders import coded, raw

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import Study, parse_study
from even_ballot.core.tables.results import TableResult

SCALES = {name: {"codes": [{"code": c, "label": f"{name}{c}"} for c in codes]} for name, codes in
          {"a": (1, 2, 3), "b": (1, 2), "q": (1, 2, 3)}.items()}  # fmt: skip
VARIABLES = [{"name": name, "kind": "coded", "scale": name} for name in SCALES] + [
    {"name": "many", "kind": "multi", "parts": ["m1", "m2"]}
]
A, B = {1: 0.5, 2: 0.3, 3: 0.2}, {1: 0.45, 2: 0.55}


def margin(name: str, targets: dict[int, float], **more: Any) -> dict[str, Any]:
    """A margin of one variable, in shares."""
    return {
        "by": [name],
        "targets": [{"at": {name: code}, "value": value} for code, value in targets.items()],
        **more,
    }


def survey(seed: int, strata: int = 3, psus: int = 4, size: int = 6, unknown: float = 0.0) -> RawTable:
    """strata × psus PSUs of about `size` cases; every category is there; some answers to q and y are
    missing."""
    rng = np.random.default_rng(seed)
    n = strata * psus * size
    h = np.repeat(np.arange(1, strata + 1), psus * size)
    i = np.tile(np.repeat(np.arange(1, psus + 1), size), strata)
    effect = rng.normal(0, 0.4, (strata, psus))[h - 1, i - 1]
    a = (np.arange(n) % 3) + 1
    b = rng.integers(1, 3, n)
    q = np.clip(np.round(2 + effect + rng.normal(0, 0.8, n) + 0.3 * (a - 2)), 1, 3).astype(int)
    blank = rng.random((3, n)) < 0.1
    held = rng.random(n) < unknown
    chosen = (rng.random((2, n)) < 0.5).astype(int)
    return raw({
        "id": list(range(1, n + 1)), "h": h.tolist(), "i": i.tolist(), "N": (10 * h).tolist(),
        "a": coded([None if x else int(c) for c, x in zip(a, held, strict=True)]), "b": coded(b.tolist()),
        "q": coded([None if x else int(c) for c, x in zip(q, blank[0], strict=True)]),
        "y": ["" if x else f"{v:.3f}" for v, x in zip(20 + 5 * effect + rng.normal(0, 3, n), blank[1], strict=True)],
        "d": [f"{x:.4f}" for x in rng.gamma(6, 0.2, n) + 0.2],
        "m1": ["" if x else str(c) for c, x in zip(chosen[0], blank[2], strict=True)],
        "m2": ["" if x else str(c) for c, x in zip(chosen[1], blank[2], strict=True)],
    })  # fmt: skip


TABLE = {
    "id": "t", "stub": ["q", "y", "many"], "banner": ["b"],
    "show": ["n", "count", "col_pct", "row_pct", "total_pct", "response_pct", "mean", "median"], "tests": ["independence", "columns"],
}  # fmt: skip


def study(
    design: dict[str, Any], weighting: dict[str, Any] | None = None, table: dict[str, Any] | None = None
) -> Study:
    """A study of a random survey."""
    weightings = [] if weighting is None else [{"base": "d", "tolerance": 1e-13, **weighting}]
    default = {"weight": "d"} if weighting is None else {}
    return parse_study({
        "source": {"path": "answers.csv"}, "codebook": {"scales": SCALES, "variables": VARIABLES},
        "weightings": weightings, "design": {**default, **design}, "tables": [table or TABLE],
    })  # fmt: skip


def results(
    data: RawTable, design: dict[str, Any], weighting: dict[str, Any] | None = None, **table: Any
) -> Any:
    """A run of such a study: `Results`, of which tests take for granted what they ask for."""
    return run(study(design, weighting, {**TABLE, **table}), data, {})


Figures = dict[tuple[Any, ...], float | None]


def figures(table: TableResult, field: str) -> Figures:
    """One field of every cell, by stub, banner and statistic."""
    return {
        (c.stub.variable, c.stub.code, tuple((b.variable, b.code) for b in c.banner), c.stat): getattr(c, field)
        for c in table.cells
    }  # fmt: skip
