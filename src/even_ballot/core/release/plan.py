"""What a study file says of its release: what stands in it, in which order, and how it looks."""

import datetime
from typing import Annotated, Literal, Self, get_args

from pydantic import Field, model_validator

from even_ballot.core.model import Model

Format = Literal["xlsx", "ods", "docx", "pdf", "html", "csv", "jsonstat", "pptx"]
FORMATS: tuple[Format, ...] = get_args(Format)
PictureKind = Literal["svg", "png", "pdf"]
Beside = Literal["below", "brackets", "beside", "none"]
Text = Annotated[str, Field(max_length=20_000)]
Line = Annotated[str, Field(max_length=500)]


class Decimals(Model):
    """Decimal places: of per cents, of other estimates, of design effects and weights."""

    share: int = Field(default=1, ge=0, le=8)
    number: int = Field(default=2, ge=0, le=8)


class Style(Model):
    """How a release looks, in all its formats. errors, intervals: where standard errors and limits stand, as
    far as a table has them: in a line below, in brackets after the figure, in a column beside it, as ±
    (standard errors), or not at all. letters: the typeface. accent: the colour of headings and links, as
    #rrggbb. widest: columns of figures on a page before a table is broken. template: a .docx beside the
    study file whose styles, margins and headers the text document takes."""

    name: Literal["report", "compact", "plain"] = "report"
    paper: Literal["A4", "Letter"] = "A4"
    turn: Literal["where it helps", "never", "always"] = "where it helps"
    errors: Beside | Literal["plus_minus"] | None = None
    intervals: Beside | None = None
    decimals: Decimals = Decimals()
    decimal_sign: Literal[".", ","] = "."
    language: str = Field(default="en", pattern=r"^[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*$")
    letters: Literal["serif", "sans"] | None = None
    accent: str | None = Field(default=None, pattern=r"^#[0-9A-Fa-f]{6}$")
    widest: int = Field(default=10, ge=2, le=40)
    template: str | None = Field(default=None, min_length=1, max_length=500)


class Part(Model):
    """One thing of a release: a heading, own paragraphs, a table, an analysis, models side by side, or the
    picture of a table or model. level: of a heading. note: stands below a table. picture, reading: whether
    a picture, and the reading in words, stand with it."""

    heading: Line | None = None
    level: int = Field(default=1, ge=1, le=3)
    text: Text | None = None
    table: str | None = None
    model: str | None = None
    reliability: str | None = None
    correlations: str | None = None
    side_by_side: str | None = None
    note: Text = ""
    picture: bool | None = None
    reading: bool | None = None

    @property
    def named(self) -> tuple[str, str] | None:
        """What of the study it shows: the part of the study file and the identifier there."""
        held = {
            "tables": self.table,
            "models": self.model,
            "reliability": self.reliability,
            "correlations": self.correlations,
            "side_by_side": self.side_by_side,
        }
        return next(((part, name) for part, name in held.items() if name is not None), None)

    @model_validator(mode="after")
    def _one_thing(self) -> Self:
        said = [self.heading, self.text, self.table, self.model, self.reliability, self.correlations]
        if sum(of is not None for of in (*said, self.side_by_side)) != 1:
            raise ValueError(
                "a part of a release is one thing: give one of heading, text, table, model, reliability, "
                "correlations, side_by_side"
            )
        return self


class RowOf(Model):
    """A row of a table: a category or net of a variable, or (neither) the variable's own."""

    variable: str
    code: int | None = None
    net: str | None = None


class FigureOf(Model):
    """A figure of a table: its row, the path of its column (empty: all), and which statistic."""

    table: str
    stub: RowOf
    banner: tuple[RowOf, ...] = ()
    stat: str


class ReleasePlan(Model):
    """parts: what stands in it, in order; left out: every table under the heading of its group, then every
    analysis. foreword, method: own paragraphs before everything and in the methods note (plain text: a
    blank line parts paragraphs, `# ` begins a heading, `- ` an item, *so* is stressed). numbered: tables
    and pictures carry numbers. pictures, reading: whether pictures, and the reading in words, stand with
    tables and models, where a part does not say so itself. with_it: what goes with the documents;
    picture_files: whether pictures also come as files, and of which kind; resolution: points of a picture
    (.png) for each point of its drawing. changes: whether it says what changed since the last release;
    depends: figures for which an appendix says what each decision does to them."""

    title: Line | None = None
    subtitle: Line = ""
    authors: tuple[Line, ...] = Field(default=(), max_length=100)
    date: datetime.date | None = None
    foreword: Text = ""
    method: Text = ""
    parts: tuple[Part, ...] | None = Field(default=None, max_length=10_000)
    numbered: bool = True
    pictures: bool = True
    reading: bool = False
    contents: bool = True
    formats: tuple[Format, ...] = ("xlsx", "docx", "pdf", "html")
    with_it: tuple[Literal["records", "codebook", "ledger", "methods"], ...] = ("records", "methods")
    picture_files: tuple[PictureKind, ...] = ()
    resolution: float = Field(default=3, ge=1, le=8)
    changes: bool = False
    depends: tuple[FigureOf, ...] = Field(default=(), max_length=200)
    style: Style = Style()
