"""A step of the ledger, what it reports, and the running of many."""

from abc import abstractmethod
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import ValidationError

from even_ballot.core.data.codebook import Code, Scale
from even_ballot.core.data.dataset import ANSWERED, BLANK, UNPLACED, Column, Dataset, RawTable
from even_ballot.core.data.travelling import News, narrowed
from even_ballot.core.elsewhere import Elsewhere, here
from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.model import Model, said_by
from even_ballot.core.numerics.parts import Merge

Reach = Literal["row", "keyed", "whole"]
Tables = Mapping[str, RawTable]
"""Lookup files by name."""


@dataclass(frozen=True)
class Outcome:
    """What a step made of a dataset."""

    data: Dataset
    cells_changed: int = 0
    unplaced: Mapping[str, Mapping[str, int]] = field(default_factory=dict)


@dataclass(frozen=True)
class Effect:
    """What a step did: cases before and after, cells changed, entries it could not place (variable → entry
    → cells)."""

    step: int
    do: str
    sentence: str
    why: str | None
    off: bool
    cases_before: int
    cases_after: int
    cells_changed: int
    unplaced: Mapping[str, Mapping[str, int]]


Apply = Callable[[Dataset, Tables], Outcome]


class Step(Model):
    """One entry of the ledger: a pure function from one dataset to the next.

    reach: what a step must see to do its work: `row`, each case by itself; `keyed`, the cases that share a
    key (duplicates, looked-up files); `whole`, all of them. OFFERED: parts that can be changed though an
    entry says nothing of them; SHOWN: parts that are called or written otherwise than in other entries.
    """

    OFFERED: ClassVar[tuple[str, ...]] = ()
    SHOWN: ClassVar[dict[str, tuple[str, Any]]] = {}
    do: str
    why: str | None = None
    off: bool = False

    @abstractmethod
    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        """The next dataset. Raises StudyError where the step cannot be taken."""

    def over(self, parts: Sequence[Dataset], merge: Merge) -> "Sequence[Apply]":
        """For every part what does to it what the step does to all; asked where it must see more than a
        case."""
        return [self.apply] * len(parts)

    @abstractmethod
    def sentence(self) -> str:
        """The entry as a sentence without its full stop."""

    @property
    def reach(self) -> Reach:
        """What it must see to do its work."""
        return "row"

    def makes(self) -> tuple[str, ...]:
        """Names of the variables this step makes."""
        return ()

    def sources(self) -> dict[str, tuple[str, ...]]:
        """Every variable whose values come from others, and which they are."""
        return self.made_of()

    def made_of(self) -> dict[str, tuple[str, ...]]:
        """What each variable it makes is made of, as far as old × new is worth seeing."""
        return {}

    def reads(self) -> tuple[str, ...]:
        """The variables whose entries it looks at one by one, as they are written; it needs no others."""
        return ()

    def files(self) -> tuple[str, ...]:
        """The lookup files that it takes from."""
        return ()


def changed_cells(before: Column, after: Column, text: bool = False) -> int:
    """How many cells two columns of one length and kind differ in; blank cells are alike whatever they
    hold.

    >>> from even_ballot.core.data.example import ferry
    >>> changed_cells(ferry().column("isle"), ferry().column("crosses"))
    6
    """
    same = before.values == after.values
    if before.words != after.words:
        # Unplaced entries and texts are places among the words: alike where the words are.
        place = {word: i for i, word in enumerate(after.words)}
        moved = np.array([place.get(word, -1) for word in before.words] or [-1])
        worded = np.isin(before.state, (ANSWERED, UNPLACED) if text else (UNPLACED,))
        at = np.clip(np.where(worded, before.values, 0).astype(np.int64), 0, len(moved) - 1)
        same = np.where(worded, moved[at] == after.values, same)
    both_blank = (before.state == BLANK) & (after.state == BLANK)
    return int((~both_blank & ((before.state != after.state) | ~same)).sum())


def new_name(data: Dataset, name: str) -> str:
    """A name for a variable to be made, refused where there is one already.

    >>> from even_ballot.core.data.example import ferry
    >>> new_name(ferry(), "older")
    'older'
    >>> new_name(ferry(), "age")  # doctest: +ELLIPSIS
    Traceback (most recent call last):
        ...
    even_ballot.core.faults.StudyError: There is a variable 'age' already. ...
    """
    if name in data.variables:
        raise fault(f"There is a variable {name!r} already.", "", "Choose another name for the new one.")
    if not name.isidentifier():
        raise fault(
            f"{name!r} cannot be used in a formula.",
            "",
            "Names are letters, digits and _, and begin with a letter.",
        )
    return name


