"""What can be chosen: figures of tables, functions of formulas, parts of entries. From the registries they
are added to."""

from dataclasses import dataclass

from even_ballot.core.data.formulas import FUNCTIONS
from even_ballot.core.ledger import STEPS
from even_ballot.core.ledger.fields import PartShown, StepShown, part_shown, step_shown
from even_ballot.core.tables.recipe import OURS, Recipe
from even_ballot.core.tables.statistics import every_statistic


@dataclass(frozen=True)
class StatisticChoice:
    """A figure that can be shown: its name in study files, and what it is called. of_answers: there is one
    for each answer; otherwise it is of the whole question."""

    name: str
    says: str
    of_answers: bool


@dataclass(frozen=True)
class FunctionChoice:
    """A function of formulas, and what it gives."""

    name: str
    says: str


@dataclass(frozen=True)
class Vocabulary:
    """All that can be chosen. inner: parts within parts of entries; recipes: those a study begins with."""

    statistics: tuple[StatisticChoice, ...]
    functions: tuple[FunctionChoice, ...]
    steps: tuple[StepShown, ...]
    inner: tuple[PartShown, ...]
    recipes: tuple[Recipe, ...]


_INNER = ("of", "keep", "at_least", "variable", "in")
"""Parts of what names cases or tells duplicates."""


def vocabulary() -> Vocabulary:
    """Everything that can be chosen."""
    return Vocabulary(
        tuple(
            StatisticChoice(name, s.short_of(name), s.category_cells is not None)
            for s in every_statistic()
            for name in s.choices
        ),
        tuple(FunctionChoice(f.name, f.says) for f in FUNCTIONS.values()),
        tuple(map(step_shown, STEPS)),
        tuple(map(part_shown, _INNER)),
        OURS,
    )
