"""What changed between two releases of a study: tables, figures, cases, weights, design. Read from their
results as they were written down, so that a release of any earlier version can be compared."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from math import isclose
from typing import Any, Literal

from even_ballot.core.tables.statistics import find_statistic

Written = Mapping[str, Any]
"""results.json of a release."""
_SAME = 1e-9


@dataclass(frozen=True)
class NamedThing:
    """A table or analysis that came, went, or has another title now. part: tables, models, …"""

    part: str
    id: str
    title: str
    before: str | None = None


@dataclass(frozen=True)
class MovedNumber:
    """A number of the study as a whole before and after, None where there is none: what it is, in words."""

    what: str
    before: float | None
    after: float | None


@dataclass(frozen=True)
class ReleasedFigure:
    """A figure before and after, None where there is none. row, column, figure: in words; share: it is one;
    change:
    after less before; beyond: it left the interval that it was released with; weight: how large the change
    is against half that interval (or, without one, against the figure)."""

    part: str
    id: str
    title: str
    row: str
    column: str
    stat: str
    figure: str
    before: float | None
    after: float | None
    change: float | None
    beyond: bool
    weight: float
    share: bool


@dataclass(frozen=True)
class ReleaseChanges:
    """Everything that differs. figures: how many there are of both, moved: those that differ, what matters
    most first."""

    new: tuple[NamedThing, ...]
    gone: tuple[NamedThing, ...]
    renamed: tuple[NamedThing, ...]
    numbers: tuple[MovedNumber, ...]
    figures: int
    moved: tuple[ReleasedFigure, ...]

    @property
    def nothing(self) -> bool:
        """Whether both say the same."""
        return not (self.new or self.gone or self.renamed or self.numbers or self.moved)


@dataclass(frozen=True)
class _Figure:
    row: str
    column: str
    stat: str
    value: float
    low: float | None
    high: float | None
    share: bool = False


Figures = dict[tuple[object, ...], _Figure]
Part = Literal["tables", "models", "reliability", "correlations"]


def _labels(groups: list[Written]) -> dict[tuple[str, int], str]:
    """Labels of the codes of stub variables or of banners."""
    found: dict[tuple[str, int], str] = {}
    for group in groups:
        names = group.get("variables") or [group.get("variable")]
        levels = group["categories"] if group.get("variables") else [group["categories"]]
        for name, categories in zip(names, levels, strict=True):
            found |= {(name, item["code"]): item["label"] for item in categories}
    return found


def _step(key: Written, labels: Mapping[tuple[str, int], str]) -> str:
    if key.get("net") is not None:
        return str(key["net"])
    code = key.get("code")
    return "" if code is None else labels.get((key["variable"], code), str(code))


def _table(table: Written) -> Figures:
    rows, columns = _labels(table.get("stubs", [])), _labels(table.get("banners", []))
    titles = {stub["variable"]: stub["title"] for stub in table.get("stubs", [])}
    found: Figures = {}
    for cell in table["cells"]:
        stub, path = cell["stub"], cell.get("banner", [])
        at = tuple((key["variable"], key.get("code"), key.get("net")) for key in path)
        column = ", ".join(_step(key, columns) for key in path) or "All"
        row = _step(stub, rows) or titles.get(stub["variable"], stub["variable"])
        key = (stub["variable"], stub.get("code"), stub.get("net"), at, cell["stat"])
        share = str(cell["stat"]).endswith("_pct")
        found[key] = _Figure(row, column, cell["stat"], cell["est"], cell.get("low"), cell.get("high"), share)
    return found


_OTHERS = {"alpha": "α", "r": "r", "coefficient": "Coefficient"}


def _called(stat: str) -> str:
    """What a figure is called, of a table or an analysis."""
    statistic = find_statistic(stat)
    return _OTHERS.get(stat, stat) if statistic is None else statistic.label_of(stat)


def _term(term: list[Written], variables: Mapping[str, Written]) -> str:
    """A term in words: Isle: Orran × Age."""
    return " × ".join(_factor(of, variables.get(of["variable"], {})) for of in term) or "Intercept"


def _factor(factor: Written, variable: Written) -> str:
    called, code = str(variable.get("title") or factor["variable"]), factor.get("code")
    if code is None:
        return called
    labels = dict(zip(variable.get("codes", []), variable.get("labels", []), strict=False))
    return f"{called}: {labels.get(code, code)}"


def _model(model: Written) -> Figures:
    variables = {of["variable"]: of for of in model.get("variables", [])}
    found: Figures = {}
    for of in model.get("coefficients", []):
        key = tuple((factor["variable"], factor.get("code")) for factor in of["term"])
        words = _term(of["term"], variables)
        found[(key,)] = _Figure(words, "", "coefficient", of["est"], of.get("low"), of.get("high"))
    return found


def _scale(scale: Written) -> Figures:
    if scale.get("alpha") is None:
        return {}
    return {("alpha",): _Figure("α", "", "alpha", scale["alpha"], scale.get("low"), scale.get("high"))}


def _pairs(found: Written) -> Figures:
    there = [of for of in found.get("pairs", []) if of.get("est") is not None]
    return {
        (of["a"], of["b"]): _Figure(
            f"{of['a']} with {of['b']}", "", "r", of["est"], of.get("low"), of.get("high")
        )
        for of in there
    }


_READ = {"tables": _table, "models": _model, "reliability": _scale, "correlations": _pairs}


def _numbers(before: Written, after: Written) -> Iterator[MovedNumber]:
    def of(document: Written) -> dict[str, float]:
        cases, design = document.get("cases", {}), document.get("design", {})
        found: dict[str, float | None] = {
            "cases received": cases.get("source"),
            "cases in use": cases.get("used"),
        }
        found |= {"strata": design.get("strata"), "first-stage units": design.get("psus")}
        found |= {"degrees of freedom": design.get("df")}
        for report in document.get("weightings", []):
            name = report["save_as"]
            found |= {
                f"{name}: cases with weight": report.get("n"),
                f"{name}: smallest weight": report.get("min"),
            }
            found |= {f"{name}: largest weight": report.get("max")}
            found |= {f"{name}: effective sample size": report.get("n_effective")}
        return {what: value for what, value in found.items() if value is not None}

    was, now = of(before), of(after)
    for what in (*was, *(what for what in now if what not in was)):
        a, b = was.get(what), now.get(what)
        if a is None or b is None or not isclose(a, b, rel_tol=_SAME):
            yield MovedNumber(what, a, b)


def _weight(was: _Figure | None, change: float | None) -> float:
    if was is None or change is None:
        return 0.0
    if was.low is not None and was.high is not None and was.high > was.low:
        return abs(change) / ((was.high - was.low) / 2)
    return abs(change) / abs(was.value) if was.value else float("inf")


def _moved(part: str, thing: Written, was: Figures, now: Figures) -> Iterator[ReleasedFigure]:
    for key in (*now, *(key for key in was if key not in now)):
        a, b = was.get(key), now.get(key)
        if a is not None and b is not None and isclose(a.value, b.value, rel_tol=_SAME, abs_tol=1e-15):
            continue
        own = b or a
        assert own is not None
        change = b.value - a.value if a is not None and b is not None else None
        beyond = (
            a is not None
            and b is not None
            and ((a.low is not None and b.value < a.low) or (a.high is not None and b.value > a.high))
        )
        values = (None if a is None else a.value, None if b is None else b.value)
        yield ReleasedFigure(
            part,
            str(thing["id"]),
            str(thing["title"]),
            own.row,
            own.column,
            own.stat,
            _called(own.stat),
            *values,
            change,
            beyond,
            _weight(a, change),
            own.share,
        )


def released_changes(before: Written, after: Written) -> ReleaseChanges:
    """What differs between the results of two releases, beyond rounding (one part in 10⁹).

    >>> table = {"id": "t", "title": "Age", "cells": [
    ...     {"stub": {"variable": "age"}, "stat": "mean", "est": 40.0, "low": 38.0, "high": 42.0}]}
    >>> other = {**table, "cells": [{**table["cells"][0], "est": 43.0}]}
    >>> found = released_changes({"tables": [table]}, {"tables": [other]})
    >>> [(of.row, of.change, of.beyond, of.weight) for of in found.moved]
    [('age', 3.0, True, 1.5)]
    """
    new, gone, renamed, moved, count = [], [], [], list[ReleasedFigure](), 0
    for part, read in _READ.items():
        was = {of["id"]: of for of in before.get(part, [])}
        now = {of["id"]: of for of in after.get(part, [])}
        gone += [NamedThing(part, id, of["title"]) for id, of in was.items() if id not in now]
        for id, of in now.items():
            if id not in was:
                new.append(NamedThing(part, id, of["title"]))
                continue
            if of["title"] != was[id]["title"]:
                renamed.append(NamedThing(part, id, of["title"], was[id]["title"]))
            earlier, later = read(was[id]), read(of)
            count += len(earlier.keys() & later.keys())
            moved += _moved(part, of, earlier, later)
    moved.sort(key=lambda of: (not of.beyond, -of.weight))
    numbers = tuple(_numbers(before, after))
    return ReleaseChanges(tuple(new), tuple(gone), tuple(renamed), numbers, count, tuple(moved))
