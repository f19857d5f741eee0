"""The study file: its models, and what is said of a document that is none."""

from collections.abc import Iterator
from typing import Any, Literal, Self

from pydantic import Field, ValidationError, field_validator, model_validator
from pydantic_core import ErrorDetails

from even_ballot.core.data.codebook import Codebook
from even_ballot.core.disclosure.suppression import Suppression
from even_ballot.core.faults import Fault, StudyError, whole
from even_ballot.core.ledger import AnyStep
from even_ballot.core.model import Model, said_by
from even_ballot.core.models.model_request import (
    CorrelationsRequest,
    ModelRequest,
    ReliabilityRequest,
    SideBySide,
)
from even_ballot.core.release.plan import ReleasePlan
from even_ballot.core.sampling.design import Design
from even_ballot.core.screening import Screening
from even_ballot.core.study.alternatives import Alternative
from even_ballot.core.tables.recipe import OURS, Recipe, with_recipes
from even_ballot.core.tables.signs.marks import Marks
from even_ballot.core.tables.table_request import BannerEntry, TableRequest
from even_ballot.core.weighting.weighting import Weighting


class Source(Model, defer_build=False):
    """Where a file is and how it is read; what is left out is guessed. names_row: which of the header rows
    (from 1) holds the names; the others become labels. rows_above, rows_below: rows that are not blank above
    the headings and below the records, titles, notes and totals, which are left out; repeated, hidden:
    whether records that are the headings once more, and rows that a sheet hides, are left out."""

    path: str = Field(min_length=1)
    format: Literal["csv", "xlsx", "ods", "parquet", "jsonl"] | None = None
    sheet: str | None = None
    header_rows: int | None = Field(default=None, ge=1, le=10)
    names_row: int | None = Field(default=None, ge=1, le=10)
    encoding: str | None = None
    delimiter: str | None = Field(default=None, min_length=1, max_length=1)
    decimal: Literal[".", ","] | None = None
    rows_above: int | None = Field(default=None, ge=0, le=100)
    rows_below: int | None = Field(default=None, ge=0, le=1000)
    repeated: bool | None = None
    hidden: bool | None = None

    @field_validator("delimiter")
    @classmethod
    def _apart_from_quotes_and_lines(cls, value: str | None) -> str | None:
        if value is not None and value in '"\r\n':
            raise ValueError("a quote or a line break cannot be the delimiter")
        return value

    def guessed(self, reading: "Source") -> dict[str, Any]:
        """What of a reading of this file was guessed, because it is not said here."""
        said = self.model_dump(exclude_none=True)
        return {k: v for k, v in reading.model_dump(exclude_none=True).items() if k not in said}


class Study(Model):
    """A whole study. where: a filter of all its tables, a domain; usual_banner: the banner that a new
    table begins with, usual_recipe: the recipe; alternatives: to its decisions, which what figures
    depend on is worked out for."""

    even_ballot: Literal[1] = 1
    title: str = "Untitled study"
    source: Source
    lookups: dict[str, Source] = {}
    codebook: Codebook = Codebook()
    screening: Screening = Screening()
    ledger: tuple[AnyStep, ...] = Field(default=(), max_length=10_000)
    weightings: tuple[Weighting, ...] = Field(default=(), max_length=100)
    design: Design = Design()
    where: str | None = None
    usual_banner: tuple[BannerEntry, ...] = ()
    recipes: tuple[Recipe, ...] = Field(default=OURS, max_length=200)
    usual_recipe: str | None = Field(default=None, max_length=100)
    tables: tuple[TableRequest, ...] = Field(default=(), max_length=5000)
    models: tuple[ModelRequest, ...] = Field(default=(), max_length=1000)
    reliability: tuple[ReliabilityRequest, ...] = Field(default=(), max_length=1000)
    correlations: tuple[CorrelationsRequest, ...] = Field(default=(), max_length=1000)
    side_by_side: tuple[SideBySide, ...] = Field(default=(), max_length=200)
    marks: Marks = Marks()
    suppression: Suppression = Suppression()
    release: ReleasePlan | None = None
    alternatives: tuple[Alternative, ...] = Field(default=(), max_length=200)

    @model_validator(mode="after")
    def _names_once(self) -> Self:
        for what, names in (
            ("table id", [t.id for t in self.tables]),
            ("recipe", [r.name for r in self.recipes]),
            ("model id", [m.id for m in self.models]),
            ("reliability id", [r.id for r in self.reliability]),
            ("correlations id", [c.id for c in self.correlations]),
            ("side_by_side id", [s.id for s in self.side_by_side]),
            ("save_as", [w.save_as for w in self.weightings]),
        ):
            twice = [name for name in names if names.count(name) > 1]
            if twice:
                raise ValueError(f"{what} {twice[0]!r} is used twice; give each its own")
        models = {m.id for m in self.models}
        for beside in self.side_by_side:
            strange = [name for name in beside.models if name not in models]
            if strange:
                raise ValueError(
                    f"side_by_side {beside.id!r} names the model {strange[0]!r}, which is not there; add it, "
                    "or leave it out"
                )
        return self

    @model_validator(mode="after")
    def _recipes_are_laid(self) -> Self:
        if self.usual_recipe is not None and self.usual_recipe not in [r.name for r in self.recipes]:
            raise ValueError(f"usual_recipe names {self.usual_recipe!r}, which is not there; leave it out")
        if any(table.recipe is not None for table in self.tables):
            # Read, not said: what a study is written with stays its tables' own.
            self.__dict__["tables"] = with_recipes(self.tables, self.recipes)
        return self

    @model_validator(mode="after")
    def _depends_on_what_is_there(self) -> Self:
        known = {table.id for table in self.tables}
        for at, figure in enumerate(() if self.release is None else self.release.depends):
            if figure.table not in known:
                raise ValueError(
                    f"release.depends[{at}] is a figure of the table {figure.table!r}, which is not there; "
                    "add it, or leave it out"
                )
        return self

    @model_validator(mode="after")
    def _releases_what_is_there(self) -> Self:
        parts = () if self.release is None else self.release.parts or ()
        there: dict[str, set[str]] = {}
        for at, part in enumerate(parts):
            if part.named is None:
                continue
            of, name = part.named
            known = there.setdefault(of, {item.id for item in getattr(self, of)})
            if name not in known:
                raise ValueError(
                    f"release.parts[{at}] shows {name!r} of {of}, which is not there; add it, or leave it out"
                )
        return self


