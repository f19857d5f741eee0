"""What changed since the release before, as a part of the document."""

from collections.abc import Iterator

from even_ballot.core.faults import counted
from even_ballot.core.release.changes import ReleaseChanges, ReleasedFigure
from even_ballot.core.release.plan import Style
from even_ballot.formats.documents.own_text import plain_paragraph
from even_ballot.formats.printed.blocks import Block, Entry, Group, Head, Heading, PrintedTable, Row
from even_ballot.formats.printed.numerals import ABSENT, numeral, places_of

MOST = 200
"""Figures that are listed."""


def _row(of: ReleasedFigure, style: Style) -> Row:
    times = 100.0 if of.share else 1.0
    places = places_of("share" if of.share else "number", style)

    def entry(value: float | None) -> Entry:
        return (
            Entry(ABSENT)
            if value is None
            else Entry(numeral(times * value, places, style), times * value, places)
        )

    what = " · ".join(filter(None, (of.row, of.column, of.figure)))
    change = entry(of.change)
    sign = "+" if of.change is not None and of.change > 0 and change.text.strip("0.,") else ""
    moved = Entry(f"{sign}{change.text}", change.value, places, "!" if of.beyond else "")
    return Row((of.title, what), (entry(of.before), entry(of.after), moved))


def _sentences(changes: ReleaseChanges) -> Iterator[str]:
    for title, things in (("New", changes.new), ("No longer in it", changes.gone)):
        if things:
            yield f"{title}: {'; '.join(of.title for of in things)}."
    for of in changes.renamed:
        yield f"“{of.before}” is now “{of.title}”."
    for number in changes.numbers:
        was, now = ("none" if x is None else f"{x:,.6g}" for x in (number.before, number.after))
        yield f"{number.what[0].upper()}{number.what[1:]}: {was} before, {now} now."


def changes_blocks(changes: ReleaseChanges, since: str, style: Style) -> Iterator[Block]:
    """What changed since a release (named by `since`): in sentences, then the figures that moved."""
    yield Heading(f"What changed since {since}", 1, "changes")
    if changes.nothing:
        yield plain_paragraph("Nothing: every figure is the same.")
        return
    yield from (plain_paragraph(text) for text in _sentences(changes))
    if not changes.moved:
        yield plain_paragraph("All figures of both releases are the same.")
        return
    beyond = sum(of.beyond for of in changes.moved)
    verb = "lies" if beyond == 1 else "lie"
    left = f"; {beyond:,} {verb} outside the interval of the previous release (marked !)" if beyond else ""
    yield plain_paragraph(f"{counted(len(changes.moved), 'figure')} of {changes.figures:,} changed{left}.")
    heads = (tuple(Head(c, 1, name) for c, name in enumerate(("Before", "Now", "Change"))),)
    every = [_row(of, style) for of in changes.moved]
    # What is printed alike before and now is no line of its own.
    shown = [row for row in every if row.entries[0].text != row.entries[1].text]
    rows, alike = tuple(shown[:MOST]), len(every) - len(shown)
    more = (len(shown) - len(rows), "changed by less"), (alike, "changed by less than is printed")
    notes = tuple(f"{counted(n, 'other figure')} {said}." for n, said in more if n)
    if not rows:
        yield from map(plain_paragraph, notes)
        return
    yield PrintedTable(
        "changes", "changed-figures", "", "Figures that changed", "Largest change relative to the "
        "interval first",
        ("In", "Figure"), heads, 3, (Group("", rows),), notes,
    )  # fmt: skip
