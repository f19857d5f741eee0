"""Steps that work on entries as they were written: tidying and coding."""

from collections.abc import Callable, Iterable
from typing import Literal

import numpy as np

from even_ballot.core.data.codebook import CodeNumber, Scale, Variable, in_words
from even_ballot.core.data.dataset import ANSWERED, BLANK, MISSING, UNPLACED, Column, Dataset
from even_ballot.core.data.interpretation import code_of, with_missing_codes
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.step import Outcome, Step, Tables, changed_cells
from even_ballot.core.numerics.grouping import numbered
from even_ballot.core.written.texts import tidied


def renamed_words(column: Column, change: Callable[[str], str]) -> Column:
    """The column with every word changed; words that become one share an index, empty ones become blank.

    >>> from even_ballot.core.data.dataset import text_column
    >>> renamed_words(text_column(["late", "Late", "dear"]), str.lower).words
    ('late', 'dear')
    """
    index: dict[str, int] = {}
    to = [index.setdefault(new, len(index)) if (new := change(word)) else -1 for word in column.words]
    if not to:
        return column
    at = np.where(np.isin(column.state, (ANSWERED, UNPLACED)), column.values, 0).astype(np.int64)
    moved = np.array(to)[np.clip(at, 0, len(to) - 1)]
    return Column(
        np.where(moved < 0, 0, moved).astype(np.int32),
        np.where(moved < 0, BLANK, column.state).astype(np.uint8),
        tuple(index),
    )


class Tidy(Step):
    """White space (no-break too), invisible characters and letter case of text."""

    OFFERED = (
        "case",
        "trim",
        "squeeze",
    )
    do: Literal["tidy"]
    variables: tuple[str, ...]
    trim: bool = True
    squeeze: bool = True
    case: Literal["lower", "upper", "sentence"] | None = None

    def sentence(self) -> str:
        case = f", in {self.case} case" if self.case else ""
        return f"Clean up the text of {some(self.variables)}{case}"

    def reads(self) -> tuple[str, ...]:
        return self.variables

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        changed = 0
        for name in self.variables:
            column, variable = data.column(name, "variables"), data.variable(name)
            if variable.kind == "text":
                new = renamed_words(column, lambda word: tidied(word, self.trim, self.squeeze, self.case))
                changed += changed_cells(column, new, text=True)
                data = data.with_column(variable, new)
        return Outcome(data, changed)


def as_words(column: Column) -> Column:
    """A number column as text, whole numbers without decimals; missing codes count as entries again.

    >>> as_words(Column(np.array([1.0, 2.5]), np.zeros(2, np.uint8))).words
    ('1', '2.5')
    """
    numbers = column.state != UNPLACED
    values, index = numbered(column.values[numbers])
    words = (*(f"{v:.15g}" for v in values.tolist()), *column.words)
    at = np.zeros(len(column.values), np.int32)
    at[numbers] = index
    at[~numbers] = column.values[~numbers].astype(np.int32) + len(values)
    return Column(at, np.where(column.state == BLANK, BLANK, ANSWERED).astype(np.uint8), words)


def other_meaning(codes: Iterable[int], before: Scale, after: Scale) -> tuple[int, str, str] | None:
    """The first of some codes of which two scales say different things, with both labels.

    >>> from even_ballot.core.data.codebook import Code
    >>> before, after = (Scale(codes=(Code(code=1, label=label),)) for label in ("Never", "Weekly"))
    >>> other_meaning([1], before, after)
    (1, 'Never', 'Weekly')
    """
    for code in codes:
        old, new = before.label_of(code), after.label_of(code)
        if old is not None and new is not None and old != new:
            return code, old, new
    return None


def _refuse_another_meaning(name: str, column: Column, before: Scale, after: Scale, after_name: str) -> None:
    found = other_meaning(
        numbered(column.values[np.isin(column.state, (ANSWERED, MISSING))])[0].tolist(), before, after
    )
    if found is not None:
        code, old, new = found
        raise fault(
            f"{name} is coded already, and its code {code} means {old!r}; in {after_name} it means {new!r}.",
            "scale",
            "Recode or reverse the question, so that codes and labels agree.",
        )