def _place(location: tuple[int | str, ...]) -> str:
    path = ""
    for part in location:
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
    return path


def _in_document(location: tuple[int | str, ...], document: Any) -> tuple[int | str, ...]:
    """A location without the names of alternatives, which are no keys of the document."""
    path: list[int | str] = []
    here, alternative = document, False
    for i, part in enumerate(location):
        keys = here if isinstance(here, dict) else {}
        named = part not in keys or part in (keys.get("do"), keys.get("method"))
        alternative = not alternative and isinstance(part, str) and named and i < len(location) - 1
        if not alternative:
            path.append(part)
            here = keys.get(part) if isinstance(part, str) else here[part] if isinstance(here, list) else None
    return tuple(path)


def place_in(location: tuple[int | str, ...], document: Any) -> str:
    """Where in a document a location of a validation error is, as a path.

    >>> place_in(("tables", 0, "stub"), {"tables": [{"stub": 1}]})
    'tables[0].stub'
    """
    return _place(_in_document(location, document))


_LISTED = "`even-ballot schema` lists the {}."
_MENDS = {
    "extra_forbidden": (
        "This key is not known here.",
        f"Take it out, or check its spelling; {_LISTED.format('keys')}",
    ),
    "missing": ("A required key is missing.", "Add it."),
    "too_long": (
        "There are too many of these.",
        "Leave some out, or part them over several tables or studies.",
    ),
}
_CHOICES = {"'do'": ("step", "do"), "'method'": ("method", "method")}
"""What is chosen by a key: in words, and the key."""


def _explained(item: ErrorDetails) -> tuple[str, str]:
    """What is wrong by a validation error, and what mends it."""
    noun, key = _CHOICES.get(str(item.get("ctx", {}).get("discriminator")), ("", ""))
    if item["type"] == "union_tag_invalid" and noun:
        return f"There is no such {noun}.", _LISTED.format(f"{noun}s")
    if item["type"] == "union_tag_not_found" and noun:
        return f'This {noun} has no "{key}".', "Add it."
    return _MENDS.get(item["type"], (f"{said_by(item)}.", ""))


def _halved(value: Any, path: tuple[int | str, ...] = ()) -> Iterator[tuple[int | str, ...]]:
    """Where in a document a text, or a key, holds half of a surrogate pair."""
    if isinstance(value, str):
        if not value.isascii() and value != whole(value):
            yield path
    elif isinstance(value, dict):
        for key, inner in value.items():
            yield from _halved(key, path)
            yield from _halved(inner, (*path, key))
    elif isinstance(value, (list, tuple)):
        for at, inner in enumerate(value):
            yield from _halved(inner, (*path, at))


def parse_study(document: Any) -> Study:
    """A study from a decoded JSON document. Raises StudyError with a fault, and its JSON path, for each
    thing wrong.

    >>> parse_study({"source": {"path": "answers.csv"}, "title": "Ferries"}).title
    'Ferries'
    """
    if halved := list(_halved(document)):
        what = "This text holds half a character, which cannot be stored or written."
        raise StudyError(Fault(what, _place(path) or "study", "Type it again.") for path in halved)
    try:
        return Study.model_validate(document)
    except ValidationError as error:
        faults = []
        for item in error.errors():
            what, mend = _explained(item)
            faults.append(Fault(what, place_in(item["loc"], document) or "study", mend))
        raise StudyError(faults) from None
