"""What a run has to say for itself at the command line."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.console import Console
from rich.markup import escape
from rich.table import Table

from even_ballot.core.faults import counted, some
from even_ballot.core.study.study_file import Source
from even_ballot.core.study.summary import Summary

if TYPE_CHECKING:
    from even_ballot.core.draft.line import DraftLine

_MOST = 12
_SAID = {
    "format": "format",
    "encoding": "encoding",
    "delimiter": "delimiter",
    "decimal": "decimals",
    "header_rows": "rows of headings",
    "names_row": "row with the names",
    "sheet": "sheet",
    "rows_above": "rows above the headings, left out",
    "rows_below": "notes and totals below, left out",
    "repeated": "headings that are repeated, left out",
    "hidden": "hidden rows, left out",
}
_KINDS = {
    "out_of_range": "out of range",
    "blank": "blanks without a code",
    "unusual": "unusual values",
    "influential": "influential cases",
    "rule": "rules broken",
    "staff_test": "test entries",
    "too_fast": "too fast",
    "too_little": "mostly unanswered",
    "straight_line": "straight-lining",
    "duplicate_entry": "duplicate entries",
    "duplicate_identifier": "duplicate identifiers",
    "ended_before_started": "ended before they started",
}


def _rows(summary: Summary) -> list[tuple[str, str, str]]:
    """Heading, what, and how many or how much."""
    found = [("guessed", f"{_SAID.get(k, k)}", repr(v)) for k, v in summary.guessed.items()]
    if summary.kinds:
        counts: dict[str, int] = {}
        for kind in summary.kinds.values():
            counts[kind] = counts.get(kind, 0) + 1
        said = ", ".join(f"{n} {kind}" for kind, n in counts.items())
        found.append(("guessed", f"kinds of {len(summary.kinds)} columns not in the codebook", said))
    for heading, entries in (
        ("unrecognised", summary.not_placed),
        ("not in the codebook", summary.not_in_codebook),
    ):
        found += [(heading, f"{e.variable}: {e.value}", counted(e.cells, "cell")) for e in entries[:_MOST]]
        if len(entries) > _MOST:
            cells = sum(e.cells for e in entries[_MOST:])
            found.append((heading, f"and {len(entries) - _MOST:,} more", counted(cells, "cell")))
    for target in summary.unmet[:_MOST]:
        found.append(
            (
                "not met",
                f"{target.save_as}: {target.label}",
                f"{100 * target.after:.4g} % for {100 * target.target:.4g} %"
                if target.total_of is None
                else f"{target.after:,.6g} for {target.target:,.6g}",
            )
        )
    found += [("found", _KINDS.get(kind, kind), counted(n, "case")) for kind, n in summary.findings.items()]
    return found


def tell(summary: Summary, problems: tuple[str, ...], console: Console) -> None:
    """Writes a run's summary as a table; nothing where there is nothing to say."""
    rows = [*_rows(summary), *(("note", problem, "") for problem in problems)]
    if not rows:
        return
    table = Table(box=None, padding=(0, 2, 0, 0), show_header=False)
    for _ in range(3):
        table.add_column(overflow="fold")
    before = ""
    for heading, what, how in rows:
        table.add_row("" if heading == before else heading, escape(what), escape(how))
        before = heading
    console.print(table)


_WHY = {
    "known_order": "answers of a known order",
    "natural_order": "answers that are sizes",
    "numbered_labels": "answers that begin with their code",
    "few_words": "few different answers, in no known order",
    "few_whole_numbers": "few whole numbers in a row",
    "numbers": "numbers",
    "top_codes": "numbers with an open end",
    "counts": "a number of something",
    "written_numbers": "numbers as people write them",
    "durations": "lengths of time",
    "dates": "dates",
    "ambiguous_dates": "dates whose day and month cannot be told apart",
    "ticks": "tick boxes",
    "separated": "several answers in a cell",
    "open_answers": "open answers",
    "identifier": "tells the cases apart",
    "role": "its heading says so",
    "leading_zeros": "numbers that begin with 0",
    "index": "counts the records",
    "empty": "no answers",
}


def tell_draft(reading: Source, lines: "Sequence[DraftLine]", console: Console) -> None:
    """Writes how a file was read and what a draft is unsure of, as a table."""
    table = Table(box=None, padding=(0, 2, 0, 0), show_header=False)
    for _ in range(3):
        table.add_column(overflow="fold")
    for key, value in reading.model_dump(exclude_none=True, exclude={"path"}).items():
        table.add_row("read", _SAID.get(key, key), escape(repr(value)))
    counts: dict[str, int] = {}
    for line in lines:
        counts[line.kind] = counts.get(line.kind, 0) + len(line.questions)
    for kind, n in counts.items():
        table.add_row("proposed", kind, counted(n, "column"))
    for line in lines:
        if line.unsure:
            what = f"{some(line.questions, 4)}: {line.kind}"
            table.add_row("unsure", escape(what), _WHY[line.why])
    console.print(table)
