"""The codebook as files: a CSV with a line for each answer, and a table schema in JSON (fields with
categories and missing values, after the open Table Schema standard)."""

import csv
import io
import json
from collections.abc import Iterable, Mapping
from typing import Any

from pydantic import ValidationError

from even_ballot.core.data.codebook import Code, Codebook, Kind, Scale, Variable
from even_ballot.core.faults import fault
from even_ballot.core.model import said_by
from even_ballot.formats.guarding import guarded, unguarded
from even_ballot.formats.sources.delimited import guess_delimiter
from even_ballot.formats.sources.letters.encodings import guess_encoding
from even_ballot.formats.sources.readable import readable

HEADINGS = (
    "variable",
    "question",
    "kind",
    "level",
    "role",
    "unit",
    "note",
    "scale",
    "ordered",
    "code",
    "label",
    "answer",
)
_TYPES: dict[Kind, str] = {
    "coded": "integer",
    "number": "number",
    "text": "string",
    "date": "datetime",
    "multi": "string",
}
_KINDS: dict[str, Kind] = {
    "integer": "number",
    "number": "number",
    "string": "text",
    "date": "date",
    "datetime": "date",
}


def _missing(variable: Variable, scale: Scale | None) -> tuple[Code, ...]:
    own = (scale.missing if scale else ()) + variable.missing
    return tuple({item.code: item for item in own}.values())


def codebook_csv(variables: Iterable[Variable], scales: Mapping[str, Scale]) -> str:
    """A line for each code of each variable, `answer` or `missing`; one line for a variable without codes."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(HEADINGS)
    for v in variables:
        scale = scales.get(v.scale) if v.scale else None
        ordered = "" if scale is None else "yes" if scale.ordered else "no"
        head = [
            v.name,
            v.label or "",
            v.kind,
            v.level_on(scale) or "",
            v.role or "",
            v.unit or "",
            v.note or "",
            v.scale or "",
            ordered,
        ]
        codes = [(c, "answer") for c in (scale.codes if scale else v.options)] + [
            (c, "missing") for c in _missing(v, scale)
        ]
        for code, sort in codes:
            writer.writerow([*map(guarded, head), code.code, guarded(code.label), sort])
        if not codes:
            writer.writerow([*map(guarded, head), "", "", ""])
    return out.getvalue()


def _field(v: Variable, scale: Scale | None) -> dict[str, Any]:
    field: dict[str, Any] = {"name": v.name, "type": _TYPES[v.kind], "title": v.title}
    if v.note:
        field["description"] = v.note
    if scale is not None:
        field["categories"] = [{"value": c.code, "label": c.label} for c in scale.codes]
        field["categoriesOrdered"] = scale.ordered
    if missing := _missing(v, scale):
        field["missingValues"] = [
            {"value": "", "label": ""},
            *({"value": str(c.code), "label": c.label} for c in missing),
        ]
    # What the standard has no word for, under a name of our own, as it allows.
    ours: dict[str, Any] = {
        "kind": v.kind,
        "level": v.level_on(scale),
        "role": v.role,
        "unit": v.unit,
        "scale": v.scale,
    }
    ours |= {"parts": list(v.parts) or None, "options": [c.model_dump() for c in v.options] or None}
    ours["midpoint"] = scale.midpoint if scale else None
    field["evenBallot"] = {key: value for key, value in ours.items() if value is not None}
    return field


def codebook_schema(variables: Iterable[Variable], scales: Mapping[str, Scale]) -> str:
    """A table schema: a field for each variable."""
    fields = [_field(v, scales.get(v.scale) if v.scale else None) for v in variables]
    document = {"fields": fields, "missingValues": [""]}
    return json.dumps(document, ensure_ascii=False, indent=1) + "\n"


def _variable(where: str, **said: Any) -> Variable:
    try:
        return Variable.model_validate(
            {key: value for key, value in said.items() if value not in (None, "", ())}
        )
    except ValidationError as error:
        item = error.errors()[0]
        key = str(item["loc"][0]) if item["loc"] else ""
        what = said_by(item)
        raise fault(
            f"{key + ': ' if key else ''}{what}.",
            where,
            "Correct it there; leave a cell empty if it does not apply.",
        ) from None


def _scale(
    where: str, codes: list[Code], missing: list[Code], ordered: bool, midpoint: int | None = None
) -> Scale:
    try:
        return Scale(codes=tuple(codes), missing=tuple(missing), ordered=ordered, midpoint=midpoint)
    except ValidationError as error:
        raise fault(said_by(error.errors()[0]) + ".", where) from None


def _code(text: str, label: str, where: str) -> Code:
    try:
        return Code(code=int(text), label=label or text)
    except ValueError:
        raise fault(f"{text!r} is not a code.", where, "Codes are whole numbers.") from None


def _same_scale(scales: dict[str, Scale], name: str, scale: Scale, where: str) -> None:
    if name in scales and scales[name] != scale:
        raise fault(
            f"Scale {name!r} has different codes here and on an earlier line.",
            where,
            "Use one set of codes, or two scale names.",
        )
    scales[name] = scale


def read_codebook_csv(content: bytes, name: str) -> Codebook:
    """A codebook from lines such as `codebook_csv` writes; only `variable` has to be there, in any order
    of columns."""
    scales: dict[str, Scale] = {}
    variables = []
    for variable, rows in _lines_by_variable(content, name).items():
        line, first = rows[0]
        where = f"{name}, line {line}"
        sort: dict[bool, list[Code]] = {True: [], False: []}
        for n, r in rows:
            if r.get("code"):
                code = _code(r["code"], r.get("label", ""), f"{name}, line {n}")
                sort[_means_no_answer(r.get("answer", ""), f"{name}, line {n}")].append(code)
        kind = first.get("kind") or ("coded" if sort[False] else "text")
        said: dict[str, Any] = {key: first.get(key) for key in ("role", "unit", "note", "level")}
        said["label"] = first.get("question")
        if kind == "coded" and sort[False]:
            scale = first.get("scale") or variable
            made = _scale(where, sort[False], sort[True], first.get("ordered") == "yes")
            _same_scale(scales, scale, made, where)
            variables.append(_variable(where, name=variable, kind=kind, scale=scale, **said))
        elif kind != "multi":
            variables.append(_variable(where, name=variable, kind=kind, missing=tuple(sort[True]), **said))
    return Codebook(scales=scales, variables=tuple(variables))


_ANSWERS = {"", "answer", "valid"}
_NO_ANSWERS = {
    "missing", "no answer", "none", "dk", "don't know", "dont know", "na", "n/a", "not applicable", "refused",
}  # fmt: skip


def _means_no_answer(word: str, where: str) -> bool:
    """Whether a line's code means no answer, by its column `answer`."""
    said = " ".join(word.split()).casefold().replace("’", "'")
    if said in _ANSWERS or said in _NO_ANSWERS:
        return said in _NO_ANSWERS
    raise fault(
        f"{word!r} in the column `answer` says neither answer nor missing.",
        where,
        "Write answer, or missing for a code that means no answer.",
    )


