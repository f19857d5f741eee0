"""Releases of a study of a few cases, and words that try what files can hold."""

from typing import Any

import numpy as np
from builders import coded, raw

from even_ballot.core.release.plan import ReleasePlan
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study, parse_study

NASTY = [
    "=1+1",
    "+2",
    "-3",
    "@x",
    "]]>",
    "<b>&amp;",
    "a\x00b\x0bc",
    "“q” 'x' \"y\"",
    "  ",
    "x" * 3000,
    "אבג",
    "𝄞",
]


def plan(**said: Any) -> ReleasePlan:
    return ReleasePlan.model_validate(said)


def small(
    label: str = "Yes", title: str = "Answers", columns: int = 2, level: float = 0.95, **release: Any
) -> tuple[Study, Results]:
    """A study of a few cases, with a banner of so many columns."""
    n = 4 * columns
    scale = {"codes": [{"code": 1, "label": label}, {"code": 2, "label": "No"}]}
    wide = {"codes": [{"code": c, "label": f"Column {c}"} for c in range(1, columns + 1)]}
    study = parse_study({
        "title": title, "source": {"path": "a.csv"},
        "codebook": {"scales": {"q": scale, "b": wide}, "variables": [
            {"name": "q", "kind": "coded", "scale": "q", "label": label}, {"name": "b", "kind": "coded", "scale": "b"}]},
        "tables": [{"id": "t", "title": title, "stub": ["q"], "banner": ["b"], "show": ["col_pct"], "interval": {"level": level}}],
        "release": release,
    })  # fmt: skip
    data = {
        "q": coded(((np.arange(n) % 3 == 0) + 1).tolist()),
        "b": coded((np.arange(n) % columns + 1).tolist()),
    }
    return study, run(study, raw({name: [str(v) for v in column] for name, column in data.items()}), {})
