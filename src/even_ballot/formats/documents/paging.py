"""How tables fit the paper: widths, tables broken by columns, pages on their side."""

from even_ballot.formats.printed.blocks import Document, PrintedTable
from even_ballot.formats.printed.looks import PAPER, look_of

_A_CHARACTER, _BETWEEN = 1.5, 3.8
"""Millimetres of a figure in print, and between two columns."""


def widths(table: PrintedTable) -> tuple[float, ...]:
    """How wide each column of figures is in print, in millimetres: as its longest entry, or the longest word
    of its own heading."""
    longest = [3] * table.columns
    for row in (row for group in table.groups for row in group.rows):
        small = 0.87 if row.weight == "soft" else 1.0
        for c, entry in enumerate(row.entries):
            longest[c] = max(longest[c], round(small * (len(entry.text) + len(entry.beside))))
    for head in (head for row in table.heads for head in row if head.span == 1):
        word = max((len(word) for word in head.text.split()), default=0)
        longest[head.first] = max(longest[head.first], min(word + 1, 20))
    return tuple(_A_CHARACTER * count + _BETWEEN for count in longest)


def stub_widths(table: PrintedTable) -> tuple[float, ...]:
    """How wide the columns of the stub are in print, in millimetres: as their longest label, within
    reason."""
    rows = [row for group in table.groups for row in group.rows]
    longest = (max((len(row.labels[c]) for row in rows), default=0) for c in range(len(table.stub)))
    return tuple(min(1.15 * _A_CHARACTER * max(count, 8) + _BETWEEN, 60.0) for count in longest)


def stub_width(table: PrintedTable) -> float:
    """How wide the stub is in print, in millimetres."""
    return sum(stub_widths(table))


def pieces(table: PrintedTable, room: float, most: int) -> tuple[PrintedTable, ...]:
    """A table broken by columns where it is wider than the room (in millimetres) or has more columns than
    `most`, the stub repeated.

    A break stands at the end of an outermost heading where one is near.
    """
    wide, left = widths(table), room - stub_width(table)
    if sum(wide) <= left and table.columns <= most:
        return (table,)
    ends = {h.first + h.span for row in table.heads[:1] for h in row} | {table.columns}
    found, first = [], 0
    while first < table.columns:
        last = first + 1
        while last < min(table.columns, first + most) and sum(wide[first : last + 1]) <= left:
            last += 1
        near = [end for end in ends if first + (last - first) // 2 < end <= last]
        last = max(near, default=last)
        found.append(table.cut(first, last))
        first = last
    return tuple(found)


def room(document: Document, turned: bool) -> float:
    """Millimetres between the margins of a page."""
    return PAPER[document.style.paper][1 if turned else 0] - 2.0 * look_of(document.style).margin


def is_turned(document: Document, table: PrintedTable) -> bool:
    """Whether a table stands on a page that lies on its side."""
    turn = document.style.turn
    return turn == "always" or (
        turn == "where it helps" and sum(widths(table)) + stub_width(table) > room(document, False)
    )
