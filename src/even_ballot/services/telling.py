"""What a run has to say for itself at the command line."""

from rich.console import Console
from rich.markup import escape
from rich.table import Table

from even_ballot.core.faults import counted
from even_ballot.core.study.summary import Summary

_MOST = 12
_SAID = {
    "format": "format",
    "encoding": "encoding",
    "delimiter": "delimiter",
    "decimal": "decimals",
    "header_rows": "rows of headings",
    "names_row": "row with the names",
    "sheet": "sheet",
}
_KINDS = {
    "out_of_range": "out of range",
    "blank": "blanks without a code",
    "unusual": "far from the rest",
    "rule": "rules broken",
    "staff_test": "test entries",
    "too_fast": "too fast",
    "too_little": "too little answered",
    "straight_line": "straight lines",
    "duplicate_entry": "entries alike",
    "duplicate_identifier": "identifiers alike",
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
    for heading, entries in (("not placed", summary.not_placed), ("out of scale", summary.not_in_codebook)):
        found += [(heading, f"{e.variable}: {e.value}", counted(e.cells, "cell")) for e in entries[:_MOST]]
        if len(entries) > _MOST:
            cells = sum(e.cells for e in entries[_MOST:])
            found.append((heading, f"and {len(entries) - _MOST:,} more", counted(cells, "cell")))
    for target in summary.unmet[:_MOST]:
        found.append(
            (
                "not met",
                f"{target.save_as}: {target.label}",
                f"{100 * target.after:.4g} % for {100 * target.target:.4g} %",
            )
        )
    found += [("found", _KINDS.get(kind, kind), counted(n, "case")) for kind, n in summary.findings.items()]
    return found


def tell(summary: Summary, problems: tuple[str, ...], console: Console) -> None:
    """Writes a run's summary as a table; nothing where there is nothing to say."""
    rows = [*_rows(summary), *(("to mind", problem, "") for problem in problems)]
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
