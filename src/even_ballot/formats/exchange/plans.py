"""A plan of tables as a file: JSON, or lines of a spreadsheet, one table each. Both hold everything of a
table; JSON the other analyses too."""

import csv
import io
import json
from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

from pydantic import ValidationError

from even_ballot.core.faults import Fault, StudyError, fault
from even_ballot.core.model import Model, said_by
from even_ballot.core.models.analysis import AnalysisPart
from even_ballot.core.models.model_request import (
    Analysis,
    CorrelationsRequest,
    ModelRequest,
    ReliabilityRequest,
)
from even_ballot.core.study.study_file import place_in
from even_ballot.core.tables.table_request import TableRequest
from even_ballot.formats.guarding import guarded, unguarded
from even_ballot.formats.sources.delimited import guess_delimiter
from even_ballot.formats.sources.letters.encodings import guess_encoding
from even_ballot.formats.sources.readable import readable

HEADINGS = ("id", "group", "title", "stub", "banner", "where", "show", "tests", "more")
_LISTS = ("stub", "show", "tests")
_NESTED = " > "
R = TypeVar("R", bound=Model)


_SORTS: dict[AnalysisPart, type[Analysis]] = {
    "models": ModelRequest,
    "reliability": ReliabilityRequest,
    "correlations": CorrelationsRequest,
}


def _said(request: TableRequest | Analysis) -> dict[str, Any]:
    """What a request says, without what goes without saying."""
    document = request.model_dump(mode="json", exclude_defaults=True, by_alias=True)
    return {"id": request.id, **document}


def plan_json(
    requests: Sequence[TableRequest], analyses: Mapping[AnalysisPart, Sequence[Analysis]] | None = None
) -> str:
    """A plan as JSON: `tables`, and the other analyses where there are any, as in a study file."""
    document: dict[str, Any] = {"even_ballot_plan": 1, "tables": [_said(r) for r in requests]}
    document |= {part: [_said(r) for r in of] for part, of in (analyses or {}).items() if of}
    return json.dumps(document, ensure_ascii=False, indent=1) + "\n"


def plan_csv(requests: Sequence[TableRequest]) -> str:
    """A plan as lines: lists parted by semicolons, nests written a > b; what has no column of its own is
    JSON in the last."""
    out = io.StringIO()
    out.write("\ufeff")
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(HEADINGS)
    for request in requests:
        said = _said(request)
        cells = {key: said.pop(key, None) for key in HEADINGS[:-1]}
        for key in _LISTS:
            cells[key] = "; ".join(cells[key] or ())
        entries = cells["banner"] or ()
        cells["banner"] = "; ".join(
            entry if isinstance(entry, str) else _NESTED.join(entry) for entry in entries
        )
        more = json.dumps(said, ensure_ascii=False) if said else ""
        writer.writerow([*(guarded(cells[key] or "") for key in HEADINGS[:-1]), more])
    return out.getvalue()


def _split(text: str) -> list[str]:
    return [part.strip() for part in text.split(";") if part.strip()]


def _line(cells: dict[str, str], where: str) -> dict[str, Any]:
    """The request of a line."""
    try:
        more = json.loads(cells["more"]) if cells.get("more") else {}
    except (json.JSONDecodeError, RecursionError) as error:
        raise fault(
            f"The column “more” is not JSON: {error}.", where, "Correct it, or leave it empty."
        ) from None
    if not isinstance(more, dict):
        raise fault(
            "The column “more” is no JSON object.",
            where,
            'It holds keys of a table, such as {"adjust": "holm"}.',
        )
    said: dict[str, Any] = {key: cells[key] for key in ("id", "group", "title", "where") if cells.get(key)}
    said |= {key: _split(cells[key]) for key in _LISTS if cells.get(key)}
    nests = [[step.strip() for step in entry.split(">")] for entry in _split(cells.get("banner", ""))]
    if nests:
        said["banner"] = [nest[0] if len(nest) == 1 else nest for nest in nests]
    return {**said, **more}


