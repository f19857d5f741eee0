"""Expected figures of the reference cases, and how a result is held against them."""

import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any

CASES = Path(__file__).parents[1] / "reference"
_CELL = ("est", "se", "low", "high", "n", "base_n", "deff")
_TEST = ("chi2", "f", "df1", "df2", "p", "diff", "se", "t", "p_adjusted")
_WEIGHTS = ("n", "n_effective", "efficiency", "deff_weights", "min", "max")
_ROW = ("target", "before", "after", "mean_weight", "n")
_INTERVAL = ("est", "se", "low", "high", "t", "p")
_MODEL: dict[str, tuple[str, tuple[str, ...]]] = {
    "coefficients": ("term", (*_INTERVAL, "odds_ratio", "or_low", "or_high")),
    "joint": ("term", ("f", "df1", "df2", "p")),
    "predictions": ("variable code", ("est", "se", "low", "high")),
    "differences": ("variable a b", ("diff", "se", "low", "high", "t", "p")),
    "items": ("variable", ("mean", "sd", "item_rest", "alpha_without")),
    "pairs": ("a b", ("n", *_INTERVAL)),
}
"""Lists in an analysis: what a row is known by, and its figures."""
_WHOLE = ("n", "r2", "alpha", "se", "low", "high", "standardised")


def _close(a: Any, b: float, rel: float = 1e-6, absolute: float = 1e-9) -> bool:
    return a is not None and math.isclose(a, b, rel_tol=rel, abs_tol=absolute)


def _cell_key(cell: dict[str, Any]) -> tuple[Any, ...]:
    path = tuple((step["variable"], step["code"]) for step in cell["banner"])
    return cell["stub"]["variable"], cell["stub"].get("code"), path, cell["stat"]


def _test_key(test: dict[str, Any]) -> tuple[Any, ...]:
    return (
        test["kind"],
        str(test["stub"]),
        tuple(test["banner"]),
        tuple(test.get("a", ())),
        tuple(test.get("b", ())),
        test.get("stat"),
    )


def _fields(
    name: str, got: dict[str, Any] | None, want: dict[str, Any], fields: tuple[str, ...], rel: float
) -> Iterator[str]:
    if got is None:
        yield f"{name} is absent"
        return
    for field in fields:
        if field in want and not _close(got.get(field), want[field], rel):
            yield f"{name} {field}: got {got.get(field)}, want {want[field]}"


def _row_key(row: dict[str, Any], names: str) -> str:
    return str([row[name] for name in names.split()])


def _analyses(got: dict[str, Any], want: dict[str, Any]) -> Iterator[str]:
    for part in ("models", "reliability", "correlations"):
        found = {x["id"]: x for x in got.get(part, [])}
        for analysis in want.get(part, []):
            mine, name = found.get(analysis["id"]), f"{part} {analysis['id']}"
            yield from _fields(name, mine, analysis, _WHOLE, 1e-6)
            if mine is None:
                continue
            if "coefficients" not in analysis and part == "models":
                if mine.get("coefficients") or not mine.get("message"):
                    yield f"{name}: wants a message and no estimates"
                continue
            for rows, (key, fields) in _MODEL.items():
                there = {_row_key(row, key): row for row in mine.get(rows, [])}
                for row in analysis.get(rows, []):
                    yield from _fields(
                        f"{name} {_row_key(row, key)}", there.get(_row_key(row, key)), row, fields, 1e-6
                    )
            if mine.get("left_out", []) != analysis.get("left_out", []):
                yield f"{name}: left out {mine.get('left_out')}, want {analysis.get('left_out')}"


def differences(got: dict[str, Any], want: dict[str, Any]) -> Iterator[str]:
    """Every figure that is expected and not found."""
    for part in ("cases", "design"):
        for key, value in want.get(part, {}).items():
            if got[part][key] != value:
                yield f"{part}.{key}: got {got[part][key]}, want {value}"
    reports = {w["save_as"]: w for w in got["weightings"]}
    for weighting in want.get("weightings", []):
        mine = reports[weighting["save_as"]]
        yield from _fields(weighting["save_as"], mine, weighting, _WEIGHTS, 1e-6)
        rows = {
            (m.get("total_of"), tuple(m["by"]), tuple(sorted(r["at"].items(), key=str))): r
            for m in mine["margins"]
            for r in m["rows"]
        }
        for margin in weighting["margins"]:
            for row in margin["rows"]:
                key = (
                    margin.get("total_of"),
                    tuple(margin["by"]),
                    tuple(sorted(row["at"].items(), key=str)),
                )
                yield from _fields(str(row["at"]), rows.get(key), row, _ROW, 1e-6)
    yield from _analyses(got, want)
    tables = {t["id"]: t for t in got["tables"]}
    for table in want["tables"]:
        cells = {_cell_key(c): c for c in tables[table["id"]]["cells"]}
        for cell in table["cells"]:
            if cell["stat"] in ("n", "count") and cell["est"] == 0:
                continue
            fields = tuple(f for f in _CELL if not (f == "deff" and cell.get("deff", 1) < 1e-9))
            yield from _fields(str(_cell_key(cell)), cells.get(_cell_key(cell)), cell, fields, 1e-6)
        tests = {_test_key(t): t for t in tables[table["id"]]["tests"]}
        for test in table["tests"]:
            yield from _fields(str(_test_key(test)), tests.get(_test_key(test)), test, _TEST, 1e-5)
