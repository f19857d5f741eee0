"""Analyses as rows of cells, for a workbook: blocks of a heading row and rows below it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from even_ballot.core.models.model_request import ModelFigure, SideBySide
from even_ballot.core.models.results import (
    AnalysisResult,
    CorrelationsResult,
    Factor,
    ModelResult,
    ReliabilityResult,
    Term,
)
from even_ballot.core.models.side_by_side import ModelsBeside

Value = str | float | int | None


@dataclass(frozen=True)
class Block:
    """A part of an analysis: its title, headings, rows. The first column is text."""

    title: str
    headings: tuple[str, ...]
    rows: tuple[tuple[Value, ...], ...]


_WHOLE = {"Cases", "df 1", "df 2"}
_FINE = {
    "p",
    "Coefficient",
    "r",
    "α",
    "Standardised α",
    "Item–rest correlation",
    "α if item deleted",
    "Prediction",
}


def places_in(block: Block, values: Sequence[Value], column: int) -> int:
    """Decimal places of a cell.

    >>> places_in(Block("", ("Term", "p"), ()), ("isle", 0.01), 1)
    4
    """
    heading = block.headings[column].split(": ")[-1]
    return 0 if values[0] == "Cases" or heading in _WHOLE else 4 if heading in _FINE else 3


def said_factor(factor: Factor, terms: dict[str, Term]) -> str:
    """A category by its label, or a number by its name.

    >>> term = Term("isle", "Isle", (1, 2), ("Hask", "Orran"), 1)
    >>> said_factor(Factor("isle", 2), {"isle": term}), said_factor(Factor("age"), {})
    ('isle: Orran', 'age')
    """
    if factor.code is None:
        return factor.variable
    term = terms.get(factor.variable)
    labels = {} if term is None else dict(zip(term.codes, term.labels, strict=True))
    return f"{factor.variable}: {labels.get(factor.code, str(factor.code))}"


def _model(model: ModelResult) -> Iterator[Block]:
    terms = {of.variable: of for of in model.variables}
    ratios = model.kind == "logistic"
    headings = ("Term", "Coefficient", "Standard error", "Lower", "Upper", "t", "p")
    rows = []
    for of in model.coefficients:
        name = " × ".join(said_factor(f, terms) for f in of.term) or "Intercept"
        own: tuple[Value, ...] = (name, of.est, of.se, of.low, of.high, of.t, of.p)
        rows.append((*own, of.odds_ratio, of.or_low, of.or_high) if ratios else own)
    for term in model.variables:
        if term.reference is not None:
            name = said_factor(Factor(term.variable, term.reference), terms)
            rows.append((f"{name} (reference)", 0.0))
    more = ("Odds ratio", "Lower", "Upper") if ratios else ()
    yield Block("Coefficients", (*headings, *more), tuple(rows))
    if model.joint:
        joint = tuple((" × ".join(of.term), of.f, of.df1, of.df2, of.p) for of in model.joint)
        yield Block("Joint tests", ("Term", "F", "df 1", "df 2", "p"), joint)
    if model.predictions:
        means = tuple(
            (said_factor(Factor(of.variable, of.code), terms), of.est, of.se, of.low, of.high)
            for of in model.predictions
        )
        yield Block("Average predictions", ("Category", "Prediction", *headings[2:5]), means)
    if model.differences:
        apart = tuple(
            (
                f"{said_factor(Factor(of.variable, of.a), terms)} minus "
                f"{said_factor(Factor(of.variable, of.b), terms)}",
                of.diff, of.se, of.low, of.high, of.t, of.p,
            )
            for of in model.differences
        )  # fmt: skip
        yield Block("Differences", ("Categories", "Difference", *headings[2:]), apart)


_FIGURES: dict[ModelFigure, tuple[tuple[str, str], ...]] = {
    "est": (("Coefficient", "est"),),
    "se": (("Standard error", "se"),),
    "interval": (("Lower", "low"), ("Upper", "high")),
    "p": (("p", "p"),),
    "odds_ratio": (("Odds ratio", "odds_ratio"),),
    "or_interval": (("Lower, odds ratio", "or_low"), ("Upper, odds ratio", "or_high")),
}


def beside_block(found: ModelsBeside, request: SideBySide) -> Block:
    """Models side by side, the figures of each next to one another.

    >>> block = beside_block(ModelsBeside((), ()), SideBySide(id="s"))
    >>> block.headings, block.rows
    (('Term',), (('Cases',), ('R²',)))
    """
    figures = [item for figure in request.show or ("est", "se") for item in _FIGURES[figure]]
    headings = ["Term", *(f"{of.title}: {name}" for of in found.columns for name, _ in figures)]
    rows: list[tuple[Value, ...]] = []
    for line in found.lines:
        cells: list[Value] = []
        for of, refers in zip(line.coefficients, line.reference, strict=True):
            blank = ["reference", *[None] * (len(figures) - 1)] if refers else [None] * len(figures)
            cells += blank if of is None else [getattr(of, key) for _, key in figures]
        group = f"{line.group}: " if line.group and line.label != line.group else ""
        rows.append((f"{group}{line.label}", *cells))
    rest: list[Value] = [None] * (len(figures) - 1)
    rows.append(("Cases", *(cell for of in found.columns for cell in (of.n, *rest))))
    rows.append(("R²", *(cell for of in found.columns for cell in (of.r2, *rest))))
    return Block(request.name, tuple(headings), tuple(rows))


def _scale(scale: ReliabilityResult) -> Iterator[Block]:
    if scale.alpha is not None:
        row = (scale.title, scale.alpha, scale.se, scale.low, scale.high, scale.standardised, scale.n)
        headings = ("Scale", "α", "Standard error", "Lower", "Upper", "Standardised α", "Cases")
        yield Block("Reliability", headings, (row,))
    items = tuple((of.variable, of.mean, of.sd, of.item_rest, of.alpha_without) for of in scale.items)
    if items:
        yield Block("Items", ("Item", "Mean", "sd", "Item–rest correlation", "α if item deleted"), items)


def _pairs(found: CorrelationsResult) -> Iterator[Block]:
    rows = tuple(
        (f"{of.a} with {of.b}", of.est, of.se, of.low, of.high, of.t, of.p, of.n) for of in found.pairs
    )
    headings = ("Pair", "r", "Standard error", "Lower", "Upper", "t", "p", "Cases")
    yield Block(f"Correlations ({found.method.title()})", headings, rows)


def blocks_of(result: AnalysisResult) -> tuple[Block, ...]:
    """An analysis in blocks.

    >>> from even_ballot.core.models.results import PairResult
    >>> pairs = (PairResult("age", "trips", 40, 0.42),)
    >>> [block.title for block in blocks_of(CorrelationsResult("c", "C", "pearson", pairs))]
    ['Correlations (Pearson)']
    """
    if isinstance(result, ModelResult):
        return tuple(_model(result))
    return tuple(_scale(result) if isinstance(result, ReliabilityResult) else _pairs(result))
