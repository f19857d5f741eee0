"""The notes below a table: nothing to count, letters, marks, and what is hidden."""

from collections.abc import Iterator

from even_ballot.core.estimation.comparisons import AGAINST
from even_ballot.core.faults import counted, some
from even_ballot.core.tables.results import (
    StubHeading,
    TableResult,
)
from even_ballot.core.tables.statistics import statistic_of
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.tables.layout import Section

ADJUSTED = {
    "none": "not adjusted for the number of comparisons",
    "bonferroni": "adjusted by Bonferroni",
    "holm": "adjusted by Holm",
    "fdr": "adjusted for the false discovery rate (Benjamini and Hochberg)",
}


OTHERS = {"against_total": "the total", "against_rest": "the rest"}
"""What a column is held against, in words."""


def arrows(request: TableRequest) -> dict[str, str]:
    """By test of a column against what it is part of, what tells it from the other where both are asked."""
    asked = [kind for kind in AGAINST if kind in request.tests]
    return {kind: "" if len(asked) == 1 else OTHERS[kind][4] for kind in asked}


def _of_arrows(request: TableRequest) -> Iterator[str]:
    """What arrows beside figures mean."""
    first, *second = (f"{100 * level:g} %" for level in request.levels)
    for kind, sign in arrows(request).items():
        loose = f"; in brackets: at the {second[0]} level" if second else ""
        rest = " (the other categories of its variable)" if kind == "against_rest" else ""
        yield (
            f"↑{sign} ↓{sign}: significantly larger or smaller than {OTHERS[kind]}{rest} at the {first} level"
            f"{loose}; two-sided, {ADJUSTED[request.adjust]}."
        )


def _of_codes(result: TableResult, request: TableRequest) -> Iterator[str]:
    """What the codes mean that means and their like are made of, and which end is high."""
    named = [statistic_of(stat) for stat in request.show]
    if not any(of.number_cells is not None and of.in_unit for of in named):
        return
    own = {cell.stub.variable for cell in result.cells if cell.stub.code is None and cell.stub.net is None}
    ends: dict[str, list[str]] = {}
    for stub in result.stubs:
        known = sorted((c for c in stub.categories if c.in_codebook), key=lambda c: c.code)
        if stub.kind == "coded" and len(known) > 1 and stub.variable in own:
            low, high = known[0], known[-1]
            between = " … " if len(known) > 2 else ", "
            said = f"{low.code} = {low.label}{between}{high.code} = {high.label}"
            ends.setdefault(said, []).append(stub.variable)
    for said, names in ends.items():
        of = "" if len(ends) == 1 else f" of {some(names)}"
        yield f"Means and their like{of} are of the codes: {said}."


def notes_of(
    result: TableResult,
    request: TableRequest,
    letters: tuple[str | None, ...] | None,
    sections: tuple[Section, ...],
    below: int | None,
    without_letters: int = 0,
    least: int | None = None,
) -> Iterator[str]:
    """Where there is nothing to count, what letters and marks mean, and what is hidden. without_letters:
    comparisons left out for a weak figure, or one of fewer cases than `least`."""
    if result.in_filter == 0:
        yield "No case meets the filter, so there is nothing to count."
    else:
        yield from (
            f"No figure that was asked for can be calculated for {stub.variable}."
            for stub in result.stubs
            if _without_figures(result, stub)
        )
    yield from _of_codes(result, request)
    if "ratio" in request.show and request.per is not None:
        yield f"Ratio: per {request.per}, over the cases that answered both."
    if letters is not None:
        first, *second = (f"{100 * level:g} %" for level in request.levels)
        loose = f"; lower-case letters: at the {second[0]} level" if second else ""
        said = f"significantly larger than that column at the {first} level{loose}"
        yield f"Letters: {said}; two-sided, {ADJUSTED[request.adjust]}."
    yield from _of_arrows(request)
    if without_letters:
        signs = (letters is not None) * ["letters"] + bool(arrows(request)) * ["arrows"]
        few = "" if least is None else f" or its base under {least:,}"
        left = counted(without_letters, "comparison")
        yield f"No {' or '.join(signs)} where either figure is unreliable{few} ({left} left out)."
    why: dict[str, int] = {}
    for line in (line for section in sections for line in section.lines):
        for mark in line.marks or ():
            for reason in mark:
                why[reason] = why.get(reason, 0) + 1
    if why:
        yield (
            "° unreliable: "
            + "; ".join(f"{reason} ({counted(n, 'figure')})" for reason, n in why.items())
            + "."
        )
    if result.hidden:
        yield from _hidden_notes(result, below)


def left_out_of_items(request: TableRequest) -> Iterator[str]:
    """What is asked for and has no place where items stand down."""
    if any(statistic_of(stat).base == "row" for stat in request.show):
        yield "Row % are not shown with items down: an item's row is its own answers."
    if any(test in request.tests for test in ("columns", *AGAINST)):
        yield "Letters and arrows are not shown with items down; they stand in a crosstab of the same items."


PROTECTED = (
    "Protection: from the codebook and all figures of this release (tables, analyses, tests, "
    "reports) nobody can tell whether a suppressed small count is 0, {below} or anything between. "
    "What it does not protect against: knowledge of who took part or of a case's weight, and other releases."
)


def _hidden_notes(result: TableResult, below: int | None) -> Iterator[str]:
    """That figures are hidden, never why, and exactly what that protects against."""
    yield (
        f"× suppressed ({counted(len(result.hidden or ()), 'figure')}): fewer than {below} cases, or other "
        "figures from which those could be worked out. Smallest and largest values of numbers, and numbers "
        "that a few cases nearly make up, are suppressed too."
    )
    yield PROTECTED.format(below=below)


def _without_figures(result: TableResult, stub: StubHeading) -> bool:
    """Whether nothing stands in a stub: nobody answered it, or no figure asked for suits it."""
    mine = (cell for cell in result.cells if cell.stub.variable == stub.variable)
    return not any(cell.est or cell.base_n for cell in mine) and not result.hidden
