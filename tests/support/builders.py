"""Datasets and studies for tests, built in a line."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from even_ballot.core.data.codebook import Code, Codebook, Scale, Variable
from even_ballot.core.data.dataset import Dataset, RawTable, text_column
from even_ballot.core.data.interpretation import interpret
from even_ballot.core.study.study_file import Study, parse_study


def raw(columns: Mapping[str, Sequence[Any]]) -> RawTable:
    """A file's columns; None and "" are blank."""
    texts = [text_column([None if v is None else str(v) for v in values]) for values in columns.values()]
    n = len(next(iter(columns.values())))
    return RawTable(tuple(columns), tuple(columns), tuple(texts), np.arange(1, n + 1))


def scale(*codes: int, ordered: bool = False, missing: Sequence[int] = ()) -> Scale:
    """A scale with labels A1, A2, … and missing codes M99."""
    return Scale(
        codes=tuple(Code(code=c, label=f"A{c}") for c in codes),
        ordered=ordered,
        missing=tuple(Code(code=c, label=f"M{c}") for c in missing),
    )


def dataset(columns: Mapping[str, Any], **scales: Scale) -> Dataset:
    """A dataset; a column with a scale of its name is coded by it, the others are guessed."""
    variables = tuple(Variable(name=name, kind="coded", scale=name) for name in columns if name in scales)
    return interpret(raw(columns), Codebook(scales=scales, variables=variables))


def study(**parts: Any) -> Study:
    """A study of some parts."""
    return parse_study({"source": {"path": "answers.csv"}} | parts)


def values(data: Dataset, name: str) -> list[Any]:
    """A column's answers, None where there is none; texts as words."""
    column = data.column(name)
    kind = data.variable(name).kind
    cells = zip(column.values.tolist(), column.state.tolist(), strict=True)
    return [None if state else column.words[v] if kind == "text" else v for v, state in cells]


def coded(codes: Sequence[int | None]) -> list[str]:
    """Codes as a file holds them."""
    return ["" if code is None else str(code) for code in codes]
