"""Headings: short unique names made from long ones, the full text kept as label."""

import keyword
import re
import unicodedata
from collections.abc import Sequence
from itertools import zip_longest

_NUMBERLIKE = re.compile(r"[+-]?\d+([.,]\d+)?|[+-]?[.,]\d+")
_PLAIN = re.compile(r"[A-Za-z_][A-Za-z0-9_]{0,39}")
_OPENING, _CLOSING = '"“„«[', '"”»]'
_WORDS = (
    "a an and are at by did do does for from had has have how i if in is it many much of on or please so "
    "that the their them "
    "then there these this those to was were what when where which who why will with would you your"
)
_FILLERS = frozenset(_WORDS.split())
_LONGEST, _LOOKED_AT = 24, 1000


def own_part(heading: str) -> str | None:
    """What stands in the quotes or brackets that a heading ends in, if anything of some length does."""
    end = len(heading)
    while end and not (heading[end - 1].isalnum() or heading[end - 1] == "_" or heading[end - 1] in _CLOSING):
        end -= 1
    if not end or heading[end - 1] not in _CLOSING:
        return None
    inside = heading[max(end - 1 - _LOOKED_AT, 0) : end - 1]
    start = max(inside.rfind(mark) for mark in _OPENING + _CLOSING)
    part = inside[start + 1 :]
    return part if start >= 0 and inside[start] in _OPENING and len(part) > 2 else None


def short_name(heading: str, position: int) -> str:
    """A name that can stand in a formula: the heading itself where it can, else made of its telling words.

    Where a heading ends in quotes or brackets, what stands in them tells it from its neighbours.

    >>> short_name('How far do you agree: "The ferry runs when I need it"?', 4)
    'ferry_runs_need'
    >>> short_name("How old are you?", 3)
    'old'
    >>> short_name("q1", 0)
    'q1'
    """
    # `row` is the record's number in every output.
    if _PLAIN.fullmatch(heading) and not keyword.iskeyword(heading) and heading != "row":
        return heading
    heading = own_part(heading) or heading[:_LOOKED_AT]
    ascii_only = unicodedata.normalize("NFKD", heading).encode("ascii", "ignore").decode().lower()
    words = re.findall(r"[a-z0-9]+", ascii_only.replace("'", ""))
    telling = [word for word in words if word not in _FILLERS] or words
    name = ""
    for word in telling:
        if name and len(name) + 1 + len(word) > _LONGEST:
            break
        name = f"{name}_{word}" if name else word[:_LONGEST]
    if not name:
        return f"column_{position + 1}"
    return f"c_{name}" if name[0].isdigit() or keyword.iskeyword(name) or name == "row" else name


def unique_names(headings: Sequence[str]) -> tuple[str, ...]:
    """A short name for every heading, no two alike."""
    taken: set[str] = set()
    next_of: dict[str, int] = {}
    names = []
    for position, heading in enumerate(headings):
        base = name = short_name(heading, position)
        k = next_of.get(base, 2)
        while name in taken:
            name = f"{base}_{k}"
            k += 1
        next_of[base] = k
        taken.add(name)
        names.append(name)
    return tuple(names)


def _filled(row: Sequence[str], below: Sequence[str]) -> list[str]:
    """A row of headings with each one carried on over the blanks that follow it, where there is something
    below."""
    filled: list[str] = []
    for cell, under in zip(row, below, strict=True):
        filled.append(cell if cell or not under or not filled else filled[-1])
    return filled


def split_headings(
    rows: Sequence[Sequence[str]], names_row: int = 1
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Names and labels from one or several heading rows: row `names_row` (from 1) holds the names, the others
    become labels.

    Where the first of several rows has blanks over filled cells, it heads groups of columns: each column's
    label is then the group's heading with its own in brackets, and its name is made from that.
    """
    stripped = [[cell.strip() for cell in row] for row in rows]
    first = stripped[min(names_row, len(rows)) - 1]
    if len(rows) == 1:
        return unique_names(first), tuple(first)
    top, under = stripped[0], stripped[1]
    if any(not a and b for a, b in zip(top, under, strict=True)) and any(top):
        groups = _filled(top, under)
        both = zip(groups, under, strict=True)
        labels = [
            f"{group} [{own}]" if group and own and group != own else group or own for group, own in both
        ]
        return unique_names(labels), tuple(labels)
    others = [row for i, row in enumerate(stripped) if i != min(names_row, len(rows)) - 1]
    below = (" ".join(filter(None, (row[i] for row in others))) for i in range(len(first)))
    return unique_names(first), tuple(text or heading for text, heading in zip(below, first, strict=True))


def _names(row: Sequence[str]) -> bool:
    """Whether a row's cells are all short names, no two alike."""
    return all(_PLAIN.fullmatch(cell) for cell in row) and len(set(row)) == len(row)


def _number(cell: str) -> bool:
    return bool(_NUMBERLIKE.fullmatch(cell))


def _mean_length(cells: Sequence[str]) -> float:
    filled = [len(cell) for cell in cells if cell]
    return sum(filled) / len(filled) if filled else 0.0


def _heads_groups(one: Sequence[str], two: Sequence[str], below: Sequence[Sequence[str]]) -> bool:
    """Whether a first row heads groups of columns: some cells, none a number, over a row that is filled and
    says each thing once, and nothing that is said again below it, where answers are."""
    filled = [i for i, cell in enumerate(one) if cell]
    if len(filled) < 2 or len(filled) > 0.7 * len(one) or filled[-1] < 2:
        return False
    under = [cell for i, cell in enumerate(two) if cell or i not in filled]
    if not all(two[i] for i in range(len(two)) if not one[i]) or any(map(_number, (*one, *two))):
        return False
    columns = [[cell.strip() for cell in column] for column in zip_longest(*below, fillvalue="")]
    said = any(cell and cell in column for cell, column in zip(two, columns, strict=False))
    answers = [list(filter(None, column)) for column in columns]
    recurs = any(len(set(column)) < len(column) for column in answers)
    return len(set(under)) == len(under) and recurs and not said


def guess_heading_rows(rows: Sequence[Sequence[str]]) -> tuple[int, int]:
    """How many of a file's first rows are headings, 1 or 2, and which of them holds the names.

    Two only where one row is all short names and the other reads as questions: long beside the entries
    below, none of them a number, none of them an answer that recurs.
    """
    if len(rows) < 3 or len(rows[0]) < 2 or len(rows[0]) != len(rows[1]):
        return 1, 1
    one, two = ([cell.strip() for cell in row] for row in rows[:2])
    if _heads_groups(one, two, rows[2:]):
        return 2, 1
    if not all(one) or sum(map(bool, two)) < 0.8 * len(two) or _names(one) == _names(two):
        return 1, 1
    records = [[cell.strip() for cell in row] for row in rows[2:] if len(row) == len(one)]
    columns = list(zip(*records, strict=True)) if records else []
    if not columns or any(map(_number, (*one, *two))):
        return 1, 1
    if any(cell and cell in column for cell, column in zip(two, columns, strict=True)):
        return 1, 1
    entries = [cell for column in columns for cell in column]
    texts = two if _names(one) else one
    numeric = any(any(column) and all(map(_number, filter(None, column))) for column in columns)
    longer = _mean_length(texts) / max(_mean_length(entries), 1)
    if _mean_length(texts) < 10 or longer < (1.5 if numeric else 3):
        return 1, 1
    return 2, 1 if _names(one) else 2
