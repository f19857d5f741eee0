"""Tables as JSON-stat 2.0: a dataset each, and a collection of them all."""

import json
from collections.abc import Sequence
from typing import Any

from even_ballot.core.study.results import Results
from even_ballot.core.study.study_file import Study
from even_ballot.core.tables.results import TableResult
from even_ballot.core.tables.statistics import statistic_of
from even_ballot.formats.estimates.lines import EstimateLine, table_lines
from even_ballot.formats.tables.notes import notes_of

_BESIDE = (
    ("se", "standard error"),
    ("low", "lower limit"),
    ("high", "upper limit"),
    ("base_n", "base (unweighted)"),
)
_HIDDEN, _WEAK, _TOTAL = "x", "u", "total"


def _row_id(line: EstimateLine) -> str:
    if line.net is not None:
        return f"{line.variable}:{line.net}"
    return line.variable if line.code is None else f"{line.variable}={line.code}"


def _dimension(label: str, labels: dict[str, str], **more: Any) -> dict[str, Any]:
    category = {"index": {name: k for k, name in enumerate(labels)}, "label": labels, **more}
    return {"label": label, "category": category}


def _unit(figure: str) -> dict[str, Any]:
    beside = next((key for key, _ in _BESIDE if figure.endswith(f".{key}")), "")
    shape = "whole" if beside == "base_n" else statistic_of(figure.removesuffix(f".{beside}")).shape
    # Shares are parts of one, as in results.json.
    return {"decimals": 0 if shape == "whole" else 3 if shape == "share" else 2}


def _figures(lines: Sequence[EstimateLine]) -> dict[str, str]:
    """The figures of a table, each with what stands beside it, and what they are called."""
    figures: dict[str, str] = {}
    for stat in dict.fromkeys(line.statistic for line in lines):
        mine = [line for line in lines if line.statistic == stat]
        figures[stat] = mine[0].label
        for key, says in _BESIDE:
            if any(getattr(line, key) is not None for line in mine):
                figures[f"{stat}.{key}"] = f"{mine[0].label}, {says}"
    return figures


def _filled(
    lines: Sequence[EstimateLine], dimensions: Sequence[dict[str, str]]
) -> tuple[list[float | int | None], dict[str, str]]:
    """Values row by row, and the status of those that have one."""
    rows, columns, figures = ({name: k for k, name in enumerate(of)} for of in dimensions)
    value: list[float | int | None] = [None] * (len(rows) * len(columns) * len(figures))
    status: dict[str, str] = {}
    for line in lines:
        start = (rows[_row_id(line)] * len(columns) + columns[line.at or _TOTAL]) * len(figures)
        for key in ("", *(name for name, _ in _BESIDE)):
            name = f"{line.statistic}.{key}" if key else line.statistic
            # Of several modes the first stands; the lines of estimates have them all.
            if name in figures and value[start + figures[name]] is None:
                value[start + figures[name]] = getattr(line, key or "estimate")
        if line.hidden or line.marks:
            status[str(start + figures[line.statistic])] = _HIDDEN if line.hidden else _WEAK
    return value, status


def dataset(result: TableResult, study: Study, source: str) -> dict[str, Any]:
    """A table: its rows, its columns and its figures as dimensions; values row by row; status: x hidden, u
    unreliable."""
    request = next(of for of in study.tables if of.id == result.id)
    lines = list(table_lines(result, study.marks))
    rows = {
        _row_id(line): line.row if line.row == line.question else f"{line.question}: {line.row}"
        for line in lines
    }
    columns = {line.at or _TOTAL: line.column for line in lines}
    figures = _figures(lines)
    value, status = _filled(lines, (rows, columns, figures))
    units = {name: _unit(name) for name in figures}
    return {
        "version": "2.0",
        "class": "dataset",
        "label": result.title,
        "source": source,
        "id": ["row", "column", "figure"],
        "size": [len(rows), len(columns), len(figures)],
        "role": {"metric": ["figure"]},
        "dimension": {
            "row": _dimension("Question and answer", rows),
            "column": _dimension("Column", columns),
            "figure": _dimension("Figure", figures, unit=units),
        },
        "value": value,
        **({"status": status} if status else {}),
        "note": list(notes_of(result, request, None, (), study.suppression.below)),
        "extension": {"table": result.id, "where": request.where, "in_filter": result.in_filter},
    }


def collection(title: str, files: Sequence[tuple[str, TableResult]]) -> dict[str, Any]:
    """All tables, by the files that they stand in.

    >>> collection("Ferry", ())["link"]
    {'item': []}
    """
    items = [{"class": "dataset", "href": name, "label": result.title} for name, result in files]
    return {"version": "2.0", "class": "collection", "label": title, "link": {"item": items}}


def json_stat_files(study: Study, results: Results, names: dict[str, str]) -> dict[str, bytes]:
    """A file for each table and one for the collection. names: of each table's file, without an ending."""
    files = [(f"{names[result.id]}.json", result) for result in results.tables]
    made = {name: dataset(result, study, study.title) for name, result in files}
    made["tables.json"] = collection(study.title, files)
    return {
        name: (json.dumps(of, ensure_ascii=False, indent=1, allow_nan=False) + "\n").encode(errors="replace")
        for name, of in made.items()
    }
