"""What the parts of entries are called where an entry is changed, and how each is written; one that is not
here goes by its key."""

from dataclasses import dataclass
from typing import Any, Literal, get_args

from pydantic_core import PydanticUndefined

from even_ballot.core.ledger.step import Step

Shown = Literal["formula", "names", "name", "tick", "lines", "text", "number", "choice"]


@dataclass(frozen=True)
class PartChoice:
    """Something a part can be, and what it is called."""

    value: str
    label: str


@dataclass(frozen=True)
class PartShown:
    """A part as it is shown: what it is called, how it is written, what can be chosen, each with what it
    is called, and what it is where nothing is said."""

    key: str
    label: str
    shown: Shown
    choices: tuple[PartChoice, ...] = ()
    default: Any = None


@dataclass(frozen=True)
class StepShown:
    """A kind of entry: its parts; offered: those that are shown though an entry says nothing of them."""

    do: str
    parts: tuple[PartShown, ...]
    offered: tuple[str, ...]


_KEEP = (("first", "the first of each"), ("last", "the last of each"), ("fullest", "the fullest of each"))
_CASE = (
    ("", "as it is"),
    ("lower", "all small"),
    ("upper", "upper case"),
    ("sentence", "first letter large"),
)
_DECIMAL = ((".", "a point"), (",", "a comma"), ("either", "either of both"))
_THOUSANDS = (("", "nothing"), (",", "a comma"), (".", "a point"), (" ", "a space"), ("'", "an apostrophe"))
_ORDER = (
    ("day_month_year", "day first"),
    ("month_day_year", "month first"),
    ("year_month_day", "year first"),
    ("serial", "days as a spreadsheet counts them"),
)
_PARTS: dict[str, tuple[str, Shown, tuple[tuple[str, str], ...]]] = {
    "variables": ("Variables", "names", ()),
    "items": ("Items", "names", ()),
    "of": ("Duplicates: same values of", "names", ()),
    "variable": ("Variable", "name", ()),
    "where": ("Where", "formula", ()),
    "value": ("Value", "number", ()),
    "into": ("Name of the new variable", "text", ()),
    "label": ("Label", "text", ()),
    "suffix": ("Suffix of the new names", "text", ()),
    "scale": ("Answer scale", "text", ()),
    "separator": ("Answers are separated by", "text", ()),
    "id": ("Case", "text", ()),
    "from": ("File to look up", "text", ()),
    "take": ("Columns to add", "lines", ()),
    "in": ("Cases", "lines", ()),
    "spare": ("Records to keep, one per line", "lines", ()),
    "code": ("Code", "number", ()),
    "at_least": ("At least this many answered", "number", ()),
    "answers": ("Wordings and their codes, “wording = code”, one per line", "lines", ()),
    "codes": ("Changes, “code = code”, one per line, nothing after = for blank", "lines", ()),
    "names": ("New names, “old = new”, one per line", "lines", ()),
    "on": ("Keys, “variable = column”, one per line", "lines", ()),
    "options": ("Answers, “code label”, one per line", "lines", ()),
    "groups": ("Categories, “code label: codes”, one per line", "lines", ()),
    "bands": ("Bands, “code label: from to below”, one per line", "lines", ()),
    "trim": ("Trim spaces at both ends", "tick", ()),
    "squeeze": ("Reduce repeated spaces to one", "tick", ()),
    "words": ("Also read numbers written as words", "tick", ()),
    "again": ("Reverse again", "tick", ()),
    "how": ("Score", "choice", (("mean", "the mean"), ("total", "the total"))),
    "keep": ("Keep", "choice", _KEEP),
    "case": ("Letter case", "choice", _CASE),
    "otherwise": ("Unrecognised answers", "number", ()),
    "missing": ("Keys without a match", "choice", (("refuse", "stop"), ("flag", "stay a finding"))),
    "decimal": ("Decimal separator", "choice", _DECIMAL),
    "thousands": ("Thousands separator", "choice", _THOUSANDS),
    "multiples": ("3k is 3,000, 1.2m is 1,200,000", "tick", ()),
    "clock": ("Convert times such as 1:05:00 to seconds", "tick", ()),
    "unit": ("Unit after the number", "text", ()),
    "entries": ("Answers and their numbers, “answer = number”, one per line", "lines", ()),
    "order": ("Order of day, month and year", "choice", _ORDER),
    "two_digits_up_to": ("Two-digit years: latest year", "number", ()),
    "wordings": ("Wordings, “old = new”, one per line; leave the right side empty for blank", "lines", ()),
    "part": ("Also within longer answers", "tick", ()),
    "by": ("Identify the case by", "choice", (("id", "its identifier"), ("row", "its record number"))),
}
_UNSEEN = ("do", "why", "off")


def part_shown(key: str, default: Any = None) -> PartShown:
    """A part by its key in the study file.

    >>> part_shown("where").label
    'Where'
    """
    label, shown, choices = _PARTS.get(key, (key.replace("_", " ").capitalize(), "text", ()))
    return PartShown(key, label, shown, tuple(PartChoice(*choice) for choice in choices), default)


def step_shown(step: type[Step]) -> StepShown:
    """A kind of entry as it is shown.

    >>> from even_ballot.core.ledger.derived import Derive
    >>> step_shown(Derive).do, [part.key for part in step_shown(Derive).parts]
    ('derive', ['into', 'value', 'label', 'scale'])
    """
    parts = []
    for name, field in step.model_fields.items():
        if name not in _UNSEEN:
            own = step.SHOWN.get(name)
            default = None if field.default is PydanticUndefined else field.default
            part = part_shown(field.alias or name, default)
            parts.append(part if own is None else PartShown(part.key, own[0], own[1], part.choices, default))
    (do,) = get_args(step.model_fields["do"].annotation)
    return StepShown(do, tuple(parts), step.OFFERED)
