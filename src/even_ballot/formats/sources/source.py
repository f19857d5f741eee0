"""A source file of any format we read, by its content and name."""

from dataclasses import asdict, replace
from pathlib import PurePath
from typing import Any, Literal

from even_ballot.core.data.dataset import RawTable
from even_ballot.core.data.interpretation import guess_decimal
from even_ballot.core.faults import StudyError, fault
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.delimited import read_delimited
from even_ballot.formats.sources.readable import readable
from even_ballot.formats.sources.sizes import check_entries

_ARTICLE = {".xlsx": "an", ".ods": "an", ".parquet": "a"}

Format = Literal["csv", "xlsx", "ods", "parquet", "jsonl"]


def format_of(content: bytes, source: Source) -> Format:
    """What a file is: as said, else by its first bytes and its name."""
    if source.format is not None:
        return source.format
    suffix = PurePath(source.path).suffix.lower()
    if content.startswith(b"PK\x03\x04"):
        return "ods" if suffix == ".ods" else "xlsx"
    if content.startswith(b"\xd0\xcf\x11\xe0"):
        raise fault("This is a spreadsheet in the old binary format.", source.path, "Save it as XLSX or ODS.")
    if content.startswith(b"PAR1"):
        return "parquet"
    if suffix in (".jsonl", ".ndjson"):
        return "jsonl"
    if suffix in (".xlsx", ".ods", ".parquet"):
        raise fault(
            f"This is not {_ARTICLE[suffix]} {suffix[1:].upper()} file, despite its name.",
            source.path,
            "Check that the file is complete.",
        )
    return "csv"


def read_source(content: bytes, source: Source, progress: Progress = quiet) -> tuple[RawTable, Source]:
    """The table in a file, and how it was read (everything that was guessed, filled in)."""
    if not content:
        raise fault(
            "The file is empty.", source.path, "Choose a file with a row of headings and at least one record."
        )
    kind = format_of(content, source)
    try:
        with readable(source.path):
            table, reading = _read(content, source, kind, progress)
            check_entries(table, source.path)
            return table, reading
    except StudyError as error:
        raise StudyError([replace(f, where=f.where or source.path) for f in error.faults]) from None


def _read(content: bytes, source: Source, kind: Format, progress: Progress) -> tuple[RawTable, Source]:
    said: dict[str, Any] = {}
    if kind == "csv":
        table, guess = read_delimited(content, source, progress)
        said = asdict(guess)
    elif kind == "parquet":  # Each reader but the first is loaded where a file asks for it.
        from even_ballot.formats.sources.columnar import read_parquet

        table, delimiter = read_parquet(content, source)
        said = {} if delimiter is None else {"delimiter": delimiter}
    elif kind == "jsonl":
        from even_ballot.formats.sources.columnar import read_json_lines

        table = read_json_lines(content, source)
    else:
        from even_ballot.formats.sources.spreadsheet import read_spreadsheet

        table, found = read_spreadsheet(content, source)
        said = asdict(found)
    if source.decimal is None and said.get("delimiter") is not None:
        said["decimal"] = guess_decimal(table.columns, said["delimiter"])
    return table, source.model_copy(update={"format": kind, **said})
