"""Eight passengers of the Veldry Isles ferries, for the examples in docstrings."""

import numpy as np

from even_ballot.core.data.codebook import Code, Codebook, Scale, Variable
from even_ballot.core.data.dataset import Dataset, RawTable, text_column
from even_ballot.core.data.interpretation import interpret

_ANSWERS = {
    "isle": ["Hask", "Hask", "Hask", "Orran", "Orran", "Orran", "Orran", "Orran"],
    "boat": ["1", "1", "2", "3", "3", "4", "4", "4"],
    "crosses": ["1", "2", "3", "3", "2", "3", "9", ""],
    "age": ["31", "45", "28", "60", "45", "19", "52", ""],
    "to_work": ["1", "0", "1", "1", "0", "0", "1", ""],
    "to_shop": ["1", "1", "0", "0", "1", "0", "0", ""],
    "day": [
        "2026-05-02",
        "2026-05-09",
        "2026-06-01",
        "2026-06-02",
        "2026-06-02",
        "2026-06-20",
        "2026-06-21",
        "",
    ],
    "said": ["late", "dear", "late", "", "full", "dear", "late", "late"],
    "w": ["1", "1", "2", "1", "1.5", "1", "0.5", "1"],
}
_ISLES = Scale(codes=(Code(code=1, label="Hask"), Code(code=2, label="Orran")))
_HOW_OFTEN = Scale(
    codes=tuple(Code(code=c, label=label) for c, label in ((1, "Never"), (2, "At times"), (3, "Weekly"))),
    ordered=True,
    missing=(Code(code=9, label="No answer"),),
)
CODEBOOK = Codebook(
    scales={"isles": _ISLES, "how_often": _HOW_OFTEN},
    variables=(
        Variable(name="isle", kind="coded", scale="isles", label="Isle of landing"),
        Variable(name="crosses", kind="coded", scale="how_often", label="How often do you cross?"),
        Variable(name="age", kind="number", least=16, most=99),
        Variable(name="why", kind="multi", label="Why do you cross?", parts=("to_work", "to_shop")),
        Variable(name="day", kind="date"),
        Variable(name="said", kind="text"),
        Variable(name="w", kind="number", role="weight"),
    ),
)


def ferry_answers() -> RawTable:
    """The answers as they came.

    >>> ferry_answers().columns[0].words
    ('Hask', 'Orran')
    """
    columns = tuple(text_column([entry or None for entry in entries]) for entries in _ANSWERS.values())
    return RawTable(tuple(_ANSWERS), tuple(_ANSWERS), columns, np.arange(1, 9))


def ferry() -> Dataset:
    """The answers as the codebook reads them.

    >>> ferry().n, ferry().column("age").values[:3].tolist()
    (8, [31.0, 45.0, 28.0])
    """
    return interpret(ferry_answers(), CODEBOOK)
