"""Studies that ask for models and other analyses."""

from typing import Any

from builders import raw
from hypothesis import strategies as st
from surveys import SCALES, VARIABLES

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.study.pipeline import run
from even_ballot.core.study.study_file import parse_study

SEEDS = st.integers(0, 10**6)


def document(design: dict[str, Any], weighting: dict[str, Any] | None = None, **parts: Any) -> dict[str, Any]:
    weights = (
        {"weightings": [weighting], "design": design} if weighting else {"design": {"weight": "d", **design}}
    )
    return {"source": {"path": "answers.csv"}, "codebook": {"scales": SCALES, "variables": VARIABLES}, **weights, **parts}  # fmt: skip


def small(**columns: list[Any]) -> RawTable:
    return raw({"g": ["1", "2"] * (len(next(iter(columns.values()))) // 2), **columns})


BARE = {"source": {"path": "answers.csv"}, "codebook": {"scales": {"g": SCALES["a"]}, "variables": [
    {"name": "g", "kind": "coded", "scale": "g"}]}}  # fmt: skip


def only(data: RawTable, model: dict[str, Any]) -> Any:
    (found,) = run(
        parse_study({**BARE, "models": [{"id": "m", "kind": "logistic", **model}]}), data, {}
    ).models
    return found