def _lines_by_variable(content: bytes, name: str) -> dict[str, list[tuple[int, dict[str, str]]]]:
    """Lines of a codebook with their numbers, by the variable they are of; empty ones left out."""
    read = f"Headings that are read: {', '.join(HEADINGS)}."
    if not content.strip():
        raise fault("The file is empty.", name, f"It begins with a line of headings: {', '.join(HEADINGS)}.")
    text = content.decode(guess_encoding(content), errors="replace").lstrip("\ufeff")
    reader = csv.DictReader(io.StringIO(text, newline=""), delimiter=guess_delimiter(text[:65536]))
    columns = [(heading or "").strip().lower() for heading in reader.fieldnames or ()]
    if "variable" not in columns:
        raise fault("No column is headed “variable”.", f"{name}, line 1", read)
    reader.fieldnames = columns
    lines: dict[str, list[tuple[int, dict[str, str]]]] = {}
    for row in reader:
        known = {key: value for key, value in row.items() if key and not isinstance(value, list)}
        cells = {key: unguarded((value or "").strip()) for key, value in known.items()}
        if any(cells.values()):
            lines.setdefault(cells["variable"], []).append((reader.line_num, cells))
    return lines


def read_codebook_schema(content: bytes, name: str) -> Codebook:
    """A codebook from a table schema; fields with categories become coded variables, alike categories one
    scale."""
    scales: dict[str, Scale] = {}
    fields = enumerate(_fields(content, name))
    variables = [_variable_of_field(field, scales, f"{name}, fields[{i}]") for i, field in fields]
    return Codebook(scales=scales, variables=tuple(variables))


def _fields(content: bytes, name: str) -> list[Any]:
    """The fields of a table schema."""
    try:
        document = json.loads(content.decode("utf-8-sig"))
    except (ValueError, RecursionError) as error:
        mend = "Choose a table schema, or a codebook in CSV."
        raise fault(f"This is not JSON: {error}.", name, mend) from None
    fields = document.get("fields") if isinstance(document, dict) else None
    if not isinstance(fields, list):
        mend = "A table schema has “fields”, one for each variable."
        raise fault("The document has no list of fields.", name, mend)
    return fields


def _variable_of_field(field: Any, scales: dict[str, Scale], where: str) -> Variable:
    """A variable; its scale is put among the scales."""
    if not isinstance(field, dict) or not isinstance(field.get("name"), str):
        raise fault("This field has no name.", where)
    own = field.get("evenBallot")
    ours: dict[str, Any] = own if isinstance(own, dict) else {}
    codes = [_code(str(_value(c)), str(_label(c)), where) for c in field.get("categories") or ()]
    unanswered = [c for c in field.get("missingValues") or () if str(_value(c)) != ""]
    missing = [_code(str(_value(c)), str(_label(c)), where) for c in unanswered]
    guessed = "coded" if codes else _KINDS.get(str(field.get("type", "string")), "text")
    kind, title = ours.get("kind") or guessed, field.get("title")
    said: dict[str, Any] = {key: ours.get(key) for key in ("role", "unit", "level")}
    said |= {"label": title if title != field["name"] else None, "note": field.get("description")}
    said["name"] = field["name"]
    if kind == "multi":
        return _variable(where, kind=kind, parts=ours.get("parts"), options=ours.get("options"), **said)
    if codes:
        scale = _scale(where, codes, missing, bool(field.get("categoriesOrdered")), ours.get("midpoint"))
        known = ours.get("scale") or next((key for key, s in scales.items() if s == scale), field["name"])
        _same_scale(scales, known, scale, where)
        return _variable(where, kind="coded", scale=known, **said)
    return _variable(where, kind=kind, missing=tuple(missing) if kind == "number" else (), **said)


def _value(item: Any) -> Any:
    return item.get("value") if isinstance(item, dict) else item


def _label(item: Any) -> Any:
    return item.get("label", item.get("value")) if isinstance(item, dict) else item


def read_codebook(content: bytes, name: str) -> Codebook:
    """A codebook in either format, told by its first character."""
    with readable(name, "The codebook"):
        if content.lstrip(b"\xef\xbb\xbf \t\r\n").startswith((b"{", b"[")):
            return read_codebook_schema(content, name)
        return read_codebook_csv(content, name)
