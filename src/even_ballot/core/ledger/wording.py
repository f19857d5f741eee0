"""Steps that work on entries as they were written: tidying, coding, reading numbers."""

import re
from collections.abc import Callable, Iterable
from typing import Literal

import numpy as np

from even_ballot.core.data.codebook import CodeNumber, Scale, Variable
from even_ballot.core.data.dataset import ANSWERED, BLANK, MISSING, UNPLACED, Column, Dataset
from even_ballot.core.data.interpretation import code_of, parse_number, with_missing_codes
from even_ballot.core.data.number_words import number_in_words
from even_ballot.core.faults import fault, some
from even_ballot.core.ledger.step import Outcome, Step, Tables, changed_cells

_SPACES = re.compile(r"[\s\u00a0\u2000-\u200a\u202f\u205f\u3000]+")
_INVISIBLE = re.compile("[\u00ad\u200b-\u200f\u2028-\u202e\u2060\ufeff]")


def tidied(word: str, trim: bool = True, squeeze: bool = True, case: str | None = None) -> str:
    """A word without stray white space and invisible characters, in the letter case asked for.

    >>> tidied("  too   late ", case="upper")
    'TOO LATE'
    """
    word = _INVISIBLE.sub("", word)
    if squeeze:
        word = _SPACES.sub(" ", word)
    if trim:
        word = word.strip()
    match case:
        case "lower":
            return word.lower()
        case "upper":
            return word.upper()
        case "sentence":
            return word[:1].upper() + word[1:].lower()
    return word


def _renamed_words(column: Column, change: Callable[[str], str]) -> Column:
    """The column with every word changed; words that become one share an index, empty ones become blank."""
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
        return f"Tidy the spacing of {some(self.variables)}{case}"

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        changed = 0
        for name in self.variables:
            column, variable = data.column(name, "variables"), data.variable(name)
            if variable.kind == "text":
                new = _renamed_words(column, lambda word: tidied(word, self.trim, self.squeeze, self.case))
                changed += changed_cells(column, new, text=True)
                data = data.with_column(variable, new)
        return Outcome(data, changed)


def _as_words(column: Column) -> Column:
    """A number column as text, whole numbers without decimals; missing codes count as entries again."""
    numbers = column.state != UNPLACED
    values, index = np.unique(column.values[numbers], return_inverse=True)
    words = tuple(f"{v:.15g}" for v in values.tolist()) + column.words
    at = np.zeros(len(column.values), np.int32)
    at[numbers] = index.ravel()
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
        np.unique(column.values[np.isin(column.state, (ANSWERED, MISSING))]).tolist(), before, after
    )
    if found is not None:
        code, old, new = found
        raise fault(
            f"{name} is coded already, and its code {code} means {old!r}; in {after_name} it means {new!r}.",
            "scale",
            "Recode or turn the question round, so that codes and labels agree.",
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
            f", with {len(self.answers)} other wording{'s' * (len(self.answers) != 1)} placed"
            if self.answers
            else ""
        )
        return f"Code the answers of {some(self.variables)}{by}{more}"

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        changed, unplaced = 0, {}
        for name in self.variables:
            column, variable = data.column(name, "variables"), data.variable(name)
            scale_name = self.scale or variable.scale
            if scale_name is None or scale_name not in data.scales:
                raise fault(
                    f"There is no scale {scale_name!r}.",
                    "scale",
                    f"Scales there are: {some(list(data.scales)) or 'none'}.",
                )
            if variable.kind == "number":
                column, variable = _as_words(column), variable.model_copy(update={"kind": "text"})
            if variable.kind not in ("text", "coded"):
                raise fault(
                    f"{name} is a {variable.kind}; only texts, numbers and coded variables take codes.",
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


def _bare(word: str) -> str:
    """A number's digits and signs without the marks of a currency or unit around them."""
    start, end = 0, len(word)
    while start < end and not (word[start].isalnum() or word[start] in "_+,-."):
        start += 1
    while end > start and not (word[end - 1].isalnum() or word[end - 1] in "_."):
        end -= 1
    return word[start:end].strip()


class ToNumber(Step):
    """ "12,50", "£ 3" and, with `words`, "thirty-four" become numbers; the rest stay findings."""

    OFFERED = (
        "decimal",
        "words",
    )
    do: Literal["to_number"]
    variables: tuple[str, ...]
    decimal: str = "."
    words: bool = False

    def sentence(self) -> str:
        return f"Read {some(self.variables)} as numbers" + (", spelled-out ones too" if self.words else "")

    def _number(self, word: str) -> float | None:
        word = tidied(word)
        bare = _bare(word)
        separated = bare if self.decimal == "." else bare.replace(self.decimal, ".")
        value = parse_number(separated)
        return number_in_words(word) if value is None and self.words else value

    def apply(self, data: Dataset, tables: Tables) -> Outcome:
        changed, unplaced = 0, {}
        for name in self.variables:
            column, variable = data.column(name, "variables"), data.variable(name)
            if variable.kind not in ("text", "number"):
                raise fault(f"{name} is a {variable.kind}; only text is read as numbers.", "variables")
            numbers = [self._number(word) for word in column.words]
            worded = column.state == (ANSWERED if variable.kind == "text" else UNPLACED)
            at = np.where(worded, column.values, 0).astype(np.int64)
            fits = np.array([n is not None for n in numbers] or [False])
            placed = worded & fits[at]
            table = np.array([0.0 if n is None else n for n in numbers] or [0.0])
            values = np.where(placed, table[at], column.values).astype(np.float64)
            state = np.where(placed, ANSWERED, np.where(worded, UNPLACED, column.state)).astype(np.uint8)
            new = with_missing_codes(
                Column(values, state, column.words if (state == UNPLACED).any() else ()), variable.missing
            )
            changed += int(placed.sum())
            if left := new.entries():
                unplaced[name] = left
            data = data.with_column(variable.model_copy(update={"kind": "number"}), new)
        return Outcome(data, changed, unplaced)
