"""Targets from lines of text: a label or code for each variable, and a value; in any order."""

import re
from dataclasses import dataclass
from itertools import product

from even_ballot.core.dataset import Dataset
from even_ballot.core.weighting.margins import codes_of

_VALUE = re.compile(r"^(.*?)[\s,;:|]*?([+-]?\d[\d\s\u00a0'’]*(?:,\d{3})*(?:[.,]\d+)?)\s*%?\s*$")
_BETWEEN = re.compile(r"\s*(?:\t|;|\||,|×|/)\s*")


@dataclass(frozen=True)
class PastedTarget:
    """A line of pasted targets. at is None where its label fits no category; problem says what is wrong."""

    line: int
    text: str
    at: dict[str, int] | None
    value: float | None
    problem: str | None


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
    bare = re.sub(r"[\s\u00a0'’]", "", text)
    if re.fullmatch(r"[+-]?\d{1,3}(,\d{3})+(\.\d+)?", bare):
        bare = bare.replace(",", "")
    try:
        return float(bare.replace(",", "."))
    except ValueError:
        return None


def match_targets(data: Dataset, by: tuple[str, ...], text: str) -> PastedTargets:
    """Each line's category by label or code (several variables in any separator), and its value.

    Shape of a line: `label[, label …] value`, separated by tabs, semicolons, commas or spaces. Lines that fit nothing,
    fit a category twice, or hold no value are returned with what is wrong; a first line without a value is a heading.
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
        found = _VALUE.match(line)
        value = _value(found.group(2)) if found else None
        if found is None or value is None:
            if lines:
                lines.append(PastedTarget(number, line, None, None, "There is no value on this line."))
            continue
        spot = _spot(found.group(1), spots)
        problem = None
        if spot is None:
            problem = f"{found.group(1).strip(' ,;:|') or 'Nothing'!s} is no category of {' × '.join(by)}."
        elif tuple(spot.values()) in named:
            problem = "This category has a target already."
        else:
            named.add(tuple(spot.values()))
            total += value
        lines.append(PastedTarget(number, line, spot, value, problem))
    left = tuple(title for codes, title in titles.items() if codes not in named)
    return PastedTargets(tuple(lines), left, total)


def _spot(text: str, spots: dict[tuple[str, ...], dict[str, int]]) -> dict[str, int] | None:
    """The category a line names: the text whole, or its parts."""
    whole = _folded(text.strip(" \t,;:|"))
    if (whole,) in spots:
        return spots[(whole,)]
    parts = tuple(_folded(part) for part in _BETWEEN.split(text.strip(" \t,;:|")) if part.strip())
    return spots.get(parts)