def _lines(content: bytes, name: str) -> list[tuple[dict[str, Any], str]]:
    text = content.decode(guess_encoding(content), errors="replace").lstrip("\ufeff")
    # Lists are parted by semicolons, so they part columns only where the headings say so.
    first = text.split("\n", 1)[0]
    reader = csv.DictReader(io.StringIO(text, newline=""), delimiter=guess_delimiter(first))
    columns = [(heading or "").strip().lower() for heading in reader.fieldnames or ()]
    if "stub" not in columns:
        raise fault(
            "No column is headed “stub”.",
            f"{name}, line 1",
            f"Headings that are read: {', '.join(HEADINGS)}.",
        )
    strange = [column for column in columns if column and column not in HEADINGS]
    if strange:
        raise fault(
            f"A column is headed “{strange[0]}”.",
            f"{name}, line 1",
            f"Headings that are read: {', '.join(HEADINGS)}.",
        )
    reader.fieldnames = columns
    found = []
    for row in reader:
        cells = {
            key: unguarded((value or "").strip())
            for key, value in row.items()
            if key and not isinstance(value, list)
        }
        if any(cells.values()):
            where = f"{name}, line {reader.line_num}"
            found.append((_line(cells, where), where))
    return found


def _json(content: bytes, name: str) -> Any:
    try:
        return json.loads(content.decode("utf-8-sig"))
    except (ValueError, RecursionError) as error:
        raise fault(f"This is not JSON: {error}.", name, "Choose a plan as JSON or CSV.") from None


def _document(content: bytes, name: str) -> list[tuple[dict[str, Any], str]]:
    document = _json(content, name)
    tables = document.get("tables") if isinstance(document, dict) else None
    if tables is None and isinstance(document, dict) and any(document.get(part) for part in _SORTS):
        return []
    if not isinstance(tables, list) or not all(isinstance(table, dict) for table in tables):
        raise fault("The document has no list of tables.", name, "A plan has “tables”, as a study file has.")
    return [(table, f"{name}, tables[{i}]") for i, table in enumerate(tables)]


def _validated(
    sort: type[R],
    asked: Sequence[tuple[dict[str, Any], str]],
    taken: Sequence[str],
    begins: str,
    faults: list[Fault],
) -> tuple[R, ...]:
    """Parts of a plan, each with its place; one without an identifier, or with one that is taken, gets one of
    its own. What is at fault is added to the faults."""
    ids, made = set(taken), list[R]()
    for said, where in asked:
        wanted = str(said.get("id") or f"{begins}{len(ids) + 1}")
        free, k = wanted, 2
        while free in ids:
            free, k = f"{wanted}-{k}", k + 1
        ids.add(free)
        try:
            made.append(sort.model_validate({**said, "id": free}))
        except ValidationError as error:
            for item in error.errors():
                place = place_in(item["loc"], said)
                faults.append(Fault(f"{said_by(item)}.", f"{where}{f', {place}' if place else ''}"))
    return tuple(made)


def _is_json(content: bytes) -> bool:
    return content.lstrip()[:1] in (b"{", b"[")


def read_analyses(
    content: bytes, name: str, taken: Mapping[AnalysisPart, Sequence[str]]
) -> dict[AnalysisPart, tuple[Analysis, ...]]:
    """The analyses of a plan that are no tables, from JSON; taken: identifiers there are. Raises StudyError
    with everything that is at fault."""
    found: dict[AnalysisPart, tuple[Analysis, ...]] = {}
    if not content.strip() or not _is_json(content):
        return found
    with readable(name, "The plan"):
        document = _json(content, name)
    faults: list[Fault] = []
    for part, sort in _SORTS.items():
        said = document.get(part) if isinstance(document, dict) else None
        if said is None:
            continue
        if not isinstance(said, list) or not all(isinstance(of, dict) for of in said):
            raise fault(f"“{part}” is not a list.", name, "It is a list, as in a study file.")
        asked = [(one, f"{name}, {part}[{i}]") for i, one in enumerate(said)]
        found[part] = _validated(sort, asked, taken.get(part, ()), part[0], faults)
    if faults:
        raise StudyError(faults)
    return found


def read_plan(content: bytes, name: str, taken: Sequence[str] = ()) -> tuple[TableRequest, ...]:
    """The tables of a plan, from CSV or JSON. A table without an identifier, or with one that is taken,
    gets one of its own. Raises StudyError with every line that is at fault."""
    if not content.strip():
        raise fault("The file is empty.", name, f"It begins with a line of headings: {', '.join(HEADINGS)}.")
    with readable(name, "The plan"):
        asked = _document(content, name) if _is_json(content) else _lines(content, name)
    if not asked and not (_is_json(content) and any(_json(content, name).get(part) for part in _SORTS)):
        raise fault("The file has no tables.", name, "Give each table a line below the headings.")
    faults: list[Fault] = []
    requests = _validated(TableRequest, asked, taken, "t", faults)
    if faults:
        raise StudyError(faults)
    return requests
