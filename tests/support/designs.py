"""Designs of random surveys, and their samples as the second reading has them."""

from typing import Any

import numpy as np
from reading_estimates import Sample
from surveys import A

from even_ballot.core.study.results import Results

CLUSTERED = {"strata": ["h"], "clusters": ["i"]}
DESIGNS: list[dict[str, Any]] = [
    {},
    {"strata": ["h"]},
    CLUSTERED,
    {**CLUSTERED, "population_size": "N"},
    {**CLUSTERED, "variance": {"method": "jackknife"}},
]


def column(found: Results, name: str) -> np.ndarray:
    of = found.data.column(name)
    return np.where(of.answered, of.values.astype(float), np.nan)


def sample_of(found: Results, design: dict[str, Any], raked: bool) -> Sample:
    w = column(found, "weight" if raked else "d")
    h = column(found, "h") if "strata" in design else np.ones(len(w))
    i = column(found, "i") if "clusters" in design else np.arange(len(w))
    sample = Sample(w, h, i, population=column(found, "N") if "population_size" in design else None)
    if "variance" in design:
        pairs = sorted({(a, b) for a, b in zip(h, i, strict=True)})
        size = {a: sum(x == a for x, _ in pairs) for a, _ in pairs}
        made = [np.where(h == a, np.where(i == b, 0.0, size[a] / (size[a] - 1)), 1.0) for a, b in pairs]
        sample.replicates = w[:, None] * np.array(made).T
        sample.c = np.array([(size[a] - 1) / size[a] for a, _ in pairs])
    elif raked:
        a = column(found, "a")
        sample.x, sample.free = np.stack([np.ones(len(w)), *(a == c for c in A)], 1).astype(float), w
    return sample