class CodeAnswers(Step):
    """Answers in words become codes, whole answer against whole answer.

    The scale's own labels need no entry in `answers`. `otherwise`: "flag" keeps what fits nothing as a
    finding, "blank" empties it, a code takes it all. Numbers that are codes of the scale become these. A
    question that is coded already keeps its meaning: a scale that says something else of a code in use is
    refused.
    """

    OFFERED = (
        "scale",
        "answers",
        "otherwise",
    )
    do: Literal["code"]
    variables: tuple[str, ...]
    scale: str | None = None
    answers: dict[str, CodeNumber] = {}
    otherwise: Literal["flag", "blank"] | int = "flag"

    def sentence(self) -> str:
        by = f" by the scale {self.scale}" if self.scale else ""
        more = (
            f", with {len(self.answers)} other wording{'s' * (len(self.answers) != 1)} recognised"
            if self.answers
            else ""
        )
        return f"Code the answers of {some(self.variables)}{by}{more}"

    def reads(self) -> tuple[str, ...]:
        return self.variables

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        changed, unplaced = 0, {}
        for name in self.variables:
            column, variable = data.column(name, "variables"), data.variable(name)
            scale_name = self.scale or variable.scale
            if scale_name is None or scale_name not in data.scales:
                raise fault(
                    f"There is no scale {scale_name!r}.",
                    "scale",
                    f"Scales: {some(list(data.scales)) or 'none'}.",
                )
            if variable.kind == "number":
                column, variable = as_words(column), variable.model_copy(update={"kind": "text"})
            if variable.kind not in ("text", "coded"):
                raise fault(
                    f"{name} is {in_words(variable.kind)}; only texts, numbers and coded "
                    f"variables can be coded.",
                    "variables",
                )
            if scale_name != variable.scale and (before := data.scale_of(name)) is not None:
                _refuse_another_meaning(name, column, before, data.scales[scale_name], scale_name)
            new, moved = self._coded(column, variable, data.scales[scale_name])
            changed += moved
            if left := new.entries():
                unplaced[name] = left
            update = {"kind": "coded", "scale": scale_name}
            data = data.with_column(Variable.model_validate({**variable.model_dump(), **update}), new)
        return Outcome(data, changed, unplaced)

    def _coded(self, column: Column, variable: Variable, scale: Scale) -> tuple[Column, int]:
        labels = scale.wordings | self.answers
        if stray := sorted(
            set(self.answers.values()) - {item.code for item in (*scale.codes, *scale.missing)}
        ):
            raise fault(
                f"Code {stray[0]} is not in the scale.",
                "answers",
                "Add it to the scale, or choose one of its codes.",
            )
        codes = np.array(
            [-1 if (c := code_of(word, labels)) is None else c for word in column.words] or [0], np.int64
        )
        fits = np.array([code_of(word, labels) is not None for word in column.words] or [False])
        worded = column.state == (ANSWERED if variable.kind == "text" else UNPLACED)
        at = np.where(worded, column.values, 0).astype(np.int64)
        placed = worded & fits[at]
        values = np.where(placed, codes[at], column.values).astype(np.int32)
        state = np.where(placed, ANSWERED, np.where(worded, UNPLACED, column.state)).astype(np.uint8)
        rest = state == UNPLACED
        if self.otherwise == "blank":
            state = np.where(rest, BLANK, state).astype(np.uint8)
        elif self.otherwise != "flag":
            values, state = (
                np.where(rest, self.otherwise, values),
                np.where(rest, ANSWERED, state).astype(np.uint8),
            )
        kept = column.words if (state == UNPLACED).any() else ()
        changed = int(placed.sum()) + (int(rest.sum()) if self.otherwise != "flag" else 0)
        return with_missing_codes(Column(values, state, kept), (*scale.missing, *variable.missing)), changed
