"""A file of targets as lines of text: as pasted lines are, so that what fits nothing can be seen and
mended in place."""

from even_ballot.core.faults import fault
from even_ballot.core.study.study_file import Source
from even_ballot.formats.sources.letters.encodings import decoded
from even_ballot.formats.sources.readable import readable
from even_ballot.formats.sources.source import format_of
from even_ballot.formats.sources.spreadsheet import sheet_texts

_MOST = 5000


def target_lines(content: bytes, name: str) -> str:
    """Lines of a text file, or rows of a workbook's first sheet with tabs between cells. Raises StudyError
    for another kind, for nothing at all, and for more lines than anybody's targets."""
    kind = format_of(content, Source(path=name))
    if kind in ("parquet", "jsonl"):
        raise fault("Targets are read from CSV, XLSX or ODS.", name, "Save them as one of these.")
    with readable(name):
        if kind == "csv":
            lines = decoded(content, name).splitlines()
        else:
            lines = ["\t".join(cell for cell in row if cell.strip()) for row in sheet_texts(content, name)]
    lines = [line for line in lines if line.strip()]
    if not lines:
        raise fault("The file is empty.", name, "It needs a label or code and a value on each line.")
    if len(lines) > _MOST:
        raise fault(
            f"The file has {len(lines):,} lines; targets have a line for each category.",
            name,
            "Choose the file of targets.",
        )
    return "\n".join(lines)
