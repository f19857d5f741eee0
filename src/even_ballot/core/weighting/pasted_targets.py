"""Targets from lines of text: a label or code for each variable, and a value; in any order."""

import re
from collections.abc import Collection
from dataclasses import dataclass
from itertools import product

from rapidfuzz import fuzz, process

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.weighting.laying.margins import codes_of

_VALUE = re.compile(r"[+-]?(\d{1,3}([ \u00a0\u202f'’,]\d{3})+(\.\d+)?|\d+([.,]\d+)?)\s*%?")
_LIKE = 75
_APART = " \t,;:|"
_BETWEEN = re.compile(r"[\t;|,×/]")


@dataclass(frozen=True)
class PastedTarget:
    """A line of pasted targets. at and label are None where its label fits no category; problem says what
    is wrong; likely is the category that was probably meant, where its label is misspelt."""

    line: int
    text: str
    at: dict[str, int] | None
    label: str | None
    value: float | None
    problem: str | None
    likely: str | None = None


@dataclass(frozen=True)
class PastedTargets:
    """Pasted targets, the categories nobody named, and what the values sum to."""

    lines: tuple[PastedTarget, ...]
    without_target: tuple[str, ...]
    total: float


def _folded(text: str) -> str:
    return " ".join(text.replace("\u00a0", " ").split()).casefold().strip("\"'")


def _value(text: str) -> float | None:
    """A number as spreadsheets write it: 12,830 and 12 830 are thousands, 0,48 and 48.2 have decimals."""
    bare = re.sub(r"[\s\u00a0\u202f'’]", "", text)
    if re.fullmatch(r"[+-]?\d{1,3}(,\d{3})+(\.\d+)?", bare):
        bare = bare.replace(",", "")
    try:
        return float(bare.replace(",", "."))
    except ValueError:
        return None


def _splits(line: str) -> list[tuple[str, float]]:
    """The ways to read a line as a label and a value after it, longest value first."""
    found = []
    for at in range(len(line)):
        if (at == 0 or line[at - 1] in _APART + "\u00a0") and _VALUE.fullmatch(line[at:].strip()):
            value = _value(line[at:].strip(" \t%"))
            if value is not None:
                found.append((line[:at].strip(_APART + "\u00a0"), value))
    return found


def match_targets(data: Dataset, by: tuple[str, ...], text: str) -> PastedTargets:
    """Each line's category by label or code (several variables in any separator), and its value.

    Shape of a line: `label[, label …] value`, separated by tabs, semicolons, commas or spaces. Lines that
    fit nothing, fit a category twice, or hold no value are returned with what is wrong; a first line
    without a value is a heading.

    >>> from even_ballot.core.data.example import ferry
    >>> found = match_targets(ferry(), ("isle",), "Hask 40")
    >>> [(line.at, line.value) for line in found.lines]
    [({'isle': 1}, 40.0)]
    """
    labels = [codes_of(data, name, "by") for name in by]
    spots: dict[tuple[str, ...], dict[str, int]] = {}
    titles: dict[tuple[int, ...], str] = {}
    for combination in product(*(items.items() for items in labels)):
        at = {name: code for name, (code, _) in zip(by, combination, strict=True)}
        titles[tuple(at.values())] = ", ".join(label for _, label in combination)
        for ways in product(*((_folded(label), str(code)) for code, label in combination)):
            spots[ways] = at
        spots.setdefault((_folded(titles[tuple(at.values())]),), at)
    lines: list[PastedTarget] = []
    named: set[tuple[int, ...]] = set()
    total = 0.0
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        splits = _splits(line)
        if not splits:
            if lines:
                lines.append(PastedTarget(number, line, None, None, None, "There is no value on this line."))
            continue
        # A label may end in a number ("18 to 34"), so the split that names a category is the one meant.
        label, value = next(((label, value) for label, value in splits if _spot(label, spots)), splits[-1])
        spot = _spot(label, spots)
        problem = likely = None
        if spot is None:
            problem = (
                f"{label} is not a category of {' × '.join(by)}."
                if label
                else "The category is missing on this line."
            )
            likely = _likely(label, titles.values())
        elif tuple(spot.values()) in named:
            problem = "This category has a target already."
        else:
            named.add(tuple(spot.values()))
            total += value
        title = None if spot is None else titles[tuple(spot.values())]
        lines.append(PastedTarget(number, line, spot, title, value, problem, likely))
    left = tuple(title for codes, title in titles.items() if codes not in named)
    return PastedTargets(tuple(lines), left, total)


def _likely(label: str, titles: Collection[str]) -> str | None:
    """The category whose name is most like a label, where one is like it enough to be meant."""
    wanted = _folded(", ".join(part for part in _BETWEEN.split(label) if part.strip()))
    found = process.extractOne(
        wanted, {title: _folded(title) for title in titles}, scorer=fuzz.ratio, score_cutoff=_LIKE
    )
    return None if found is None else str(found[2])


def _spot(text: str, spots: dict[tuple[str, ...], dict[str, int]]) -> dict[str, int] | None:
    """The category a line names: the text whole, or its parts."""
    whole = _folded(text)
    if (whole,) in spots:
        return spots[(whole,)]
    parts = tuple(_folded(part) for part in _BETWEEN.split(text) if part.strip())
    return spots.get(parts)
