"""Headings: short unique names made from long ones, the full text kept as label."""

import keyword
import re
import unicodedata
from collections.abc import Sequence

_PLAIN = re.compile(r"[A-Za-z_][A-Za-z0-9_]{0,39}")
_OWN_PART = re.compile(r"[\"“„«\[]([^\"“”„«»\[\]]{3,})[\"”»\]]\W*$")
_WORDS = (
    "a an and are at by did do does for from had has have how i if in is it many much of on or please so that the their them "
    "then there these this those to was were what when where which who why will with would you your"
)
_FILLERS = frozenset(_WORDS.split())
_LONGEST = 24


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
    if _PLAIN.fullmatch(heading) and not keyword.iskeyword(heading):
        return heading
    if (part := _OWN_PART.search(heading)) is not None:
        heading = part.group(1)
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
    names = []
    for position, heading in enumerate(headings):
        base = name = short_name(heading, position)
        k = 2
        while name in taken:
            name = f"{base}_{k}"
            k += 1
        taken.add(name)
        names.append(name)
    return tuple(names)


def split_headings(rows: Sequence[Sequence[str]]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Names and labels from one or several heading rows: the first holds the names, the others become labels."""
    first = [cell.strip() for cell in rows[0]]
    names = unique_names(first)
    if len(rows) == 1:
        return names, tuple(first)
    below = (" ".join(filter(None, (row[i].strip() for row in rows[1:]))) for i in range(len(first)))
    return names, tuple(text or heading for text, heading in zip(below, first, strict=True))
