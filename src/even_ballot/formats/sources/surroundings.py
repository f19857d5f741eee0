"""What stands around a table in its file: titles above the headings, notes and totals below the records."""

import csv
import io
import re
from collections import Counter
from collections.abc import Callable, Sequence

import numpy as np

from even_ballot.core.data.dataset import ANSWERED, Column
from even_ballot.core.numerics.arrays import Bools

_TAIL, _MOST = 1 << 16, 60
_NUMBER = re.compile(r"\s*[^\w\s]?\s*[+-]?[\d.,'\u00a0\u202f ]*\d\s*[%\w]{0,3}\s*")
_NOTE = re.compile(
    r"\s*(\*|†|‡|\(?\d?\)?\s*(notes?|source|sources|footnote|base|weighted|unweighted|n\s*=|©|produced|generated"
    r"|exported|created|last updated|end of|copyright|prepared|remarks?|quelle|fuente|anmerkung)\b)",
    re.IGNORECASE,
)
_TOTAL = re.compile(
    r"\s*(grand total|sub-?total|totals?|sum|overall|average|mean|all( cases| records| respondents)?"
    r"|gesamt|insgesamt"
    r"|summe|total général|totale|suma)\s*:?\s*",
    re.IGNORECASE,
)


def _filled(row: Sequence[str]) -> list[int]:
    return [i for i, cell in enumerate(row) if cell.strip()]


def width_of(rows: Sequence[Sequence[str]]) -> int:
    """How many columns most rows reach; of widths as common, the largest."""
    widths = Counter(filled[-1] + 1 for row in rows if (filled := _filled(row)))
    return max(widths, key=lambda width: (widths[width], width), default=0)


def guess_rows_above(rows: Sequence[Sequence[str]]) -> int:
    """How many of a file's first rows, none of them blank, are titles above its headings: they fill the
    first cell, or the first two, of a wide table."""
    wide = width_of(rows)
    above = 0
    while wide >= 3 and above < len(rows) - 2:
        filled = _filled(rows[above])
        if filled != [0] and not (filled == [0, 1] and wide >= 5):
            break
        above += 1
    # Where nothing is left that reaches as far as the others, the first rows are records.
    if not above or above >= len(rows) - 1:
        return 0
    # What follows a title are headings: two rows at most until one is filled, and none of it a number. A
    # first row with names for some columns only is no title.
    headings = rows[above : above + 2] if len(_filled(rows[above])) < 0.5 * wide else rows[above : above + 1]
    reaches = max(len(_filled(row)) for row in headings) >= 0.5 * wide
    numbers = any(_NUMBER.fullmatch(cell) for row in headings for cell in row if cell.strip())
    return above if reaches and not numbers else 0


def _is_note(row: Sequence[str], wide: int) -> bool:
    filled = _filled(row)
    if filled != [0] or wide < 3 or _NUMBER.fullmatch(row[0]):
        return False
    return len(row) == 1 or _NOTE.match(row[0]) is not None or len(row[0].split()) >= 4


def _is_total(row: Sequence[str], wide: int, recurs: Callable[[str], bool]) -> bool:
    """recurs: whether another row begins with the same, so that it is an answer and no total."""
    filled = _filled(row)
    if len(filled) < 2 or wide < 2 or _TOTAL.fullmatch(row[filled[0]]) is None or recurs(row[0]):
        return False
    return all(_NUMBER.fullmatch(row[i]) for i in filled[1:])


def guess_rows_below(rows: Sequence[Sequence[str]], wide: int) -> int:
    """How many of the last rows, none of them blank, are notes or totals."""
    begins = Counter(row[0] for row in rows if row)
    below = 0
    while below < len(rows) - 1 and below < _MOST:
        row = rows[len(rows) - 1 - below]
        if not (_is_note(row, wide) or _is_total(row, wide, lambda cell: begins[cell] > 1)):
            break
        below += 1
    return below


def cut_tail(body: bytes, delimiter: str, wide: int, said: int | None) -> tuple[bytes, int]:
    """A delimited text without the notes and totals at its end, and how many rows those are. said: how many,
    where that is not to be guessed."""
    start = max(0, len(body) - _TAIL)
    # A line that was cut by looking at the end alone is none to judge.
    at = body.find(b"\n", start) + 1 if start else 0
    lines = body[at:].split(b"\n")
    ends = at + np.cumsum([len(line) + 1 for line in lines])
    taken, cut = 0, len(body)

    def recurs(cell: str) -> bool:
        return bool(cell) and body.count(f"\n{cell}{delimiter}".encode()) > 1

    for k in range(len(lines) - 1, 0, -1):
        if said is not None and taken == said:
            break
        text = lines[k].decode(errors="replace").strip("\r")
        if not text.strip(delimiter + " \t"):
            continue
        if said is None:
            if taken == _MOST or text.count('"') % 2:
                break
            row = next(csv.reader(io.StringIO(text), delimiter=delimiter), [])
            if not (_is_note(row, wide) or _is_total(row, wide, recurs)):
                break
        taken += 1
        cut = int(ends[k - 1])
    return (body[:cut], taken) if taken else (body, 0)


def repeats(columns: Sequence[Column], headings: Sequence[str]) -> Bools:
    """Which records are the headings once more, cell by cell."""
    found = np.ones(len(columns[0].values) if columns else 0, np.bool_)
    if sum(1 for heading in headings if heading.strip()) < 2:
        return np.zeros(len(found), np.bool_)
    # Where few entries are to be looked through, it is seen soonest that there are none.
    by_size = sorted(zip(columns, headings, strict=False), key=lambda pair: len(pair[0].words))
    for column, heading in by_size:
        wanted = heading.strip()
        if not wanted:
            continue
        match = np.array([word.strip() == wanted for word in column.words] or [False])
        if not match.any():
            return np.zeros(len(found), np.bool_)
        found &= match[np.where(column.state == ANSWERED, column.values, 0)] & (column.state == ANSWERED)
        if not found.any():
            break
    return found