def made_scale(
    codes: Sequence[Code], where: str, ordered: bool = False, missing: Sequence[Code] = ()
) -> Scale:
    """The answer scale that a step makes. Raises StudyError, placed at the part of the step that names its
    answers, where two share a code or a label.

    >>> two = [Code(code=1, label="Hask"), Code(code=1, label="Orran")]
    >>> made_scale(two, "groups")  # doctest: +ELLIPSIS
    Traceback (most recent call last):
        ...
    even_ballot.core.faults.StudyError: groups: Code 1 is used twice in the scale; ...
    """
    try:
        return Scale(codes=tuple(codes), ordered=ordered, missing=tuple(missing))
    except ValidationError as error:
        raise _invalid(error, where) from None


def _invalid(error: ValidationError, where: str = "") -> StudyError:
    """What a step made, where it is none of what a study can hold."""
    said = [said_by(item) for item in error.errors(include_input=False, include_url=False)]
    return StudyError(Fault(f"{text[:1].upper()}{text[1:]}.", where) for text in said)


def take_step(
    data: Dataset,
    step: Step,
    at: int,
    tables: Tables,
    where: str = "ledger",
    elsewhere: Elsewhere = here,
    apply: Apply | None = None,
) -> tuple[Dataset, Effect]:
    """The cases after one step, entry `at` (from 0) of a ledger, and its effect. Faults are placed at the
    entry; where: "": in the step alone; elsewhere: where entries are read one by one; apply: what the step
    does to these cases, where they are a part of those it looks at.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.ledger.cases import DropCases
    >>> after, effect = take_step(ferry(), DropCases(do="drop_cases", where="age < 20"), 0, {})
    >>> after.n, effect.sentence
    (7, 'Set aside the cases where age < 20')
    """
    place, names = f"{where}[{at}]" if where else "", step.reads()
    if step.off or apply is not None or not names:
        after, changed, unplaced = _taken(data, step, tables, place, apply)
    else:
        wanted = {name: tables[name] for name in step.files() if name in tables}
        news, changed, unplaced = elsewhere(step_news, narrowed(data, names), step, wanted, place)
        after = news.beside(data.rows, data.columns)
    return after, Effect(
        at + 1, step.do, step.sentence(), step.why, step.off, data.n, after.n, changed, unplaced
    )


def step_news(
    data: Dataset, step: Step, tables: Tables, place: str
) -> tuple[News, int, Mapping[str, Mapping[str, int]]]:
    """What is new after a step that reads entries; cells changed, entries it could not place.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.ledger.wording import Tidy
    >>> news, cells, _ = step_news(ferry(), Tidy(do="tidy", variables=("said",), case="upper"), {}, "")
    >>> list(news.columns), cells
    (['said'], 7)
    """
    after, changed, unplaced = _taken(data, step, tables, place)
    return News.of(after, data.columns), changed, unplaced


def _taken(
    data: Dataset, step: Step, tables: Tables, place: str, apply: Apply | None = None
) -> tuple[Dataset, int, Mapping[str, Mapping[str, int]]]:
    if step.off:
        return data, 0, {}
    with placed(place):
        outcome = (apply or step.apply)(data, tables)
    return outcome.data, outcome.cells_changed, outcome.unplaced


@contextmanager
def placed(place: str) -> Iterator[None]:
    """Faults of what is done within are those of an entry of the ledger.

    >>> with placed("ledger[2]"):
    ...     raise fault("There is no scale.", "scale")
    Traceback (most recent call last):
        ...
    even_ballot.core.faults.StudyError: ledger[2].scale: There is no scale.
    """
    try:
        try:
            yield
        except ValidationError as error:
            raise _invalid(error) from None
    except StudyError as error:
        raise StudyError(
            replace(f, where=".".join(filter(None, (place, f.where)))) for f in error.faults
        ) from None


def run_ledger(
    data: Dataset,
    steps: Sequence[Step],
    tables: Tables,
    where: str = "ledger",
    elsewhere: Elsewhere = here,
) -> Iterator[tuple[Dataset, Effect]]:
    """Each state after a step, with the step's effect.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.ledger.cases import DropCases
    >>> steps = [DropCases(do="drop_cases", where=text) for text in ("age < 20", "age > 50")]
    >>> [effect.cases_after for _, effect in run_ledger(ferry(), steps, {})]
    [7, 5]
    """
    for at, step in enumerate(steps):
        data, effect = take_step(data, step, at, tables, where, elsewhere)
        yield data, effect
